"""The plan of a recorded case, written into its dated evenings, with what being late
has changed and why dates moved. It is worked out elsewhere; here it is only written.
"""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from threading import Lock
from typing import Any

from cachetools import LRUCache
from sqlalchemy import select
from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.core.course.plan import Plan, PlannedEvening, Reason, Slip
from brood.core.course.problem import Problem
from brood.core.followup.all_clear import Clearing
from brood.errors import InputError, NotWorkedOut
from brood.services.cases import assemble, history, outlook
from brood.services.cases.chart_data import ChartData
from brood.services.cases.outlook import Outlook, WorkedOut
from brood.services.voice import words
from brood.services.voice.desk import Desk
from brood.services.voice.speech import Speech
from brood.store import kept
from brood.store.queries import cases
from brood.store.states import EveningOutcome, EveningState, PlanState
from brood.store.tables import Application, ApplicationRecord, Kept, PestCase, PlanChange

KEEP_PROBLEMS = 12
ASKED_DAYS = 14
"""For so many days the keeper is asked about an evening that went by unmarked. Then it
counts as missed.
"""
STILL_DAYS = 7
"""A case in which nothing develops is looked at again after so many days."""


@dataclass(frozen=True, eq=False)
class Planned:
    """A tabulated case and its plan."""

    problem: Problem
    plan: Plan


_problems: LRUCache[str, Problem] = LRUCache(KEEP_PROBLEMS)
_lock = Lock()


def key_of(row: PestCase, digest: str) -> str:
    """Under which key the figures of a case are kept: the program that worked them out,
    the case, and its facts.
    """
    return f"{kept.engine()}:{row.id}:{digest}"


def outlook_of(desk: Desk, row: PestCase) -> Outlook | None:
    """The figures of a case as last worked out. None where that was never done."""
    return outlooks_of(desk, [row]).get(row.id)


def outlooks_of(desk: Desk, rows: Sequence[PestCase]) -> dict[int, Outlook]:
    """The figures of several cases as last worked out, by the id of the case."""
    held = _held(desk, rows)
    return {row.id: found for row in rows if (found := _joined(held, row)) is not None}


def effects(session: Session) -> dict[int, tuple[float, float]]:
    """What the evenings of every case that was counted took of the young in the open, and
    what they should have, by the id of the case.
    """
    found = select(PestCase.id, Kept.body).join(Kept, Kept.key == PestCase.outlook_key + ":effect")
    return {case_id: kept.unpacked(body) for case_id, body in session.execute(found)}


def with_chart(
    desk: Desk, row: PestCase
) -> tuple[Outlook | None, ChartData | None, dict[str, str]]:
    """The figures of a case as last worked out, its chart with the line of now, and that
    chart as it was last drawn.
    """
    key = f"{row.outlook_key}:chart"
    held = _held(desk, [row], ":chart", ":drawn") if row.outlook_key else {}
    chart: ChartData | None = held.get(key)
    if chart is not None:
        chart = replace(chart.seen_at(desk.moment), key=key)
    return _joined(held, row), chart, held.get(f"{row.outlook_key}:drawn", {})


def keep_drawn(desk: Desk, row_id: int, outlook_key: str, drawn: dict[str, str]) -> None:
    """Keep how the chart of a case was drawn."""
    if cases.bare_case(desk.session, row_id).outlook_key == outlook_key:
        body = kept.packed(drawn)
        kept.put(desk.session, f"{outlook_key}:drawn", "drawn", body, desk.moment, row_id)


def ends_of(desk: Desk, rows: Sequence[PestCase]) -> dict[int, Clearing]:
    """When several cases are over, by the id of the case."""
    held = kept.several(desk.session, [f"{r.outlook_key}:end" for r in rows if r.outlook_key])
    keys = ((row.id, f"{row.outlook_key}:end") for row in rows)
    return {case_id: held[key] for case_id, key in keys if key in held}


def _held(desk: Desk, rows: Sequence[PestCase], *more: str) -> dict[str, Any]:
    """What is kept of cases, by key."""
    ends = ("", ":end", *more)
    return kept.several(
        desk.session, [f"{r.outlook_key}{end}" for r in rows if r.outlook_key for end in ends]
    )


def _joined(held: Mapping[str, Any], row: PestCase) -> Outlook | None:
    """The figures of a case with when it is over."""
    found: Outlook | None = held.get(row.outlook_key)
    end = held.get(f"{row.outlook_key}:end")
    return found if found is None or end is None else replace(found, clearing=end)


