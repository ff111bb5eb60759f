"""Who lives in the household and where they go."""

from __future__ import annotations

from collections.abc import Sequence

from flask import Blueprint, Response, request, url_for

from brood.services.house import who_lives_here as living
from brood.store.place_tables import Place
from brood.store.queries import cases as queries
from brood.web import render
from brood.web.context import catalogue, household, speech, today
from brood.web.forms.house import household as form
from brood.web.forms.reader import Reader

bp = Blueprint("household", __name__)


@bp.get("/household")
def page() -> Response:
    """Who lives there, and at which places."""
    with household().store.reading() as session:
        held, places = living.load(session), queries.places(session)
        return render.page(
            "house/household/page.html",
            values=_values(held, places),
            places=places,
            living=living.LIVING,
            visitors=living.VISITORS,
            products=_products(),
        )


def _products() -> dict[str, str]:
    """The treatments that are sold as products, with their names."""
    held = catalogue()
    return {
        key: record.name
        for key, record in held.treatments.items()
        if held.care[key].supply == "product"
    }


def _values(held: living.Residents, places: Sequence[Place]) -> dict[str, str]:
    out = {f"living-{one}": "1" for one in held.living} | {"region": held.region}
    out |= {f"barred-{key}": "1" for key in held.barred}
    for place in places:
        out |= {f"at-{place.id}-{one}": "1" for one in place.visitors}
    return out


@bp.post("/household")
def put() -> Response:
    """Keep it."""
    with household().store.reading() as session:
        ids = [place.id for place in queries.places(session)]
    held, visitors = form.read(Reader(request.form, speech(), today()), ids, _products())
    with household().store.writing() as session:
        living.put(session, held, visitors)
    return render.go(url_for("shelf.page"))
