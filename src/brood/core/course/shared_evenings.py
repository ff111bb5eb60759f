"""The fewest evenings that fall into every window, and of those choices the one nearest
to where each treatment fits best.

This is stabbing intervals with points. A greedy rule gives the least number: take the
window that ends first, treat as late in it as is free, and drop all windows that this
serves. Among choices of that number, the sum of days between target and evening is made
least by dynamic programming over pairs of neighbouring evenings. A window is served by
the last evening before its target or the first one after it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache


@dataclass(frozen=True)
class DayRange:
    """When something may be done, in whole days, with the best day. `key` says what it is."""

    key: str
    first: int
    last: int
    target: int


@dataclass(frozen=True)
class Gathered:
    """The chosen evenings, the evening that serves each window, and the windows in
    which no evening is free.
    """

    evenings: tuple[int, ...]
    serves: dict[str, int]
    unserved: tuple[str, ...]


def gather(windows: Sequence[DayRange], free: Sequence[int]) -> Gathered:
    """The fewest free evenings that serve all windows which hold one. Of equals the
    nearest to their targets, then the earlier.
    """
    free = sorted(set(free))
    able = [w for w in windows if any(w.first <= day <= w.last for day in free)]
    unserved = tuple(w.key for w in windows if w not in able)
    if not able:
        return Gathered((), {}, unserved)
    chosen = _nearest(able, free, _fewest(able, free))
    return Gathered(chosen, {w.key: _best_in(w, chosen) for w in able}, unserved)


def _best_in(window: DayRange, chosen: Sequence[int]) -> int:
    """Of the chosen evenings in a window, the one nearest to its target; the earlier of two."""
    inside = [day for day in chosen if window.first <= day <= window.last]
    return min(inside, key=lambda day: (abs(day - window.target), day))


def _fewest(windows: Sequence[DayRange], free: Sequence[int]) -> int:
    """How many evenings are needed."""
    count, reached = 0, -1
    for window in sorted(windows, key=lambda w: w.last):
        if not window.first <= reached <= window.last:
            reached = max(day for day in free if window.first <= day <= window.last)
            count += 1
    return count


def _nearest(windows: Sequence[DayRange], free: Sequence[int], most: int) -> tuple[int, ...]:
    """The evenings of that number with the least days between targets and evenings."""
    marks: list[int | None] = [None, *free, None]

    @cache
    def between(before: int, after: int) -> float:
        """The days for windows whose target lies after one evening and not after the
        next. Infinite when a window is missed.
        """
        left, right = marks[before], marks[after]
        total = 0.0
        for w in windows:
            passed = (left is None or w.first > left) and (right is None or w.last < right)
            if passed:
                return float("inf")
            if (left is None or w.target > left) and (right is None or w.target <= right):
                total += (
                    min(
                        abs(d - w.target)
                        for d in (left, right)
                        if d is not None and w.first <= d <= w.last
                    )
                    if _met(w, left, right)
                    else 0.0
                )
        return total

    @cache
    def best(at: int, left: int) -> tuple[float, tuple[int, ...]]:
        """The least total from an evening on, with so many still to choose."""
        if left == 0:
            return between(at, len(marks) - 1), ()
        ways = []
        for nxt in range(at + 1, len(marks) - 1):
            step = between(at, nxt)
            if step < float("inf"):
                rest, days = best(nxt, left - 1)
                ways.append((step + rest, (nxt, *days)))
        return min(ways, default=(float("inf"), ()))

    return tuple(day for n in best(0, most)[1] if (day := marks[n]) is not None)


def _met(window: DayRange, left: int | None, right: int | None) -> bool:
    return any(d is not None and window.first <= d <= window.last for d in (left, right))
