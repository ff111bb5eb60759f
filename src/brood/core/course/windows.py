"""The window of each planned date: how far the date may move before the chance falls by
more than two in a hundred.

`earliest` is the first day after the previous date from which every day up to the
planned one keeps the chance, with the other dates held. `latest` is the last day to
which the date may slip, with all later dates moved as far.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date

import numpy as np

from brood.core.biology.case import Evening
from brood.core.course.problem import Problem

MAY_LOSE = 0.02
LATEST_AT_LEAST = 3
MOST_STEPS = 5


@dataclass(frozen=True)
class Window:
    """The earliest and the latest day of one date, as ordinals."""

    earliest: int
    latest: int


def windows(
    problem: Problem, plan: tuple[Evening, ...], chance: float, target: float
) -> list[Window]:
    """The windows of a plan, given its `chance` in scenarios that hold 90 % of the
    weight.

    They are searched in the scenario of that rank. The ends are verified over all
    scenarios, and drawn back to the planned date where they fail.
    """
    floor = min(target, chance) - MAY_LOSE
    scenario, own = problem.ranked(plan)
    tries = {(n, day): moved for n in range(len(plan)) for day, moved in _tries(problem, plan, n)}
    keys = list(tries)
    # One scenario is enough to rank the tries; only the ends are verified in all.
    chances = problem.chances([tries[k] for k in keys], scenario)[:, 0] if keys else np.ones(0)
    kept = {key: bool(c >= own - (chance - floor)) for key, c in zip(keys, chances, strict=True)}
    ends = [(n, _run(kept, n, plan[n].day, step)) for n in range(len(plan)) for step in (-1, 1)]
    moved = [e for e in ends if e in tries]
    sure = (
        dict(
            zip(
                moved,
                problem.in_90(problem.chances([tries[e] for e in moved])) >= floor,
                strict=True,
            )
        )
        if moved
        else {}
    )
    days = [day if sure.get((n, day)) else plan[n].day for n, day in ends]
    return [Window(*days[2 * n : 2 * n + 2]) for n in range(len(plan))]


def _tries(
    problem: Problem, plan: tuple[Evening, ...], n: int
) -> list[tuple[int, tuple[Evening, ...]]]:
    """Plans with date n on another day: earlier alone, later together with all that
    follow. Only plans that keep the same acts on every date.
    """
    day = plan[n].day
    before = (
        plan[n - 1].day
        if n
        else problem.evenings_done[-1].day
        if problem.evenings_done
        else problem.start - problem.least_gap
    )
    later = max(LATEST_AT_LEAST, plan[n + 1].day - day if n + 1 < len(plan) else day - before)
    first = max(before + problem.least_gap, problem.start)
    out = []
    for other in range(day - 1, first - 1, -_step(day - first)):
        out.append((other, (*plan[:n], _on(other, plan[n]), *plan[n + 1 :])))
    for by in range(1, later + 1, _step(later)):
        moved = tuple(_on(_next(problem, one.day + by), one) for one in plan[n:])
        if problem.admits(day + by):
            out.append((day + by, (*plan[:n], *moved)))
    return [(other, moved) for other, moved in out if problem.keeps_limits(moved)]


def _on(day: int, one: Evening) -> Evening:
    return replace(one, on=date.fromordinal(day))


def _step(days: int) -> int:
    """Wide gaps are tried in steps. A window then ends on a day that was tried."""
    return max(1, days // MOST_STEPS)


def _next(problem: Problem, day: int) -> int:
    return problem.next_day(day, beyond=True) or day


def _run(kept: dict[tuple[int, int], bool], n: int, day: int, step: int) -> int:
    """The farthest day in one direction, as long as every day tried on the way keeps
    the chance.
    """
    farthest = day
    for other in sorted(
        (d for k, d in kept if k == n and (d - day) * step > 0), key=lambda d: abs(d - day)
    ):
        if not kept[n, other]:
            break
        farthest = other
    return farthest
