"""From the household's record to one case as the computation takes it."""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Iterable
from dataclasses import replace
from datetime import date, timedelta

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.core.biology.case import Act, Case, Evening, Found, Limits
from brood.core.biology.stage_classes import ROUGH_COUNTS
from brood.core.biology.stage_times import generation_over
from brood.core.biology.unseen import infer_hidden, spread_group
from brood.core.climate.series import HourlySeries
from brood.core.course import planner
from brood.core.followup.all_clear import suspected
from brood.core.followup.detection import found_by
from brood.core.followup.posterior import Belief, updated
from brood.errors import InputError, LeftAlone
from brood.services.cases import counts, history, test_leaves
from brood.services.warmth.hourly import plant_series
from brood.store.states import EveningOutcome
from brood.store.tables import Finding, PestCase

LEFT_ALONE = "left alone since "
"""A plan key that begins like this says: there are no dates until somebody has counted
again.
"""


LEAST_GAP_DAYS, MOST_GAP_DAYS = 7, 120
"""A case counts as left alone never before so many days, however quick its pest, and
always after so many, however slow (our judgement, C).
"""


RETURN_CHANCE = 0.3
"""How likely something still lives when a look finds nothing after more than a
generation without a look (our judgement, C).
"""


def expected_count(finding: Finding) -> float:
    """The number that a find stands for."""
    return finding.number if finding.number is not None else ROUGH_COUNTS[finding.rough or "few"]


def model(session: Session, catalogue: Catalogue, row: PestCase, today: date) -> Case:
    """A recorded case as the computation takes it, with what was counted up to today.
    Raises InputError when finds or temperatures are missing.
    """
    case = as_found(session, catalogue, row, today)
    held = belief_of(case, row, today)
    return case if held is None else updated(held)


def belief_of(case: Case, row: PestCase, today: date) -> Belief | None:
    """What the counts say of a case as it was found. None where nothing was counted."""
    return counts.belief(case, row, today, fingerprint(case))


def as_found(session: Session, catalogue: Catalogue, row: PestCase, today: date) -> Case:
    """A recorded case as the computation takes it, before anything was counted in its
    present course.

    Raises LeftAlone where it must be counted again first, InputError when finds or
    temperatures are missing.
    """
    finds = history.standing(row.findings)
    began = history.course_began(row)
    if not finds and began is None:
        raise InputError(
            "Every find of this case is withdrawn. Add what was found, and the plan is made again.",
            field="found",
        )
    # Numbers from before a silence of a generation are fiction; nothing is planned from them.
    if _waits_for_a_count(row) and left_alone(session, catalogue, row, today):
        raise LeftAlone(history.touched_on(row))
    first = began or min(f.found_on for f in finds)
    series = plant_series(
        session,
        row.plant,
        first - timedelta(days=1),
        max(today, row.start_on) + timedelta(days=2 * planner.DEFAULT_HORIZON_DAYS),
    )
    acts, done, skipped = _evenings(session, catalogue, row, today, first if began else date.min)
    # What stands in the keeper's calendar is promised: the planner moves it only for a reason.
    promised = [
        Evening(a.target_on, tuple(a.treatments))
        for a in history.planned(row)
        if a.target_on >= today
    ]
    return Case(
        pest=catalogue.pest(row.pest_id),
        start=max([row.start_on, today, *(day + timedelta(days=1) for day in skipped)]),
        found=_found(catalogue, row, began, series),
        series=series,
        acts=acts,
        reach=row.reach,
        done=done,
        fixed=_known(_fixed(row, today), acts),
        keep_below=row.keep_below,
        limits=limits_of(row),
        promised=_known(promised, acts),
    )


def _found(
    catalogue: Catalogue, row: PestCase, began: date | None, series: HourlySeries
) -> tuple[Found, ...]:
    """What was found, with what must be there too: of the whole case, or since its
    present course `began` with a count.
    """
    pest, celsius = catalogue.pest(row.pest_id), float(series.celsius[: 24 * 7].mean())
    finds = [f for f in history.standing(row.findings) if began is None or f.found_on >= began]
    groups = [Found(f.found_on, f.stage, expected_count(f)) for f in finds]
    found = [piece for group in groups for piece in spread_group(pest, group, celsius)]
    for look in counts.looks_of(row) if began else ():
        if look.on == began:
            found += found_by(pest, look, celsius)
    if not found and began is not None:
        found = list(suspected(began, RETURN_CHANCE))
    return infer_hidden(pest, tuple(found), series)


def _evenings(
    session: Session, catalogue: Catalogue, row: PestCase, today: date, since: date
) -> tuple[tuple[Act, ...], tuple[Evening, ...], list[date]]:
    """The treatments at hand, the evenings done and those skipped since a day."""
    said = [(a, r) for a in row.applications if (r := history.last_word(a))]
    done = [
        Evening(r.done_on, tuple(r.treatments), r.reach)
        for _, r in said
        if r.outcome == EveningOutcome.DONE and r.done_on and r.done_on >= since
    ]
    in_order = tuple(sorted(done, key=lambda d: d.on))
    skipped = [
        a.target_on for a, r in said if r.outcome == EveningOutcome.SKIPPED and a.target_on >= since
    ]
    return (
        _acts(catalogue, row, in_order, today, history.repotted_on(session, row.plant_id)),
        in_order,
        skipped,
    )


