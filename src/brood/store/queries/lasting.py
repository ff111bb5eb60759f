"""Looking up the states that last on a plant, and what was done to it."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from brood.store.records import PlantEvent
from brood.store.tables import PlantState

HANDLED = ("cut", "repotted")


def of_plant(session: Session, plant_id: int) -> Sequence[PlantState]:
    """The states of a plant that are on record and not withdrawn, in order."""
    query = select(PlantState).where(
        PlantState.plant_id == plant_id, PlantState.withdrawn_at.is_(None)
    )
    return session.scalars(query.order_by(PlantState.since_on, PlantState.id)).all()


def last_day(row: PlantState) -> date:
    """The last day on which a state holds."""
    return row.until_on if row.ended_on is None else min(row.ended_on, row.until_on)


def last_cuts(session: Session, since: date) -> dict[int, date]:
    """The last day from then on, on which each plant was cut back, by the plant's id."""
    query = (
        select(PlantEvent.plant_id, func.max(PlantEvent.on))
        .where(PlantEvent.kind == "cut", PlantEvent.on >= since)
        .where(PlantEvent.withdrawn_at.is_(None))
        .group_by(PlantEvent.plant_id)
    )
    return dict(session.execute(query).all())


def handled(session: Session, plant_id: int, since: date) -> Sequence[PlantEvent]:
    """The cuttings and repottings of a plant from a day on, in order."""
    query = select(PlantEvent).where(
        PlantEvent.plant_id == plant_id,
        PlantEvent.kind.in_(HANDLED),
        PlantEvent.on >= since,
        PlantEvent.withdrawn_at.is_(None),
    )
    return session.scalars(query.order_by(PlantEvent.on, PlantEvent.id)).all()
