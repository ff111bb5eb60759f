"""The journal of the seasons, year beside year."""

from __future__ import annotations

from flask import Blueprint, Response, request

from brood.services.season import journal
from brood.store.queries import cases
from brood.web import render
from brood.web.context import catalogue, reading
from brood.web.forms.reader import key_of

bp = Blueprint("journal", __name__)


@bp.get("/season/journal")
def page() -> Response:
    """What came when, what was tried, and how it came out."""
    pest, plant = request.args.get("pest", ""), request.args.get("plant", "")
    with reading() as desk:
        every = journal.build(desk)
        asked = pest if pest in catalogue().records else ""
        found = journal.build(desk, asked, key_of(plant)) if asked or plant else every
        return render.page(
            "season/journal/page.html",
            chapters=found,
            pests=sorted({(c.pest_id, catalogue().name(c.pest_id)) for c in every}),
            plants=cases.names(desk.session),
            pest=asked,
            plant=plant,
        )