def standing_plan(desk: Desk, row: PestCase) -> Planned:
    """The plan of a case, with the case tabulated for trying other dates, acts or
    figures. Raises InputError where there is no plan, NotWorkedOut where it is not
    there yet.
    """
    held = outlook_of(desk, row)
    if held is None:
        raise NotWorkedOut
    facts = assemble.facts_of(desk, row, row.planned_on)
    if held.plan is None:
        raise InputError(held.trouble.message if held.trouble else "", field="plan")
    key = facts.digest()
    with _lock:
        problem = _problems.get(key)
    if problem is None:
        problem = outlook.problem_of(facts)
        with _lock:
            _problems[key] = problem
    return Planned(problem, held.plan)


def write(
    desk: Desk,
    row: PestCase,
    worked: WorkedOut,
    bodies: Mapping[str, bytes],
    silent: date,
) -> None:
    """Write what was worked out for a case: its evenings, what being late has changed,
    why dates moved, and the figures themselves, packed. `silent` is the day from which
    it counts as left alone if nothing more is recorded.
    """
    found, before = worked.outlook, _standing(row)
    earlier = outlook_of(desk, row)
    _evenings(row, found, desk.moment)
    desk.session.flush()
    after = _standing(row)
    _complete(row, found.plan, after)
    if earlier is not None and row.closed_at is None:
        _note_move(row, earlier, found, (before, after), desk.moment)
    _keep(desk, row, found, bodies)
    row.planned_facts, row.planned_on, row.anew = row.facts, found.made_on, False
    row.plan_state = found.trouble.state if found.trouble else PlanState.PLANNED
    row.good_until = _good_until(row, found, silent)
    if before["dates"] != after["dates"]:
        _follow(row)
    desk.session.flush()


def _follow(row: PestCase) -> None:
    """Have the plant's other pests take over the evenings of a case that came first,
    where theirs lie on other days.
    """
    own = {a.target_on for a in history.planned(row)}
    for other in history.others_on(row):
        apart = any(a.target_on not in own for a in history.planned(other))
        if history.followed(other) is row and not other.own_dates and apart:
            other.facts, other.anew = other.facts + 1, True


def _keep(desk: Desk, row: PestCase, found: Outlook, bodies: Mapping[str, bytes]) -> None:
    """Keep the figures in place of the earlier ones."""
    row.outlook_key = key_of(row, found.digest)
    kept.sweep(desk.session, row.id)
    for kind, body in bodies.items():
        key = row.outlook_key if kind == "outlook" else f"{row.outlook_key}:{kind}"
        kept.put(desk.session, key, kind, body, desk.moment, row.id)


def _good_until(row: PestCase, found: Outlook, silent: date) -> date | None:
    """The last day on which time alone changes nothing about a plan. None where it
    never does.
    """
    if row.closed_at is not None:
        return None
    ends = [day for day in (outlook.next_day(found),) if day]
    # After so long nobody is asked any more about an evening that went by.
    ends += [
        slot.missed_on + timedelta(days=ASKED_DAYS)
        for slot in history.planned(row)
        if slot.missed_on is not None
    ]
    if found.trouble and found.trouble.state == PlanState.STILL:
        ends.append(found.made_on + timedelta(days=STILL_DAYS))
    elif history.waits_for_a_count(row) and not history.is_left_alone(row):
        ends.append(silent - timedelta(days=1))
    if row.plant.stays and row.plant.stays[-1].place.source == "sensor":
        # A day that is over has been measured; until then it was only expected.
        ends.append(found.made_on)
    return max(found.made_on, min(ends)) if ends else None


# -- evenings --


def _evenings(row: PestCase, found: Outlook, now: datetime) -> None:
    """Put a plan into the evenings of a case. They are dropped where the case has to be
    counted again first, where nothing develops, and where every find is withdrawn; they
    stay where only the temperature is unknown.
    """
    if row.closed_at is not None:
        return
    if found.trouble is None and found.plan is not None:
        _write(row, found.plan, found.fixed, found.made_on, now)
    elif found.trouble is not None and found.trouble.state != PlanState.NO_WARMTH:
        _drop(history.planned(row), now)


def _drop(slots: Iterable[Application], now: datetime) -> None:
    """Take evenings out of the plan, and so out of calendars."""
    for slot in slots:
        if slot.status != EveningState.DROPPED:
            slot.status, slot.sequence, slot.changed_at = (
                EveningState.DROPPED,
                slot.sequence + 1,
                now,
            )


def _write(row: PestCase, plan: Plan, fixed: int, today: date, now: datetime) -> None:
    """Put the planned evenings into the case's open slots in order, those beyond the
    first `fixed` as spare. Slots keep their identity in calendars.
    """
    course = history.course_end(row)
    dropped = sorted(
        (a for a in row.applications if a.status == EveningState.DROPPED), key=lambda a: a.number
    )
    open_slots = [*history.planned(row), *dropped]
    number = max((a.number for a in row.applications), default=0)
    for n, planned in enumerate(plan.applications):
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
        was_spare, slot.why = history.is_spare(slot), ""
        slot.reason = {**reason_facts(planned.reason), "spare": n >= fixed}
        _set(slot, planned, today, now, course, turned=was_spare != (n >= fixed))
    _drop(open_slots, now)


