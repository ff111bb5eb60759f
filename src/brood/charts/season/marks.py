"""The marks of the year, alike on the strip and on the phone: hills, thorns, doors, states."""

from __future__ import annotations

import math
from collections.abc import Callable
from datetime import date, timedelta

from brood.charts.pen.svg import Point, num, path
from brood.services.season.arrivals import Arrival
from brood.services.season.year import Course

Scale = Callable[[date], float]
TO_SIGMA = 1.2816
"""So many standard deviations lie between the middle and the 10 or 90 in 100 of a normal."""
SHOWN = 0.03
THORN = "M-5 0H5L0 9Z"
DOOR_OUT, DOOR_IN = "M-3 -3H3M0 -6L3 -3L0 0", "M3 -3H-3M0 -6L-3 -3L0 0"


def heights(one: Arrival, first: date, last: date) -> list[tuple[date, float]]:
    """How likely each day in a stretch is as the first, against the likeliest."""
    sides = ((one.likely - one.early).days, (one.late - one.likely).days)
    before, after = (max(days, 1) / TO_SIGMA for days in sides)
    out = []
    for n in range(-math.ceil(3 * before), math.ceil(3 * after) + 1):
        day = one.likely + timedelta(days=n)
        height = math.exp(-0.5 * (n / (before if n < 0 else after)) ** 2)
        if height >= SHOWN and first <= day <= last:
            out.append((day, height))
    return out


def hill(
    one: Arrival, window: tuple[date, date], at: Callable[[date, float], Point], *, over: bool
) -> str:
    """A forecast as a hill: hatched where it is likely, dashed at its foot on both sides."""
    points = heights(one, *window)
    if len(points) < 3:  # a hill at the very edge of the sheet is not drawn
        return ""
    core = [(day, h) for day, h in points if one.early <= day <= one.late]
    past = " over" if over else ""
    out = ""
    if len(core) > 1:
        base = [at(core[0][0], 0.0), *(at(d, h) for d, h in core), at(core[-1][0], 0.0)]
        out = path(base, f"yr-hill{past}", close=True)
    return out + path([at(d, h) for d, h in points], f"yr-edge{past}")


def thorn(x: float, y: float, turn: int = 0, cls: str = "yr-thorn-old") -> str:
    """A first sighting: its point is where it stands."""
    spin = f" rotate({turn})" if turn else ""
    return f'<path class="{cls}" transform="translate({num(x)} {num(y)}){spin}" d="{THORN}"/>'


def evenings(course: Course, today: date) -> list[tuple[date, str]]:
    """The evenings of a course with the class of their strokes: done, next, set or spare."""
    return [(day, "yr-done") for day in course.done] + [
        (day, "yr-spare" if spare else "yr-next" if day <= today else "yr-set")
        for day, spare in course.planned
    ]


def door(x: float, y: float, *, out: bool, past: bool) -> str:
    """A door: pots go out, or come in. It is filled once it is past."""
    leaf, arrow = ("dk", "yr-door-on") if past else ("bd", "ln")
    return (
        f'<g transform="translate({num(x)} {num(y)})"><path class="{leaf}" d="M-6 8V-14H6V8Z"/>'
        f'<path class="{arrow}" d="{DOOR_OUT if out else DOOR_IN}"/></g>'
    )
