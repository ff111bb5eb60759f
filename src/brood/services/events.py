"""What befalls a plant besides treatment: lost, given away, cut back, repotted."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.errors import FieldErrors, NotFound
from brood.services.neighbours import IN_SOIL
from brood.services.speech import listed
from brood.store.queries import cases
from brood.store.records import PlantEvent
from brood.store.tables import Plant

EVENTS = {"lost": "lost", "given": "given away", "cut": "cut back", "repotted": "repotted", "note": "note"}
GONE = ("lost", "given")


def of_plant(session: Session, plant_id: int) -> Sequence[PlantEvent]:
    """What befell a plant, the newest first."""
    query = select(PlantEvent).where(PlantEvent.plant_id == plant_id, PlantEvent.withdrawn_at.is_(None))
    return session.scalars(query.order_by(PlantEvent.on.desc(), PlantEvent.id.desc())).all()


def befell(session: Session, plant_id: int, kind: str, on: date, note: str, *, now: datetime) -> None:
    """Keep what befell a plant; lost or given away, it is no longer here."""
    plant = cases.plant(session, plant_id)
    if kind not in EVENTS:
        raise FieldErrors({"kind": "Choose what happened from the list."})
    session.add(PlantEvent(plant_id=plant.id, on=on, kind=kind, note=note, recorded_at=now))
    if kind in GONE:
        plant.gone_on = on


def take_back(session: Session, event_id: int, *, now: datetime) -> int:
    """Withdraw what was said by mistake, which stays on record; a plant said to be gone is here again. The plant's id; raises NotFound."""
    event = session.get(PlantEvent, event_id)
    if event is None or event.withdrawn_at is not None:
        raise NotFound("There is no such entry.")
    event.withdrawn_at = now
    session.flush()
    left = [e.on for e in of_plant(session, event.plant_id) if e.kind in GONE]
    cases.plant(session, event.plant_id).gone_on = max(left, default=None)
    return event.plant_id


def repotted_on(session: Session, plant_id: int) -> date | None:
    """When a plant was repotted last; None when that was never said."""
    return next((e.on for e in of_plant(session, plant_id) if e.kind == "repotted"), None)


def repotting(catalogue: Catalogue, plant: Plant) -> str:
    """What to mind before a plant with an open case is repotted; empty where there is none."""
    ill = [c for c in plant.cases if c.closed_at is None]
    if not ill:
        return ""
    soil = [catalogue.name(c.pest_id) for c in ill if c.pest_id in IN_SOIL]
    if soil:
        return f"For {listed(soil)} fresh soil is part of the treatment: do it as one of its evenings."
    return "Leave repotting until it is clear: new roots and treated leaves at once are hard on a plant, and the next evenings would be by hand only."
