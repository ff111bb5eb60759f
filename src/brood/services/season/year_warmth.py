"""How warm a place was, is and will be through the seasons, day by day."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, timedelta
from functools import cached_property

import numpy as np
from sqlalchemy.orm import Session

from brood.core.season import heat_sums
from brood.core.season.arrival import SEASON_C
from brood.core.season.biofix import DAYS, biofix, day_of, season_of
from brood.core.season.heat_sums import Array, YearOfDays
from brood.services.voice import preferences
from brood.services.warmth.hourly import normal_of
from brood.store.place_tables import Place
from brood.store.queries import readings

BACK_YEARS, FEWEST_READINGS = 6, 4
"""So many earlier seasons are looked at. A day with fewer readings has no extremes."""
UNKNOWN = YearOfDays(np.full(DAYS, np.nan), np.full(DAYS, np.nan))
REPORT_DAYS = 50
"""A weather report holds 60 observed days: one in so many days is enough to know them all."""


@dataclass(eq=False)
class PlaceWarmth:
    """The seasons of a place, by the year in which each begins, and what is normal there:
    years without gaps, none where nothing tells. With `told` its warmth is what the keeper
    says, and no year differs from another. `spread_c` is how far what nobody has measured
    may lie from the normal.
    """

    hemisphere: str
    seasons: dict[int, YearOfDays]
    normals: list[YearOfDays]
    spread_c: float | None
    told: bool = False
    _sums: dict[tuple[int, float, float | None, int | None], Array] = field(default_factory=dict)

    @cached_property
    def normal(self) -> tuple[Array, Array] | None:
        """The normal minimum and maximum of each day of a season; None where unknown."""
        if not self.normals:
            return None
        return (
            np.mean([y.low for y in self.normals], axis=0),
            np.mean([y.high for y in self.normals], axis=0),
        )

    def season(self, year: int) -> YearOfDays:
        """The known days of a season."""
        return self.seasons.get(year, UNKNOWN)

    def heat(self, day: date, lower: float, upper: float | None) -> float | None:
        """The degree-days from the biofix up to a day; None where too little is known."""
        year = season_of(self.hemisphere, day)
        return heat_sums.heat_at(self.season(year), day_of(self.hemisphere, day), lower, upper)

    def sums(
        self, year: int, lower: float, upper: float | None, known_days: int | None = None
    ) -> Array | None:
        """The degree-days of a season as it may turn out, shape (scenarios, days); of what
        was known after so many days, where they are given. None where nothing is normal, and
        where heat tells no more than the calendar does.
        """
        if self.told or not self.normals:
            return None
        key = (year, lower, upper, known_days)
        if key not in self._sums:
            this = self.season(year)
            if known_days is not None:
                hidden = np.arange(DAYS) >= known_days
                this = YearOfDays(
                    np.where(hidden, np.nan, this.low), np.where(hidden, np.nan, this.high)
                )
            self._sums[key] = heat_sums.sums(this, self.normals, lower, upper, self.spread_c)
        return self._sums[key]

    def days(self, first: date, count: int) -> tuple[Array, Array]:
        """The lowest and highest °C of so many days, measured or normal, shape (count,); not
        a number where unknown.
        """
        found = [self._day(first + timedelta(days=n)) for n in range(count)]
        low, high = (np.array(side) for side in zip(*found, strict=True))
        return low, high

    def _day(self, day: date) -> tuple[float, float]:
        year, n = self.season(season_of(self.hemisphere, day)), day_of(self.hemisphere, day)
        n = min(n, DAYS - 1)
        low, high = float(year.low[n]), float(year.high[n])
        if self.normal is None or not (np.isnan(low) or np.isnan(high)):
            return low, high
        return float(self.normal[0][n]), float(self.normal[1][n])

    def mean_of(self, day: date) -> tuple[float, bool] | None:
        """The mean °C of a day and whether it was measured; None where unknown."""
        year, n = self.season(season_of(self.hemisphere, day)), day_of(self.hemisphere, day)
        if n < DAYS and year.known[n]:
            return float(year.low[n] + year.high[n]) / 2, not self.told
        if self.normal is None:
            return None
        low, high = (float(side[min(n, DAYS - 1)]) for side in self.normal)
        return (low + high) / 2, False


class Warmths(dict[int, PlaceWarmth]):
    """The warmth of places by their ids, each read when it is first asked for."""

    def __init__(self, session: Session, places: Mapping[int, Place], today: date) -> None:
        super().__init__()
        self._session, self._places, self._today = session, places, today

    def __missing__(self, place_id: int) -> PlaceWarmth:
        self[place_id] = of_place(self._session, self._places[place_id], self._today)
        return self[place_id]


def of_place(session: Session, place: Place, today: date) -> PlaceWarmth:
    """The warmth of a place through the seasons, by all that is on record."""
    prefs = preferences.load(session)
    if place.source in ("constant", "set-points"):
        return _told(session, place, prefs, today)
    days = _recorded(session, place, today)
    seasons = _by_season(days, prefs.hemisphere, place.offset_c)
    earlier = {y: s for y, s in seasons.items() if y < season_of(prefs.hemisphere, today)}
    normals = heat_sums.normal_years(earlier)
    report = readings.weather(session, place.id) if place.source == "weather" else None
    if report is not None and len(normals) < 2:
        low, high = _normals(report.normals, prefs.hemisphere, place.offset_c)
        return PlaceWarmth(prefs.hemisphere, seasons, heat_sums.smooth(low, high), SEASON_C)
    return PlaceWarmth(prefs.hemisphere, seasons, normals, None)


def _recorded(session: Session, place: Place, today: date) -> dict[date, tuple[float, float]]:
    """The lowest and highest °C of every day on record before this one."""
    if place.source == "weather":
        return _observed(session, place, today)
    if place.source == "diary":
        return {r.on: (r.low_c, r.high_c) for r in readings.diary(session, place.id)}
    return {
        day: (low, high)
        for day, low, high, count in readings.extremes(session, place.id)
        if count >= FEWEST_READINGS and day < today
    }


def _observed(session: Session, place: Place, today: date) -> dict[date, tuple[float, float]]:
    """The observed days of a place's weather reports, as the newest of them have it."""
    out: dict[date, tuple[float, float]] = {}
    before = None
    while report := readings.weather_before(session, place.id, before):
        for row in report.days:
            day = date.fromisoformat(str(row["on"]))
            if row["kind"] == "observed" and day < today:
                out.setdefault(day, (float(str(row["low_c"])), float(str(row["high_c"]))))
        before = report.fetched_at - timedelta(days=REPORT_DAYS)
    return out


