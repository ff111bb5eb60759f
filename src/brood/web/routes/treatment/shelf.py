"""The shelf: what stands in the cupboard, its strength and its label."""

from __future__ import annotations

from collections.abc import Mapping

from flask import Blueprint, Response, request, url_for

from brood.services.cases import beside
from brood.services.house import load
from brood.services.house import who_lives_here as living
from brood.services.treatment import shelf, shopping
from brood.store.tables import StockItem
from brood.web import render
from brood.web.context import catalogue, household, now, reading, speech, today
from brood.web.forms.reader import Reader
from brood.web.forms.treatment import shelf as form

bp = Blueprint("shelf", __name__)


@bp.get("/shelf")
def page() -> Response:
    """Everything on the shelf."""
    with reading() as desk:
        session, here = desk.session, beside.house_of(desk.session)
        usable = shelf.usable(shelf.items(session), desk.today)
        return render.page(
            "treatment/shelf/page.html",
            rows=shelf.bottles(session, desk.catalogue, desk.today),
            who=living.load(session),
            allowed=shelf.ALLOWED,
            needed=shopping.together(desk, here.open_cases, usable),
            injured=load.injured(desk.catalogue, here.every),
        )


@bp.get("/shelf/new")
def new() -> Response:
    """A new bottle."""
    return _form({"holds": request.args.get("holds", ""), "name": ""})


@bp.get("/shelf/<int:item_id>")
def edit(item_id: int) -> Response:
    """Correct a bottle."""
    with household().store.reading() as session:
        return _form(_values(shelf.item(session, item_id)), item_id)


def _values(one: StockItem) -> dict[str, str]:
    numbers = {
        n: getattr(one, n) for n in ("percent", "min_gap_days", "max_applications", "harvest_days")
    }
    rate = one.label_rate
    numbers["label_rate"] = None if rate is None else round(rate / speech().unit_per_litre, 4)
    out = {name: "" if value is None else f"{value:g}" for name, value in numbers.items()}
    out |= {
        "name": one.name,
        "holds": f"{'product' if one.labelled else 'stuff'}:{one.holds}",
        "note": one.note,
    }
    out |= {"size": "" if one.size_ml is None else f"{one.size_ml:g}", "size_unit": "ml"}
    out |= {
        name: day.isoformat() if (day := getattr(one, name)) else ""
        for name in ("opened_on", "expires_on")
    }
    return out | {f"allowed-{place}": "1" for place in one.allowed}


def _form(values: Mapping[str, str], item_id: int | None = None) -> Response:
    held = catalogue()
    products = [
        (f"product:{t.id}", t.name)
        for t in held.treatments.values()
        if held.care[t.id].supply in ("product", "home")
    ]
    stuff = [(f"stuff:{key}", one.name) for key, one in held.recipes.ingredient.items()]
    stuff += [(f"stuff:{key}", one.name) for key, one in held.recipes.other.items()]
    return render.page(
        "treatment/shelf/form.html",
        values=values,
        item_id=item_id,
        products=products,
        stuff=stuff,
        units=form.VOLUME_UNITS,
        allowed=shelf.ALLOWED,
    )


@bp.post("/shelf/new")
def add() -> Response:
    """Put it on the shelf."""
    return _put(None)


@bp.post("/shelf/<int:item_id>")
def change(item_id: int) -> Response:
    """Correct a bottle, or take it off the shelf."""
    if request.form.get("act") == "away":
        with household().store.writing() as session:
            shelf.take_away(session, item_id, now=now())
        return render.go(url_for("shelf.page"))
    return _put(item_id)


def _put(item_id: int | None) -> Response:
    said = form.read(Reader(request.form, speech(), today()), catalogue())
    with household().store.writing() as session:
        shelf.put(session, said, now=now(), instead_of=item_id)
    return render.go(url_for("shelf.page"))
