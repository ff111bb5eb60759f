"""When a case document is over, as `brood clear-date` answers."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import date
from typing import Any

from brood.catalogue.holdings import Catalogue
from brood.core.biology.case import Case, Inspection
from brood.core.course import planner
from brood.core.course.plan import Plan
from brood.core.followup.all_clear import clear_by, interpolated
from brood.core.followup.course_ahead import CourseAhead, course_ahead
from brood.core.followup.likely import COURSES
from brood.core.followup.posterior import learn, updated
from brood.services.documents.courses import courses_json
from brood.services.voice import words


def clear_json(case: Case, looks: tuple[Inspection, ...]) -> dict[str, Any]:
    """When a case is over, as JSON: by what was done, or by its plan where that is not
    over. It is seen from the last day that the document tells of.
    """
    today = max([case.start, *(d.on for d in case.done), *(x.on for x in looks)])
    known = updated(learn(case, looks, [], today)) if looks and case.done else case
    planned = planner.plan(planner.problem_of(replace(known, start=today)))
    ahead = course_of(case, planned, looks, today, courses=0)
    found = clear_by(
        case, (*case.done, *planned.evenings[: ahead.set if ahead else 0]), looks, [], today
    )
    bounds = {
        "matured": found.matured,
        "hatched": found.hatched,
        "last_live": found.last_live,
        "last_treatment": found.last_treatment,
    }
    return {
        "schema": 1,
        "all_clear": found.back and found.back.isoformat(),
        "closed": found.closed and found.closed.isoformat(),
        **{key: day and day.isoformat() for key, day in bounds.items()},
        "settled": found.settled,
        "chance_alive_by_day": [
            {"date": d.isoformat(), "chance": c} for d, c in interpolated(found.if_clean)
        ],
        "needed_looks": [
            {"date": n.on.isoformat(), "why": words.look_reason(n.why)} for n in found.needed
        ],
    }


def course_of(
    case: Case, plan: Plan, looks: Sequence[Inspection], today: date, *, courses: int
) -> CourseAhead | None:
    """How a course goes if looks decide. None where nothing is planned, or a number held."""
    if case.keep_below is not None or not plan.applications:
        return None
    return course_ahead(case, plan, looks, today, courses=courses)


def course_json(
    case: Case, plan: Plan, looks: Sequence[Inspection], catalogue: Catalogue, plants: int = 1
) -> dict[str, Any]:
    """The keys of a plan that say what looks decide: which evenings are set, the looks,
    how the course will probably go, when the plant may go back and its case closes; and
    the other ways to get there, with their hours for so many `plants`.
    """
    looks = [x for x in looks if x.on <= case.start]
    ahead = course_of(case, plan, looks, case.start, courses=COURSES)
    fixed = ahead.set if ahead else 0
    end = None
    if case.keep_below is None and plan.growth is not None:
        evenings = (*case.done, *plan.evenings[:fixed])
        end = clear_by(case, evenings, looks, [], case.start, weigh=False)
    likely = ahead.likely if ahead else None
    return {
        "set": fixed,
        "released": ahead.released if ahead else False,
        "left": ahead.left if ahead else None,
        "growth": plan.growth,
        "kept": [act.id for act in case.past if act.kept],
        "policy_chance": likely.chance if likely else None,
        "likely": likely
        and {
            "evenings": likely.evenings,
            "low": likely.low,
            "high": likely.high,
            "last": likely.last.isoformat(),
            "all_clear": likely.back and likely.back.isoformat(),
            "closed": likely.closed and likely.closed.isoformat(),
        },
        "looks": [
            {"date": n.on.isoformat(), "why": words.look_reason(n.why)}
            for n in (end.needed if end else ())
        ],
        "all_clear": end.back.isoformat() if end and end.back else None,
        "closed": end.closed.isoformat() if end and end.closed else None,
        "courses": courses_json(case, plan, ahead, looks, catalogue, plants),
    }
