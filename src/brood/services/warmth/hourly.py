"""The hourly temperatures of a place and of a plant, from what the household has recorded."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, datetime, time, timedelta

import numpy as np
from sqlalchemy.orm import Session

from brood.core.climate.series import (
    EXPECTED,
    FORECAST,
    MEASURED,
    SET,
    SPREAD_C,
    HourlySeries,
    daily,
    day_night,
    from_days,
    from_readings,
    joined,
    placed,
    stuck_runs,
    window,
)
from brood.errors import InputError
from brood.services.voice import preferences
from brood.store.place_tables import Place, SetPoint, WeatherReport
from brood.store.queries import readings
from brood.store.tables import Plant

STALE_DAYS, USUAL_C = 21, 20.0
"""So long after the last reading nobody knows how warm it is, and what is usual counts."""
LEAD_DAYS = 10


def _clock(day: date) -> datetime:
    return datetime.combine(day, time())


def place_series(
    session: Session, place: Place, first: date, last: date, known_to: datetime | None = None
) -> HourlySeries:
    """The hourly temperatures of a place, from the start of one day to the end of
    another, by what was read before a moment (or by all that is known).

    They are what its source has measured, continued by a forecast or by its own recent
    pattern. Where nothing has been measured yet they are its set points. All are
    shifted by the offset of the place. Raises InputError when nothing at all is known
    of the place.
    """
    start, end = _clock(first), _clock(last + timedelta(days=1)) - timedelta(hours=1)
    series = _of_source(session, place, start, end, known_to)
    if series is None:
        series = _set_points(session, place, start, end)
    return placed(series, place.offset_c, place.warm_spot_c, place.cool_spot_c)


def known_series(session: Session, place: Place, first: date, last: date) -> HourlySeries | None:
    """The same, or None when nothing at all is known of the place."""
    try:
        return place_series(session, place, first, last)
    except InputError:
        return None


def _of_source(
    session: Session, place: Place, start: datetime, end: datetime, known_to: datetime | None
) -> HourlySeries | None:
    if place.source in ("logger", "sensor"):
        pairs = trusted(session, place, start - timedelta(days=LEAD_DAYS)) or trusted(
            session, place
        )
        # A day counts once it is over; on the very first one what there is has to do.
        pairs = [pair for pair in pairs if known_to is None or pair[0] < known_to] or pairs
        return window(from_readings(pairs), start, end) if pairs else None
    if place.source == "diary":
        rows = readings.diary(
            session, place.id, (start - timedelta(days=LEAD_DAYS)).date()
        ) or readings.diary(session, place.id)
        return (
            window(from_days([(r.on, r.low_c, r.high_c) for r in rows]), start, end)
            if rows
            else None
        )
    if place.source == "weather":
        report = readings.weather(session, place.id)
        return None if report is None else _weather(report, start, end)
    return None


def at_least_usual(series: HourlySeries, place: Place) -> HourlySeries:
    """A series in which hours that nobody measured for three weeks are taken to be no
    cooler than usual: an old reading says nothing of a season that has passed, nor does
    what was once said of a place whose thermometer has never answered.

    A place whose warmth is set, or comes from the weather, stays as it is.
    """
    if place.source not in ("diary", "logger", "sensor"):
        return series
    hour = np.arange(len(series.celsius))
    known = np.where(np.isin(series.origin, (EXPECTED, SET)), 0, hour)
    stale = hour - np.maximum.accumulate(known) > STALE_DAYS * 24
    warm = np.maximum(series.celsius, USUAL_C)
    return replace(series, celsius=np.where(stale, warm, series.celsius))


def trusted(
    session: Session, place: Place, since: datetime | None = None
) -> list[tuple[datetime, float]]:
    """(moment, °C) of the readings of a place that can be believed. Runs in which a
    live sensor was stuck are left out.
    """
    pairs = readings.pairs(session, place.id, since)
    if place.source != "sensor":
        return pairs
    doubtful = {i for first, last in stuck_runs(pairs) for i in range(first, last)}
    return [pair for i, pair in enumerate(pairs) if i not in doubtful]


def _weather(report: WeatherReport, start: datetime, end: datetime) -> HourlySeries:
    """Observed days, then the forecast, then the normals of the month, drawn through
    each day's extremes.
    """
    known = {date.fromisoformat(str(d["on"])): d for d in report.days}
    first, last = start.date() - timedelta(days=1), end.date() + timedelta(days=1)
    rows, origins = [], []
    for n in range((last - first).days + 1):
        day = first + timedelta(days=n)
        found = known.get(day)
        if found is None:
            low, high = normal_of(report.normals, day)
            rows.append((low, high))
            origins.append(EXPECTED)
        else:
            rows.append((float(str(found["low_c"])), float(str(found["high_c"]))))
            origins.append(MEASURED if found["kind"] == "observed" else FORECAST)
    drawn = daily(first, [r[0] for r in rows], [r[1] for r in rows], shape="double-sine")
    origin = np.repeat(np.array(origins, dtype=np.uint8), 24)
    spread = np.select(
        [origin == MEASURED, origin == FORECAST],
        [SPREAD_C[MEASURED] + 0.5, SPREAD_C[FORECAST]],
        SPREAD_C[EXPECTED],
    )
    return window(replace(drawn, origin=origin, spread_c=spread), start, end)


def normal_of(normals: list[list[float]], day: date) -> tuple[float, float]:
    """The normal minimum and maximum of a day, in a straight line between the middles
    of the months.
    """
    at = (day.timetuple().tm_yday - 15) / 365 * 12
    before, share = int(np.floor(at)), at - np.floor(at)
    a, b = normals[before % 12], normals[(before + 1) % 12]
    return a[0] + share * (b[0] - a[0]), a[1] + share * (b[1] - a[1])


def _set_points(session: Session, place: Place, start: datetime, end: datetime) -> HourlySeries:
    point = readings.set_point(session, place.id)
    if point is None:
        raise InputError(
            f"Nothing is known yet of how warm it is at {place.name}: give its temperature "
            "on the page of the place first.",
            field="temperature",
            allowed="set points, a diary, a file, a sensor or the weather",
        )
    hours = int((end - start) / timedelta(hours=1)) + 1
    series = _drawn(point, start, hours)
    heated = readings.set_point(session, place.id, "heating")
    if heated is None:
        return series
    prefs = preferences.load(session)
    days = np.array(
        [prefs.heated((start + timedelta(days=n)).date()) for n in range(hours // 24 + 1)]
    )
    return replace(
        series,
        celsius=np.where(
            np.repeat(days, 24)[:hours], _drawn(heated, start, hours).celsius, series.celsius
        ),
    )


def _drawn(point: SetPoint, start: datetime, hours: int) -> HourlySeries:
    return day_night(
        start,
        hours,
        day=point.day_c,
        night=point.night_c,
        day_from=point.day_from,
        night_from=point.night_from,
    )


def plant_series(
    session: Session, plant: Plant, first: date, last: date, known_to: datetime | None = None
) -> HourlySeries:
    """Hourly temperatures where a plant stood, stands and is expected to stand, by what
    was read before a moment (or by all that is known). Raises InputError when it has no
    place.
    """
    stays = [s for s in plant.stays if s.since_on <= last]
    if not stays:
        raise InputError(
            f"Say where {plant.name} stands first.", field="place", allowed="one of the places"
        )
    current = [s for s in stays if s.since_on <= first][-1:] or stays[:1]
    series = place_series(session, current[0].place, first, last, known_to)
    for stay in stays:
        if stay.since_on > first:
            then = place_series(session, stay.place, stay.since_on, last, known_to)
            series = joined(series, then)
    return series
