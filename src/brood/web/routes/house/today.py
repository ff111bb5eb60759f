"""The first page: what to do today, or a beginning when there is nothing yet."""

from __future__ import annotations

from datetime import date

from flask import Blueprint, Response, request, url_for
from sqlalchemy.orm import Session

from brood.errors import InputError
from brood.services.cases import plans
from brood.services.followup import ending
from brood.services.house import plants, quarantine, today
from brood.store.queries import cases
from brood.store.records import Quarantine
from brood.store.tables import PestCase
from brood.web import render
from brood.web.context import catalogue, household, now, prefs, speech
from brood.web.context import today as this_day
from brood.web.forms.reader import key_of

bp = Blueprint("today", __name__)


@bp.get("/")
def page() -> Response:
    """What to do now, this week, and the evenings that serve several plants."""
    up_to_date()
    with household().store.reading() as session:
        if not cases.plants(session):
            return render.page("house/today/begin.html", places=cases.places(session))
        result = today.build(session, catalogue(), prefs(), now=now(), tried=_tried())
        return render.page(
            "house/today/page.html",
            r=result,
            tried=_tried(),
            kept=quarantine.open_quarantines(session),
        )


def _tried() -> date | None:
    try:
        found = date.fromisoformat(request.args.get("evening", ""))
    except ValueError:
        return None
    return found if found >= this_day() else None


def up_to_date() -> None:
    """Bring every open case's evenings up to date."""
    with household().store.reading() as session:
        ids = plants.open_ids(session)
    for case_id in ids:
        plans.ensure(household().store, catalogue(), case_id, this_day(), now(), speech())


@bp.post("/today/keep")
def keep() -> Response:
    """Set the cases that an evening serves to that evening."""
    up_to_date()
    try:
        day = date.fromisoformat(request.form.get("evening", ""))
    except ValueError:
        raise InputError(
            "That evening cannot be read. Nothing was changed.", field="evening"
        ) from None
    with household().store.writing() as session:
        today.keep(
            session, catalogue(), prefs(), day, now=now(), tried=bool(request.form.get("tried"))
        )
    return render.go(url_for("today.page"))


@bp.get("/today/apart")
def apart() -> Response:
    """Which plants are kept apart, and for how many more days; or the line of one case
    or one plant kept apart.
    """
    case_id, kept_id = key_of(request.args.get("case", "")), key_of(request.args.get("kept", ""))
    with household().store.reading() as session:
        if case_id is not None:
            lines = [_case(session, cases.case(session, case_id))]
        elif kept_id is not None:
            lines = [_kept(session, quarantine.quarantine(session, kept_id))]
        else:
            rows = [r for r in today.open_cases(session) if r.keep_below is None]
            lines = [
                *(_case(session, r) for r in rows),
                *(_kept(session, q) for q in quarantine.open_quarantines(session)),
            ]
    lines.sort(key=lambda line: (line[1] is None, line[1] or 0, line[0]))
    return render.page("house/today/apart.html", part="house/today/_apart.html", lines=lines)


Line = tuple[str, int | None, str]
"""Plant, days left or None where no end is in sight, address."""


def _case(session: Session, row: PestCase) -> Line:
    try:
        over = ending.clearing_of(session, catalogue(), row, this_day()).all_clear
    except InputError:
        over = None
    return (
        row.plant.name,
        None if over is None else max((over - this_day()).days, 0),
        f"/cases/{row.id}/clearing",
    )


def _kept(session: Session, row: Quarantine) -> Line:
    found = quarantine.of_quarantine(session, catalogue(), row, this_day(), speech()).clearing
    over = found.all_clear if found else None
    return (
        row.plant.name,
        None if over is None else max((over - this_day()).days, 0),
        f"/quarantine/{row.id}",
    )
