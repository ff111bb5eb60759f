"""Rules of thumb for the dates of treatments, and what they would do beside a plan."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from brood.core.biology.case import Case
from brood.core.course.outcome import Outcome, outcomes
from brood.core.course.plan import Plan
from brood.core.course.planner import RULES, rule_evenings
from brood.core.course.problem import Problem


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
