"""What a schedule would do to a case: the chance of clearing, survivors and the first
escape, with common rules of thumb for comparison.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from itertools import pairwise
from typing import Any

from brood.core.biology.case import Case, Evening
from brood.core.course.outcome import Outcome, outcomes
from brood.core.course.plan import Plan
from brood.core.course.planner import RULES, problem_of, rule_evenings
from brood.core.course.problem import Problem
from brood.core.population.half_days import expected
from brood.errors import InputError


@dataclass(frozen=True)
class RuleOutcome:
    """A rule of thumb applied to a case: its id, its days, what it would do, and
    whether a label forbids it.
    """

    id: str
    days: tuple[int, ...]
    outcome: Outcome
    breaks_label: bool

    @property
    def evenings(self) -> int:
        """How many evenings it takes."""
        return len(self.days)


def considered(
    problem: Problem, plan: Plan, *, rules: bool = True
) -> tuple[Outcome, tuple[RuleOutcome, ...]]:
    """What a plan would do, and what every rule of thumb would do on the same case with
    all acts on every date. Limits are only reported.
    """
    fitting = rule_evenings(problem) if rules else {}
    own, *others = outcomes(problem, [plan.evenings, *fitting.values()])
    return own, tuple(
        RuleOutcome(n, RULES[n], o, breaks_label(problem.case, RULES[n]))
        for n, o in zip(fitting, others, strict=True)
    )


def figures(outcome: Outcome) -> dict[str, Any]:
    """An outcome as JSON, by the contract."""
    escape = outcome.first_escape.isoformat() if outcome.first_escape else None
    return {
        "chance_of_clearing": outcome.chance,
        "chance_in_90": outcome.in_90,
        "expected_survivors": outcome.survivors,
        "first_escape": escape,
    }


def rules_json(rules: Sequence[RuleOutcome]) -> list[dict[str, Any]]:
    """The rules of thumb as JSON, by the contract."""
    return [
        {
            "id": r.id,
            "applications": r.evenings,
            **figures(r.outcome),
            "breaks_label": r.breaks_label,
        }
        for r in rules
    ]


def breaks_label(case: Case, days: Sequence[int]) -> bool:
    """Whether these dates come sooner than an act allows, or more often. `days` counts
    from the first.
    """
    gap = min((b - a for a, b in pairwise(days)), default=10**6)
    least, most = case.limits.min_gap_days, case.limits.max_applications
    return any(
        gap < (least if least is not None else act.min_gap_days)
        or len(days) > (most or act.max_applications or 10**6)
        for act in case.acts
    )


def too_soon(days: Sequence[int], least: int) -> tuple[int, ...]:
    """The days that follow the one before by less than `least`."""
    return tuple(b for a, b in pairwise(days) if b - a < least)


def assess_json(case: Case, dates: Sequence[date]) -> dict[str, Any]:
    """What given dates would do, with all acts on each. Raises InputError for dates
    that cannot be computed.
    """
    if not dates:
        raise InputError(
            "Give at least one date.", field="dates", allowed="dates such as 2026-06-01,2026-06-04"
        )
    problem = problem_of(case)
    first, last = min(f.on for f in case.found), problem.last
    for day in dates:
        if not first <= day <= last:
            raise InputError(
                f"{day} lies outside the time that can be computed.",
                field="dates",
                value=day.isoformat(),
                allowed=f"{first} to {last}",
            )
    days = sorted(set(dates))
    asked = tuple(Evening(day, problem.acts) for day in days)
    found = outcomes(problem, [asked])[0]
    schedule = sorted((*case.done, *asked), key=lambda one: one.on)
    by_day = expected(case, schedule, schedule[-1].on)
    return {
        "schema": 1,
        "pest": case.pest.id,
        "applications": [day.isoformat() for day in days],
        **figures(found),
        "by_day": [{"date": day.isoformat(), "stages": stages} for day, stages in by_day],
    }