def _waits_for_a_count(row: PestCase) -> bool:
    """Whether the case has a course whose dates would mean nothing after a long
    silence: it has evenings to come, or lost them to a silence.
    """
    return row.closed_at is None and (
        row.plan_key.startswith(LEFT_ALONE) or bool(history.planned(row))
    )


def left_alone(session: Session, catalogue: Catalogue, row: PestCase, on: date) -> bool:
    """Whether, by a day, nothing has been known of a case for longer than a slow
    generation, or for four months.
    """
    since = history.touched_on(row)
    if not LEAST_GAP_DAYS < (on - since).days <= MOST_GAP_DAYS:
        return (on - since).days > MOST_GAP_DAYS
    try:
        series = plant_series(session, row.plant, since, on)
    except InputError:
        return False
    return generation_over(catalogue.pest(row.pest_id), series, since, on)


def counted_again(
    session: Session, catalogue: Catalogue, row: PestCase, on: date, *, live: bool
) -> None:
    """Begin a new course with a count that is about to be recorded, where the case was
    left alone for longer than a generation.

    A count that finds nothing begins one only where evenings were still to come. After
    a whole course it is one of the looks that end it.
    """
    if (
        on > history.touched_on(row)
        and (live or _waits_for_a_count(row))
        and left_alone(session, catalogue, row, on)
    ):
        row.course_from, row.own_dates, row.plan_key = on, [], ""


def _acts(
    catalogue: Catalogue,
    row: PestCase,
    done: tuple[Evening, ...],
    today: date,
    repotted: date | None,
) -> tuple[Act, ...]:
    """The treatments at hand. Sprays are allowed once their test leaves are judged and
    new roots have taken.

    A treatment that was given up, or that marked the leaves, can be used no more, but
    what it did still counts.
    """
    uses = Counter(act for evening in done for act in evening.acts)
    out = []
    for a in row.every_act:
        ready = test_leaves.first_evening(catalogue, row, a.treatment_id, today)
        # An act that is no longer at hand stays in the case for what it did, with no use left.
        over = a.dropped_at is not None or ready == date.max
        if over and not uses[a.treatment_id]:
            continue
        act = catalogue.act(
            a.treatment_id,
            row.pest_id,
            min_gap_days=a.min_gap_days,
            max_applications=uses[a.treatment_id] if over else a.max_applications,
        )
        harvest = act.harvest_days if a.harvest_days is None else a.harvest_days
        rooted = (
            repotted + timedelta(days=history.ROOTING_DAYS)
            if repotted and catalogue.care[a.treatment_id].technique == "spray"
            else None
        )
        waits = [] if over else [day for day in (ready, rooted) if day is not None]
        out.append(replace(act, harvest_days=harvest, not_before=max(waits, default=None)))
    return tuple(out)


def limits_of(row: PestCase) -> Limits:
    """The days that suit a case, as recorded."""
    held = row.limits
    days, away = held.get("weekdays"), held.get("away", ())
    return Limits(
        weekdays=None if days is None else frozenset(days),
        away=tuple((date.fromisoformat(first), date.fromisoformat(last)) for first, last in away),
        harvest=date.fromisoformat(held["harvest"]) if "harvest" in held else None,
    )


def _known(evenings: Iterable[Evening], acts: tuple[Act, ...]) -> tuple[Evening, ...]:
    """The evenings with those of their acts that are still at hand. Evenings without
    any are left out.
    """
    ids = {a.id for a in acts}
    kept = [replace(e, acts=tuple(i for i in e.acts if i in ids)) for e in evenings]
    return tuple(e for e in kept if e.acts)


def _fixed(row: PestCase, today: date) -> tuple[Evening, ...]:
    """The dates that the keeper has set, from today on, with the acts that are planned
    for the evening at the same place of the course. An evening that was done or skipped
    has used up its date, whenever it was done.
    """
    used = history.settled_days(row)
    own = (date.fromisoformat(text) for text in row.own_dates)
    days = sorted(day for day in own if day >= today and day not in used)
    slots = history.planned(row)
    every = [a.treatment_id for a in row.acts]
    return tuple(
        Evening(day, tuple(slots[n].treatments if n < len(slots) else every))
        for n, day in enumerate(days)
    )


def fingerprint(case: Case) -> str:
    """A digest of everything that a plan depends on: every field of the case and of its
    further pests, and every array of their temperatures.
    """
    digest = hashlib.sha256()
    for one in (case, *case.also):
        digest.update(repr(replace(one, series=None, also=())).encode())  # type: ignore[arg-type]
        series = one.series
        digest.update(
            f"{series.start.isoformat()} {series.warm_spot_c!r} {series.cool_spot_c!r}".encode()
        )
        for array in (series.celsius, series.spread_c, series.origin):
            digest.update(array.tobytes())
    return digest.hexdigest()
