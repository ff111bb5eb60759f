"""Places and their temperatures: set points, logger files, single readings."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from brood.core.climate.series import FILLED, HourlySeries, stuck_runs
from brood.errors import FieldErrors
from brood.services.warmth import rain
from brood.services.warmth.hourly import known_series
from brood.services.warmth.rain import RainLine
from brood.store.place_tables import DiaryDay, Place, Poll, SetPoint, Upload, WeatherReport
from brood.store.queries import cases, readings
from brood.store.tables import Plant, Stay

RIBBON_DAYS, AHEAD_DAYS, DIARY_DAYS = 42, 14, 14


@dataclass(frozen=True)
class Warmth:
    """A keeper's set points in °C."""

    day_c: float
    night_c: float
    day_from: time
    night_from: time


USUAL_C = 20.0
"""A living room, °C: as good a guess as any to begin with."""
SETTINGS = {
    "indoor": "indoors",
    "glasshouse": "in a glasshouse",
    "balcony": "on a balcony or terrace",
    "outdoor": "outdoors",
}
"""Kinds of place. Some pests are likelier in some of them."""


@dataclass(frozen=True)
class PlaceCommand:
    """What a place's form says. `heating` is its warmth while the house is heated,
    where that differs. `apart_room` is how many plants can be kept apart there (None:
    none).
    """

    name: str
    note: str
    source: str
    warmth: Warmth | None
    heating: Warmth | None = None
    offset_c: float = 0.0
    warm_spot_c: float = 0.0
    cool_spot_c: float = 0.0
    sensor_url: str = ""
    setting: str = "indoor"
    apart_room: int | None = None


@dataclass(frozen=True)
class DiaryEntry:
    """A day's lowest and highest °C as read off. None for both removes the day. `mm` is
    its rain, None where none was told; only places outdoors have it.
    """

    on: date
    low_c: float | None
    high_c: float | None
    mm: float | None = None


@dataclass(frozen=True)
class DayRow:
    """One day of a logger: lowest, mean and highest °C, readings, hours filled, rows refused."""

    day: date
    low: float
    mean: float
    high: float
    readings: int
    filled_hours: int


@dataclass(frozen=True)
class PlaceResult:
    """Everything that a place's page shows. `series` runs from what is known to the end
    of the forecast; None where nothing is known yet.
    """

    place: Place
    warmth: SetPoint | None
    heating: SetPoint | None
    earlier: Sequence[SetPoint]
    uploads: Sequence[Upload]
    bounds: tuple[datetime, datetime, int] | None
    series: HourlySeries | None
    days: tuple[DayRow, ...]
    filled_share: float
    plants: tuple[Plant, ...]
    refused_at: tuple[datetime, ...]
    diary: tuple[tuple[date, DiaryDay | None], ...]
    rain: tuple[RainLine, ...]
    polls: Sequence[Poll]
    stuck: StuckSensor | None
    report: WeatherReport | None
    now: datetime


@dataclass(frozen=True)
class StuckSensor:
    """A live sensor that has given the same value since a moment."""

    celsius: float
    since: datetime


def build(session: Session, place_id: int, *, now: datetime) -> PlaceResult:
    """A place with its temperatures of the last six weeks and the next two."""
    place, today = cases.place(session, place_id), now.date()
    points, bounds = readings.set_points(session, place_id), readings.bounds(session, place_id)
    since = _since(session, place, today, bounds)
    measures = place.source in ("logger", "sensor") and bounds is not None
    pairs = readings.pairs(session, place_id, datetime.combine(since, time())) if measures else []
    series = known_series(session, place, since, today + timedelta(days=AHEAD_DAYS))
    files = readings.uploads(session, place_id)
    past = series.origin[: max(1, series.hour_of(now))] if series else np.zeros(1)
    return PlaceResult(
        place=place,
        warmth=readings.set_point(session, place_id),
        heating=readings.set_point(session, place_id, "heating"),
        earlier=points[1:],
        uploads=files,
        bounds=bounds,
        series=series,
        days=tuple(_days(series, pairs, today)) if series and since < today else (),
        filled_share=float((past == FILLED).mean()),
        plants=tuple(cases.standing_at(session, place_id)),
        refused_at=tuple(_refused_moments(files)),
        diary=_diary(session, place_id, today),
        rain=rain.shown(session, place, today),
        polls=readings.polls(session, place_id),
        stuck=_stuck(pairs) if place.source == "sensor" else None,
        report=readings.weather(session, place_id),
        now=now,
    )


