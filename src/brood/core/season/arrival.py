"""The arrival forecast: from the first sightings of earlier years to the days on which
the first one of this year is likely.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import NormalDist

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtr, stdtrit

Array = NDArray[np.float64]

EARLY, LIKELY, LATE = 0.1, 0.5, 0.9
"""The parts of the chance at which the band begins, has its middle and ends."""
HEAT_BAND, DATE_BAND = 0.15, 14.0
"""Half the band after a single year: the share of its heat sum, and days (C)."""
BELIEVED = 4
"""How many years the spread that is believed beforehand is worth (C)."""
SEASON_C = 1.2
"""How far a stretch of weeks to months lies from its normal, standard deviation in °C (C)."""
CLEARLY = 0.67
"""By this factor the band of the dates must be narrower than that of the heat to be
taken: a few dates lie close together by chance. With 1, bands of 80 in 100 held 67 to 78.
"""
SEASONS = 3
"""How many years that belief is worth (C)."""
SCENARIOS = 9
PREVENTION_DAYS = 18
"""Prevention begins so many days before the earliest likely day: between two and three
weeks, as practitioners do (C).
"""
HORIZON_DAYS = 364


@dataclass(frozen=True)
class Sighting:
    """The first sighting of one earlier year: the day, counted from the biofix (0 is the
    biofix itself), and the degree-days up to it in °C·day (None where the warmth of that
    year is not known).
    """

    day: float
    heat: float | None = None


@dataclass(frozen=True)
class Band:
    """Days from the biofix, as fractions: with 10, 50 and 90 in 100 the first sighting
    has come by then. `by_heat` says on what that rests, `years` on how many years.
    """

    early: float
    likely: float
    late: float
    by_heat: bool
    years: int

    @property
    def begin(self) -> float:
        """The day on which prevention begins."""
        return self.early - PREVENTION_DAYS

    @property
    def width(self) -> float:
        """Days from the earliest to the latest likely day."""
        return self.late - self.early


@dataclass(frozen=True)
class Belief:
    """A Student distribution of the next value, after some years."""

    middle: float
    scale: float
    freedom: float

    def chance(self, value: Array) -> Array:
        """The chance that the next value is at most `value`; the same shape."""
        return np.asarray(stdtr(self.freedom, (value - self.middle) / self.scale))

    def at(self, chance: float) -> float:
        """The value that the next one is at most, with a chance."""
        return self.middle + self.scale * float(stdtrit(self.freedom, chance))


def belief(values: Sequence[float], half_band: float) -> Belief:
    """What is believed of the next value after those of earlier years (at least one).

    Values are taken as normal around a mean that nothing is known of. Their variance has
    a scaled inverse chi-squared prior, worth BELIEVED years and such that after a single
    year the band from 10 to 90 in 100 is `half_band` to either side (Gelman et al. 2013,
    Bayesian Data Analysis, 3rd ed., section 3.3).
    """
    n, freedom = len(values), BELIEVED + len(values) - 1
    first = half_band / (float(stdtrit(BELIEVED, LATE)) * math.sqrt(2))
    middle = sum(values) / n
    squares = sum((v - middle) ** 2 for v in values)
    variance = (BELIEVED * first**2 + squares) / freedom
    return Belief(middle, math.sqrt(variance * (1 + 1 / n)), freedom)


def offsets(spread_c: float = SEASON_C) -> Array:
    """By how many °C what nobody has measured may differ from its normal: the middles of
    SCENARIOS equally likely parts of a normal distribution, shape (SCENARIOS,).
    """
    parts = (np.arange(SCENARIOS) + 0.5) / SCENARIOS
    return np.array([spread_c * NormalDist().inv_cdf(float(p)) for p in parts])


def spread_between(means: Sequence[float]) -> float:
    """How far, in °C, a further year lies from the mean of some years over the same stretch
    of days, standard deviation: SEASON_C between years as the belief beforehand, worth
    SEASONS years. Raises nothing; without any year it is SEASON_C.
    """
    n = len(means)
    if not n:
        return SEASON_C
    middle = sum(means) / n
    squares = sum((m - middle) ** 2 for m in means)
    between = (SEASONS * SEASON_C**2 + squares) / (SEASONS + n - 1)
    return math.sqrt(between * (1 + 1 / n))


def by_date(seen: Sequence[Sighting]) -> Band:
    """The band by the dates of earlier years (at least one)."""
    known = belief([s.day + 0.5 for s in seen], DATE_BAND)
    return Band(known.at(EARLY), known.at(LIKELY), known.at(LATE), False, len(seen))


def by_heat(seen: Sequence[Sighting], sums: Array) -> Band | None:
    """The band by the heat sums of earlier years. `sums` has the degree-days since the
    biofix at the end of each day, shape (scenarios, days), equally likely. None where no
    year's heat is known, or where too little heat comes within these days.
    """
    heats = [s.heat for s in seen if s.heat is not None]
    if not heats:
        return None
    middle = sum(heats) / len(heats)
    known = belief(heats, max(HEAT_BAND * middle, 1.0))
    come = known.chance(sums).mean(axis=0)
    if come[-1] < LATE:
        return None
    early, likely, late = (_crossing(come, part) for part in (EARLY, LIKELY, LATE))
    return Band(early, likely, late, True, len(heats))


def _crossing(come: Array, part: float) -> float:
    """The day on which a chance that never falls reaches a part, as a fraction."""
    day = int(np.searchsorted(come, part))
    before = float(come[day - 1]) if day else 0.0
    step = float(come[day]) - before
    return day + ((part - before) / step if step > 0 else 0.0)


def forecast(seen: Sequence[Sighting], sums: Array | None) -> Band | None:
    """The narrower of the two bands. None without any earlier year."""
    if not seen:
        return None
    date = by_date(seen)
    heat = None if sums is None else by_heat(seen, sums)
    return heat if heat is not None and CLEARLY * heat.width <= date.width else date


def held(band: Band, day: float) -> str:
    """How a sighting came out against the band: early, right or late."""
    if day < math.floor(band.early):
        return "early"
    return "late" if day > math.floor(band.late) else "right"
