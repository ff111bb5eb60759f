"""The mixing bench and the label for the bottle."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import timedelta

from flask import Blueprint, Response, request
from sqlalchemy.orm import Session

from brood.errors import FieldErrors, InputError, NotFound
from brood.services.cases import effort, history, plans
from brood.services.house import before_mixing
from brood.services.house import who_lives_here as living
from brood.services.house.plants import is_eaten
from brood.services.treatment import bench, shelf, shopping
from brood.services.voice import units
from brood.services.voice.desk import Desk
from brood.store.queries import cases as queries
from brood.store.tables import PestCase, StockItem
from brood.web import render
from brood.web.context import catalogue, household, now, prefs, reading, speech, today
from brood.web.forms.reader import Reader, key_of
from brood.web.forms.treatment import mix as form
from brood.web.forms.treatment.shelf import VOLUME_UNITS

bp = Blueprint("mix", __name__)


@bp.get("/mix")
def page() -> Response:
    """The bench, with what a case needs filled in where one is given."""
    return _bench(request.args)


@bp.post("/mix")
def work() -> Response:
    """The bench with an answer, or the reason why not."""
    return _bench(request.form)


def _bench(values: Mapping[str, str]) -> Response:
    held = catalogue()
    with reading() as desk:
        session = desk.session
        row = _case(session, values)
        filled = {**_first(row, values, shelf.items(session)), **values}
        made, trouble = None, ""
        plain = bench.plain(held, filled["treatment"])
        asked = (
            before_mixing.for_mix(session, held, row.plant, filled["treatment"]) if row else None
        )
        try:
            made = None if plain or asked else bench.mix(held, _command(session, row, filled))
        except InputError as error:
            if request.method == "POST":
                raise
            trouble = error.message
        stuff = [
            (key, held.recipes.name(key)) for key in (*held.recipes.ingredient, *held.recipes.other)
        ]
        return render.page(
            "treatment/mix/page.html",
            values=filled,
            made=made,
            asked=asked,
            living=living.LIVING,
            trouble=trouble,
            plain=plain,
            row=row,
            gone_on=row.plant.gone_on if row else None,
            count_first=row is not None and history.is_left_alone(row),
            recipes=_choices(),
            bottles=_bottles(session),
            stuff=stuff,
            others=[(key, one.name) for key, one in held.recipes.other.items()],
            units=VOLUME_UNITS,
            wanted=_wanted(desk, row) if row else None,
            part="treatment/mix/_made.html",
        )


def _wanted(desk: Desk, row: PestCase) -> shopping.Shopping:
    """What the course of a case takes, and what of it is to be bought."""
    usable = shelf.usable(shelf.items(desk.session), today())
    likely = shopping.likely_of(plans.outlook_of(desk, row))
    return shopping.of_case(catalogue(), row, usable, likely)


def _bottles(session: Session) -> list[tuple[str, str]]:
    """The bottles of the shelf to choose from, with their strength."""
    return [
        (
            f"shelf:{b.item.id}",
            f"{b.item.name}: {b.holds}" + (f", {b.item.percent:g} %" if b.item.percent else ""),
        )
        for b in shelf.bottles(session, catalogue(), today())
    ]


def _case(session: Session, values: Mapping[str, str]) -> PestCase | None:
    number = key_of(values.get("case", ""))
    return None if number is None else queries.case(session, number)


def _command(session: Session, row: PestCase | None, values: Mapping[str, str]) -> bench.MixCommand:
    bottles = {one.id: one for one in shelf.items(session)}
    eaten = is_eaten(row.plant) if row else bool(values.get("eaten"))
    return form.read(
        Reader(values, speech(), today()),
        catalogue(),
        bottles,
        living.load(session).assumed().living,
        eaten=eaten,
        tough=row is not None and "tough" in row.plant.marks,
    )


def _first(
    row: PestCase | None, values: Mapping[str, str], bottles: list[StockItem]
) -> dict[str, str]:
    """What the bench is filled in with at first: what the case uses, from the bottle
    that holds it.
    """
    metric = prefs().measure == "metric"
    held = catalogue()
    recipes = held.recipes.recipe
    planned = [key for slot in history.planned(row)[:1] for key in slot.treatments] if row else []
    every = [*planned, *(a.treatment_id for a in row.acts)] if row else []
    chosen = [key for key in every if held.care[key].supply in ("home", "product")]
    first = values.get("treatment") or (chosen[0] if chosen else next(iter(recipes)))
    ml = (
        effort.mix_ml(catalogue(), row.plant, first) if row and first in catalogue().care else 500.0
    )
    usable = shelf.usable(bottles, today())
    bottle = (
        shelf.bottle_for(held, row, first, usable)
        if row
        else shelf.ingredient_for(held, first, usable)
    )
    stock = {"stock": f"shelf:{bottle.id}"} if bottle and not values.get("stock") else {}
    amount = ml if metric else units.fluid_ounces(ml)
    return {
        **stock,
        "amount": f"{float(f'{amount:.3g}'):g}",
        "amount_unit": "ml" if metric else "fl oz",
        "treatment": first,
    }


def _choices() -> list[tuple[str, str]]:
    held = catalogue()
    return [
        (key, held.treatments[key].name)
        for key in held.treatments
        if key in held.recipes.recipe
        or held.care[key].supply == "product"
        or key in held.recipes.plain
    ]


@bp.get("/mix/label")
def label() -> Response:
    """A label to print for the bottle."""
    with household().store.reading() as session:
        row = _case(session, request.args)
        try:
            made = bench.mix(catalogue(), _command(session, row, request.args))
        except FieldErrors as error:
            raise NotFound("; ".join(error.by_field.values())) from None
        until = now() + timedelta(days=made.keeps_days)
        return render.page(
            "treatment/mix/label.html",
            made=made,
            row=row,
            until=until,
            care=catalogue().care[made.treatment],
            now=now(),
        )
