"""What lists of dated acts lead to: the chance of clearing, the number left, and when
something first gets through.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from brood.core.biology.case import Schedule
from brood.core.biology.substages import Array
from brood.core.course.problem import Problem, Share
from brood.core.population.extinction import rank
from brood.core.population.first_escape import first_escapes


@dataclass(frozen=True)
class Outcome:
    """What a list of dated acts leads to.

    `chance` is the weighted mean over the scenarios, `in_90` the chance that scenarios
    holding 90 % of the weight reach. `survivors` is the expected number alive right
    after the last date. `first_escape` is None where the target is reached.
    `by_scenario` are the chances behind these.
    """

    chance: float
    in_90: float
    survivors: float
    first_escape: date | None
    by_scenario: tuple[float, ...]


def outcomes(problem: Problem, plans: Sequence[Schedule]) -> list[Outcome]:
    """The outcome of each plan, together with what was done before."""
    if not plans:
        return []
    chances = problem.chances(plans)
    means, sure, left = problem.mean(chances), problem.in_90(chances), problem.survivors(plans)
    escapes = _escapes(problem, plans, chances, sure)
    return [
        Outcome(
            float(means[n]),
            float(sure[n]),
            float(left[n]),
            escapes[n],
            tuple(map(float, chances[n])),
        )
        for n in range(len(plans))
    ]


def _escapes(
    problem: Problem, plans: Sequence[Schedule], chances: Array, sure: Array
) -> list[date | None]:
    """The first escape of each plan that misses the target, in its scenario at the 90 %
    rank. Of several pests the earliest counts.
    """
    out: list[date | None] = [None] * len(plans)
    scenarios = rank(chances, problem.weights)
    missing = [n for n in range(len(plans)) if sure[n] < problem.case.target]
    for scenario in {int(scenarios[n]) for n in missing}:
        some = [n for n in missing if scenarios[n] == scenario]
        schedules = [(*problem.done, *plans[n]) for n in some]
        days = [_first(share, schedules) for share in problem.only(scenario)]
        for position, n in enumerate(some):
            out[n] = min(found[position] for found in days)
    return out


def _first(share: Share, schedules: Sequence[Schedule]) -> list[date]:
    return first_escapes(share.table, share.effects.exposure(schedules), share.after)