def _by_season(
    days: dict[date, tuple[float, float]], hemisphere: str, offset_c: float
) -> dict[int, YearOfDays]:
    out: dict[int, YearOfDays] = {}
    for day, (low, high) in days.items():
        n, year = day_of(hemisphere, day), season_of(hemisphere, day)
        if year not in out:
            out[year] = YearOfDays(np.full(DAYS, np.nan), np.full(DAYS, np.nan))
        if n < DAYS:
            out[year].low[n], out[year].high[n] = low + offset_c, high + offset_c
    last = max(out, default=0)
    return {year: one for year, one in out.items() if year > last - BACK_YEARS}


def _normals(rows: list[list[float]], hemisphere: str, offset_c: float) -> tuple[Array, Array]:
    first = biofix(hemisphere, 2025)
    pairs = [normal_of(rows, first + timedelta(days=n)) for n in range(DAYS)]
    low, high = (np.array(side) + offset_c for side in zip(*pairs, strict=True))
    return low, high


def _told(
    session: Session, place: Place, prefs: preferences.Preferences, today: date
) -> PlaceWarmth:
    """A place whose warmth is what its keeper says: day, night, and in the heating months."""
    usual, heated = (readings.set_point(session, place.id, s) for s in ("", "heating"))
    this = season_of(prefs.hemisphere, today)
    if usual is None:
        return PlaceWarmth(prefs.hemisphere, {}, [], 0.0, told=True)
    first = biofix(prefs.hemisphere, this)
    low, high = np.zeros(DAYS), np.zeros(DAYS)
    for n in range(DAYS):
        warm = heated is not None and prefs.heated(first + timedelta(days=n))
        point = heated if warm and heated is not None else usual
        low[n] = min(point.day_c, point.night_c) + place.offset_c
        high[n] = max(point.day_c, point.night_c) + place.offset_c
    year = YearOfDays(low, high)
    seasons = {this - n: year for n in range(-1, BACK_YEARS)}
    return PlaceWarmth(prefs.hemisphere, seasons, [year], 0.0, told=True)
