"""The plan of a recorded case: made when something has changed, and written into its
dated evenings.
"""

from __future__ import annotations

import uuid
from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import date, datetime
from threading import Lock

from cachetools import LRUCache
from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.core.biology.case import Case
from brood.core.biology.pest import Pest
from brood.core.course import planner
from brood.core.course.plan import Plan, PlannedEvening
from brood.core.course.problem import Problem
from brood.errors import InputError, LeftAlone, NothingDevelops
from brood.services.cases import history
from brood.services.cases.assemble import LEFT_ALONE, fingerprint, model
from brood.services.voice import words
from brood.services.voice.speech import Speech
from brood.store.queries import cases
from brood.store.session import Store
from brood.store.states import EveningState
from brood.store.tables import Application, PestCase

PLANNER: planner.Planner = planner.plan
KEEP_PLANS = 12
ASKED_DAYS = 14
"""For so many days the keeper is asked about an evening that went by unmarked. Then it
counts as missed.
"""


@dataclass(frozen=True, eq=False)
class Planned:
    """A tabulated case and its plan."""

    problem: Problem
    plan: Plan


_plans: LRUCache[str, Planned] = LRUCache(KEEP_PLANS)
_lock = Lock()


def remember(key: str, held: Planned) -> None:
    """Keep a plan under the key of what it was made from, so that a page need not plan
    again.
    """
    with _lock:
        _plans[key] = held


def planned(case: Case) -> Planned:
    """A case tabulated and planned. It comes from memory when nothing has changed."""
    key = fingerprint(case)
    with _lock:
        held = _plans.get(key)
    if held is None:
        problem = planner.problem_of(case)
        held = Planned(problem, PLANNER(problem))
        remember(key, held)
    return held


def standing_plan(session: Session, catalogue: Catalogue, row: PestCase, today: date) -> Planned:
    """The plan behind the evenings on a case's page. It comes from memory where it is
    the one that they were written from.
    """
    with _lock:
        held = _plans.get(row.plan_key)
    if held is not None and held.problem.case.start == max(row.start_on, today):
        return held
    return planned(model(session, catalogue, row, today))


def plan_of(case: Case) -> Plan:
    """The plan of a case. It comes from memory when nothing has changed."""
    return planned(case).plan


def ensure(
    store: Store, catalogue: Catalogue, case_id: int, today: date, now: datetime, speech: Speech
) -> None:
    """Bring a case's evenings up to date when finds, temperatures, records or the day
    have changed.
    """
    with store.reading() as session:
        row = cases.case(session, case_id)
        if row.closed_at is not None or row.plan_key == _key(session, catalogue, row, today):
            return
    with store.writing() as session:
        replan(session, catalogue, cases.case(session, case_id), today, now, speech)


def _key(session: Session, catalogue: Catalogue, row: PestCase, today: date) -> str:
    """The key of what the evenings of a case should have been made from by now."""
    try:
        return fingerprint(model(session, catalogue, row, today))
    except LeftAlone as silence:
        return f"{LEFT_ALONE}{silence.since.isoformat()}"
    except InputError:
        return ""


def replan(
    session: Session,
    catalogue: Catalogue,
    row: PestCase,
    today: date,
    now: datetime,
    speech: Speech,
    *,
    anew: bool = False,
) -> Plan | None:
    """Plan a case again and write the evenings that changed. None when there is nothing
    to plan from. `anew` forgets the dates promised before.

    Evenings are dropped where the case has to be counted again first, where nothing
    develops, and where every find is withdrawn. They stay where only the temperature is
    unknown.
    """
    try:
        case = model(session, catalogue, row, today)
        held = planned(replace(case, promised=()) if anew else case)
    except InputError as error:
        row.plan_key = _key(session, catalogue, row, today)
        if error.field != "temperature" or isinstance(error, NothingDevelops):
            _drop(history.planned(row), now)
            session.flush()
        return None
    _write(session, row, case.pest, held.plan, today, now, speech)
    row.plan_key = _key(session, catalogue, row, today)
    if row.plan_key.startswith(LEFT_ALONE):
        _drop(history.planned(row), now)
        session.flush()
        return None
    remember(row.plan_key, held)
    return held.plan


def _drop(slots: Iterable[Application], now: datetime) -> None:
    """Take evenings out of the plan, and so out of calendars."""
    for slot in slots:
        if slot.status != EveningState.DROPPED:
            slot.status, slot.sequence, slot.changed_at = (
                EveningState.DROPPED,
                slot.sequence + 1,
                now,
            )


def _write(
    session: Session,
    row: PestCase,
    pest: Pest,
    plan: Plan,
    today: date,
    now: datetime,
    speech: Speech,
) -> None:
    """Put the planned evenings into the case's open slots in order. Slots keep their
    identity in calendars.
    """
    course = history.course_end(row)
    dropped = sorted(
        (a for a in row.applications if a.status == EveningState.DROPPED), key=lambda a: a.number
    )
    open_slots = [*history.planned(row), *dropped]
    number = max((a.number for a in row.applications), default=0)
    for planned in plan.applications:
        slot = open_slots.pop(0) if open_slots else None
        if slot is None:
            number += 1
            slot = Application(
                number=number,
                uid=f"{uuid.uuid4()}@brood",
                sequence=-1,
                status=EveningState.PLANNED,
                target_on=planned.target,
                earliest_on=planned.earliest,
                latest_on=planned.latest,
                treatments=[],
                records=[],
                changed_at=now,
            )
            row.applications.append(slot)
        slot.why = words.reason(pest, planned.reason, speech, planned.short_by_days)
        _set(slot, planned, today, now, course)
    _drop(open_slots, now)
    session.flush()


def _set(
    slot: Application,
    planned: PlannedEvening,
    today: date,
    now: datetime,
    course: tuple[date | None, int],
) -> None:
    """Give a slot its date. Its sequence number rises when what a calendar shows has
    changed. `course` is the last evening and the number of evenings as they were
    before.
    """
    shown = (slot.target_on, slot.earliest_on, slot.latest_on, slot.treatments, slot.status)
    wanted = (
        planned.target,
        planned.earliest,
        planned.latest,
        list(planned.acts),
        EveningState.PLANNED,
    )
    if slot.status == EveningState.DROPPED:
        slot.missed_on = slot.missed_latest_on = slot.missed_end_on = slot.missed_evenings = None
    # An evening that went by keeps the day it was promised for: marked later, it is judged by
    # that.
    gone_by = (
        slot.status == EveningState.PLANNED
        and slot.sequence >= 0
        and slot.missed_on is None
        and slot.target_on < today
    )
    if gone_by and (today - slot.target_on).days <= ASKED_DAYS:
        slot.missed_on, slot.missed_latest_on = slot.target_on, slot.latest_on
        slot.missed_end_on, slot.missed_evenings = course
    elif slot.missed_on is not None and (today - slot.missed_on).days > ASKED_DAYS:
        slot.missed_on = slot.missed_latest_on = slot.missed_end_on = slot.missed_evenings = None
    slot.short_by_days = planned.short_by_days
    if shown != wanted or slot.sequence < 0:
        slot.target_on, slot.earliest_on, slot.latest_on, slot.treatments, slot.status = wanted
        slot.sequence, slot.changed_at = slot.sequence + 1, now
