"""When a case document is over, as `brood clear-date` answers."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from typing import Any

from brood.core.biology.case import Act, Case, Inspection
from brood.core.course import planner
from brood.core.course.plan import Plan
from brood.core.followup.all_clear import clear_by, interpolated
from brood.core.followup.posterior import learn, updated
from brood.services.voice import words


def clear_json(case: Case, looks: tuple[Inspection, ...]) -> dict[str, Any]:
    """When a case is over, as JSON: by what was done, or by its plan where that is not
    over. It is seen from the last day that the document tells of.
    """
    today = max([case.start, *(d.on for d in case.done), *(x.on for x in looks)])
    known = updated(learn(case, looks, [], today)) if looks and case.done else case
    planned = planner.plan(planner.problem_of(replace(known, start=today)))
    found = clear_by(case, dated(case, planned), looks, [], today)
    bounds = {
        "matured": found.matured,
        "hatched": found.hatched,
        "last_live": found.last_live,
        "last_treatment": found.last_treatment,
    }
    return {
        "schema": 1,
        "all_clear": found.all_clear and found.all_clear.isoformat(),
        **{key: day and day.isoformat() for key, day in bounds.items()},
        "settled": found.settled,
        "chance_alive_by_day": [
            {"date": d.isoformat(), "chance": c} for d, c in interpolated(found.if_clean)
        ],
        "needed_looks": [
            {"date": n.on.isoformat(), "why": words.look_reason(n.why)} for n in found.needed
        ],
    }


def dated(case: Case, plan: Plan) -> list[tuple[date, list[Act]]]:
    """What was done and is planned, evening by evening."""
    acts = {a.id: a for a in case.acts}
    evenings = [
        *((d.on, d.acts) for d in case.done),
        *((a.target, a.acts) for a in plan.applications),
    ]
    return [(on, [acts[i] for i in ids if i in acts]) for on, ids in evenings]


def all_clear(case: Case, plan: Plan) -> str | None:
    """The day on which a plan is over, if every look finds nothing."""
    if case.keep_below is not None or not plan.reaches:
        return None
    over = clear_by(case, dated(case, plan), [], [], case.start).all_clear
    return over.isoformat() if over else None
