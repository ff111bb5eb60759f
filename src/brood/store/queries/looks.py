"""Looking up looks, photos and what was found lately in the house."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session, selectinload

from brood.errors import NotFound
from brood.store.tables import Look, PestCase, Photo, Plant, Stay


def look(session: Session, look_id: int) -> Look:
    """A look with all that belongs to it; raises NotFound."""
    query = (
        select(Look)
        .where(Look.id == look_id)
        .options(
            selectinload(Look.answers),
            selectinload(Look.stages),
            selectinload(Look.photos),
            selectinload(Look.plant).selectinload(Plant.stays).selectinload(Stay.place),
        )
    )
    found = session.scalars(query).first()
    if found is None:
        raise NotFound("There is no such look.")
    return found


def of_plant(session: Session, plant_id: int) -> list[Look]:
    """The looks at a plant, the newest first."""
    return list(
        session.scalars(
            select(Look)
            .where(Look.plant_id == plant_id)
            .order_by(Look.id.desc())
            .options(selectinload(Look.answers))
        )
    )


def open_with_waits(session: Session) -> list[Look]:
    """The looks that are not closed and have put a check off, at plants that are here."""
    query = (
        select(Look)
        .join(Look.plant)
        .where(Look.closed_at.is_(None), Look.put_off != {}, Plant.gone_on.is_(None))
        .order_by(Look.id)
        .options(
            selectinload(Look.answers),
            selectinload(Look.plant).selectinload(Plant.stays).selectinload(Stay.place),
        )
    )
    return list(session.scalars(query))


def photo(session: Session, photo_id: int) -> Photo:
    """A photo; raises NotFound."""
    found = session.get(Photo, photo_id)
    if found is None or found.withdrawn_at is not None:
        raise NotFound("There is no such photo.")
    return found


def cases_since(session: Session, since: datetime) -> list[PestCase]:
    """Cases that are open or were closed after a moment, with their plants' stays."""
    query = select(PestCase).where((PestCase.closed_at.is_(None)) | (PestCase.closed_at >= since))
    return list(
        session.scalars(query.options(selectinload(PestCase.plant).selectinload(Plant.stays)))
    )
