"""Looking again: what was counted, what it says, and when it is over."""

from __future__ import annotations

import uuid
from datetime import date

from flask import Blueprint, Response, request, url_for

from brood.services.cases import commands, history
from brood.services.cases.beside import beside
from brood.services.followup import ending, follow_page, inspections
from brood.services.house import neighbours
from brood.store.queries import cases as queries
from brood.store.tables import PestCase
from brood.web import render, undo
from brood.web.context import catalogue, household, now, reading, speech, today, writing
from brood.web.forms.followup import follow as form
from brood.web.forms.reader import Reader

bp = Blueprint("follow", __name__)


def _reader() -> Reader:
    return Reader(request.form, speech(), today())


def _back(case_id: int) -> Response:
    """To the page from which the button was pressed, or to the looks of the case."""
    return render.back(url_for("follow.page", case_id=case_id))


@bp.get("/cases/<int:case_id>/inspect")
def inspect(case_id: int) -> Response:
    """The form for a look."""
    with household().store.reading() as session:
        row = queries.case(session, case_id)
        record = catalogue().records[row.pest_id]
        before = next(
            (p for i in reversed(history.looks(row)) for p in i.photos if p.withdrawn_at is None),
            None,
        )
        return render.page(
            "followup/follow/inspect.html",
            row=row,
            pest=record,
            classes=inspections.class_names(record),
            choices=inspections,
            sent_key=uuid.uuid4().hex,
            plants=ending.plants_of(row),
            before=before,
        )


@bp.post("/cases/<int:case_id>/inspect")
def record(case_id: int) -> Response:
    """Keep a look, with a photo when there is one."""
    with writing() as desk:
        row = queries.case(desk.session, case_id)
        said = form.read(_reader(), inspections.class_names(catalogue().records[row.pest_id]))
        plant = next(
            (p.id for p in ending.plants_of(row) if str(p.id) == request.form.get("plant")),
            row.plant_id,
        )
        kept = inspections.record(desk, case_id, said, plant_id=plant)
        photo = request.files.get("photo")
        if photo is not None and photo.filename:
            inspections.add_photo(desk.session, kept, photo.filename, photo.read(), now=now())
    return render.kept(said.sent_key) if render.wants_receipt() else _back(case_id)


@bp.post("/cases/<int:case_id>/inspect/none")
def none_seen(case_id: int) -> Response:
    """One tap on a button that says so: looked over leaf by leaf, nothing alive. The
    same `sent_key` is taken once.
    """
    with writing() as desk:
        said = inspections.InspectCommand(
            today(), (), sent_key=Reader(request.form, speech(), today()).raw("sent_key")[:64]
        )
        kept = inspections.record(desk, case_id, said)
        plant = queries.bare_case(desk.session, case_id).plant.name
    undo.offer(f"{plant}: checked, nothing alive.", f"/inspections/{kept}/withdraw", to="out")
    return _back(case_id)


@bp.post("/inspections/<int:inspection_id>/withdraw")
def withdraw(inspection_id: int) -> Response:
    """Take a look out of the record, or put it back, as the form says."""
    out = request.form.get("to") != "in"
    with writing() as desk:
        case_id = inspections.withdraw(desk, inspection_id, out=out)
        plant_id = inspections.inspection(desk.session, inspection_id).plant_id
    if not request.form.get("undo"):
        undo.offer(
            f"A look was {'removed' if out else 'put back'}.",
            f"/inspections/{inspection_id}/withdraw",
            to="in" if out else "out",
        )
    return render.back(
        url_for("follow.page", case_id=case_id)
        if case_id
        else url_for("plants.one", plant_id=plant_id)
    )