def _set(
    slot: Application,
    planned: PlannedEvening,
    today: date,
    now: datetime,
    course: tuple[date | None, int],
    *,
    turned: bool,
) -> None:
    """Give a slot its date. Its sequence number rises when what a calendar shows has
    changed, also where it `turned` from set to spare or back. `course` is the last
    evening and the number of evenings as they were before.
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
    if shown != wanted or turned or slot.sequence < 0:
        slot.target_on, slot.earliest_on, slot.latest_on, slot.treatments, slot.status = wanted
        slot.sequence, slot.changed_at = slot.sequence + 1, now


# -- facts for sentences --


def reason_facts(why: Reason) -> dict[str, Any]:
    """Why an evening stands where it stands, as plain facts."""
    return {
        "kind": why.kind,
        "stage": why.stage,
        "event": why.event,
        "since": why.since.isoformat() if why.since else None,
        "breeds": why.breeds.isoformat() if why.breeds else None,
        "celsius": why.celsius,
        "whole": why.whole,
        "without": why.without,
    }


def reason_of(slot: Application) -> Reason | None:
    """Why an evening stands where it stands. None where an earlier version kept only a
    sentence.
    """
    held = slot.reason
    if not held:
        return None
    since, breeds = held["since"], held["breeds"]
    return Reason(
        held["kind"],
        held["stage"],
        held["event"],
        datetime.fromisoformat(since) if since else None,
        datetime.fromisoformat(breeds) if breeds else None,
        held["celsius"],
        held["whole"],
        held["without"],
    )


def why_of(
    catalogue: Catalogue, row: PestCase, slot: Application, speech: Speech, *, again: bool = False
) -> str:
    """Why an evening stands where it stands, as its reader says dates and degrees. With
    `again` in brief, after one of the same kind.
    """
    why = reason_of(slot)
    if why is None:
        return slot.why
    say = words.brief if again else words.reason
    return say(catalogue.pest(row.pest_id), why, speech, slot.short_by_days)


def change_of(catalogue: Catalogue, row: PestCase, slot: Application, speech: Speech) -> str:
    """What it has changed that an evening was late, early or skipped. Empty where it was
    done on its day.
    """
    record = history.last_word(slot)
    if record is None:
        return ""
    if not record.told:
        return record.cost
    return words.late(catalogue.pest(row.pest_id), record.told, record.done_on, speech)


def _standing(row: PestCase) -> dict[str, Any]:
    """The dates to come, the last evening and the number of evenings, as plain facts."""
    end, evenings = history.course_end(row)
    return {
        "dates": [a.target_on.isoformat() for a in history.planned(row)],
        "end": end.isoformat() if end else None,
        "evenings": evenings,
    }


def _complete(row: PestCase, plan: Plan | None, after: dict[str, Any]) -> None:
    """Add to the records of evenings what the plan has come to since."""
    for slot in row.applications:
        record = history.last_word(slot)
        if record is None or not record.told or "evenings" in record.told:
            continue
        slip = _slip(record, plan)
        record.told = {
            **record.told,
            "end": after["end"],
            "evenings": after["evenings"],
            "left": len(after["dates"]),
            "slip": slip
            and {
                "breeds": slip.breeds.isoformat(),
                "stage": slip.stage,
                "event": slip.event,
            },
        }


def _slip(record: ApplicationRecord, plan: Plan | None) -> Slip | None:
    if plan is None or record.outcome != EveningOutcome.DONE:
        return None
    return next((s for s in plan.slips if s.done == record.done_on), None)


def _note_move(
    row: PestCase,
    earlier: Outlook,
    found: Outlook,
    standing: tuple[dict[str, Any], dict[str, Any]],
    now: datetime,
) -> None:
    """Note that dates moved, and what had changed."""
    before, after = standing
    if before["dates"] == after["dates"] or not (before["dates"] or after["dates"]):
        return
    was, parts = dict(earlier.parts), dict(found.parts)
    changed = sorted(name for name in {*was} & {*parts} if was[name] != parts[name])
    row.changes.append(
        PlanChange(
            parts=changed if was and parts else [],
            before={**before, **_said_of(earlier)},
            after={**after, **_said_of(found)},
            at=now,
        )
    )


def _said_of(found: Outlook) -> dict[str, Any]:
    return {
        "chance": found.chance_if_met,
        "celsius": found.celsius,
        "rain_mm": found.rain_mm,
        "state": found.trouble.state if found.trouble else "",
    }
