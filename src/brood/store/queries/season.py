"""Looking up what earlier seasons brought, and what was done beforehand."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from brood.errors import NotFound
from brood.store.records import Prevention, Sighting, WayIn
from brood.store.tables import Finding, PestCase


def sightings(session: Session) -> Sequence[Sighting]:
    """The sightings that stand, in order of their days."""
    query = select(Sighting).where(Sighting.withdrawn_at.is_(None))
    return session.scalars(query.order_by(Sighting.seen_on, Sighting.id)).all()


def sighting(session: Session, sighting_id: int) -> Sighting:
    """One of them. Raises NotFound."""
    row = session.get(Sighting, sighting_id)
    if row is None:
        raise NotFound("There is no such sighting.")
    return row


def preventions(session: Session) -> Sequence[Prevention]:
    """What was begun, or left out, and not taken back."""
    query = select(Prevention).where(Prevention.withdrawn_at.is_(None))
    return session.scalars(query.order_by(Prevention.id)).all()


def prevention(session: Session, prevention_id: int) -> Prevention:
    """One of them. Raises NotFound."""
    row = session.get(Prevention, prevention_id)
    if row is None:
        raise NotFound("There is no such entry.")
    return row


def first_finds(session: Session) -> list[tuple[PestCase, date]]:
    """Every case with the day of its first find."""
    first = (
        select(Finding.case_id, func.min(Finding.found_on).label("on"))
        .where(Finding.withdrawn_at.is_(None))
        .group_by(Finding.case_id)
        .subquery()
    )
    query = select(PestCase, first.c.on).join(first, first.c.case_id == PestCase.id)
    return [(row, on) for row, on in session.execute(query.order_by(PestCase.id))]


def ways_in(session: Session) -> Sequence[WayIn]:
    """What came in and was not taken back, in order of its days."""
    query = select(WayIn).where(WayIn.withdrawn_at.is_(None))
    return session.scalars(query.order_by(WayIn.on, WayIn.id)).all()


def way_in(session: Session, way_in_id: int) -> WayIn:
    """One of them. Raises NotFound."""
    row = session.get(WayIn, way_in_id)
    if row is None:
        raise NotFound("There is no such entry.")
    return row


def ways_in_of(session: Session, plant_id: int) -> Sequence[WayIn]:
    """How a plant came in."""
    return [row for row in ways_in(session) if row.plant_id == plant_id]
