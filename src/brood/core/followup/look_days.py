"""The days on which to look once the evenings are done."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, timedelta

LOOK_GAP_DAYS = 7
LEAST_GAP_DAYS = 6
"""Two looks nearer to each other see much the same (our judgement, C)."""


def looks_after(day: date, early: date) -> Iterator[date]:
    """The days of looks after one on a day, without end: about a week apart, and evenly, so
    that one falls on the day from which the plant may go back (`early`), or on the next. It
    stands apart for some days less than with a look on the same day of every week, for no
    more looks.
    """
    while True:
        wait = (early - day).days
        looks = max(1, round(wait / LOOK_GAP_DAYS))
        gap = -(-wait // looks) if wait > 0 else LOOK_GAP_DAYS
        day += timedelta(days=max(gap, LEAST_GAP_DAYS))
        yield day
