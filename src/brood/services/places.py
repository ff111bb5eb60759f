"""Places and their temperatures: set points, logger files, single readings."""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

from sqlalchemy import insert, select, update
from sqlalchemy.orm import Session

from brood.core.logger_csv import LoggerFile, Refusal, parse
from brood.core.logger_csv import Reading as LoggerReading
from brood.core.temperature import FILLED, HourlySeries, check_celsius, from_readings
from brood.errors import FieldErrors, InputError, NotFound
from brood.services.warmth import place_series
from brood.store.queries import cases, readings
from brood.store.tables import Place, Plant, Reading, SetPoint, Stay, Upload

RIBBON_DAYS = 42
KEEP_REFUSED = 200


@dataclass(frozen=True)
class Warmth:
    """A keeper's set points in °C."""

    day_c: float
    night_c: float
    day_from: time
    night_from: time


@dataclass(frozen=True)
class PlaceCommand:
    """What a place's form says."""

    name: str
    note: str
    source: str
    warmth: Warmth


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
    """All that a place's page shows."""

    place: Place
    warmth: SetPoint | None
    earlier: Sequence[SetPoint]
    uploads: Sequence[Upload]
    bounds: tuple[datetime, datetime, int] | None
    measured: HourlySeries | None
    expected: HourlySeries
    days: tuple[DayRow, ...]
    filled_share: float
    plants: tuple[Plant, ...]
    refused_at: tuple[datetime, ...]
    today: date


def build(session: Session, place_id: int, *, today: date) -> PlaceResult:
    """A place with its temperatures of the last six weeks and the expectation of the next two."""
    place = cases.place(session, place_id)
    points = readings.set_points(session, place_id)
    bounds = readings.bounds(session, place_id)
    since = datetime.combine(min(today, bounds[1].date()) - timedelta(days=RIBBON_DAYS), time()) if bounds else None
    pairs = readings.pairs(session, place_id, since) if bounds else []
    measured = from_readings(pairs) if pairs else None
    files = readings.uploads(session, place_id)
    return PlaceResult(
        place=place, warmth=points[0] if points else None, earlier=points[1:], uploads=files, bounds=bounds, measured=measured,
        expected=place_series(session, place, today, today + timedelta(days=14)),
        days=tuple(_days(measured, pairs)) if measured else (),
        filled_share=float((measured.origin == FILLED).mean()) if measured else 0.0,
        plants=tuple(p for p in cases.plants(session) if p.stays and p.stays[-1].place_id == place_id),
        refused_at=tuple(_refused_moments(files)), today=today,
    )  # fmt: skip


def _days(series: HourlySeries, pairs: list[tuple[datetime, float]]) -> list[DayRow]:
    per_day = Counter(at.date() for at, _ in pairs)
    rows = []
    for day in sorted({series.moment(h).date() for h in range(0, len(series), 12)} | set(per_day), reverse=True):
        first = max(0, series.hour_of(datetime.combine(day, time())))
        hours = slice(first, max(first + 1, series.hour_of(datetime.combine(day, time())) + 24))
        c = series.celsius[hours]
        if len(c):
            rows.append(DayRow(day, float(c.min()), float(c.mean()), float(c.max()), per_day[day], int((series.origin[hours] == FILLED).sum())))
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
    place = Place(name=command.name, note=command.note, source=command.source, created_at=now)
    session.add(place)
    session.flush()
    session.add(_set_point(place.id, command.warmth, now))
    return place.id


def change(session: Session, place_id: int, command: PlaceCommand, *, now: datetime) -> None:
    """Change a place; earlier set points are kept."""
    place = cases.place(session, place_id)
    _free_name(session, command.name, place_id)
    place.name, place.note, place.source = command.name, command.note, command.source
    point = readings.set_point(session, place_id)
    said = (command.warmth.day_c, command.warmth.night_c, command.warmth.day_from, command.warmth.night_from)
    if point is None or (point.day_c, point.night_c, point.day_from, point.night_from) != said:
        session.add(_set_point(place_id, command.warmth, now))


def _set_point(place_id: int, warmth: Warmth, now: datetime) -> SetPoint:
    return SetPoint(
        place_id=place_id, day_c=warmth.day_c, night_c=warmth.night_c, day_from=warmth.day_from, night_from=warmth.night_from, recorded_at=now
    )


def _free_name(session: Session, name: str, place_id: int | None) -> None:
    other = session.scalars(select(Place).where(Place.name == name)).first()
    if other is not None and other.id != place_id:
        raise FieldErrors({"name": f"There is already a place called {name}."})


