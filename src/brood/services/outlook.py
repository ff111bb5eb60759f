"""What a schedule would do to a case: the chance of clearing, survivors, the first escape, and common rules beside it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import pairwise
from typing import Any

from brood.core.population import Assessment, Schedule, assess, assess_many, steps_of
from brood.core.types import Act, Case, Plan
from brood.errors import InputError

RULES: dict[str, tuple[int, ...]] = {
    "every-3-days-2-weeks": (0, 3, 6, 9, 12), "twice-weekly-4-weeks": (0, 3, 7, 10, 14, 17, 21, 24), "days-0-7-14": (0, 7, 14),
    "weekly-4": (0, 7, 14, 21), "every-5-days-4-weeks": (0, 5, 10, 15, 20, 25), "every-8-days-3": (0, 8, 16),
    "every-8-days-7-weeks": tuple(range(0, 49, 8)), "four-days-running": (0, 1, 2, 3), "every-14-days-4": (0, 14, 28, 42),
}  # fmt: skip
"""Rules of thumb by id: days after the first evening."""


@dataclass(frozen=True)
class RuleOutcome:
    """A rule of thumb on a case: its id, number of evenings, what it would do, and whether a label forbids it."""

    id: str
    evenings: int
    assessment: Assessment
    breaks_label: bool


def schedule_of(case: Case, plan: Plan) -> Schedule:
    """Everything that was done and is planned, with its acts."""
    acts = {a.id: a for a in case.acts}
    done = [(d.on, [acts[i] for i in d.acts if i in acts]) for d in case.done]
    return sorted([*done, *((a.target, [acts[i] for i in a.acts]) for a in plan.applications)], key=lambda pair: pair[0])


def outlook(case: Case, plan: Plan) -> Assessment:
    """What a plan, with what was done before, would do."""
    return assess(case, schedule_of(case, plan))


def outlook_json(case: Case, plan: Plan) -> dict[str, Any]:
    """The plan's chance by the contract."""
    found = outlook(case, plan)
    return {**_figures(found), "chance_in_90": found.chance_in_90, "reaches_target": found.chance_in_90 >= case.target}


def _figures(found: Assessment) -> dict[str, Any]:
    escape = found.first_escape.isoformat() if found.first_escape else None
    return {"chance_of_clearing": found.chance, "expected_survivors": found.survivors, "first_escape": escape}


def rules_of(case: Case) -> list[RuleOutcome]:
    """What every rule of thumb would do to the same case with the same acts on every date; limits are only told. Rules that last longer
    than the temperatures are known are left out."""
    done = [(d.on, [a for a in case.acts if a.id in d.acts]) for d in case.done]
    known = (case.series.end.date() - case.start).days - 2
    fitting = {name: days for name, days in RULES.items() if days[-1] < known}
    steps = steps_of(case, max(case.start, *(f.on for f in case.found)) + timedelta(days=max((d[-1] for d in fitting.values()), default=0) + 1))
    schedules = [[*done, *((case.start + timedelta(days=d), list(case.acts)) for d in days)] for days in fitting.values()]
    found = assess_many(case, schedules, steps)
    return [RuleOutcome(name, len(days), a, breaks_label(case, days)) for (name, days), a in zip(fitting.items(), found, strict=True)]


def rules_json(case: Case) -> list[dict[str, Any]]:
    """The rules of thumb by the contract."""
    return [{"id": r.id, "applications": r.evenings, **_figures(r.assessment), "breaks_label": r.breaks_label} for r in rules_of(case)]


def breaks_label(case: Case, days: Sequence[int]) -> bool:
    """Whether dates so many days after the first come sooner than an act allows, or more often."""
    gap = min((b - a for a, b in pairwise(days)), default=10**6)
    least, most = case.limits.min_gap_days, case.limits.max_applications
    return any(
        gap < (least if least is not None else act.min_gap_days) or len(days) > (most or act.max_applications or 10**6) for act in case.acts
    )


def assess_json(case: Case, dates: Sequence[date]) -> dict[str, Any]:
    """What a given set of dates would do, all acts on each; raises InputError for dates that cannot be computed."""
    if not dates:
        raise InputError("Give at least one date.", field="dates", allowed="dates such as 2026-06-01,2026-06-04")
    first, last = min(f.on for f in case.found), case.series.end.date() - timedelta(days=2)
    for day in dates:
        if not first <= day <= last:
            raise InputError(f"{day} lies outside the time that can be computed.", field="dates", value=day.isoformat(), allowed=f"{first} to {last}")
    acts: list[Act] = list(case.acts)
    found = assess(case, [(day, acts) for day in sorted(set(dates))])
    return {
        "schema": 1, "pest": case.pest.id, "applications": [day.isoformat() for day in sorted(set(dates))], **_figures(found),
        "chance_in_90": found.chance_in_90, "by_day": [{"date": day.isoformat(), "stages": stages} for day, stages in found.by_day],
    }  # fmt: skip
