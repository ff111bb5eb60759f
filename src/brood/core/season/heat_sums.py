"""Degree-days since the biofix through one year: of the days that are known, and of those
to come as they may turn out.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brood.core.climate.degree_days import rate_above
from brood.core.climate.series import SINE
from brood.core.season.arrival import offsets, spread_between
from brood.core.season.biofix import DAYS

Array = NDArray[np.float64]

AHEAD_DAYS = 60
"""Over so many days to come the earlier years are compared with each other."""
DAY_TO_DAY_C = 2.4
"""How far the warm and the cool third of days lie from a smooth normal, °C: the middles of
the outer thirds of a normal distribution of 2.5 °C (C).
"""
ENOUGH = 0.85
"""From this share of known days on a year's heat sum counts as known."""


@dataclass(frozen=True, eq=False)
class YearOfDays:
    """The lowest and highest °C of each day from the biofix on, shape (days,); not a
    number where nothing is known.
    """

    low: Array
    high: Array

    @property
    def known(self) -> NDArray[np.bool_]:
        """Which days are known."""
        return ~(np.isnan(self.low) | np.isnan(self.high))

    def share_known(self, days: int) -> float:
        """The share of the first days that is known; 1 for none."""
        return float(self.known[:days].mean()) if days > 0 else 1.0

    def filled(self, normal: YearOfDays) -> YearOfDays:
        """The year with its unknown days taken from another one."""
        known = self.known
        return YearOfDays(
            np.where(known, self.low, normal.low), np.where(known, self.high, normal.high)
        )


def smooth(low: Array, high: Array) -> list[YearOfDays]:
    """Three years that stand for a smooth normal: as it is, and with every day a warm and a
    cool one, so that what lies over a threshold comes out right on average.
    """
    return [YearOfDays(low + c, high + c) for c in (-DAY_TO_DAY_C, 0.0, DAY_TO_DAY_C)]


def of_days(
    year: YearOfDays, lower: float, upper: float | None, warmer_c: Array | None = None
) -> Array:
    """The degree-days of each day of a year without gaps, °C·day, shape (days,), by the hour
    on a sine through each day's extremes, with a horizontal cut-off. With offsets in °C,
    shape (n,), one row for each, shape (n, days).
    """
    high = np.maximum(year.high, year.low)
    hours = ((high + year.low) / 2)[:, None] + ((high - year.low) / 2)[:, None] * SINE
    if warmer_c is not None:
        hours = hours[None] + warmer_c[:, None, None]
    return np.asarray(rate_above(hours, lower, upper, "horizontal").mean(axis=-1))


def between_years(years: list[YearOfDays], first: int) -> float:
    """The spread between years in the weeks after a day, in °C (see `spread_between`)."""
    last = first + AHEAD_DAYS
    means = [
        float(np.nanmean((y.low[first:last] + y.high[first:last]) / 2))
        for y in years
        if y.known[first:last].any()
    ]
    return spread_between(means)


def sums(
    this: YearOfDays,
    normals: list[YearOfDays],
    lower: float,
    upper: float | None = None,
    spread_c: float | None = None,
) -> Array:
    """The degree-days since the biofix at the end of each day, shape (scenarios, days).

    Known days are the same in all scenarios. The others are the mean of `normals` (years
    without gaps, at least one), all moved by the same offset, which is spread by `spread_c`
    (by default as much as these years differ).
    """
    known = this.known
    begun = len(known) - int(np.argmax(known[::-1])) if known.any() else 0
    spread = between_years(normals, begun) if spread_c is None else spread_c
    base = normals[0]
    measured = of_days(this.filled(base), lower, upper)
    expected = np.mean([of_days(y, lower, upper, offsets(spread)) for y in normals], axis=0)
    return np.asarray(np.cumsum(np.where(known, measured, expected), axis=1))


def heat_at(year: YearOfDays, day: int, lower: float, upper: float | None) -> float | None:
    """The degree-days up to the middle of a day, on which something was seen at some hour.
    None where too little is known; a few unknown days are taken from their neighbours.
    """
    days = day + 1
    if not 0 < days <= len(year.low) or year.share_known(days) < ENOUGH:
        return None
    at, known = np.arange(len(year.low)), year.known
    near = YearOfDays(
        np.interp(at, at[known], year.low[known]), np.interp(at, at[known], year.high[known])
    )
    each = of_days(near, lower, upper)[:days]
    return float(each.sum() - each[-1] / 2)


def normal_years(years: dict[int, YearOfDays]) -> list[YearOfDays]:
    """The seasons that are known well enough to stand for what is normal, without gaps: a
    missing day is taken from the others, or from its neighbours.
    """
    good = [y for y in years.values() if y.share_known(DAYS) >= ENOUGH]
    out = []
    for year in good:
        at, known = np.arange(DAYS), year.known
        near = (np.interp(at, at[known], side[known]) for side in (year.low, year.high))
        out.append(YearOfDays(*near))
    return out