def take_file(session: Session, place_id: int, filename: str, data: bytes, *, now: datetime) -> Upload:
    """Read a logger file into a place. Readings already known are counted, those that contradict them refused; the place's
    source becomes the logger. Raises InputError when the file is no logger's table, or holds nothing new."""
    place = cases.place(session, place_id)
    log = parse(data)
    digest = hashlib.sha256(data).hexdigest()
    same = session.scalars(select(Upload).where(Upload.place_id == place_id, Upload.sha256 == digest, Upload.withdrawn_at.is_(None))).first()
    if same is not None:
        raise InputError(f"This very file was read already, on {same.recorded_at:%Y-%m-%d}. Nothing was added.", field="file")
    fresh, known, refused = _sort_out(session, place_id, log)
    upload = Upload(
        place_id=place_id, filename=filename[:120] or "logger.csv", sha256=digest, taken=len(fresh), known=known,
        refused=[{"row": r.row, "text": r.text, "reason": r.reason} for r in sorted((*log.refused, *refused), key=lambda r: r.row)][:KEEP_REFUSED],
        notes=[*log.notes, *_more_refused(len(log.refused) + len(refused))], recorded_at=now,
    )  # fmt: skip
    session.add(upload)
    session.flush()
    rows = [{"place_id": place_id, "upload_id": upload.id, "at": r.at, "fold": r.fold, "celsius": r.celsius, "recorded_at": now} for r in fresh]
    if rows:
        session.execute(insert(Reading), rows)
    place.source = "logger"
    return upload


def _more_refused(count: int) -> list[str]:
    return [f"{count} rows were refused in all; the first {KEEP_REFUSED} are listed."] if count > KEEP_REFUSED else []


def _sort_out(session: Session, place_id: int, log: LoggerFile) -> tuple[list[LoggerReading], int, list[Refusal]]:
    """(new readings, number already known, refusals) of a file against what stands."""
    stands = readings.known(session, place_id, log.readings[0].at, log.readings[-1].at)
    fresh, known, refused = [], 0, []
    for reading in log.readings:
        before = stands.get((reading.at, reading.fold))
        if before is None:
            fresh.append(reading)
        elif abs(before - reading.celsius) < 0.05:
            known += 1
        else:
            refused.append(
                Refusal(reading.row, f"{reading.at:%Y-%m-%d %H:%M},{reading.celsius:g}", f"an earlier file gives {before:g} °C for the same time")
            )
    return fresh, known, refused


def withdraw_file(session: Session, upload_id: int, *, now: datetime) -> int:
    """Withdraw a logger file or bring it back; its place's id. Its readings are kept."""
    upload = session.get(Upload, upload_id)
    if upload is None:
        raise NotFound("There is no such file.")
    back = upload.withdrawn_at is not None
    stamp = upload.withdrawn_at
    upload.withdrawn_at = None if back else now
    affected = update(Reading).where(Reading.upload_id == upload_id)
    affected = affected.where(Reading.withdrawn_at == stamp) if back else affected.where(Reading.withdrawn_at.is_(None))
    session.execute(affected.values(withdrawn_at=upload.withdrawn_at))
    return upload.place_id


def reading(session: Session, reading_id: int) -> Reading:
    """A reading that stands; raises NotFound."""
    found = session.get(Reading, reading_id)
    if found is None or found.withdrawn_at is not None:
        raise NotFound("There is no such reading any more.")
    return found


def correct_reading(session: Session, reading_id: int, celsius: float | None, *, now: datetime) -> Reading:
    """Correct a reading (°C), or withdraw it with None; the old value is kept. Raises InputError outside −30 to 60 °C."""
    old = reading(session, reading_id)
    if celsius is not None:
        fresh = Reading(place_id=old.place_id, upload_id=old.upload_id, at=old.at, fold=old.fold, celsius=check_celsius(celsius))
        fresh.corrects_id, fresh.recorded_at = old.id, now
        session.add(fresh)
    old.withdrawn_at = now
    return old


def listing(session: Session, *, today: date) -> list[tuple[Place, HourlySeries, int]]:
    """Every place with its temperatures of today and tomorrow, and how many plants stand there."""
    standing = Counter(p.stays[-1].place_id for p in cases.plants(session) if p.stays)
    return [(place, place_series(session, place, today, today + timedelta(days=1)), standing[place.id]) for place in cases.places(session)]


def stay_since(session: Session, plant_id: int, place_id: int, since: date, now: datetime) -> None:
    """Note that a plant stands at a place from a day on."""
    session.add(Stay(plant_id=plant_id, place_id=place_id, since_on=since, recorded_at=now))
