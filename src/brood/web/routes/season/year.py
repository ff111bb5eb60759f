"""The year at a glance, and prevention that is begun from it."""

from __future__ import annotations

from flask import Blueprint, Response, request, url_for

from brood.services.cases.beside import house_of
from brood.services.season import hints, notes, year
from brood.store.queries import cases
from brood.web import render, undo
from brood.web.context import catalogue, household, now, reading, speech, today, writing
from brood.web.forms.reader import Reader, key_of

bp = Blueprint("season", __name__)


@bp.get("/season")
def page() -> Response:
    """The year of the whole house, of one place, or of one plant."""
    place, plant = (key_of(request.args.get(name, "")) for name in ("place", "plant"))
    held = catalogue()
    with reading() as desk:
        found = year.build(desk, place, plant)
        return render.page(
            "season/year/page.html",
            y=found,
            place=place,
            plant=plant,
            how={
                a.pest_id: held.prevention[held.records[a.pest_id].group]
                for a in (*found.begin, *(a for row in found.rows for a in row.arrivals))
            },
            brief={row.pest_id: row.name for row in found.rows},
        )


@bp.post("/season/begin")
def begin() -> Response:
    """Prevention is begun, or left out, for what is expected at a place."""
    reader = Reader(request.form, speech(), today())
    pest = reader.choice("pest", catalogue().records, "the pest")
    place_id = reader.key("place", "the place")
    kind = reader.choice("kind", ("begun", "left"), "what is done")
    reader.done()
    with writing() as desk:
        place = cases.place(desk.session, place_id)
        kept = notes.begin(desk, pest, place.id, kind)
        name = desk.catalogue.name(pest)
    said = "begun" if kind == "begun" else "left out"
    undo.offer(f"Prevention against {name}: {said}.", f"/season/begin/{kept}/take-back")
    return render.back(url_for("season.page"))


@bp.post("/season/hints/<key>")
def see(key: str) -> Response:
    """A hint was seen, or is to be shown again."""
    with writing() as desk:
        if request.form.get("to") == "show":
            hints.unsee(desk, key[:60])
        elif any(one.key == key for one in hints.every(desk, house_of(desk.session))):
            hints.see(desk, key)
            undo.offer("Hint seen.", f"/season/hints/{key}", to="show")
    return render.back(url_for("season.page"))


@bp.post("/season/begin/<int:prevention_id>/take-back")
def take_back(prevention_id: int) -> Response:
    """Prevention that was noted by mistake is taken back."""
    with household().store.writing() as session:
        notes.take_back(session, prevention_id, now())
    return render.back(url_for("season.page"))
