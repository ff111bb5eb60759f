"""What would help where no dates reach the target with the acts at hand: each change
with its chance and its number of evenings.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from brood.core.biology.case import Act, Case
from brood.core.biology.kill import effect
from brood.core.biology.pest import ADULT
from brood.core.climate.series import placed
from brood.core.course.planner import problem_of
from brood.core.course.problem import Problem
from brood.core.course.search import Search
from brood.errors import InputError

BETTER_REACH, MOST_REACH = 0.08, 0.97
COOLER_C = -4.0
WORTH = 0.02
"""A change that lifts the chance by less than this, and does not reach the target, is
not named.
"""


@dataclass(frozen=True)
class Improvement:
    """A change and what follows from it.

    `kind` is act, acts, reach, cooler or discard. `acts` are the acts added; `reach`
    and `celsius` the value proposed.
    """

    kind: str
    chance: float
    dates: int
    reaches: bool
    acts: tuple[Act, ...] = ()
    reach: float | None = None
    celsius: float | None = None


def improvements(problem: Problem, extras: Sequence[Act], chance: float) -> list[Improvement]:
    """The changes that help, best first: those that reach the target, by fewest dates,
    then the others by their chance.

    `extras` are acts that could be added. `chance` is that of the case as it is.
    """
    case = problem.case
    useful = [
        a
        for a in extras
        if (a.id not in problem.acts or problem.spent(a.id)) and _does_something(a, case)
    ]
    found = [_with_acts(problem, (act,)) for act in useful]
    single = sorted((i for i in found if _helps(i, chance)), key=_order)
    if len(single) > 1 and not single[0].reaches:
        found.append(_with_acts(problem, (*single[0].acts, *single[1].acts)))
    if case.reach < MOST_REACH - 0.01:
        reach = min(MOST_REACH, case.reach + BETTER_REACH)
        better = replace(
            case, reach=reach, also=tuple(replace(one, reach=reach) for one in case.also)
        )
        found.append(_improved("reach", problem.treated(better), reach=reach))
    cooler = _cooler(case)
    if cooler is not None:
        found.append(cooler)
    helps = sorted((i for i in found if _helps(i, chance)), key=_order)
    return (
        helps
        if any(i.reaches for i in helps)
        else [*helps, Improvement("discard", 1.0, 0, reaches=True)]
    )


def _helps(one: Improvement, chance: float) -> bool:
    return one.reaches or one.chance > chance + WORTH


def _order(one: Improvement) -> tuple[bool, float, float]:
    return (not one.reaches, one.dates if one.reaches else 0.0, -one.chance)


def _does_something(act: Act, case: Case) -> bool:
    return any(
        effect([act], s, case.reach) >= 0.05
        for s in (*(s.id for s in case.pest.development), ADULT)
    )


def _with_acts(problem: Problem, acts: tuple[Act, ...]) -> Improvement:
    case = problem.case
    return _improved(
        "act" if len(acts) == 1 else "acts",
        problem.treated(replace(case, acts=with_more(case, acts))),
        acts=acts,
    )


def with_more(case: Case, added: Sequence[Act]) -> tuple[Act, ...]:
    """The acts of a case with others added. An added act replaces one with the same id, and
    what that was used for before the course still counts.
    """
    new, used = {a.id for a in added}, {a.id: a.used for a in (*case.past, *case.acts)}
    more = (replace(a, used=used.get(a.id, a.used)) for a in added)
    return (*(a for a in case.acts if a.id not in new), *more)


def _cooler(case: Case) -> Improvement | None:
    """The case at four degrees less throughout, where anything still develops."""
    try:
        series = placed(case.series, COOLER_C, case.series.warm_spot_c, case.series.cool_spot_c)
        problem = problem_of(
            replace(
                case, series=series, also=tuple(replace(one, series=series) for one in case.also)
            )
        )
    except InputError:
        return None
    return _improved("cooler", problem, celsius=COOLER_C)


def weigh(problem: Problem) -> tuple[float, int]:
    """The chance of clearing in nine of ten scenarios and the number of dates of the
    course that would be planned; (0, 0) without one.
    """
    draft = Search(problem, problem.case.target).run()
    return (0.0, 0) if draft is None else (draft.chance, len(draft.evenings))


def _improved(
    kind: str,
    problem: Problem,
    acts: tuple[Act, ...] = (),
    reach: float | None = None,
    celsius: float | None = None,
) -> Improvement:
    chance, dates = weigh(problem)
    return Improvement(kind, chance, dates, chance >= problem.case.target, acts, reach, celsius)
