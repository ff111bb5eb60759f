"""From the household's record to the core's case and plan, and back into the dated evenings."""

from __future__ import annotations

import hashlib
import uuid
from collections import Counter, OrderedDict
from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from threading import Lock

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.core import planner
from brood.core import types as core
from brood.core.inference import CLASSES, infer_hidden, spread_group
from brood.core.learning import Belief, updated
from brood.core.problem import Problem
from brood.errors import InputError
from brood.services import patches, words
from brood.services.counted import belief
from brood.services.speech import Speech
from brood.services.warmth import plant_series
from brood.store.queries import cases
from brood.store.session import Store
from brood.store.tables import Application, ApplicationRecord, Finding, PestCase

PLANNER: planner.Planner = planner.plan
KEEP_PLANS = 12
SETTLED = ("done", "late", "skipped")


@dataclass(frozen=True, eq=False)
class Planned:
    """A tabulated case and its plan."""

    problem: Problem
    plan: core.Plan


class _Plans:
    """The latest plans by what they were made from, so that a page need not plan again."""

    def __init__(self) -> None:
        self._plans: OrderedDict[str, Planned] = OrderedDict()
        self._lock = Lock()

    def get(self, key: str, case: core.Case) -> Planned:
        with self._lock:
            if key in self._plans:
                self._plans.move_to_end(key)
                return self._plans[key]
        problem = planner.problem_of(case)
        held = Planned(problem, PLANNER(problem))
        self.put(key, held)
        return held

    def recall(self, key: str) -> Planned | None:
        """The plan kept under a key, if it still is."""
        with self._lock:
            return self._plans.get(key)

    def put(self, key: str, held: Planned) -> None:
        """Keep a plan under what it would be made from."""
        with self._lock:
            self._plans[key] = held
            while len(self._plans) > KEEP_PLANS:
                self._plans.popitem(last=False)


_plans = _Plans()


def standing(findings: list[Finding]) -> list[Finding]:
    """The finds that count: neither corrected nor withdrawn."""
    return [f for f in findings if f.withdrawn_at is None]


def last_word(application: Application) -> ApplicationRecord | None:
    """What the keeper last said of an evening, unless withdrawn."""
    return next((r for r in reversed(application.records) if r.withdrawn_at is None), None)


def evenings_done(row: PestCase) -> list[ApplicationRecord]:
    """What was said of the evenings of a case that are done."""
    said = (last_word(a) for a in row.applications)
    return [r for r in said if r is not None and r.outcome == "done" and r.done_on is not None]


def expected_count(finding: Finding) -> float:
    """The number a find stands for."""
    return finding.number if finding.number is not None else CLASSES[finding.rough or "few"]


def model(session: Session, catalogue: Catalogue, row: PestCase, today: date) -> core.Case:
    """The core's case of a recorded one as what was counted leaves it today. Raises InputError when finds or temperatures are missing."""
    case = as_found(session, catalogue, row, today)
    counted = belief_of(case, row, today)
    return case if counted is None else updated(counted)


def belief_of(case: core.Case, row: PestCase, today: date) -> Belief | None:
    """What was counted says of a case as it was found; None where nothing was counted."""
    return belief(case, row, today, fingerprint(case))


def as_found(session: Session, catalogue: Catalogue, row: PestCase, today: date) -> core.Case:
    """The core's case of a recorded one before anything was counted."""
    pest = catalogue.pest(row.pest_id)
    finds = standing(row.findings)
    if not finds:
        raise InputError("Every find of this case is withdrawn. Add what was found, and the plan is made again.", field="found")
    first = min(f.found_on for f in finds)
    series = plant_series(session, row.plant, first - timedelta(days=1), max(today, row.start_on) + timedelta(days=2 * planner.DEFAULT_HORIZON_DAYS))
    celsius = float(series.celsius[: 24 * 7].mean())
    groups = [core.Found(f.found_on, f.stage, expected_count(f)) for f in finds]
    found = tuple(piece for group in groups for piece in spread_group(pest, group, celsius))
    words_ = [(a, r) for a in row.applications if (r := last_word(a))]
    evenings = [core.Done(r.done_on, tuple(r.treatments), r.reach) for _, r in words_ if r.outcome == "done" and r.done_on]
    done = tuple(sorted(evenings, key=lambda d: d.on))
    skipped = [a.target_on for a, r in words_ if r.outcome == "skipped"]
    acts = _acts(catalogue, row, done, today)
    promised = [core.Done(a.target_on, tuple(a.treatments)) for a in row.applications if a.status == "planned" and a.target_on >= today]
    return core.Case(
        pest=pest,
        start=max([row.start_on, today, *(day + timedelta(days=1) for day in skipped)]),
        found=infer_hidden(pest, found, series),
        series=series,
        acts=acts,
        reach=row.reach,
        done=done,
        fixed=_known(_fixed(row, today), acts),
        keep_below=row.keep_below,
        limits=limits_of(row),
        promised=_known(promised, acts),
    )


def _acts(catalogue: Catalogue, row: PestCase, done: tuple[core.Done, ...], today: date) -> tuple[core.Act, ...]:
    """The treatments at hand, sprays from when their test leaves allow it. Those given up since they were used can be used no more, but what they
    did counts; so with what marked the leaves."""
    uses = Counter(act for evening in done for act in evening.acts)
    out = []
    for a in row.every_act:
        ready = patches.first_evening(catalogue, row, a.treatment_id, today)
        over = a.dropped_at is not None or ready == date.max
        if over and not uses[a.treatment_id]:
            continue
        act = catalogue.act(
            a.treatment_id, row.pest_id, min_gap_days=a.min_gap_days, max_applications=uses[a.treatment_id] if over else a.max_applications
        )
        harvest = act.harvest_days if a.harvest_days is None else a.harvest_days
        out.append(replace(act, harvest_days=harvest, not_before=None if over else ready))
    return tuple(out)


