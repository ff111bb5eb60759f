"""Temperatures by the hour, whatever they come from."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta

import numpy as np
from numpy.typing import NDArray

from brood.errors import InputError

Array = NDArray[np.float64]

MEASURED, FILLED, SET, EXPECTED, FORECAST, DIARY = 0, 1, 2, 3, 4, 5
"""Where an hour comes from: read by a device, filled in a gap, a set point, an
expectation, a forecast, or drawn through a day's extremes.
"""

SPREAD_C = {MEASURED: 0.5, FILLED: 1.0, SET: 0.7, EXPECTED: 2.5, FORECAST: 1.5, DIARY: 1.0}
"""Standard deviation in °C of the persistent offset of the daily mean, by origin; a
working assumption, grade C.
"""

LOWEST_C, HIGHEST_C = -30.0, 60.0
SHORT_GAP_HOURS = 3
PATTERN_DAYS = 7
TURN = (np.arange(24) + 0.5 - 5.0) % 24 / 24
SINE = -np.cos(2 * np.pi * TURN)
"""Where each hour of a day lies between one minimum (05:00) and the next, and the sine
through it: −1 at the minimum, 1 at the maximum (17:00).
"""


# Frozen, so that a series can be shared by cases, plans and threads.
@dataclass(frozen=True, eq=False)
class HourlySeries:
    """The mean temperature of every clock hour from `start` (naive local time, on the
    hour).

    `celsius`, `spread_c` (°C) and `origin` (see MEASURED …) have one entry an hour.
    `warm_spot_c` and `cool_spot_c` say how much warmer the warmest spot is, and how
    much cooler the coolest (0 or more). Raises InputError when the arrays are empty,
    differ in length or hold anything not finite.
    """

    start: datetime
    celsius: Array
    spread_c: Array
    origin: NDArray[np.uint8]
    warm_spot_c: float = 0.0
    cool_spot_c: float = 0.0

    def __post_init__(self) -> None:
        if not len(self.celsius):
            raise InputError("There is no temperature to work with yet.", field="temperature")
        if not len(self.celsius) == len(self.spread_c) == len(self.origin):
            raise InputError(
                "Temperatures, spreads and origins differ in length.", field="temperature"
            )
        if not (np.isfinite(self.celsius).all() and np.isfinite(self.spread_c).all()):
            raise InputError("A temperature is missing or not a number.", field="temperature")

    def __len__(self) -> int:
        return len(self.celsius)

    @property
    def end(self) -> datetime:
        """The moment after the last hour."""
        return self.start + timedelta(hours=len(self))

    def hour_of(self, moment: datetime) -> int:
        """The index of the hour that holds a moment. It may lie outside the series."""
        return math.floor((moment - self.start) / timedelta(hours=1))

    def moment(self, hours: float) -> datetime:
        """The moment that many hours after the start."""
        return self.start + timedelta(hours=float(hours))

    def mean(self, first: datetime, last: datetime) -> float:
        """The mean °C of the hours between two moments, at least one hour. Outside the
        series `covering` says what holds.
        """
        hours = max(1, self.hour_of(last) - self.hour_of(first))
        return float(covering(self, first, hours).celsius.mean())


def _filled(start: datetime, celsius: Array, origin: int, spread_c: float | None) -> HourlySeries:
    spread = SPREAD_C[origin] if spread_c is None else spread_c
    return HourlySeries(
        start, celsius, np.full(len(celsius), spread), np.full(len(celsius), origin, dtype=np.uint8)
    )


def check_celsius(value: float, field: str = "celsius") -> float:
    """Return the temperature; raises InputError outside −30 to 60 °C or when not a number."""
    if not (
        isinstance(value, int | float) and math.isfinite(value) and LOWEST_C <= value <= HIGHEST_C
    ):
        raise InputError(
            "A temperature must lie between −30 and 60 °C.",
            field=field,
            value=value,
            allowed="-30 to 60",
        )
    return float(value)


def constant(
    start: datetime, hours: int, celsius: float, *, spread_c: float | None = None
) -> HourlySeries:
    """The same temperature (°C) in every one of `hours` hours."""
    return _filled(start, np.full(hours, check_celsius(celsius)), SET, spread_c)


def day_night(
    start: datetime,
    hours: int,
    *,
    day: float,
    night: float,
    day_from: time,
    night_from: time,
    spread_c: float | None = None,
) -> HourlySeries:
    """Two set points (°C) that change at clock times; an hour that holds a change is
    shared by minutes.

    Raises InputError when the two clock times are the same.
    """
    check_celsius(day, "day"), check_celsius(night, "night")
    rise, fall = (t.hour + t.minute / 60 for t in (day_from, night_from))
    if rise == fall:
        raise InputError(
            "Day and night must begin at different times.",
            field="night_from",
            value=night_from.isoformat("minutes"),
        )
    clock = (start.hour + np.arange(hours)) % 24
    turned = (clock[:, None] + (np.arange(60) + 0.5) / 60 - rise) % 24
    warm = (turned < (fall - rise) % 24).mean(axis=1)
    return _filled(start, night + (day - night) * warm, SET, spread_c)


def daily(
    first: date,
    minima: Sequence[float],
    maxima: Sequence[float],
    *,
    spread_c: float | None = None,
    shape: str = "single-sine",
) -> HourlySeries:
    """Hourly means through each day's minimum (05:00) and maximum (17:00), °C.

    `shape` is single-sine (Baskerville & Emin 1969, Ecology 50:514–517), each day by
    itself; double-sine, which comes down to the next day's minimum (Allen 1976,
    Environ. Entomol. 5:388–396); or single-triangle (Lindsey & Newman 1956, Ecology
    37:812–823). Raises InputError when the lists differ in length, are empty, or a
    minimum is above its maximum.
    """
    low, high = np.asarray(minima, float), np.asarray(maxima, float)
    if len(low) != len(high) or not len(low):
        raise InputError("Give a minimum and a maximum for every day.", field="temperature")
    for value in (*low, *high):
        check_celsius(float(value), "temperature")
    if (low > high).any():
        raise InputError(
            "A day's minimum is above its maximum.", field="min", value=float(low[low > high][0])
        )
    clock = np.arange(24) + 0.5
    wave = 1 - 4 * np.abs(TURN - 0.5) if shape == "single-triangle" else SINE
    valley = np.repeat(low[:, None], 24, axis=1)
    if shape == "double-sine":
        valley = np.where(clock > 17, np.append(low[1:], low[-1])[:, None], valley)
        before = np.append(high[:1], high[:-1])[:, None]
        peak = np.where(clock < 5, before, high[:, None])
    else:
        peak = np.repeat(high[:, None], 24, axis=1)
    hours = (peak + valley) / 2 + (peak - valley) / 2 * wave
    return _filled(datetime.combine(first, time()), hours.ravel(), SET, spread_c)


def from_readings(
    readings: Iterable[tuple[datetime, float]], *, spread_c: float | None = None
) -> HourlySeries:
    """Hourly means of a logger's readings (local moment, °C), in any order and any step
    from a minute to a day.

    Readings that share a clock hour are averaged, so an hour that a clock change
    repeats counts once. Gaps of up to 3 hours (or up to the logger's own step) are
    interpolated and count as measured; longer ones are filled from the same clock hours
    of the neighbouring days, or in a straight line where there are none, and marked
    FILLED. Raises InputError for no readings or one outside −30 to 60 °C.
    """
    points = sorted(readings)
    if not points:
        raise InputError("There is no reading to work with.", field="readings")
    start = points[0][0].replace(minute=0, second=0, microsecond=0)
    index = np.array([(at - start) // timedelta(hours=1) for at, _ in points])
    values = np.array([check_celsius(value, "readings") for _, value in points])
    size = int(index[-1]) + 1
    count = np.bincount(index, minlength=size)
    total = np.bincount(index, weights=values, minlength=size)
    known = count > 0
    hours = np.where(known, total / np.maximum(count, 1), np.nan)
    step = float(np.median(np.diff(np.unique(index)))) if size > 1 else 1.0
    origin = _fill(hours, known, max(SHORT_GAP_HOURS, math.ceil(step) - 1))
    spreads = (
        np.where(origin == FILLED, SPREAD_C[FILLED], SPREAD_C[MEASURED])
        if spread_c is None
        else np.full(size, spread_c)
    )
    return HourlySeries(start, hours, spreads, origin)


def _fill(hours: Array, known: NDArray[np.bool_], short: int) -> NDArray[np.uint8]:
    """Fill the missing hours in place; the origin of every hour."""
    where = np.arange(len(hours))
    origin = np.full(len(hours), MEASURED, dtype=np.uint8)
    straight = np.interp(where, where[known], hours[known])
    edges = np.flatnonzero(np.diff(np.concatenate(([True], known, [True])).astype(int)))
    measured = hours.copy()
    for first, last in zip(edges[::2], edges[1::2], strict=True):
        gap = slice(first, last)
        if last - first <= short:
            hours[gap] = straight[gap]
            continue
        origin[gap] = FILLED
        for hour in range(first, last):
            near = [
                measured[h]
                for h in (hour - 24, hour + 24)
                if 0 <= h < len(hours) and not np.isnan(measured[h])
            ]
            far = [hours[hour - 24]] if hour >= 24 else []
            hours[hour] = np.mean(near) if near else (far[0] if far else straight[hour])
    return origin


def joined(first: HourlySeries, second: HourlySeries) -> HourlySeries:
    """`first` up to the start of `second`, then `second`. Raises InputError when they
    leave a gap.
    """
    cut = first.hour_of(second.start)
    if cut > len(first):
        raise InputError(
            "There is a gap between two stretches of temperature.", field="temperature"
        )
    if cut <= 0:
        return second
    return HourlySeries(
        first.start,
        np.concatenate((first.celsius[:cut], second.celsius)),
        np.concatenate((first.spread_c[:cut], second.spread_c)),
        np.concatenate((first.origin[:cut], second.origin)),
        max(first.warm_spot_c, second.warm_spot_c),
        max(first.cool_spot_c, second.cool_spot_c),
    )


def window(
    series: HourlySeries, first: datetime, last: datetime, *, beyond_c: float | None = None
) -> HourlySeries:
    """The hours from `first` to `last`. Outside the series the pattern of the nearest 7
    days goes on, marked EXPECTED.

    Set points go on as set points. `beyond_c` is the spread (°C) of what is continued.
    A series shorter than a day goes on with its mean.
    """
    first = first.replace(minute=0, second=0, microsecond=0)
    hours = np.arange(series.hour_of(first), series.hour_of(last) + 1)
    size = len(series)
    inside = (hours >= 0) & (hours < size)
    source = np.clip(hours, 0, size - 1)
    days = min(PATTERN_DAYS, size // 24)
    if days:
        source = np.where(hours >= size, size - 24 * days + (hours - size) % (24 * days), source)
        source = np.where(hours < 0, hours % (24 * days), source)
    celsius = series.celsius[source]
    if not days:
        celsius = np.where(inside, celsius, series.celsius.mean())
    set_point = series.origin[source] == SET
    spread = SPREAD_C[EXPECTED] if beyond_c is None else beyond_c
    return HourlySeries(
        first,
        celsius,
        np.where(inside | set_point, series.spread_c[source], spread),
        np.where(inside | set_point, series.origin[source], EXPECTED).astype(np.uint8),
        series.warm_spot_c,
        series.cool_spot_c,
    )


def covering(series: HourlySeries, first: datetime, hours: int) -> HourlySeries:
    """As many hours as asked, beginning with the one that holds a moment. Hours outside
    the series are continued as in `window`.

    This is the only rule for whatever a computation asks beyond either end of a series.
    """
    begun = series.hour_of(first)
    if begun < 0 or begun + hours > len(series):
        begin = series.start + timedelta(hours=begun)
        return window(series, begin, begin + timedelta(hours=hours - 1))
    cut = slice(begun, begun + hours)
    return replace(
        series,
        start=series.start + timedelta(hours=begun),
        celsius=series.celsius[cut],
        spread_c=series.spread_c[cut],
        origin=series.origin[cut],
    )


def shifted(series: HourlySeries, sigmas: float) -> HourlySeries:
    """The series with every hour moved by `sigmas` times its own spread, and to its
    warmest or coolest spot.
    """
    spot = series.warm_spot_c if sigmas > 0 else -series.cool_spot_c if sigmas < 0 else 0.0
    return replace(series, celsius=series.celsius + sigmas * series.spread_c + spot)


def placed(
    series: HourlySeries, offset_c: float, warm_spot_c: float, cool_spot_c: float
) -> HourlySeries:
    """The series of a place that is `offset_c` warmer than where it was read, with its
    warmest and coolest spot (°C).
    """
    return replace(
        series, celsius=series.celsius + offset_c, warm_spot_c=warm_spot_c, cool_spot_c=cool_spot_c
    )


def from_days(days: Sequence[tuple[date, float, float]], *, origin: int = DIARY) -> HourlySeries:
    """Hours drawn through the extremes of days in order, down to the next day's
    minimum. Missing days are filled and marked.

    `days` holds (day, minimum, maximum) in °C, each day once. Raises InputError for no
    day or a minimum above its maximum.
    """
    if not days:
        raise InputError("There is no day to work with.", field="days")
    first = days[0][0]
    at = np.array([(day - first).days for day, _, _ in days])
    every = np.arange(at[-1] + 1)
    lows, highs = (
        np.interp(every, at, [low for _, low, _ in days]),
        np.interp(every, at, [high for *_, high in days]),
    )
    drawn = daily(first, list(lows), list(highs), shape="double-sine")
    known = np.repeat(np.isin(every, at), 24)
    origins = np.where(known, origin, FILLED).astype(np.uint8)
    return replace(
        drawn, origin=origins, spread_c=np.where(known, SPREAD_C[origin], SPREAD_C[FILLED] + 0.5)
    )


STUCK_HOURS, STUCK_READINGS = 6.0, 12
"""A device that repeats one value for so many hours and readings counts as stuck; a
working assumption, grade C.
"""


def stuck_runs(readings: Sequence[tuple[datetime, float]]) -> list[tuple[int, int]]:
    """(first, last + 1) of every run of equal readings that lasts at least six hours
    and twelve readings.

    The first reading of a run may have been true, so it is not part of it.
    """
    runs, begin = [], 0
    for i in range(1, len(readings) + 1):
        if i < len(readings) and abs(readings[i][1] - readings[begin][1]) < 1e-9:
            continue
        lasts = (readings[i - 1][0] - readings[begin][0]) / timedelta(hours=1)
        if lasts >= STUCK_HOURS and i - begin >= STUCK_READINGS:
            runs.append((begin + 1, i))
        begin = i
    return runs
