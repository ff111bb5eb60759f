"""A way to clear a plant as a small picture: the numbers falling, its evenings as labels,
set or spare, the look that decides and the day of going back.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from brood.charts.cases.bands import POWER, glass, handle
from brood.charts.pen.svg import figure, line, num, path

W, H, LEFT, RIGHT, TOP, FOOT = 390.0, 150.0, 12.0, 20.0, 44.0, 20.0
LABEL, CROWDED, DROP = 0.6, 16.0, 17.0
BEYOND_DAYS = 7
"""What may come back is drawn for so many days after the look that decides."""


def way(
    totals: Sequence[float],
    fixed: Sequence[int],
    spare: Sequence[int],
    look: int | None,
    back: int | None,
    scale: tuple[int, float],
    title: str,
) -> str:
    """One way over `scale` (days, the number at full height), so that pictures below each
    other can be compared. Numbers are those with the set evenings alone; after the look
    that decides they are only expected if something lives, and drawn light.
    """
    span, tallest = scale

    def at(day: float, count: float = 0.0) -> tuple[float, float]:
        up = (max(count, 0.0) / max(tallest, 1e-9)) ** POWER * (H - TOP - FOOT)
        return LEFT + day / span * (W - LEFT - RIGHT), H - FOOT - min(up, H - TOP - FOOT)

    turn = min(look if look is not None else len(totals) - 1, len(totals) - 1)
    last = min(len(totals) - 1, turn + BEYOND_DAYS, span)
    drawn = [
        *_area([at(n, totals[n]) for n in range(turn + 1)], "way-sure"),
        *_area([at(n, totals[n]) for n in range(turn, last + 1)], "way-maybe"),
        line(at(0), (W - RIGHT + 8, H - FOOT), "ink1"),
        *(line(at(d), (at(d)[0], H - FOOT + 4), "ink1") for d in range(0, span + 1, 7)),
    ]
    raised = _raised([at(d)[0] for d in (*fixed, *spare)])
    for n, day in enumerate((*fixed, *spare)):
        set_ = n < len(fixed)
        x, y = at(day)[0], TOP - 12 - (DROP if n in raised else 0)
        drawn.append(line((x, y + 6), (x, H - FOOT), "stroke" if set_ else "stroke-spare"))
        drawn.append(handle((x, y), "planned" if set_ else "spare", scale=LABEL))
    if look is not None:
        drawn.append(glass((at(look)[0], H - FOOT + 2)))
    if back is not None and back <= span:
        drawn.append(_flag(at(back)[0]))
    words = (
        f"Set on days {_days(fixed)}. "
        + (f"Only if a look finds life: days {_days(spare)}. " if spare else "")
        + (f"Back among the others about day {back}." if back is not None else "")
    )
    return figure(W, H, "chart way", title, words.strip(), "".join(drawn))


def _area(top: Sequence[tuple[float, float]], cls: str) -> list[str]:
    if len(top) < 2:
        return []
    low = H - FOOT
    closed = [(top[0][0], low), *top, (top[-1][0], low)]
    return [path(closed, f"{cls}-area", close=True), path(list(top), f"{cls}-edge")]


def _raised(places: Sequence[float]) -> set[int]:
    """Which labels stand higher, so that two near each other do not touch."""
    out: set[int] = set()
    for n, (before, x) in enumerate(pairwise(places), 1):
        if x - before < CROWDED and n - 1 not in out:
            out.add(n)
    return out


def _flag(x: float) -> str:
    low = H - FOOT
    return line((x, low), (x, TOP - 18), "flag-pole") + (
        f'<path class="flag" d="M{num(x)} {num(TOP - 18)}h15v10h-15z"/>'
    )


def _days(some: Sequence[int]) -> str:
    return ", ".join(map(str, some)) or "none"