def limits_of(row: PestCase) -> core.Limits:
    """The days that suit a case, as recorded."""
    held = row.limits
    days, away = held.get("weekdays"), held.get("away", ())
    return core.Limits(
        weekdays=None if days is None else frozenset(days),
        away=tuple((date.fromisoformat(first), date.fromisoformat(last)) for first, last in away),
        harvest=date.fromisoformat(held["harvest"]) if "harvest" in held else None,
    )


def _known(evenings: Iterable[core.Done], acts: tuple[core.Act, ...]) -> tuple[core.Done, ...]:
    """The evenings with those of their acts that are still at hand; without any, they are left out."""
    ids = {a.id for a in acts}
    kept = [replace(e, acts=tuple(i for i in e.acts if i in ids)) for e in evenings]
    return tuple(e for e in kept if e.acts)


def _fixed(row: PestCase, today: date) -> tuple[core.Done, ...]:
    """The dates that the keeper has set, from today on, with the acts planned for the evening in the same place of the course."""
    days = sorted(day for text in row.own_dates if (day := date.fromisoformat(text)) >= today)
    slots = sorted((a for a in row.applications if a.status == "planned"), key=lambda a: (a.target_on, a.number))
    every = [a.treatment_id for a in row.acts]
    return tuple(core.Done(day, tuple(slots[n].treatments if n < len(slots) else every)) for n, day in enumerate(days))


def fingerprint(case: core.Case) -> str:
    """A digest of everything that a plan depends on."""
    digest = hashlib.sha256(repr(replace(case, series=None)).encode())  # type: ignore[arg-type]
    digest.update(case.series.start.isoformat().encode() + case.series.celsius.tobytes() + case.series.spread_c.tobytes())
    return digest.hexdigest()


def planned(case: core.Case) -> Planned:
    """A case tabulated and planned, from memory when nothing has changed."""
    return _plans.get(fingerprint(case), case)


def standing_plan(session: Session, catalogue: Catalogue, row: PestCase, today: date) -> Planned:
    """The plan behind the evenings on a case's page, from memory where it is the one that they were written from."""
    held = _plans.recall(row.plan_key)
    if held is not None and held.problem.case.start == max(row.start_on, today):
        return held
    return planned(model(session, catalogue, row, today))


def plan_of(case: core.Case) -> core.Plan:
    """The plan of a case, from memory when nothing has changed."""
    return planned(case).plan


def ensure(store: Store, catalogue: Catalogue, case_id: int, today: date, now: datetime, speech: Speech) -> None:
    """Bring a case's dated evenings up to date when finds, temperatures, records or the day have changed."""
    with store.reading() as session:
        row = cases.case(session, case_id)
        if row.closed_at is not None:
            return
        try:
            key = fingerprint(model(session, catalogue, row, today))
        except InputError:
            return
        if row.plan_key == key:
            return
    with store.writing() as session:
        replan(session, catalogue, cases.case(session, case_id), today, now, speech)


def replan(
    session: Session, catalogue: Catalogue, row: PestCase, today: date, now: datetime, speech: Speech, *, anew: bool = False
) -> core.Plan | None:
    """Plan a case again and write the evenings that changed; None when there is nothing to plan from. `anew` forgets the dates promised before."""
    try:
        case = model(session, catalogue, row, today)
        held = planned(replace(case, promised=()) if anew else case)
    except InputError:
        row.plan_key = ""
        return None
    _write(session, row, case.pest, held.plan, today, now, speech)
    row.plan_key = fingerprint(model(session, catalogue, row, today))
    _plans.put(row.plan_key, held)
    return held.plan


def _write(session: Session, row: PestCase, pest: core.Pest, plan: core.Plan, today: date, now: datetime, speech: Speech) -> None:
    """Put the planned evenings into the case's open slots in order; slots keep their calendar identity."""
    open_slots = sorted((a for a in row.applications if a.status not in SETTLED), key=lambda a: a.number)
    number = max((a.number for a in row.applications), default=0)
    for planned in plan.applications:
        slot = open_slots.pop(0) if open_slots else None
        if slot is None:
            number += 1
            slot = Application(number=number, uid=f"{uuid.uuid4()}@brood", sequence=-1, status="planned", target_on=planned.target,
                               earliest_on=planned.earliest, latest_on=planned.latest, treatments=[], records=[], changed_at=now)  # fmt: skip
            row.applications.append(slot)
        slot.why = words.reason(pest, planned.reason, speech, planned.short_by_days)
        _set(slot, planned, today, now)
    for slot in open_slots:
        if slot.status != "dropped":
            slot.status, slot.sequence, slot.changed_at = "dropped", slot.sequence + 1, now
    session.flush()


def _set(slot: Application, planned: core.Application, today: date, now: datetime) -> None:
    """Give a slot its date; the sequence rises when what a calendar shows has changed."""
    shown = (slot.target_on, slot.earliest_on, slot.latest_on, slot.treatments, slot.status)
    wanted = (planned.target, planned.earliest, planned.latest, list(planned.acts), "planned")
    if slot.status == "planned" and slot.sequence >= 0 and slot.target_on < today and slot.missed_on is None:
        slot.missed_on, slot.missed_latest_on = slot.target_on, slot.latest_on
    elif planned.target > today:
        slot.missed_on = slot.missed_latest_on = None
    slot.short_by_days = planned.short_by_days
    if shown != wanted or slot.sequence < 0:
        slot.target_on, slot.earliest_on, slot.latest_on, slot.treatments, slot.status = wanted
        slot.sequence, slot.changed_at = slot.sequence + 1, now
