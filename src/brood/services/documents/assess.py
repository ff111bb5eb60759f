"""What a schedule would do to a case: the chance of clearing, survivors and the first
escape, with common rules of thumb for comparison.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any

from brood.catalogue.holdings import Catalogue
from brood.core.biology.case import Case, Evening
from brood.core.course.outcome import Outcome, outcomes
from brood.core.course.plan import Plan
from brood.core.course.planner import problem_of
from brood.core.course.problem import Problem
from brood.core.course.rules_of_thumb import RuleOutcome
from brood.core.population.half_days import expected
from brood.errors import InputError
from brood.services.voice.changes import changes
from brood.services.voice.speech import Speech


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


def improvements_json(problem: Problem, plan: Plan, catalogue: Catalogue) -> list[dict[str, Any]]:
    """What would help, as JSON by the contract."""
    return [
        {
            "change": one.text,
            "chance_of_clearing": one.improvement.chance,
            "applications": one.improvement.dates,
            "reaches_target": one.improvement.reaches,
            "treatments": list(one.acts),
        }
        for one in changes(problem, plan, catalogue, Speech())
    ]


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
