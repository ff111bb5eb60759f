"""Several ways to clear one plant, side by side: as planned, with the evenings as close
or as far apart as is usual, and by hand alone.

Each is judged as it will probably go, and said to be best at something only where it is:
the fewest evenings, the soonest back among the others, the gentlest.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from enum import StrEnum

from brood.core.biology.case import Case, Inspection, Pace
from brood.core.course.plan import Likely, Plan
from brood.core.course.planner import plan, problem_of
from brood.core.followup.course_ahead import CourseAhead, course_ahead
from brood.core.followup.likely import COURSES
from brood.errors import InputError

GENTLE_GROWTH = 0.8
"""Hand work alone is proposed where less than this grows back from evening to evening."""
AS_SURE = 0.01
"""Another way may end clear less often by this much, where it does not reach the target."""
SOONER_DAYS = 3
"""A way is sooner where it brings the plant back by at least so many days."""


class Aim(StrEnum):
    """What a way is best at."""

    FEWEST = "fewest"
    SOONEST = "soonest"
    GENTLEST = "gentlest"


@dataclass(frozen=True)
class Way:
    """One way: the case as it is planned then, its plan, what looks decide, and what it is
    best at.
    """

    case: Case
    plan: Plan
    ahead: CourseAhead
    likely: Likely
    aims: tuple[Aim, ...] = ()

    @property
    def gentle(self) -> bool:
        """Whether all of it is work by hand."""
        return all(act.by_hand for one in (self.case, *self.case.also) for act in one.acts)


def by_hand(case: Case) -> Case | None:
    """The case with those of its acts that are work by hand. None without any."""
    some = replace(case, acts=tuple(a for a in case.acts if a.by_hand))
    also = tuple(replace(one, acts=tuple(a for a in one.acts if a.by_hand)) for one in case.also)
    if not all(one.acts for one in (some, *also)):
        return None
    return replace(some, also=also)


def own_way(
    case: Case, planned: Plan, looks: Sequence[Inspection], today: date, courses: int = COURSES
) -> Way | None:
    """The way of a case by its own plan. None where nothing is to come."""
    if not planned.applications:
        return None
    ahead = course_ahead(case, planned, looks, today, courses=courses)
    return None if ahead.likely is None else Way(case, planned, ahead, ahead.likely)


def ways(
    own: Way,
    looks: Sequence[Inspection],
    today: date,
    *,
    gentle: Case | None = None,
    courses: int = COURSES,
) -> list[Way]:
    """The case's own way, and up to three others that are better at something. `gentle`
    is the case with hand work alone, where there is any.

    Raises InputError as planning does.
    """
    paces = [own.case.at_pace(pace) for pace in Pace if pace != own.case.pace]
    others = [_way(one, looks, today, courses) for one in paces]
    soft = None if own.gentle or gentle is None else _gentle(gentle, looks, today, courses)
    return _named(own, [w for w in others if w is not None and _as_sure(w, own)], soft)


def _way(case: Case, looks: Sequence[Inspection], today: date, courses: int) -> Way | None:
    """Another way. The dates that were promised or set belong to the case's own."""
    case = replace(case, promised=(), fixed=())
    return own_way(case, plan(problem_of(case)), looks, today, courses)


def _gentle(case: Case, looks: Sequence[Inspection], today: date, courses: int) -> Way | None:
    """Hand work alone. None where too much grows back, or where it finds no end."""
    try:
        way = _way(case.at_pace(Pace.USUAL), looks, today, courses)
    except InputError:
        return None
    if way is None or way.plan.growth is None or way.plan.growth >= GENTLE_GROWTH:
        return None
    return None if way.likely.back is None else way


def _as_sure(way: Way, own: Way) -> bool:
    """Whether a way ends clear as often as is wanted, or as the case's own does."""
    return way.likely.chance >= min(own.case.target, own.likely.chance - AS_SURE)


def _named(own: Way, others: Sequence[Way], soft: Way | None) -> list[Way]:
    """The ways that are best at something, with the case's own among them."""
    fewest = min([own, *others], key=lambda w: (w.likely.evenings, w is not own, _back(w)))
    soonest = min(
        [own, *others], key=lambda w: (_back(w) + SOONER_DAYS * (w is not own), w.likely.evenings)
    )
    best = {Aim.FEWEST: fewest, Aim.SOONEST: soonest, Aim.GENTLEST: own if own.gentle else soft}
    shown = [own, *(w for w in (fewest, soonest, soft) if w is not None and w is not own)]
    unique = [w for n, w in enumerate(shown) if w not in shown[:n]]
    aims = [tuple(aim for aim, way in best.items() if way is w) for w in unique]
    return [replace(w, aims=some) for w, some in zip(unique, aims, strict=True)]


def _back(way: Way) -> int:
    return way.likely.back.toordinal() if way.likely.back else date.max.toordinal()
