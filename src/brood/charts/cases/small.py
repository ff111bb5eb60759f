"""Small pictures of a course: how many are expected alive day by day, and the evenings
as strokes.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

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
    beyond = "".join(
        path([(x - 4, TOP + 5), (x, TOP - 2), (x + 4, TOP + 5)], "small-top")
        for x in _peaks(totals, tallest, lambda n: at(n, 0.0)[0])
    )
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
    shown, later = [d for d in days if d <= span], sum(d > span for d in days)
    words = (
        f"From {_about(totals[0])} to {_about(totals[-1])} in {span} days; "
        f"evenings on days {', '.join(map(str, shown)) or 'none'}"
        f"{f', and {later} later' if later else ''}."
    )
    return figure(
        W,
        H,
        "chart small-course",
        title,
        words,
        area + axis + weeks + ends + scale + strokes + beyond,
    )


def _about(count: float) -> str:
    """A number in words, no more exact than it is known."""
    said = number(count)
    return said if said.startswith("under") else f"about {said}"


def _peaks(totals: Sequence[float], tallest: float, at: Callable[[int], float]) -> Iterator[float]:
    """The middle of every stretch that goes beyond the top."""
    begun: int | None = None
    for n, total in enumerate([*totals, 0.0]):
        if total > 1.001 * tallest and begun is None:
            begun = n
        elif total <= 1.001 * tallest and begun is not None:
            yield at((begun + n - 1) // 2)
            begun = None


def _stroke(x: float, early: bool) -> str:
    drawn = line((x, TOP - 2), (x, H - FOOT), "stroke")
    cls = "handle-was" if early else "handle-planned"
    handle = (
        f'<path class="{cls}" transform="translate({num(x)} {num(TOP - 6)}) scale(.42)" '
        'd="M-11 -15H11V7L4 15H-4L-11 7Z"/>'
    )
    return drawn + handle + (line((x - 5, TOP), (x + 5, TOP - 13), "early-slash") if early else "")
