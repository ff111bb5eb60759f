"""A course as a keeper walks it: which evenings are set, what looks decide, how many
evenings it will probably take, and when the plant may go back.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta

import numpy as np

from brood.core.biology.case import Case, Inspection, Schedule
from brood.core.biology.stage_classes import classes
from brood.core.biology.substages import Array, chain_of, clock
from brood.core.climate.hours import EVENING, evening
from brood.core.climate.series import covering
from brood.core.course.plan import Likely, Plan
from brood.core.followup.all_clear import LIVE_BORN_DAYS, LONGEST_DAYS
from brood.core.followup.detection import HIDDEN_SEEN, USUAL, clean, last_live, seen_share, told
from brood.core.followup.likely import COURSES, Branch, Terms, likely
from brood.core.followup.posterior import even_speed
from brood.core.followup.release import Lines, Release, release
from brood.core.population.half_days import evenings, residues, walk
from brood.core.population.steps import Steps, steps_of

ROOM_DAYS = 150
"""The population is followed for so many days beyond the last planned evening."""
LEAST_CV = 0.14


@dataclass(frozen=True)
class CourseAhead:
    """The first `set` of the coming evenings are done whatever is seen, the others only
    if a look finds life; with `released` looks have taken back all of them. `left` is
    the chance that a line lives on if nothing more is done. `likely` says how the whole
    course will probably go (None where nothing is planned or was not asked for).
    """

    set: int
    released: bool
    left: float
    guard: date | None
    likely: Likely | None


def course_ahead(
    case: Case,
    plan: Plan,
    looks: Sequence[Inspection],
    today: date,
    *,
    courses: int = COURSES,
    thorough: float = USUAL,
) -> CourseAhead:
    """The course of a case under a plan, by the looks so far. Of several pests the one
    that needs most decides.
    """
    coming = [a.target for a in plan.applications]
    each = [
        _Ahead(one, plan, looks if n == 0 else (), today, thorough)
        for n, one in enumerate((case, *case.also))
    ]
    released = [one.release() for one in each]
    forecasts = [one.likely(courses) for one in each] if coming and courses else []
    worst = max(released, key=lambda r: (r.set, r.left))
    return CourseAhead(
        worst.set,
        all(r.released for r in released),
        max(r.left for r in released),
        max((r.guard for r in released if r.guard), default=None),
        max(forecasts, key=lambda one: (one.evenings, one.last), default=None),
    )


class _Ahead:
    """One pest of a case from its last live sighting on."""

    def __init__(
        self, case: Case, plan: Plan, looks: Sequence[Inspection], today: date, thorough: float
    ) -> None:
        # A coarser chain is a third of the work, and moves the numbers of evenings by little.
        case = replace(case, pest=replace(case.pest, cv=max(case.pest.cv, LEAST_CV)))
        self.case, self.plan, self.today, self.thorough = case, plan, today, thorough
        first = min(f.on for f in case.found)
        self.since = last_live(looks, max(first, case.seen_on or first), today)
        self.coming = [a.target for a in plan.applications]
        self.made = clean(looks, self.since)
        schedule = (*case.done, *plan.evenings)
        last = max([today, self.since, *(e.on for e in schedule)])
        self.steps = even_speed(steps_of(case, last + timedelta(days=ROOM_DAYS)))
        there = _there(case, self.steps, schedule, looks, self.since)
        self.lines = Lines(case, self.steps, schedule, there, self.since)

    def release(self) -> Release:
        """Which of the coming evenings are set."""
        return release(
            self.lines,
            self.coming,
            self.made,
            self.today,
            begun=min((d.on for d in self.case.evenings_done), default=None),
            thorough=self.thorough,
        )

    def likely(self, courses: int) -> Likely:
        """How the course will probably go."""
        done = [d.on for d in self.case.evenings_done if d.on >= self.since]
        branch = Branch(
            self.lines,
            done,
            self.coming,
            self.made,
            terms_of(self.case, self.since),
            thorough=self.thorough,
        )
        return likely(branch, self.plan.gap_days, courses=courses)


def terms_of(case: Case, since: date) -> Terms:
    """When a plant may go back, in days after the last live sighting and the last
    evening, at the warmth after a day.
    """
    series = covering(case.series, evening(since) - timedelta(days=1), 24 * LONGEST_DAYS)
    chain = chain_of(case.pest)
    watch, hour = clock(chain, series), series.hour_of(evening(since))
    slow = [
        LONGEST_DAYS if hours[2] is None else -int(-(hours[2] - hour) // 24)
        for hours in watch.passages(chain.entering(0), hour, [1, len(case.pest.stages) - 1])
    ]
    hatch = LIVE_BORN_DAYS if case.pest.live_birth else slow[0]
    return Terms(-(-slow[1] // 2), hatch, slow[1])


def _there(
    case: Case, steps: Steps, schedule: Schedule, looks: Sequence[Inspection], since: date
) -> Array:
    """The numbers on the morning of the last live sighting, by what looks found until
    then: [2 tracks, scenarios, states].
    """
    by_day = {x.on: x for x in looks if x.on <= since}
    start = min(f.on for f in case.found)
    if since <= start:
        x: Array = np.zeros((2, len(steps.weights), steps.chain.size + 2))
        for group in case.found:
            if group.on == start:
                spread = group.count * steps.chain.met(case.pest.index(group.stage))
                x += np.array([1 - case.refuge, case.refuge])[:, None, None] * spread
        return x
    done = [e for e in schedule if e.on < since]
    survive = evenings(case, steps.chain, [done])
    fresh = residues(case, steps, [done])
    last: Array = np.zeros((2, 1, len(steps.weights), steps.chain.size + 2))
    for n, x in walk(case, steps, survive, fresh, 1):
        day = steps.ends[n].date()
        if steps.ends[n].time() != EVENING:
            last = x
            if day in by_day:
                x[:, 0] = seen(case, steps, x[:, 0], by_day[day])
            if day >= since:
                break
    return np.asarray(last[:, 0])


def seen(case: Case, steps: Steps, x: Array, look: Inspection) -> Array:
    """The numbers [2, scenarios, states] after a look, by what it counted."""
    chain = steps.chain
    dm = np.array([1.0, HIDDEN_SEEN])[:, None, None] * chain.of_states(seen_share(case.pest, look))
    names = np.array([str(kind) for kind in classes(case.pest)])
    counted = [(chain.of_states(names == kind), count) for kind, count in look.counts.items()]
    return told(x, dm * x, counted if look.live else [])
