"""What came in: one form for new plants, plants back from outdoors, flowers and other things."""

from __future__ import annotations

from flask import Blueprint, Response, request, url_for

from brood.services.house.plants import KINDS
from brood.services.house.quarantine import rooms
from brood.services.season import ways_in
from brood.store.queries import cases
from brood.web import render, undo
from brood.web.context import catalogue, household, reading, speech, today, writing
from brood.web.forms.reader import Reader
from brood.web.forms.season import ways_in as form

bp = Blueprint("ways_in", __name__)
OUTSIDE = ("outdoor", "balcony")


@bp.get("/season/came-in")
def page() -> Response:
    """The ways in, the form of the chosen one, and what is here now."""
    held = catalogue()
    what = request.args.get("what", "")
    with reading() as desk:
        plants = [p for p in cases.plants(desk.session) if p.gone_on is None and p.stays]
        outside = [p for p in plants if p.stays[-1].place.setting in OUTSIDE]
        spare = rooms(desk.session)
        others = [p for p in cases.places(desk.session) if not p.apart_room]
        return render.page(
            "season/ways_in/page.html",
            ways=held.ways_in,
            what=what if what in held.ways_in else "",
            way=held.ways_in.get(what),
            groups={key: one.brief for key, one in held.groups.items()},
            briefs=form.briefs(held),
            kinds=KINDS,
            back=[(p.id, p.name) for p in [*outside, *(p for p in plants if p not in outside)]],
            rooms=spare,
            others=others,
            here=[(one, one.said(held)) for one in ways_in.here(desk)],
            values=request.args,
        )


@bp.post("/season/came-in")
def keep() -> Response:
    """Keep what came in: a plant is kept apart, beside other things plants are checked."""
    with household().store.reading() as session:
        places = {place.id for place in cases.places(session)}
    said = form.read(Reader(request.form, speech(), today()), catalogue(), places)
    with writing() as desk:
        kept = ways_in.keep(desk, said)
    record = catalogue().ways_in[said.kind]
    if kept.quarantine_id is not None:
        undo.offer(
            "The plant is kept away from the others.",
            f"/quarantine/{kept.quarantine_id}/undo",
            to="never",
        )
        return render.go(url_for("quarantine.one", quarantine_id=kept.quarantine_id))
    undo.offer(f"{record.say}: noted.", f"/season/came-in/{kept.row_id}/take-back")
    return render.go(url_for("ways_in.page") + "#here")


@bp.post("/season/came-in/<int:way_in_id>/<any(gone, 'take-back', stands):act>")
def change(way_in_id: int, act: str) -> Response:
    """It is gone, was noted by mistake, or stands after all."""
    with writing() as desk:
        if act == "gone":
            row = ways_in.gone(desk, way_in_id)
        elif act == "stands":
            row = ways_in.restore(desk, way_in_id)
        else:
            row = ways_in.take_back(desk, way_in_id)
        name = row.note or desk.catalogue.ways_in[row.kind].name
    if act != "stands":
        said = "gone" if act == "gone" else "taken back"
        undo.offer(f"{name[:1].upper()}{name[1:]}: {said}.", f"/season/came-in/{way_in_id}/stands")
    return render.go(url_for("ways_in.page") + "#here")
