"""What would help a case that no dates clear, in words."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from brood.catalogue.holdings import Catalogue
from brood.core.course.improvements import Improvement, improvements
from brood.core.course.plan import Plan
from brood.core.course.problem import Problem
from brood.services.voice.speech import Speech, listed


@dataclass(frozen=True)
class Change:
    """A change in words, what follows from it, and the ids of the acts that it adds."""

    text: str
    improvement: Improvement
    acts: tuple[str, ...]


def changes(
    problem: Problem,
    plan: Plan,
    catalogue: Catalogue,
    speech: Speech,
    allowed: Collection[str] | None = None,
) -> list[Change]:
    """What would help, best first. Of the treatments only those `allowed`, where that
    is given.
    """
    case = problem.case
    fitting = [t for t in catalogue.offered(case.pest.id) if allowed is None or t.id in allowed]
    extras = [catalogue.act(t.id, case.pest.id) for t in fitting]
    found = improvements(problem, extras, plan.chance)
    return [
        Change(_text(one, catalogue, case.reach, speech), one, tuple(a.id for a in one.acts))
        for one in found
    ]


def _text(one: Improvement, catalogue: Catalogue, reach: float, speech: Speech) -> str:
    if one.acts:
        return f"add {listed([catalogue.treatments[a.id].name for a in one.acts])}"
    if one.kind == "discard":
        return (
            "cut it back hard, or throw the plant away in a closed bag before its neighbours catch "
            "it"
        )
    if one.kind == "reach":
        return (
            f"touch {round(100 * (one.reach or 0))} in 100 of the animals on an evening "
            f"instead of {round(100 * reach)}"
        )
    return f"move the plant to where it is {speech.difference(abs(one.celsius or 0), 0)} cooler"
