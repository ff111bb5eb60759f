"""Reads logger files into places and corrects single readings. Nothing that was read is
deleted.
"""

from __future__ import annotations

import hashlib
from datetime import datetime
from zoneinfo import ZoneInfo

from sqlalchemy import insert, select, update
from sqlalchemy.orm import Session

from brood.core.climate import daily_table
from brood.core.climate.daily_table import DailyFile
from brood.core.climate.logger_table import LoggerFile, Refusal, parse
from brood.core.climate.logger_table import LoggerReading as LoggerReading
from brood.core.climate.series import check_celsius
from brood.errors import InputError, NotFound
from brood.services.voice.preferences import Preferences
from brood.store.place_tables import DiaryDay, Place, Reading, Upload
from brood.store.queries import cases, readings

KEEP_REFUSED = 200


def take_file(
    session: Session,
    place_id: int,
    filename: str,
    data: bytes,
    *,
    now: datetime,
    prefs: Preferences | None = None,
) -> Upload:
    """Read a file into a place: a logger's readings, or days with a minimum and a
    maximum, which go into its diary.

    What is already known is counted. What contradicts it is refused. The source of the
    place becomes the logger or the diary. Raises InputError when the file is neither,
    or was read before.
    """
    place = cases.place(session, place_id)
    prefs = prefs or Preferences()
    table = daily_table.parse(data, day_first=prefs.locale != "en-US")
    if table is not None:
        return _take_days(session, place, filename, data, table, now)
    log = parse(
        data, day_first=prefs.locale != "en-US", zone=ZoneInfo(prefs.zone) if prefs.zone else None
    )
    digest = _not_read_before(session, place_id, data)
    fresh, known, refused = _sort_out(session, place_id, log)
    upload = Upload(
        place_id=place_id,
        filename=filename[:120] or "logger.csv",
        sha256=digest,
        taken=len(fresh),
        known=known,
        refused=[
            {"row": r.row, "text": r.text, "reason": r.reason}
            for r in sorted((*log.refused, *refused), key=lambda r: r.row)
        ][:KEEP_REFUSED],
        notes=[*log.notes, *_more_refused(len(log.refused) + len(refused))],
        recorded_at=now,
    )
    session.add(upload)
    session.flush()
    rows = [
        {
            "place_id": place_id,
            "upload_id": upload.id,
            "at": r.at,
            "fold": r.fold,
            "celsius": r.celsius,
            "recorded_at": now,
        }
        for r in fresh
    ]
    if rows:
        session.execute(insert(Reading), rows)
    if place.source != "sensor":
        place.source = "logger"
    return upload


def _not_read_before(session: Session, place_id: int, data: bytes) -> str:
    """The digest of a file. Raises InputError when this very file was read already and
    stands.
    """
    digest = hashlib.sha256(data).hexdigest()
    same = session.scalars(
        select(Upload).where(
            Upload.place_id == place_id, Upload.sha256 == digest, Upload.withdrawn_at.is_(None)
        )
    ).first()
    if same is not None:
        raise InputError(
            f"This very file was read already, on {same.recorded_at:%Y-%m-%d}. Nothing was added.",
            field="file",
        )
    return digest


def _take_days(
    session: Session, place: Place, filename: str, data: bytes, table: DailyFile, now: datetime
) -> Upload:
    """Put the days of a file into the diary. A day that is there with other figures is
    refused.
    """
    if not table.days:
        first = table.refused[0] if table.refused else None
        raise InputError(
            "No day of this file could be read."
            + (f" Row {first.row}: {first.reason}." if first else ""),
            field="file",
        )
    digest = _not_read_before(session, place.id, data)
    stands = {
        row.on: (row.low_c, row.high_c)
        for row in readings.diary(session, place.id, table.days[0][0])
    }
    fresh = [day for day in table.days if day[0] not in stands]
    odd = [
        f"{on.isoformat()} was left as it stands: {stands[on][0]:g} to {stands[on][1]:g} °C."
        for on, low, high in table.days
        if stands.get(on, (low, high)) != (low, high)
    ]
    upload = Upload(
        place_id=place.id,
        filename=filename[:120] or "days.csv",
        sha256=digest,
        taken=len(fresh),
        known=len(table.days) - len(fresh) - len(odd),
        refused=[{"row": r.row, "text": r.text, "reason": r.reason} for r in table.refused][
            :KEEP_REFUSED
        ],
        notes=[
            "Days with a minimum and a maximum: they went into the diary.",
            *table.notes,
            *odd[:KEEP_REFUSED],
        ],
        recorded_at=now,
    )
    session.add(upload)
    session.flush()
    session.add_all(
        DiaryDay(
            place_id=place.id, upload_id=upload.id, on=on, low_c=low, high_c=high, recorded_at=now
        )
        for on, low, high in fresh
    )
    if place.source != "sensor":
        place.source = "diary"
    return upload


def _more_refused(count: int) -> list[str]:
    return (
        [f"{count} rows were refused in all; the first {KEEP_REFUSED} are listed."]
        if count > KEEP_REFUSED
        else []
    )


def _sort_out(
    session: Session, place_id: int, log: LoggerFile
) -> tuple[list[LoggerReading], int, list[Refusal]]:
    """(new readings, number already known, refusals): a file compared with what stands."""
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
                Refusal(
                    reading.row,
                    f"{reading.at:%Y-%m-%d %H:%M},{reading.celsius:g}",
                    f"an earlier file gives {before:g} °C for the same time",
                )
            )
    return fresh, known, refused


def withdraw_file(session: Session, upload_id: int, *, out: bool = True, now: datetime) -> int:
    """Withdraw a logger file or bring it back, and return the id of its place. Its
    readings are kept. Doing it twice changes nothing.
    """
    upload = session.get(Upload, upload_id)
    if upload is None:
        raise NotFound("There is no such file.")
    back = not out
    if back == (upload.withdrawn_at is None):
        return upload.place_id
    stamp = upload.withdrawn_at
    upload.withdrawn_at = None if back else now
    for table in (Reading, DiaryDay):
        affected = update(table).where(table.upload_id == upload_id)
        affected = (
            affected.where(table.withdrawn_at == stamp)
            if back
            else affected.where(table.withdrawn_at.is_(None))
        )
        session.execute(affected.values(withdrawn_at=upload.withdrawn_at))
    return upload.place_id


def reading(session: Session, reading_id: int) -> Reading:
    """A reading that stands; raises NotFound."""
    found = session.get(Reading, reading_id)
    if found is None or found.withdrawn_at is not None:
        raise NotFound("There is no such reading any more.")
    return found


def correct_reading(
    session: Session, reading_id: int, celsius: float | None, *, now: datetime
) -> Reading:
    """Correct a reading (°C), or withdraw it with None. The old value is kept. Raises
    InputError outside −30 to 60 °C.
    """
    old = reading(session, reading_id)
    if celsius is not None:
        fresh = Reading(
            place_id=old.place_id,
            upload_id=old.upload_id,
            at=old.at,
            fold=old.fold,
            celsius=check_celsius(celsius),
        )
        fresh.corrects_id, fresh.recorded_at = old.id, now
        session.add(fresh)
    old.withdrawn_at = now
    return old
