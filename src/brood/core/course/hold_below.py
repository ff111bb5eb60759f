"""Holds a pest below a number instead of clearing it. This suits a garden, where it
comes back anyway and predators live on what is left.
"""

from __future__ import annotations

from datetime import date

import numpy as np

from brood.core.biology.case import Evening, Schedule
from brood.core.biology.substages import Array
from brood.core.course.problem import Problem
from brood.core.course.search import Search
from brood.core.population.half_days import by_scenario
from brood.core.population.steps import Steps, only, steps_of

SHARE = 0.9
"""The number is held in scenarios that together have this weight."""
LOOK_AHEAD_DAYS = 42


class Forecast:
    """The number that feeds and flies, day by day, under any plan. The steps are
    tabulated once.
    """

    def __init__(self, problem: Problem) -> None:
        self.problem = problem
        self.every = steps_of(problem.case, date.fromordinal(_end(problem)))
        self.mobile = np.array([*(s.display != "egg" for s in problem.case.pest.stages), True])
        order = np.argsort(self.numbers(())[:, -1])
        place = int(np.searchsorted(np.cumsum(problem.weights[order]), SHARE - 1e-9))
        self.warm = only(self.every, int(order[place]))

    def numbers(self, plan: Schedule, steps: Steps | None = None) -> Array:
        """The expected number of everything but eggs after each evening from the first
        find on: [scenarios, days].
        """
        schedule = (*self.problem.done, *plan)
        found = by_scenario(
            self.problem.case, schedule, date.fromordinal(_end(self.problem)), steps or self.every
        )
        out: Array = found[..., self.mobile].sum(axis=-1).T
        return out

    def exceeded_by_a_tenth(self, plan: Schedule) -> Array:
        """The numbers by day in a warm scenario: only a tenth of the weight has more
        when nothing is done.
        """
        out: Array = self.numbers(plan, self.warm)[0]
        return out


def hold_below(forecast: Forecast, level: float) -> tuple[Evening, ...]:
    """The dates that hold what feeds at or under a number, each as late as possible, in
    the scenario that 90 % of the weight does not exceed.
    """
    problem = forecast.problem
    first = min(f.on for f in problem.case.found).toordinal()
    plan: tuple[Evening, ...] = ()
    clearing = Search(problem, problem.case.target).run()
    gap = clearing.gap if clearing else 1
    while len(plan) < problem.most_dates:
        numbers = forecast.exceeded_by_a_tenth(plan)
        last = plan[-1].day if plan else problem.start - 1
        over = np.flatnonzero(numbers[max(last, problem.start - 1) + 1 - first :] > level)
        if not len(over):
            break
        following = _next(problem, plan, gap, int(max(last, problem.start - 1) + 1 + over[0]))
        if following is None:
            break
        plan = following
    return plan


def holds(forecast: Forecast, plan: Schedule, level: float) -> bool:
    """Whether the number is held from the first date on."""
    problem = forecast.problem
    first = min(f.on for f in problem.case.found).toordinal()
    begun = (plan[0].day if plan else problem.start) - first
    return bool((forecast.exceeded_by_a_tenth(plan)[begun:] <= level * 1.001).all())


def _next(problem: Problem, plan: Schedule, gap: int, wanted: int) -> tuple[Evening, ...] | None:
    """The plan with one more date: the latest day allowed up to the one wanted,
    otherwise the first day allowed after it. Never nearer to the last date than `gap`,
    the days between the evenings of a course that clears the plant.
    """
    dates = tuple(one.day for one in plan)
    first = dates[-1] + gap if dates else problem.start
    days = [*range(wanted, first - 1, -1), *range(max(wanted + 1, first), _end(problem) + 1)]
    return next((found for day in days if (found := problem.fill((*dates, day))) is not None), None)


def _end(problem: Problem) -> int:
    return min(problem.end, problem.start + LOOK_AHEAD_DAYS)
