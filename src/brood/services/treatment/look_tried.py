"""What a look to come would change, before it is made: once if it finds nothing, once if
something lives. Nothing of it is kept.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date
from threading import Lock

from cachetools import LRUCache

from brood.core.biology.case import Inspection
from brood.core.biology.stage_classes import StageClass
from brood.core.course.plan import Plan
from brood.core.followup.detection import USUAL
from brood.errors import InputError
from brood.services.cases import assemble, outlook, plans
from brood.services.cases.assemble import Facts
from brood.services.cases.outlook import Outlook
from brood.services.voice import courses
from brood.services.voice.desk import Desk
from brood.store.queries import cases

SEEN: dict[str, float] = {StageClass.YOUNG: 2.0, StageClass.ADULT: 1.0}
"""What is taken to be seen where something lives (our judgement, C)."""
KEEP = 16


@dataclass(frozen=True)
class LookTried:
    """A look on a day that finds something alive, or nothing, and in words what follows."""

    case_id: int
    on: date
    alive: bool
    text: str


_kept: LRUCache[str, tuple[Outlook, Plan | None]] = LRUCache(KEEP)
_lock = Lock()


def tried(desk: Desk, case_id: int, *, alive: bool) -> LookTried:
    """What that look would change. Raises InputError where no evening is to come."""
    row = cases.case(desk.session, case_id)
    held = plans.outlook_of(desk, row)
    day = held.decides_on if held else None
    if held is None or held.plan is None or day is None or row.closed_at is not None:
        raise InputError("No evening is to come: there is no look to try.", field="found")
    day = max(day, desk.today)
    facts = _facts(assemble.facts_of(desk, row, row.planned_on), held.plan, day, alive=alive)
    found, plan = _worked_out(desk, facts, row.pest_id)
    evenings = len(plan.applications) if plan else 0
    back = found.clearing.back if found.clearing else None
    text = courses.after_look(
        found.likely, evenings, found.fixed, back, found.released, desk.speech, alive=alive
    )
    return LookTried(case_id, day, alive, text)


def _facts(facts: Facts, plan: Plan, day: date, *, alive: bool) -> Facts:
    """The facts as they would be on the morning of that look: the evenings until then
    are done, and the looks on their days found nothing.
    """
    case, until = facts.case, [e for e in plan.evenings if e.on < day]
    before = [e.on for e in until[0 if case.evenings_done else 1 :]]
    looks = [Inspection(on, thorough=USUAL) for on in before if on > facts.on]
    looks.append(Inspection(day, dict(SEEN) if alive else {}, thorough=USUAL))
    case = replace(
        case,
        start=day,
        done=(*case.done, *until),
        fixed=(),
        beside=(),
        seen_on=day if alive else case.seen_on,
    )
    promised = tuple(e for e in facts.promised if e.on >= day)
    return replace(facts, on=day, case=case, looks=(*facts.looks, *looks), promised=promised)


def _worked_out(desk: Desk, facts: Facts, pest_id: str) -> tuple[Outlook, Plan | None]:
    """The outlook on those facts, with its end."""
    key = f"{facts.digest()} {facts.promised}"
    with _lock:
        known = _kept.get(key)
    if known is not None:
        return known
    worked = outlook.work_out(facts, desk.catalogue.records[pest_id]).outlook
    plan = worked.plan
    if plan is not None and worked.clearing is None:
        worked = replace(worked, clearing=outlook.end_of(facts, plan))
    with _lock:
        _kept[key] = worked, plan
    return worked, plan
