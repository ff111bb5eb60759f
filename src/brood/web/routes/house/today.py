"""The first page: what to do today, or a beginning when there is nothing yet."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from flask import Blueprint, Response, request, url_for

from brood.errors import FieldErrors, InputError
from brood.services.cases import trial
from brood.services.house import quarantine
from brood.services.today import away, today
from brood.services.voice.desk import Desk
from brood.store.queries import cases
from brood.store.records import Quarantine
from brood.store.tables import PestCase
from brood.web import mending, render
from brood.web.context import household, reading, speech, writing
from brood.web.context import today as this_day
from brood.web.forms.reader import Reader, key_of
from brood.web.routes.house.demo import beside

bp = Blueprint("today", __name__)


@bp.get("/")
def page() -> Response:
    """What to do now, this week, and the evenings that serve several plants."""
    with reading() as desk:
        try:
            return _page(desk, _tried())
        except FieldErrors as error:
            return mending.asked(_page(desk, None), error)


def _page(desk: Desk, tried: date | None) -> Response:
    if tried is None and (back := away.build(desk)):
        return render.page("house/today/away.html", back=back, r=today.build(desk))
    found = today.build(desk, tried)
    if not found.plants:
        return render.page("house/today/begin.html", demo=beside() is not None)
    return render.page("house/today/page.html", r=found, tried=tried, kept=found.apart)


def _tried() -> date | None:
    """The evening that is tried out. Raises FieldErrors for one that cannot be."""
    reader = Reader(request.args, speech(), this_day())
    if not reader.raw("evening"):
        return None
    day = reader.day("evening", "That evening", back=0, ahead=400)
    reader.done()
    return day


@bp.post("/today/keep")
def keep() -> Response:
    """Set the cases that an evening serves to that evening."""
    try:
        day = date.fromisoformat(request.form.get("evening", ""))
    except ValueError:
        raise InputError(
            "That evening cannot be read. Nothing was changed.", field="evening"
        ) from None
    with reading() as desk:
        moves = today.moves(desk, day, tried=bool(request.form.get("tried")))
    with writing() as desk:
        for case_id, dates in moves.items():
            trial.keep(desk, case_id, dates)
    return render.go(url_for("today.page"))


@bp.post("/today/caught-up")
def caught_up() -> Response:
    """Keep that a question about an absence was answered, or put them all off."""
    with writing() as desk:
        away.answer(desk, request.form.getlist("key"))
    return render.go(url_for("today.page"))


@bp.get("/today/apart")
def apart() -> Response:
    """Which plants are kept apart, and until when; or the line of one case
    or one plant kept apart.
    """
    case_id, kept_id = key_of(request.args.get("case", "")), key_of(request.args.get("kept", ""))
    with reading() as desk:
        asked = [row.id for row in _asked(desk, case_id, kept_id)]
    household().planning.want_end(asked)
    with reading() as desk:
        lines = _cases(desk, _asked(desk, case_id, kept_id))
        if kept_id is not None:
            lines = [_kept(desk, quarantine.quarantine(desk.session, kept_id))]
        elif case_id is None:
            lines += [_kept(desk, q) for q in quarantine.open_quarantines(desk.session)]
    lines.sort(key=lambda line: (line[1] or date.max, line[0]))
    return render.page("house/today/apart.html", part="house/today/_apart.html", lines=lines)


Line = tuple[str, date | None, str]
"""Plant, the day from which it may go back or None where no end is in sight, address."""


def _asked(desk: Desk, case_id: int | None, kept_id: int | None) -> list[PestCase]:
    """The cases whose lines are asked for."""
    if case_id is not None:
        return [cases.case(desk.session, case_id)]
    return [] if kept_id is not None else cases.to_be_cleared(desk.session)


def _cases(desk: Desk, rows: Sequence[PestCase]) -> list[Line]:
    """The lines of cases, by their all-clear."""
    ends = today.ends_apart(desk, rows)
    return [(row.plant.name, ends.get(row.id), f"/cases/{row.id}/clearing") for row in rows]


def _kept(desk: Desk, row: Quarantine) -> Line:
    found = quarantine.of_quarantine(
        desk.session, desk.catalogue, row, desk.today, desk.speech
    ).clearing
    return row.plant.name, found.closed if found else None, f"/quarantine/{row.id}"
