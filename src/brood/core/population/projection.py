"""Expected numbers by stage and hour for every group found, under the treatments done
and planned. The brood chart draws them.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import date, datetime, timedelta

import numpy as np
from numpy.typing import NDArray

from brood.core.biology.case import Case, Found, Schedule
from brood.core.biology.pest import PREOVIPOSITION
from brood.core.biology.substages import STEP_MOVES, Chain, advance, chain_of, moves_per_hour
from brood.core.climate.hours import EVENING
from brood.core.climate.series import covering
from brood.core.population.half_days import evenings
from brood.core.population.tracks import placed_after

Array = NDArray[np.float64]

BANDS = ("egg", "active", "rest", "adult", "breeding")
"""What a band shows, bottom to top: eggs, active larvae or nymphs, resting stages or
pupae, adults before laying, and laying adults.
"""
INSPECTION_HOUR = 9
SAMPLE_HOURS = 6


@dataclass(frozen=True, eq=False)
class Strike:
    """What one evening does to every row: the expected numbers by row and band just
    before and just after.
    """

    at: datetime
    before: Array
    after: Array


@dataclass(frozen=True, eq=False)
class Projection:
    """Expected numbers: `numbers` has shape (moments, rows, bands). The last row is
    what was laid since the finds.
    """

    rows: tuple[Found | None, ...]
    moments: tuple[datetime, ...]
    numbers: Array
    strikes: tuple[Strike, ...]

    def at(self, moment: datetime) -> Array:
        """The expected numbers by row and band at the last sample before a moment."""
        position = int(
            np.searchsorted(
                np.array(self.moments, dtype="datetime64[s]"), np.datetime64(moment), side="right"
            )
        )
        return np.asarray(self.numbers[max(0, position - 1)])


def bands_of(chain: Chain) -> NDArray[np.int64]:
    """The band index of every state: the sub-stages, then adults that lay or have laid."""
    kinds = []
    for stage, count in zip(chain.pest.stages, chain.counts, strict=True):
        resting = round(count * stage.rest_share)
        if stage.id == PREOVIPOSITION:
            kinds += [3] * count
        elif stage.display == "egg":
            kinds += [0] * count
        elif stage.display == "pupa":
            kinds += [2] * count
        else:
            kinds += [1] * (count - resting) + [2] * resting
    return np.array([*kinds, 4, 4])


def project(case: Case, schedule: Schedule, until: date) -> Projection:
    """Follow the found groups and their offspring, a few hours at a time, at the
    temperatures of the series.

    Each group starts at 09:00 of its day, spread evenly over its stage. Adults found
    are of both sexes. Adults die at 1/longevity; females lay at the tabulated rate for
    the hour's temperature until they have laid out. Where the series ends it is
    continued. The share in refuge is kept apart and drawn anew at every moult and change
    of place. What an act leaves behind is not drawn.
    """
    chain = chain_of(case.pest)
    rows: tuple[Found | None, ...] = (*case.found, None)
    start = datetime.combine(min(f.on for f in case.found), EVENING).replace(hour=INSPECTION_HOUR)
    hours = int((datetime.combine(until, EVENING).replace(hour=23) - start) / timedelta(hours=1))
    celsius = covering(case.series, start, hours).celsius
    marks = _marks(len(celsius))
    moves = np.add.reduceat(moves_per_hour(chain, celsius), marks[:-1])[:, chain.stage_of]
    rates = [np.add.reduceat(rate, marks[:-1]) for rate in _adult_rates(case, celsius)]
    switched = 1 - np.exp(-chain.switching * np.diff(marks)[:, None] / 24)
    shares = {on: row[0, 0] for on, row in evenings(case, chain, [schedule]).items()}
    struck = {e.on for e in schedule if case.treats(e)}
    sums = np.zeros((chain.size + 2, len(BANDS)))
    sums[np.arange(chain.size + 2), bands_of(chain)] = 1.0
    x = np.zeros((2, len(rows), chain.size + 2))
    starts = np.append(np.flatnonzero(np.diff(chain.stage_of)) + 1, chain.size)
    moments, numbers, strikes = [], [], []
    for n, hour in enumerate(marks[:-1]):
        moment = start + timedelta(hours=hour)
        _arrive(x, chain, case, moment)
        if moment.time() == EVENING and moment.date() in shares:
            before = _by_class(x, sums)
            moments.append(moment - timedelta(seconds=1))
            numbers.append(before)
            x[0] *= shares[moment.date()]
            if moment.date() in struck:
                strikes.append(Strike(moment, before, _by_class(x, sums)))
        moments.append(moment)
        numbers.append(_by_class(x, sums))
        parts = max(1, math.ceil(float(moves[n].max()) / STEP_MOVES))
        for _ in range(parts):
            adults = tuple(float(rate[n]) / parts for rate in rates)
            x = _step(x, chain, moves[n] / parts, starts, adults, case.refuge)
        x = placed_after(x, switched[n], case.refuge)
    return Projection(rows, tuple(moments), np.array(numbers), tuple(strikes))


def _marks(hours: int) -> list[int]:
    """The hours since the first find, at 09:00, at which a sample is taken: every few
    hours, and every evening at 19:00.
    """
    clock = [(INSPECTION_HOUR + h) % 24 for h in range(hours)]
    return [h for h, c in enumerate(clock) if h % SAMPLE_HOURS == 0 or c == EVENING.hour] + [hours]


def _adult_rates(case: Case, celsius: Array) -> tuple[Array, Array, Array]:
    """By the hour: young per adult that lays, deaths, and adults that have laid out."""
    fecundity, longevity = np.array(case.pest.fecundity), np.array(case.pest.longevity)
    lasts = np.interp(celsius, longevity[:, 0], longevity[:, 1])
    eggs = np.interp(celsius, fecundity[:, 0], fecundity[:, 1]) * case.pest.female_share / 24
    stops = np.full(len(celsius), case.pest.laid_out / 24)
    ends = (1 / lasts + case.pest.leaves) / 24
    return eggs * (1 + case.pest.laid_out * lasts), ends, stops


def _arrive(x: Array, chain: Chain, case: Case, moment: datetime) -> None:
    """Add, in place, the groups found at this moment."""
    if moment.hour != INSPECTION_HOUR:
        return
    for row, group in enumerate(case.found):
        if group.on == moment.date():
            spread = group.count * chain.met(chain.pest.index(group.stage))
            x[:, row] += np.array([1 - case.refuge, case.refuge])[:, None] * spread


def _by_class(x: Array, sums: Array) -> Array:
    """The numbers by band of every row. einsum is used because threads only slow down
    such small products.
    """
    return np.asarray(np.einsum("rs,sc->rc", x[0] + x[1], sums))


def _step(
    x: Array,
    chain: Chain,
    moves: Array,
    starts: NDArray[np.int64],
    adults: tuple[float, ...],
    refuge: float,
) -> Array:
    """One step of at most about two moves, in both tracks: moves and deaths of the
    young, then of adults, then births. What has just moulted draws its track anew.
    """
    births, deaths, stops = adults
    laid = births * x[..., chain.size].sum()
    moulting = moves[starts - 1] * x[..., starts - 1]
    x = np.concatenate((advance(x[..., :-1], moves * chain.lives), x[..., -1:]), axis=-1)
    moulted = np.minimum(moulting, x[..., starts])
    share = np.array([1 - refuge, refuge])
    x[..., starts] += share[:, None, None] * moulted.sum(axis=0) - moulted
    x[..., : chain.size] *= np.exp(-moves * (1 - chain.lives))
    finished = x[..., chain.size] * -np.expm1(-stops)
    x[..., chain.size] -= finished
    x[..., -1] += finished
    x[..., chain.size :] *= np.exp(-deaths)
    x[:, -1, 0] += share * laid
    return x
