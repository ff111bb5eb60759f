"""Looking up a place's temperatures."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, time, timedelta

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from brood.store.place_tables import DiaryDay, Poll, Reading, SetPoint, Upload, WeatherReport


def pairs(
    session: Session, place_id: int, since: datetime | None = None
) -> list[tuple[datetime, float]]:
    """(moment, °C) of every reading of a place that is not withdrawn, in order."""
    query = select(Reading.at, Reading.celsius).where(
        Reading.place_id == place_id, Reading.withdrawn_at.is_(None)
    )
    if since is not None:
        query = query.where(Reading.at >= since)
    return [
        (at, celsius) for at, celsius in session.execute(query.order_by(Reading.at, Reading.fold))
    ]


def extremes(session: Session, place_id: int) -> list[tuple[date, float, float, int]]:
    """(day, lowest °C, highest °C, number of readings) of every day of a place."""
    day = func.date(Reading.at)
    query = (
        select(day, func.min(Reading.celsius), func.max(Reading.celsius), func.count())
        .where(Reading.place_id == place_id, Reading.withdrawn_at.is_(None))
        .group_by(day)
    )
    return [
        (date.fromisoformat(on), low, high, count)
        for on, low, high, count in session.execute(query.order_by(day))
    ]


def known(
    session: Session, place_id: int, first: datetime, last: datetime
) -> dict[tuple[datetime, int], float]:
    """°C by (moment, fold) of the readings that stand between two moments."""
    query = select(Reading.at, Reading.fold, Reading.celsius).where(
        Reading.place_id == place_id,
        Reading.withdrawn_at.is_(None),
        Reading.at.between(first, last),
    )
    return {(at, fold): celsius for at, fold, celsius in session.execute(query)}


def bounds(session: Session, place_id: int) -> tuple[datetime, datetime, int] | None:
    """First and last moment and number of the readings that stand, or None."""
    query = select(func.min(Reading.at), func.max(Reading.at), func.count()).where(
        Reading.place_id == place_id, Reading.withdrawn_at.is_(None)
    )
    first, last, count = session.execute(query).one()
    return (first, last, count) if count else None


def of_day(session: Session, place_id: int, day: date) -> Sequence[Reading]:
    """Every reading of a day, withdrawn ones too, in order."""
    start = datetime.combine(day, time())
    query = select(Reading).where(
        Reading.place_id == place_id, Reading.at >= start, Reading.at < start + timedelta(days=1)
    )
    return session.scalars(query.order_by(Reading.at, Reading.fold, Reading.id)).all()


def set_point(session: Session, place_id: int, season: str = "") -> SetPoint | None:
    """The newest set points of a place for a season that are not withdrawn."""
    query = select(SetPoint).where(
        SetPoint.place_id == place_id, SetPoint.season == season, SetPoint.withdrawn_at.is_(None)
    )
    return session.scalars(query.order_by(SetPoint.id.desc()).limit(1)).first()


def set_points(session: Session, place_id: int) -> Sequence[SetPoint]:
    """All set points of a place, newest first."""
    return session.scalars(
        select(SetPoint).where(SetPoint.place_id == place_id).order_by(SetPoint.id.desc())
    ).all()


def diary(session: Session, place_id: int, since: date | None = None) -> Sequence[DiaryDay]:
    """The days of a place's diary that stand, in order."""
    query = select(DiaryDay).where(DiaryDay.place_id == place_id, DiaryDay.withdrawn_at.is_(None))
    if since is not None:
        query = query.where(DiaryDay.on >= since)
    return session.scalars(query.order_by(DiaryDay.on)).all()


def polls(session: Session, place_id: int, most: int = 12) -> Sequence[Poll]:
    """The latest askings of a place's sensor, newest first."""
    return session.scalars(
        select(Poll)
        .where(Poll.place_id == place_id)
        .order_by(Poll.at.desc(), Poll.id.desc())
        .limit(most)
    ).all()


def weather(session: Session, place_id: int) -> WeatherReport | None:
    """The newest weather report of a place."""
    return weather_before(session, place_id)


def weather_before(
    session: Session, place_id: int, before: datetime | None = None
) -> WeatherReport | None:
    """The newest weather report of a place that was fetched up to a moment (or at all)."""
    query = select(WeatherReport).where(WeatherReport.place_id == place_id)
    if before is not None:
        query = query.where(WeatherReport.fetched_at <= before)
    return session.scalars(
        query.order_by(WeatherReport.fetched_at.desc(), WeatherReport.id.desc()).limit(1)
    ).first()


def uploads(session: Session, place_id: int) -> Sequence[Upload]:
    """The logger files read for a place, newest first."""
    return session.scalars(
        select(Upload).where(Upload.place_id == place_id).order_by(Upload.id.desc())
    ).all()
