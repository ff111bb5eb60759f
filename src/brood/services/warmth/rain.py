"""Rain at a place: from its weather, the diary, or one tap. It reaches only plants that
stand outdoors.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session

from brood.core.biology.case import Rain
from brood.core.biology.rain import fallen
from brood.errors import FieldErrors
from brood.store.place_tables import Place, RainDay
from brood.store.queries import readings

OUT = "outdoor"
TAPS = {"hard": 15.0, "little": 5.0}
"""What one tap stands for, in mm: it rained hard, or a little (our judgement, C)."""
MOST_MM = 500.0
SHOWN_DAYS = 14


def reaches(place: Place | None) -> bool:
    """Whether rain falls on what stands there."""
    return place is not None and place.setting == OUT


def own_days(session: Session, place_id: int, since: date | None = None) -> dict[date, RainDay]:
    """What the keeper told of rain, by day."""
    query = select(RainDay).where(RainDay.place_id == place_id, RainDay.withdrawn_at.is_(None))
    if since is not None:
        query = query.where(RainDay.on >= since)
    return {row.on: row for row in session.scalars(query.order_by(RainDay.id))}


@dataclass(frozen=True)
class RainLine:
    """A day as it is shown: its rain in mm (None where nothing is known), whether the
    keeper told it, and whether it is forecast.
    """

    on: date
    mm: float | None
    told: bool
    forecast: bool


def shown(session: Session, place: Place, today: date) -> tuple[RainLine, ...]:
    """The last fortnight and the days ahead that are known. Nothing where no rain falls."""
    if not reaches(place):
        return ()
    first = today - timedelta(days=SHOWN_DAYS - 1)
    known = {r.on: r.mm for r in rain_of(session, place, first, today + timedelta(days=SHOWN_DAYS))}
    own = own_days(session, place.id, first)
    last = max([today, *known])
    days = [first + timedelta(days=n) for n in range((last - first).days + 1)]
    return tuple(RainLine(on, known.get(on), on in own, on > today) for on in days)


def rain_of(session: Session, place: Place, first: date, last: date) -> tuple[Rain, ...]:
    """The rain of the days that are known, in order: what the keeper told comes before
    what the weather report says. Nothing where no rain falls.
    """
    if not reaches(place):
        return ()
    days: dict[date, Rain] = {}
    report = readings.weather(session, place.id) if place.source == "weather" else None
    for told in report.days if report else ():
        if told.get("rain_mm") is not None:
            on, hour = date.fromisoformat(str(told["on"])), told.get("rain_hour")
            days[on] = Rain(
                on, float(str(told["rain_mm"])), None if hour is None else int(str(hour))
            )
    for on, row in own_days(session, place.id).items():
        days[on] = Rain(on, row.mm, row.hour)
    return tuple(days[on] for on in sorted(days) if first <= on <= last)


def since(session: Session, place: Place | None, evening: date, today: date) -> float | None:
    """The rain on a place after an evening up to today, in mm. None where none falls, or
    none is known.
    """
    known = rain_of(session, place, evening, today) if place is not None else ()
    return fallen(known, evening, today) if known else None


def tell(
    session: Session, place_id: int, on: date, mm: float, source: str, *, now: datetime
) -> None:
    """Keep the rain of a day; what was told of it before is withdrawn. A tap on the day
    itself keeps its hour. Raises FieldErrors for what cannot be.
    """
    if not 0 <= mm <= MOST_MM:
        raise FieldErrors({"mm": f"Rain of {mm:g} mm cannot be: give 0 to {MOST_MM:g}."})
    if on > now.date():
        raise FieldErrors({"mm": "It cannot have rained on a day to come."})
    before = own_days(session, place_id).get(on)
    if before is not None and before.mm == mm and before.source == source:
        return
    if before is not None:
        before.withdrawn_at = now
    hour = now.hour if source == "tap" and on == now.date() else None
    session.add(RainDay(place_id=place_id, on=on, mm=mm, hour=hour, source=source, recorded_at=now))


def forget(session: Session, place_id: int, on: date, *, now: datetime) -> None:
    """Withdraw what was told of the rain of a day."""
    row = own_days(session, place_id).get(on)
    if row is not None:
        row.withdrawn_at = now
