"""The aim of a course (to clear the plant, or to hold the pest under a number) and the
days that suit it: weekdays, absences, the harvest.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Any

from brood.catalogue.holdings import Catalogue
from brood.core.biology.case import Limits
from brood.services.cases import assemble
from brood.services.voice.desk import Desk
from brood.services.voice.speech import Speech
from brood.store.queries import cases
from brood.store.tables import PestCase

PROTECTS = (
    "protects the plant until the harvest, one brood at a time: this course ends with the brood "
    "that was found. More can fly in, so look every week, or put a net over it once it is clear"
)


@dataclass(frozen=True)
class CourseCommand:
    """What the form says. `keep_below` None clears the plant. `weekdays` (Monday 0)
    None means any. `reach` is a share; so is `refuge`, None for what the build tells.
    """

    keep_below: float | None
    weekdays: frozenset[int] | None
    away: tuple[tuple[date, date], ...]
    harvest: date | None
    reach: float
    refuge: float | None


def put(desk: Desk, case_id: int, said: CourseCommand) -> None:
    """Set a case's course. It is planned anew: dates promised for days that no longer
    suit are given up.
    """
    row = cases.case(desk.session, case_id)
    row.keep_below, row.reach, row.refuge = said.keep_below, said.reach, said.refuge
    row.limits = _stored(said)
    row.own_dates, row.anew = [], True


def _stored(said: CourseCommand) -> dict[str, Any]:
    out: dict[str, Any] = {}
    if said.weekdays is not None:
        out["weekdays"] = sorted(said.weekdays)
    if said.away:
        out["away"] = [[first.isoformat(), last.isoformat()] for first, last in said.away]
    if said.harvest:
        out["harvest"] = said.harvest.isoformat()
    return out


def values_of(row: PestCase) -> dict[str, str]:
    """A case's course, as its form shows it."""
    limits = assemble.limits_of(row)
    out = {"aim": "clear" if row.keep_below is None else "hold", "reach": f"{row.reach * 100:.0f}"}
    out["refuge"] = "" if row.refuge is None else f"{row.refuge * 100:g}"
    out["keep_below"] = "" if row.keep_below is None else f"{row.keep_below:g}"
    out |= {f"day-{n}": "1" for n in range(7) if limits.weekdays is None or n in limits.weekdays}
    for n, (first, last) in enumerate(limits.away):
        out |= {f"from-{n}": first.isoformat(), f"to-{n}": last.isoformat()}
    out["harvest"] = limits.harvest.isoformat() if limits.harvest else ""
    return out


def summary(row: PestCase, catalogue: Catalogue, speech: Speech) -> str:
    """What is special about this course, in a line. Empty where it simply clears the
    plant on any day.
    """
    limits: Limits = assemble.limits_of(row)
    parts = [] if row.keep_below is None else [f"kept under {row.keep_below:g}, not cleared"]
    if row.keep_below is None and assemble.protects(catalogue, row):
        parts.append(PROTECTS)
    if limits.weekdays is not None:
        parts.append("only on " + ", ".join(speech.weekday(n) for n in sorted(limits.weekdays)))
    parts += [f"away {speech.span(first, last)}" for first, last in limits.away]
    if limits.harvest:
        parts.append(f"harvest from {speech.day(limits.harvest)}")
    return "; ".join(parts)
