"""The record: reading, searching, printing it; taking it out and in; what own cases teach."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from datetime import date
from io import BytesIO
from pathlib import Path

from flask import Blueprint, Response, request, send_file, url_for

from brood.errors import FieldErrors, InputError
from brood.services.archive import backup, costs, importing, record, report, transfer
from brood.services.followup import experience
from brood.services.house import events
from brood.store.queries import cases
from brood.web import render
from brood.web.context import catalogue, household, now, reading, speech, today
from brood.web.forms.archive import record as form
from brood.web.forms.reader import Reader, key_of

bp = Blueprint("record", __name__)
MOST_LEAVES = 100_000


@bp.get("/record")
def page() -> Response:
    """The lines of the record that fit."""
    plant, skip = request.args.get("plant", ""), request.args.get("skip", "")
    kind = request.args.get("kind", "")
    with reading() as desk:
        found = record.build(
            desk,
            plant_id=key_of(plant),
            kind=kind if kind in record.KINDS else "",
            text=request.args.get("q", "")[:80],
            skip=key_of(skip) or 0,
        )
        return render.page(
            "archive/record/page.html",
            r=found,
            plants=cases.names(desk.session),
            kinds=record.KINDS,
            plant=plant,
            kind=kind,
            q=request.args.get("q", "")[:80],
        )


@bp.get("/record/lessons")
def learnt() -> Response:
    """What own cases teach of each treatment."""
    with reading() as desk:
        return render.page("archive/record/lessons.html", rows=experience.lessons(desk))


@bp.get("/record/costs")
def spent() -> Response:
    """What pests have cost in a year: hours, money, plants lost."""
    year = request.args.get("year", "")
    with household().store.reading() as session:
        found = costs.build(session, catalogue(), key_of(year), today())
        return render.page("archive/record/costs.html", c=found)


@bp.post("/record/costs")
def spend() -> Response:
    """Keep what was spent."""
    what, amount, on, case_id = form.expense(Reader(request.form, speech(), today()))
    with household().store.writing() as session:
        costs.spend(session, what, amount, on, case_id, now=now())
    return render.go(url_for("record.spent", year=on.year))


@bp.post("/record/costs/<int:expense_id>/withdraw")
def unspend(expense_id: int) -> Response:
    """Take an expense back."""
    with household().store.writing() as session:
        year = costs.take_back(session, expense_id, now=now())
    return render.go(url_for("record.spent", year=year))


@bp.get("/cases/<int:case_id>/report")
def one(case_id: int) -> Response:
    """A case on one page, for asking an expert."""
    with reading() as desk:
        return render.page(
            "archive/record/report.html",
            r=report.report(desk, case_id),
        )


@bp.get("/record/data")
def data() -> Response:
    """Export, import, backup."""
    with household().store.reading() as session:
        empty = transfer.is_empty(session)
    return render.page(
        "archive/record/data.html",
        empty=empty,
        tables=[t.name for t in transfer.tables()],
    )


def _download(response: Response, name: str, kind: str) -> Response:
    response.headers["Content-Type"] = kind
    response.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


@bp.get("/record/household.json")
def export() -> Response:
    """Everything as one JSON document."""
    store = household().store

    def pieces() -> Iterator[str]:
        with store.reading() as session:
            yield from transfer.export(session)

    return _download(
        Response(pieces()), f"brood-{today().isoformat()}.json", "application/json; charset=utf-8"
    )


@bp.get("/record/tables.zip")
def tables() -> Response:
    """Every table as CSV, in one archive."""
    body = BytesIO()
    with household().store.reading() as session:
        transfer.archive(session, body)
    body.seek(0)
    return send_file(
        body,
        "application/zip",
        as_attachment=True,
        download_name=f"brood-{today().isoformat()}.zip",
    )


@bp.get("/record/backup.sqlite")
def copy() -> Response:
    """The database as it is at this moment."""
    with tempfile.TemporaryDirectory() as folder:
        target = Path(folder) / "backup.sqlite"
        backup.backup(household().settings.database, target)
        body = BytesIO(target.read_bytes())
    return send_file(
        body,
        "application/vnd.sqlite3",
        as_attachment=True,
        download_name=f"brood-{today().isoformat()}.sqlite",
    )


@bp.post("/record/import")
def take_in() -> Response:
    """Read an exported household into this empty one. It may be as large as an export,
    whatever the limit for other files.
    """
    request.max_content_length = transfer.LARGEST
    given = request.files.get("file")
    if given is None or not given.filename:
        raise FieldErrors({"file": "Choose the file that was exported."})
    try:
        with household().store.writing() as session:
            importing.load(session, given.stream)
    except InputError as error:
        raise FieldErrors({"file": error.message}) from error
    return render.go(url_for("today.page"))


@bp.post("/plants/<int:plant_id>/event")
def befell(plant_id: int) -> Response:
    """Record an event in a plant's life."""
    reader = Reader(request.form, speech(), today())
    kind = reader.choice("kind", events.EVENTS, "what happened")
    on: date = reader.day("on", "The day", back=800) if reader.raw("on") else today()
    note = reader.text("note", "The note", longest=300, needed=False)
    leaves = reader.whole("leaves", "The leaves that were cut", 1, MOST_LEAVES)
    of_leaves = reader.whole("of_leaves", "The leaves there were", 1, MOST_LEAVES)
    reader.done()
    told, sure = bool(reader.raw("told")), bool(reader.raw("sure"))
    said = events.EventCommand(kind, on, note, leaves, of_leaves, told, sure)
    with household().store.writing() as session:
        events.befell(session, catalogue(), plant_id, said, now=now())
    return render.go(url_for("plants.one", plant_id=plant_id))


@bp.post("/events/<int:event_id>/withdraw")
def unsaid(event_id: int) -> Response:
    """Take back an event that was recorded."""
    with household().store.writing() as session:
        plant_id = events.take_back(session, event_id, now=now())
    return render.go(url_for("plants.one", plant_id=plant_id))
