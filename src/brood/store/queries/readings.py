"""Looking up a place's temperatures."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, time, timedelta

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from brood.store.tables import Reading, SetPoint, Upload


def pairs(session: Session, place_id: int, since: datetime | None = None) -> list[tuple[datetime, float]]:
    """(moment, °C) of every reading of a place that is not withdrawn, in order."""
    query = select(Reading.at, Reading.celsius).where(Reading.place_id == place_id, Reading.withdrawn_at.is_(None))
    if since is not None:
        query = query.where(Reading.at >= since)
    return [(at, celsius) for at, celsius in session.execute(query.order_by(Reading.at, Reading.fold))]


def known(session: Session, place_id: int, first: datetime, last: datetime) -> dict[tuple[datetime, int], float]:
    """°C by (moment, fold) of the readings that stand between two moments."""
    query = select(Reading.at, Reading.fold, Reading.celsius).where(
        Reading.place_id == place_id, Reading.withdrawn_at.is_(None), Reading.at.between(first, last)
    )
    return {(at, fold): celsius for at, fold, celsius in session.execute(query)}


def bounds(session: Session, place_id: int) -> tuple[datetime, datetime, int] | None:
    """First and last moment and number of the readings that stand, or None."""
    query = select(func.min(Reading.at), func.max(Reading.at), func.count()).where(Reading.place_id == place_id, Reading.withdrawn_at.is_(None))
    first, last, count = session.execute(query).one()
    return (first, last, count) if count else None


def of_day(session: Session, place_id: int, day: date) -> Sequence[Reading]:
    """Every reading of a day, withdrawn ones too, in order."""
    start = datetime.combine(day, time())
    query = select(Reading).where(Reading.place_id == place_id, Reading.at >= start, Reading.at < start + timedelta(days=1))
    return session.scalars(query.order_by(Reading.at, Reading.fold, Reading.id)).all()


def set_point(session: Session, place_id: int) -> SetPoint | None:
    """The newest set points of a place."""
    return session.scalars(select(SetPoint).where(SetPoint.place_id == place_id).order_by(SetPoint.id.desc()).limit(1)).first()


def set_points(session: Session, place_id: int) -> Sequence[SetPoint]:
    """All set points of a place, newest first."""
    return session.scalars(select(SetPoint).where(SetPoint.place_id == place_id).order_by(SetPoint.id.desc())).all()


def uploads(session: Session, place_id: int) -> Sequence[Upload]:
    """The logger files read for a place, newest first."""
    return session.scalars(select(Upload).where(Upload.place_id == place_id).order_by(Upload.id.desc())).all()
