"""The evenings of a course as a row of plant labels: ticked when done, filled when set,
outlined when they are only done if a look finds life.
"""

from __future__ import annotations

from brood.charts.cases.bands import handle
from brood.charts.pen.svg import figure, line

STEP, HIGH, SCALE = 25.0, 34.0, 0.72
MOST = 11


def row(done: int, fixed: int, spare: int) -> str:
    """The row, in words too. The first of those to come has a ring."""
    total, states = done, ["done"] * done + ["planned"] * fixed + ["spare"] * spare
    if done < len(states) and fixed:
        states[done] = "next"
    if done and len(states) > MOST:
        states, done = states[min(done, len(states) - MOST) :], max(0, done - (len(states) - MOST))
    states = states[:MOST]
    wide = STEP * len(states) + 6
    drawn = "".join(
        handle((STEP * n + STEP / 2 + 3, HIGH / 2), state, scale=SCALE)
        for n, state in enumerate(states)
    )
    certain = min(done, MOST) + fixed
    if spare and certain:
        drawn += line((4, HIGH + 4), (STEP * certain + 1, HIGH + 4), "ink1")
    words = f"{total} done, {fixed} set, {spare} only if a look finds life"
    return figure(wide, HIGH + 7, "label-row", words, words, drawn)
