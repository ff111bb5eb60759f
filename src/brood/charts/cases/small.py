"""Small pictures of a course: how many are expected alive day by day, and the evenings
as strokes.
"""

from __future__ import annotations

from collections.abc import Sequence

from brood.charts.cases.bands import POWER
from brood.charts.pen.svg import figure, line, num, path, text
from brood.services.voice.speech import number

W, H, LEFT, TOP, FOOT = 232.0, 96.0, 34.0, 16.0, 18.0


def course(
    totals: Sequence[float],
    days: Sequence[int],
    tallest: float,
    title: str,
    early: Sequence[int] = (),
) -> str:
    """Numbers from day 0 on, with strokes on `days`; a stroke is hollow and slashed
    where `early` says that a label forbids it.

    `tallest` is the number at full height. Pictures that stand side by side share it.
    """
    span = max(len(totals) - 1, 1)

    def at(day: float, count: float) -> tuple[float, float]:
        up = (max(count, 0.0) / max(tallest, 1e-9)) ** POWER * (H - TOP - FOOT)
        return LEFT + day / span * (W - LEFT - 4), H - FOOT - min(up, H - TOP - FOOT)

    top = [at(n, total) for n, total in enumerate(totals)]
    area = path([(LEFT, H - FOOT), *top, (top[-1][0], H - FOOT)], "small-area", close=True) + path(
        top, "small-top"
    )
    strokes = "".join(_stroke(at(day, 0.0)[0], day in early) for day in days if day <= span)
    weeks = "".join(
        line((at(d, 0)[0], H - FOOT), (at(d, 0)[0], H - FOOT + 4), "ink1")
        for d in range(0, span + 1, 7)
    )
    ends = text((LEFT, H - 3), "day 0", "tick-note") + text(
        (W - 4, H - 3), str(span), "tick-note", "end"
    )
    scale = text((LEFT - 4, TOP + 5), number(tallest), "tick-note", "end") + text(
        (LEFT - 4, H - FOOT + 4), "0", "tick-note", "end"
    )
    axis = line((LEFT, H - FOOT), (W - 4, H - FOOT), "ink1")
    words = (
        f"From about {number(totals[0])} to about {number(totals[-1])} in {span} days; "
        f"evenings on days {', '.join(map(str, days)) or 'none'}."
    )
    return figure(
        W, H, "chart small-course", title, words, area + axis + weeks + ends + scale + strokes
    )


def _stroke(x: float, early: bool) -> str:
    drawn = line((x, TOP - 2), (x, H - FOOT), "stroke")
    cls = "handle-was" if early else "handle-planned"
    handle = (
        f'<path class="{cls}" transform="translate({num(x)} {num(TOP - 6)}) scale(.42)" '
        'd="M-11 -15H11V7L4 15H-4L-11 7Z"/>'
    )
    return drawn + handle + (line((x - 5, TOP), (x + 5, TOP - 13), "early-slash") if early else "")
