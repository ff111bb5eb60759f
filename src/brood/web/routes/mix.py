"""The mixing bench and the label for the bottle."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import timedelta

from flask import Blueprint, Response, request
from sqlalchemy.orm import Session

from brood.errors import FieldErrors, InputError, NotFound
from brood.services import household as living
from brood.services import mixing, shelf, shopping
from brood.services.plants import is_eaten
from brood.store.queries import cases as queries
from brood.store.tables import PestCase
from brood.web import render
from brood.web.context import catalogue, household, now, prefs, speech, today
from brood.web.forms import mix as form
from brood.web.forms.reader import Reader
from brood.web.forms.shelf import VOLUME_UNITS

bp = Blueprint("mix", __name__)


@bp.get("/mix")
def page() -> Response:
    """The bench, with what a case needs filled in where one is given."""
    return _bench(request.args, worked="amount" in request.args)


@bp.post("/mix")
def work() -> Response:
    """The bench with an answer, or the reason why not."""
    return _bench(request.form, worked=True)


def _bench(values: Mapping[str, str], *, worked: bool) -> Response:
    held = catalogue()
    with household().store.reading() as session:
        row = _case(session, values)
        made, wrong = None, {}
        if worked:
            try:
                made = mixing.mix(held, _command(session, row, values))
            except FieldErrors as error:
                wrong = error.by_field
            except InputError as error:
                wrong = {"whole": error.message}
        filled = {**_first(row, values), **values}
        bottles = [(f"shelf:{b.item.id}", f"{b.item.name}: {b.holds}" + (f", {b.item.percent:g} %" if b.item.percent else ""))
                   for b in shelf.bottles(session, held, today())]  # fmt: skip
        stuff = [(key, held.recipes.name(key)) for key in (*held.recipes.ingredient, *held.recipes.other)]
        wanted = shopping.of_case(held, row, shelf.usable(shelf.items(session), today())) if row else None
        return render.page(
            "mix/page.html", 422 if wrong else 200, values=filled, made=made, wrong=wrong, row=row, recipes=_choices(), bottles=bottles, stuff=stuff,
            others=[(key, one.name) for key, one in held.recipes.other.items()], units=VOLUME_UNITS, wanted=wanted, part="mix/_made.html",
        )  # fmt: skip


def _case(session: Session, values: Mapping[str, str]) -> PestCase | None:
    return queries.case(session, int(values["case"])) if values.get("case", "").isdigit() else None


def _command(session: Session, row: PestCase | None, values: Mapping[str, str]) -> mixing.MixCommand:
    bottles = {one.id: one for one in shelf.items(session)}
    eaten = is_eaten(row.plant) if row else bool(values.get("eaten"))
    return form.read(Reader(values, speech(), today()), catalogue(), bottles, living.load(session).living, eaten=eaten)


def _first(row: PestCase | None, values: Mapping[str, str]) -> dict[str, str]:
    """What the bench is filled in with to begin with."""
    ml = shopping.spray_ml(row.plant) if row else 500.0
    metric = prefs().measure == "metric"
    recipes = catalogue().recipes.recipe
    chosen = [a.treatment_id for a in row.acts if a.treatment_id in recipes] if row else []
    first = values.get("treatment") or (chosen[0] if chosen else next(iter(recipes)))
    return {"amount": f"{ml if metric else ml / 29.5735:.3g}", "amount_unit": "ml" if metric else "fl oz", "treatment": first}


def _choices() -> list[tuple[str, str]]:
    held = catalogue()
    return [(key, held.treatments[key].name) for key in held.treatments if key in held.recipes.recipe or held.care[key].supply == "product"]


@bp.get("/mix/label")
def label() -> Response:
    """A label to print for the bottle."""
    with household().store.reading() as session:
        row = _case(session, request.args)
        try:
            made = mixing.mix(catalogue(), _command(session, row, request.args))
        except FieldErrors as error:
            raise NotFound("; ".join(error.by_field.values())) from None
        until = now() + timedelta(days=made.keeps_days)
        return render.page("mix/label.html", made=made, row=row, until=until, care=catalogue().care[made.treatment], now=now())