def _since(
    session: Session, place: Place, today: date, bounds: tuple[datetime, datetime, int] | None
) -> date:
    """The first day that the ribbon shows: what is known, at most six weeks; of set
    points one week.
    """
    earliest = today - timedelta(days=RIBBON_DAYS)
    if place.source in ("logger", "sensor") and bounds:
        return max(bounds[0].date(), min(today, bounds[1].date()) - timedelta(days=RIBBON_DAYS))
    if place.source == "diary" and (rows := readings.diary(session, place.id)):
        return max(rows[0].on, earliest)
    if place.source == "weather" and readings.weather(session, place.id):
        return today - timedelta(days=28)
    return today - timedelta(days=7)


def _stuck(pairs: list[tuple[datetime, float]]) -> StuckSensor | None:
    """The run of equal readings that contains a sensor's newest reading, if it is stuck."""
    runs = stuck_runs(pairs)
    if runs and runs[-1][1] == len(pairs):
        return StuckSensor(pairs[-1][1], pairs[runs[-1][0] - 1][0])
    return None


def _diary(
    session: Session, place_id: int, today: date
) -> tuple[tuple[date, DiaryDay | None], ...]:
    """The last fortnight of the diary, newest first."""
    known = {
        row.on: row for row in readings.diary(session, place_id, today - timedelta(days=DIARY_DAYS))
    }
    return tuple(
        (today - timedelta(days=n), known.get(today - timedelta(days=n))) for n in range(DIARY_DAYS)
    )


def _days(series: HourlySeries, pairs: list[tuple[datetime, float]], today: date) -> list[DayRow]:
    per_day = Counter(at.date() for at, _ in pairs)
    rows = []
    for day in sorted(
        {series.moment(h).date() for h in range(0, len(series), 12)} | set(per_day), reverse=True
    ):
        if day > today:
            continue
        first = max(0, series.hour_of(datetime.combine(day, time())))
        hours = slice(first, max(first + 1, series.hour_of(datetime.combine(day, time())) + 24))
        c = series.celsius[hours]
        if len(c):
            rows.append(
                DayRow(
                    day,
                    float(c.min()),
                    float(c.mean()),
                    float(c.max()),
                    per_day[day],
                    int((series.origin[hours] == FILLED).sum()),
                )
            )
    return rows


def _refused_moments(files: Sequence[Upload]) -> list[datetime]:
    moments = []
    for row in (row for file in files if file.withdrawn_at is None for row in file.refused):
        try:
            moments.append(datetime.fromisoformat(str(row["text"]).split(",")[0].strip()))
        except ValueError:
            continue
    return [m.replace(tzinfo=None) for m in moments]


def add(session: Session, command: PlaceCommand, *, now: datetime) -> int:
    """Add a place; its id. Raises FieldErrors when the name is taken."""
    _free_name(session, command.name, None)
    place = Place(name=command.name, created_at=now)
    session.add(place)
    _apply(place, command)
    session.flush()
    _say_warmth(session, place.id, command.warmth, "", now)
    _say_warmth(session, place.id, command.heating, "heating", now)
    return place.id


def _apply(place: Place, command: PlaceCommand) -> None:
    """Put what a form says into a place, without the set points."""
    place.name, place.note, place.source, place.sensor_url = (
        command.name,
        command.note,
        command.source,
        command.sensor_url,
    )
    place.setting, place.apart_room = command.setting, command.apart_room
    place.offset_c, place.warm_spot_c, place.cool_spot_c = (
        command.offset_c,
        command.warm_spot_c,
        command.cool_spot_c,
    )


