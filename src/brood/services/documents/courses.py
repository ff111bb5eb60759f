"""The ways to clear the plant of a case document, as `brood plan` reads and answers them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from brood.catalogue.holdings import Catalogue
from brood.core.biology.case import Case, Inspection
from brood.core.course.plan import Plan
from brood.core.course.planner import plan, problem_of
from brood.core.followup.course_ahead import CourseAhead
from brood.core.followup.ways import Aim, Way, by_hand, own_way, ways

COURSES = 40
"""So many courses are drawn for each way: the whole answer is wanted in a few seconds."""
HOUR = 60.0
NOT_GENTLE = (
    "Work by hand alone is no course here: too much grows back between its evenings. These are "
    "the dates with all treatments."
)


def aimed_at(case: Case, looks: Sequence[Inspection], aim: str | None) -> tuple[Case, list[str]]:
    """The case with the pace and the acts of the way that is best at an aim, and a warning
    where there is none. The case itself where nothing is asked for, or where it is that
    way already.

    Raises InputError as planning does.
    """
    if aim is None or case.keep_below is not None:
        return case, []
    seen = [x for x in looks if x.on <= case.start]
    own = own_way(case, plan(problem_of(case)), seen, case.start, COURSES)
    found = ways(own, seen, case.start, gentle=by_hand(case), courses=COURSES) if own else []
    best = next((way.case for way in found if Aim(aim) in way.aims), None)
    return (case, [NOT_GENTLE]) if best is None else (best, [])


def courses_json(
    case: Case,
    planned: Plan,
    ahead: CourseAhead | None,
    looks: Sequence[Inspection],
    catalogue: Catalogue,
    plants: int,
) -> list[dict[str, Any]]:
    """What each way is best at and what it takes for so many plants, by the contract.
    Empty where nothing is planned.
    """
    if ahead is None or ahead.likely is None:
        return []
    own = Way(case, planned, ahead, ahead.likely)
    found = ways(own, looks, case.start, gentle=by_hand(case), courses=COURSES)
    return [_course(aim, way, catalogue, plants) for aim in Aim for way in found if aim in way.aims]


def _course(aim: Aim, way: Way, catalogue: Catalogue, plants: int) -> dict[str, Any]:
    likely, planned = way.likely, way.plan.evenings
    minutes = plants * sum(catalogue.minutes(one.acts) for one in planned) / len(planned)
    return {
        "aim": str(aim),
        "evenings": likely.evenings,
        "low": likely.low,
        "high": likely.high,
        "last": likely.last.isoformat(),
        "all_clear": likely.back and likely.back.isoformat(),
        "hours": round(likely.evenings * minutes / HOUR, 1),
        "policy_chance": likely.chance,
        "pace": str(way.case.pace),
        "treatments": [act.id for act in way.case.acts],
    }
