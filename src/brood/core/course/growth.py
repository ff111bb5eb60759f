"""By how much a population grows from one treatment to the next, in the long run: what
tells treatments that can clear a plant from those that never will.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime, time, timedelta

import numpy as np

from brood.core.biology.case import Act, Case, Evening, Found, Schedule
from brood.core.biology.substages import Array
from brood.core.climate.hours import EVENING, evening
from brood.core.climate.series import constant
from brood.core.population.half_days import evenings, residues
from brood.core.population.one_step import ahead
from brood.core.population.steps import Steps, only, steps_of

NEVER_CLEARS, LONG, QUICK = 1.0, 0.6, 0.45
"""From NEVER_CLEARS on, these treatments never clear a plant, whatever the dates. From
LONG on a course is long, and its length uncertain. Under QUICK it is short.
"""
WARMTH_DAYS, LONGEST_STAGE = 28, 60.0
LEAST_CV = 0.14
SETTLED, WINDOW = 0.01, 4
"""The factor has settled when its mean over at least WINDOW cycles, a whole round of the
acts, is that of as many before.
"""
MOST_WINDOW = 12
LIVES, MOST_LIVES = 1.2, 3.0
"""For so many generations, at least and at most, the numbers are followed."""


def growth_per_cycle(case: Case, gap_days: int) -> float:
    """The factor by which the expected numbers grow from one treatment to the next,
    `gap_days` later, in the long run.

    Every act is used as often as is usual, whatever its limit, and what is kept up works
    on, at the mean warmth of the four weeks from `case.start` on. The numbers are followed
    until the factor settles: this is the power method for the dominant value of what one
    cycle does to every state (Caswell 2001, Matrix Population Models, ch. 4). Without acts
    it is the growth of the untreated pest over that time.
    """
    # A coarser chain is half the work; the factor hardly changes.
    case = replace(case, pest=replace(case.pest, cv=max(case.pest.cv, LEAST_CV)))
    start = evening(case.start)
    celsius = case.series.mean(start, min(start + timedelta(days=WARMTH_DAYS), case.series.end))
    life = sum(min(stage.rate.days(celsius), LONGEST_STAGE) for stage in case.pest.stages)
    least = math.ceil(LIVES * life / gap_days)
    window = _window(case.acts, gap_days)
    cycles = max(least, math.ceil(MOST_LIVES * life / gap_days)) + 2 * window
    days = gap_days * (cycles + 1)
    even = constant(
        datetime.combine(case.start, time()) - timedelta(days=1),
        24 * (days + 3),
        celsius,
        spread_c=0,
    )
    found = tuple(Found(case.start, s.id, 1.0) for s in case.pest.stages)
    one = replace(case, series=even, found=(*found, Found(case.start, "adult", 1.0)), done=())
    every = steps_of(one, case.start + timedelta(days=days))
    steps = only(every, len(every.weights) // 2)
    one = replace(one, past=tuple(replace(a, lasts_days=days) for a in _kept_up(case)))
    schedule = [
        Evening(case.start, tuple(a.id for a in one.past)),
        *(
            Evening(case.start + timedelta(days=gap_days * n), acts)
            for n, acts in enumerate(_usual(case.acts, gap_days, cycles + 1))
        ),
    ]
    return _settled(one, steps, schedule, gap_days, least, window)


def _window(acts: Sequence[Act], gap_days: int) -> int:
    """The cycles over which the factor is a mean: a whole number of rounds, after which
    every act has come as often again, but at most MOST_WINDOW. An act that works until it
    is usual again, as a card that hangs, changes nothing from cycle to cycle.
    """
    each = (math.ceil(a.usual_gap_days / gap_days) for a in acts if not _lasts(a))
    turn = math.lcm(1, *each)
    return min(turn * math.ceil(WINDOW / turn), MOST_WINDOW)


def _lasts(act: Act) -> bool:
    return act.starts_after == 0 and act.lasts_days >= act.usual_gap_days


def _kept_up(case: Case) -> list[Act]:
    """What works by itself on the first day of the plan, from an earlier day on."""
    begun = {i: e.on for e in case.done for i in e.acts}
    return [
        a
        for a in case.past
        if a.lasts_days
        and a.id in begun
        and (case.start - begun[a.id]).days < a.starts_after + a.lasts_days
    ]


def _usual(acts: Sequence[Act], gap_days: int, dates: int) -> list[tuple[str, ...]]:
    """The acts of regular dates, each as soon as it is usual again."""
    out: list[tuple[str, ...]] = []
    last: dict[str, int] = {}
    for n in range(dates):
        day = n * gap_days
        due = [a.id for a in acts if a.id not in last or day - last[a.id] >= a.usual_gap_days]
        last |= dict.fromkeys(due, day)
        out.append(tuple(due))
    return out


def _settled(
    case: Case, steps: Steps, schedule: Schedule, gap_days: int, least: int, window: int
) -> float:
    survive = {day: s[0, 0] for day, s in evenings(case, steps.chain, [schedule]).items()}
    even = _EvenSteps(case, steps, residues(case, steps, [schedule]))
    x = np.zeros((2, steps.chain.size + 2))
    for group in case.found:
        spread = group.count * steps.chain.met(case.pest.index(group.stage))
        x += np.array([[1 - case.refuge], [case.refuge]]) * spread
    growths: list[float] = []
    for n, end in enumerate(steps.ends):
        x = even.after(n, x)
        if end.time() != EVENING:
            continue
        if end.date() in survive:
            x[0] *= survive[end.date()]
        passed = (end.date() - case.start).days
        if passed and passed % gap_days == 0:
            growths.append(float(x.sum()))
            x /= max(growths[-1], 1e-300)
            if len(growths) > least and _is_settled(growths, window):
                break
    return float(np.exp(_logs(growths)[-window:].mean()))


class _EvenSteps:
    """The steps of a case at an even warmth. Every night is like every other, and so is every
    day: what one does to each state is worked out once for each strength of the residues.
    """

    def __init__(self, case: Case, steps: Steps, fresh: Array) -> None:
        self.case, self.steps, self.fresh = case, steps, fresh
        size = 2 * (steps.chain.size + 2)
        # One animal in each state of each track: [2, which, 1, states].
        self.each = np.eye(size).reshape(size, 2, 1, -1).swapaxes(0, 1)
        self._known: dict[tuple[time, bytes], Array] = {}

    def after(self, n: int, x: Array) -> Array:
        """The numbers [2, states] one step later. Nothing is added from elsewhere."""
        key = self.steps.ends[n].time(), self.fresh[n].tobytes()
        if key not in self._known:
            grown = ahead(
                self.steps,
                n,
                self.each,
                self.case.pest.female_share,
                self.case.refuge,
                self.fresh[n],
            )
            self._known[key] = grown.swapaxes(0, 1).reshape(x.size, x.size)
        out: Array = (x.reshape(-1) @ self._known[key]).reshape(x.shape)
        return out


def _is_settled(growths: Sequence[float], window: int) -> bool:
    """Whether the mean factor of the last cycles is that of those before. Several are
    taken together: an act that is usual every second time makes them alternate.
    """
    if len(growths) < 2 * window:
        return False
    logs = _logs(growths)
    return bool(abs(logs[-window:].mean() - logs[-2 * window : -window].mean()) < SETTLED)


def _logs(growths: Sequence[float]) -> Array:
    return np.log(np.maximum(growths, 1e-12))
