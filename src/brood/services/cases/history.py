"""What was recorded in a case and still stands. These rules live here and nowhere else."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from brood.store.records import PlantEvent
from brood.store.states import EveningOutcome, EveningState, PlanState
from brood.store.tables import (
    Application,
    ApplicationRecord,
    CasePlant,
    Finding,
    InspectionRecord,
    PestCase,
)


def standing(findings: Sequence[Finding]) -> list[Finding]:
    """The finds that count: neither corrected nor withdrawn."""
    return [f for f in findings if f.withdrawn_at is None]


def last_word(application: Application) -> ApplicationRecord | None:
    """What the keeper last said of an evening. Withdrawn records do not count."""
    return next((r for r in reversed(application.records) if r.withdrawn_at is None), None)


def is_spare(application: Application) -> bool:
    """Whether an evening is only done if a look finds life."""
    return bool(application.reason and application.reason.get("spare"))


def evenings_done(row: PestCase) -> list[ApplicationRecord]:
    """The records of the evenings of a case that were done."""
    said = (last_word(a) for a in row.applications)
    return [
        r
        for r in said
        if r is not None and r.outcome == EveningOutcome.DONE and r.done_on is not None
    ]


def looks(row: PestCase) -> list[InspectionRecord]:
    """The looks at a case that stand, in order of their days."""
    return [i for i in row.inspections if i.withdrawn_at is None]


def touched_on(row: PestCase) -> date:
    """The last day of which anything is known of what lives there: a find, an evening
    done, a look, or a counted card.
    """
    counts = (
        c.counted_on
        for card in row.cards
        if card.withdrawn_at is None
        for c in card.counts
        if c.withdrawn_at is None
    )
    done = (r.done_on for r in evenings_done(row) if r.done_on)
    return max(
        [
            row.created_at.date(),
            *(f.found_on for f in standing(row.findings)),
            *done,
            *(i.looked_on for i in looks(row)),
            *counts,
        ]
    )


def course_began(row: PestCase) -> date | None:
    """The day on which the present course began with a count, where an earlier course
    is history. None where it is the first.
    """
    since = row.course_from
    if since is None:
        return None
    told = [*(f.found_on for f in standing(row.findings)), *(i.looked_on for i in looks(row))]
    return since if since in told else None


def course_end(row: PestCase) -> tuple[date | None, int]:
    """The last evening of the course and how many there are, done and planned."""
    days = [
        evening_day(a)
        for a in row.applications
        if a.status in (EveningState.PLANNED, EveningState.DONE, EveningState.LATE)
    ]
    return max(days, default=None), len(days)


def evening_day(slot: Application) -> date:
    """The day of an evening: when it was done, otherwise when it is planned."""
    record = last_word(slot)
    return record.done_on if record and record.done_on else slot.target_on


def settled_days(row: PestCase) -> set[date]:
    """The days for which evenings were planned that are done or skipped, and the days
    on which they were done.
    """
    out: set[date] = set()
    for slot in row.applications:
        record = last_word(slot)
        if record is not None:
            out |= {slot.target_on, record.done_on or slot.target_on}
    return out


def planned(row: PestCase) -> list[Application]:
    """The evenings to come, in their order."""
    coming = (a for a in row.applications if a.status == EveningState.PLANNED)
    return sorted(coming, key=lambda a: (a.target_on, a.number))


def went_by(row: PestCase) -> Application | None:
    """The first planned evening that lately went by unmarked: the keeper is asked about
    it. None where there is none.
    """
    return next((a for a in planned(row) if a.missed_on is not None), None)


def waits_for_a_count(row: PestCase) -> bool:
    """Whether the case has a course whose dates would mean nothing after a long
    silence: it has evenings to come, or has none because of a silence or the cold.
    """
    idle = row.plan_state in (PlanState.LEFT_ALONE, PlanState.STILL)
    return row.closed_at is None and (idle or bool(planned(row)))


def waits_for_warmth(row: PestCase) -> bool:
    """Whether a case has no dates because nothing develops, or nobody knows how warm it is."""
    return row.plan_state in (PlanState.STILL, PlanState.NO_WARMTH)


def is_left_alone(row: PestCase) -> bool:
    """Whether a case has no dates until somebody has counted again."""
    return row.plan_state == PlanState.LEFT_ALONE


def plan_is_due(row: PestCase, today: date) -> bool:
    """Whether the evenings of a case have to be worked out again: its facts have
    changed, or a day has passed on which something was to happen.
    """
    if row.planned_facts != row.facts or not row.outlook_key:
        return True
    return row.closed_at is None and row.good_until is not None and today > row.good_until


def others_on(row: PestCase) -> list[PestCase]:
    """The other open cases of the same plant, the first opened first."""
    open_now = [c for c in row.plant.cases if c is not row and c.closed_at is None]
    return sorted(open_now, key=lambda c: c.id)


def followed(row: PestCase) -> PestCase | None:
    """The case of the same plant whose evenings a case takes over where it can: the one
    that was opened first. None where it is that one itself.
    """
    before = [c for c in others_on(row) if row.id is None or c.id < row.id]
    return before[0] if before else None


def together(rows: Sequence[PestCase], today: date) -> list[list[Application]]:
    """The next evenings of a plant's cases as they are treated. The one that comes first
    takes along every other whose window is open by then.
    """
    slots = [slot for row in rows for slot in planned(row)[:1]]
    slots.sort(key=lambda s: (max(today, s.target_on), s.case_id))
    out = []
    while slots:
        day = max(today, slots[0].target_on)
        out.append([slots[0], *(s for s in slots[1:] if s.earliest_on <= day)])
        slots = [s for s in slots[1:] if s.earliest_on > day]
    return out


def due_with(row: PestCase, day: date) -> list[Application]:
    """The evenings of the plant's other pests that a treatment on a day serves too."""
    out = []
    for other in others_on(row):
        slot = next(iter(planned(other)), None)
        done = any(r.done_on == day for r in evenings_done(other))
        found = min((f.found_on for f in standing(other.findings)), default=day)
        if slot is not None and not done and slot.earliest_on <= day and found <= day:
            out.append(slot)
    return out


def number_of(row: PestCase) -> int:
    """How many plants a case stands for now."""
    return row.plant.number + sum(m.plant.number for m in members(row))


def open_again(row: PestCase) -> None:
    """Open a closed case again. What was worked out while it was closed looks ahead to
    nothing: its plan is due.
    """
    if row.closed_at is not None:
        row.closed_at, row.planned_facts = None, 0


def members(row: PestCase) -> list[CasePlant]:
    """The other plants that a case stands for now."""
    return [m for m in row.members if m.left_on is None]


ROOTING_DAYS = 10
"""For how many days after repotting a plant is spared sprays (our judgement, C)."""


def repotted_on(session: Session, plant_id: int) -> date | None:
    """When a plant was last repotted. None when that was never recorded."""
    return session.scalar(
        select(func.max(PlantEvent.on)).where(
            PlantEvent.plant_id == plant_id,
            PlantEvent.kind == "repotted",
            PlantEvent.withdrawn_at.is_(None),
        )
    )
