"""First sightings of earlier years: by hand, or as a table."""

from __future__ import annotations

from flask import Blueprint, Response, request, url_for

from brood.errors import FieldErrors, InputError
from brood.services.season import notes
from brood.store.queries import cases, season
from brood.web import render, undo
from brood.web.context import catalogue, household, now, reading, speech, today
from brood.web.forms.reader import Reader
from brood.web.forms.season import sightings as form

bp = Blueprint("sightings", __name__)


@bp.get("/season/sightings")
def page() -> Response:
    """What is on record of earlier years, and the form for more."""
    with reading() as desk:
        places = cases.places(desk.session)
        return render.page(
            "season/sightings/page.html",
            rows=list(reversed(season.sightings(desk.session))),
            places=places,
            names={place.id: place.name for place in places},
            pests=sorted(
                ((key, one.name) for key, one in catalogue().records.items()), key=lambda p: p[1]
            ),
            values=request.args,
        )


@bp.post("/season/sightings")
def add() -> Response:
    """Keep one first sighting."""
    with household().store.reading() as session:
        places = {place.id for place in cases.places(session)}
    said = form.read(Reader(request.form, speech(), today()), catalogue().records, places)
    with household().store.writing() as session:
        kept = notes.add(session, said, now=now())
    undo.offer(
        f"{catalogue().name(said.pest_id)}, {speech().day_year(said.on)}: noted.",
        f"/season/sightings/{kept}/withdraw",
    )
    return render.go(url_for("sightings.page"))


@bp.post("/season/sightings/file")
def take_file() -> Response:
    """Read a table of earlier years."""
    file = request.files.get("file")
    if file is None or not file.filename:
        raise FieldErrors({"file": "Choose a file first."})
    data = file.read()
    with household().store.writing() as session:
        try:
            found = notes.take_table(session, catalogue(), data, now())
        except InputError as error:
            raise FieldErrors({"file": error.message}) from None
    return render.page("season/sightings/read.html", found=found)


@bp.post("/season/sightings/<int:sighting_id>/withdraw")
def withdraw(sighting_id: int) -> Response:
    """Take a sighting back, or let it stand again."""
    stands = request.form.get("to") == "stands"
    with household().store.writing() as session:
        if stands:
            notes.restore(session, sighting_id)
        else:
            notes.withdraw(session, sighting_id, now())
    if not stands:
        undo.offer("Taken back.", f"/season/sightings/{sighting_id}/withdraw", to="stands")
    return render.go(url_for("sightings.page"))
