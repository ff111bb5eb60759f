"""The hourly temperatures of a place and of a plant, from what the household has recorded."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta

from sqlalchemy.orm import Session

from brood.core.temperature import HourlySeries, day_night, from_readings, joined, window
from brood.errors import InputError
from brood.store.queries import readings
from brood.store.tables import Place, Plant

LEAD_DAYS = 10


def _clock(day: date) -> datetime:
    return datetime.combine(day, time())


def place_series(session: Session, place: Place, first: date, last: date) -> HourlySeries:
    """Hourly temperatures of a place from the start of one day to the end of another.

    A logger's readings where there are some, continued by their own recent pattern; otherwise the set points. Raises
    InputError when nothing at all is known of the place.
    """
    start, end = _clock(first), _clock(last + timedelta(days=1)) - timedelta(hours=1)
    if place.source == "logger":
        pairs = readings.pairs(session, place.id, start - timedelta(days=LEAD_DAYS)) or readings.pairs(session, place.id)
        if pairs:
            return window(from_readings(pairs), start, end)
    point = readings.set_point(session, place.id)
    if point is None:
        raise InputError(f"Nothing is known yet of how warm it is at {place.name}.", field="temperature", allowed="set points or a logger file")
    hours = int((end - start) / timedelta(hours=1)) + 1
    return day_night(start, hours, day=point.day_c, night=point.night_c, day_from=point.day_from, night_from=point.night_from)


def plant_series(session: Session, plant: Plant, first: date, last: date) -> HourlySeries:
    """Hourly temperatures where a plant stood, stands and is expected to stand; raises InputError when it has no place."""
    stays = [s for s in plant.stays if s.since_on <= last]
    if not stays:
        raise InputError(f"Say where {plant.name} stands first.", field="place", allowed="one of the places")
    current = [s for s in stays if s.since_on <= first][-1:] or stays[:1]
    series = place_series(session, current[0].place, first, last)
    for stay in stays:
        if stay.since_on > first:
            series = joined(series, place_series(session, stay.place, stay.since_on, last))
    return series