def change(session: Session, place_id: int, command: PlaceCommand, *, now: datetime) -> None:
    """Change a place; earlier set points are kept."""
    place = cases.place(session, place_id)
    _free_name(session, command.name, place_id)
    _apply(place, command)
    _say_warmth(session, place_id, command.warmth, "", now)
    _say_warmth(session, place_id, command.heating, "heating", now)


def _say_warmth(
    session: Session, place_id: int, warmth: Warmth | None, season: str, now: datetime
) -> None:
    """Keep the set points of a season if they changed. None withdraws those of the
    heating season.
    """
    point = readings.set_point(session, place_id, season)
    if warmth is None:
        if point is not None and season:
            point.withdrawn_at = now
        return
    said = (warmth.day_c, warmth.night_c, warmth.day_from, warmth.night_from)
    if point is None or (point.day_c, point.night_c, point.day_from, point.night_from) != said:
        session.add(
            SetPoint(
                place_id=place_id,
                day_c=warmth.day_c,
                night_c=warmth.night_c,
                day_from=warmth.day_from,
                night_from=warmth.night_from,
                season=season,
                recorded_at=now,
            )
        )


def keep_diary(
    session: Session, place_id: int, entries: Sequence[DiaryEntry], *, now: datetime
) -> int:
    """Keep the days of a diary that changed; how many. A place of set points then
    follows its diary. Old values are kept.
    """
    place = cases.place(session, place_id)
    known = {
        row.on: row
        for row in readings.diary(
            session, place_id, min((e.on for e in entries), default=now.date())
        )
    }
    changed = _keep_rain(session, place, entries, now)
    for entry in entries:
        row = known.get(entry.on)
        if (row and (row.low_c, row.high_c)) == (entry.low_c, entry.high_c) or (
            row is None and entry.low_c is None
        ):
            continue
        changed += 1
        if row is not None:
            row.withdrawn_at = now
        if entry.low_c is not None and entry.high_c is not None:
            session.add(
                DiaryDay(
                    place_id=place_id,
                    on=entry.on,
                    low_c=entry.low_c,
                    high_c=entry.high_c,
                    recorded_at=now,
                )
            )
    warm = any(e.low_c is not None for e in entries)
    if changed and warm and place.source in ("set-points", "constant"):
        place.source = "diary"
    return changed


def _keep_rain(session: Session, place: Place, entries: Sequence[DiaryEntry], now: datetime) -> int:
    """Keep the rain of a diary's days that changed; how many days."""
    if not rain.reaches(place):
        return 0
    known = rain.own_days(session, place.id)
    changed = 0
    for entry in entries:
        row = known.get(entry.on)
        if (row and row.mm) == entry.mm:
            continue
        changed += 1
        if entry.mm is None:
            rain.forget(session, place.id, entry.on, now=now)
        else:
            rain.tell(session, place.id, entry.on, entry.mm, "diary", now=now)
    return changed


def _free_name(session: Session, name: str, place_id: int | None) -> None:
    other = session.scalars(select(Place).where(Place.name == name)).first()
    if other is not None and other.id != place_id:
        raise FieldErrors({"name": f"There is already a place called {name}."})


def listing(session: Session, *, today: date) -> list[tuple[Place, HourlySeries | None, int]]:
    """Every place with its temperatures of today and tomorrow, and how many plants
    stand there.
    """
    standing = cases.crowd(session)
    return [
        (place, known_series(session, place, today, today + timedelta(days=1)), standing[place.id])
        for place in cases.places(session)
    ]


def stay_since(session: Session, plant_id: int, place_id: int, since: date, now: datetime) -> None:
    """Record that a plant stands at a place from a day on."""
    session.add(Stay(plant_id=plant_id, place_id=place_id, since_on=since, recorded_at=now))