@bp.get("/cases/<int:case_id>/follow")
def page(case_id: int) -> Response:
    """Expected and seen, the verdict, where what lives came from, and what to check."""
    with reading() as desk:
        session = desk.session
        result = follow_page.build(desk, case_id)
        joined = history.members(result.row)
        others = [
            n
            for n in beside(session, result.row.plant)
            if n.plant.id not in {m.plant_id for m in joined}
        ]
        return render.page(
            "followup/follow/page.html",
            r=result,
            colours=inspections.COLOURS,
            seen=follow_page.seen_said,
            how=inspections,
            near=[n.plant for n in others],
            along=neighbours.to_treat_along(catalogue(), result.row, others),
            members=joined,
            origins=commands.ORIGINS,
        )


@bp.post("/cases/<int:case_id>/cards")
def hang(case_id: int) -> Response:
    """A card was placed."""
    reader = _reader()
    colour = reader.choice("colour", inspections.COLOURS, "a colour")
    placed = (
        reader.day("placed_on", "The day it was placed", back=60)
        if reader.raw("placed_on")
        else today()
    )
    spot = reader.text("spot", "Where it hangs", longest=60, needed=False)
    reader.done()
    with writing() as desk:
        inspections.hang(desk, case_id, colour, placed, spot)
    return render.go(url_for("follow.page", case_id=case_id) + "#cards")


@bp.post("/cards/<int:card_id>")
def count(card_id: int) -> Response:
    """A card was counted."""
    reader = _reader()
    number = reader.whole("number", "The catch", 0, 100_000)
    if number is None:
        reader.fault("number", "Say how many are on it; 0 for none.")
    on = (
        reader.day("counted_on", "The day it was counted", back=90)
        if reader.raw("counted_on")
        else today()
    )
    after = reader.choice("after", inspections.AFTER_COUNT, "what became of the card")
    with reading() as desk:
        case_id = commands.case_of_card(desk, card_id)
    reader.done()
    with writing() as desk:
        inspections.count(
            desk, card_id, on, number or 0, replaced=after == "fresh", gone=after == "gone"
        )
    return render.go(url_for("follow.page", case_id=case_id) + "#cards")


@bp.post("/cases/<int:case_id>/members")
def members(case_id: int) -> Response:
    """Another plant joins a case, or leaves it."""
    reader, leaves = _reader(), request.form.get("act") == "leave"
    plant = reader.key("plant", "a plant from the list")
    reader.done()
    with writing() as desk:
        (commands.leave if leaves else commands.join)(desk, case_id, plant)
    said = "A plant left this case." if leaves else "A plant joined this case."
    undo.offer(
        said, f"/cases/{case_id}/members", plant=str(plant), act="join" if leaves else "leave"
    )
    return render.go(url_for("follow.page", case_id=case_id) + "#group")


@bp.post("/cases/<int:case_id>/origin")
def origin(case_id: int) -> Response:
    """Where it came from, as far as is known."""
    reader = _reader()
    kind = reader.choice("origin", commands.ORIGINS, "where it came from")
    note = reader.text("origin_note", "The note", longest=200, needed=False)
    reader.done()
    with writing() as desk:
        commands.came_from(desk, case_id, kind, note)
    return render.go(url_for("follow.page", case_id=case_id) + "#group")


@bp.get("/cases/<int:case_id>/clearing")
def over(case_id: int) -> Response:
    """When it is over, as a page, or as the lines for another."""
    household().planning.want_end([case_id])
    with reading() as desk:
        row: PestCase = queries.case(desk.session, case_id)
        found = ending.of_case(desk, row)
        return render.page(
            "followup/follow/clearing.html",
            part="followup/follow/_over.html",
            row=row,
            pest=catalogue().records[row.pest_id],
            o=found,
            states=_group(row),
            closing=request.args.get("closing"),
        )


def _group(row: PestCase) -> list[tuple[str, date | None]]:
    """Every plant of a case with the last clean look at it."""
    looks = history.looks(row)
    return [
        (
            p.name,
            max((i.looked_on for i in looks if i.plant_id == p.id and not i.live), default=None),
        )
        for p in ending.plants_of(row)
    ]
