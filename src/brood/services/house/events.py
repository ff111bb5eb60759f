"""Other events in a plant's life: lost, given away, cut back, repotted."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.errors import FieldErrors, NotFound
from brood.services.house.neighbours import IN_SOIL
from brood.services.voice.speech import listed
from brood.store.queries import cases
from brood.store.records import PlantEvent, Quarantine
from brood.store.tables import CasePlant, Plant

EVENTS = {
    "lost": "lost",
    "given": "given away",
    "cut": "cut back",
    "repotted": "repotted",
    "note": "note",
}
GONE = ("lost", "given")


def of_plant(session: Session, plant_id: int) -> Sequence[PlantEvent]:
    """The events of a plant, the newest first."""
    query = select(PlantEvent).where(
        PlantEvent.plant_id == plant_id, PlantEvent.withdrawn_at.is_(None)
    )
    return session.scalars(query.order_by(PlantEvent.on.desc(), PlantEvent.id.desc())).all()


def befell(
    session: Session,
    catalogue: Catalogue,
    plant_id: int,
    kind: str,
    on: date,
    note: str,
    *,
    told: bool = False,
    now: datetime,
) -> None:
    """Keep an event. A plant that is lost or given away is no longer here, and its
    cases are closed.

    Raises FieldErrors when it is given away with something that the receiver was not
    `told` of. The same event of the same day is kept once.
    """
    plant = cases.plant(session, plant_id)
    if kind not in EVENTS:
        raise FieldErrors({"kind": "Choose what happened."})
    if any(e.kind == kind and e.on == on and e.note == note for e in of_plant(session, plant_id)):
        return
    carries = what_it_carries(session, catalogue, plant)
    if kind == "given" and carries and not told:
        raise FieldErrors(
            {
                "told": f"{plant.name} {carries}. Tell whoever takes it, and tick that you did; or "
                "wait until it is clear."
            }
        )
    session.add(PlantEvent(plant_id=plant.id, on=on, kind=kind, note=note, recorded_at=now))
    if kind in GONE:
        _goes(session, plant, on, now)


def what_it_carries(session: Session, catalogue: Catalogue, plant: Plant) -> str:
    """What somebody who takes a plant must know, as the end of a sentence. Empty where
    there is nothing.
    """
    ill = [catalogue.name(c.pest_id) for c in plant.cases if c.closed_at is None]
    if ill:
        return f"is under treatment for {listed(ill)}"
    away = "is kept away from the others and is not clear yet"
    return away if _kept_apart(session, plant.id) else ""


def _kept_apart(session: Session, plant_id: int) -> list[Quarantine]:
    return list(
        session.scalars(
            select(Quarantine).where(
                Quarantine.plant_id == plant_id, Quarantine.released_on.is_(None)
            )
        )
    )


def _goes(session: Session, plant: Plant, on: date, now: datetime) -> None:
    """End the cases of a plant that is gone, also where it is one of several, and its
    time apart.
    """
    plant.gone_on = on
    for row in plant.cases:
        row.closed_at = row.closed_at or max(now, datetime.combine(on, now.time()))
    for member in session.scalars(
        select(CasePlant).where(CasePlant.plant_id == plant.id, CasePlant.left_on.is_(None))
    ):
        member.left_on = on
    for apart in _kept_apart(session, plant.id):
        apart.released_on = on


def take_back(session: Session, event_id: int, *, now: datetime) -> int:
    """Withdraw an event that was recorded by mistake; it stays on record. A plant that
    was said to be gone is here again, with the cases that ended with it. The id of the
    plant. Raises NotFound.
    """
    event = session.get(PlantEvent, event_id)
    if event is None or event.withdrawn_at is not None:
        raise NotFound("There is no such entry.")
    event.withdrawn_at = now
    session.flush()
    plant = cases.plant(session, event.plant_id)
    left = [e.on for e in of_plant(session, event.plant_id) if e.kind in GONE]
    plant.gone_on = max(left, default=None)
    if event.kind in GONE and plant.gone_on is None:
        for row in plant.cases:
            if row.closed_at is not None and row.closed_at >= event.recorded_at:
                row.closed_at = None
    return event.plant_id


def repotting(catalogue: Catalogue, plant: Plant) -> str:
    """What to think of before a plant with an open case is repotted. Empty where there
    is nothing.
    """
    ill = [c for c in plant.cases if c.closed_at is None]
    if not ill:
        return ""
    soil = [catalogue.name(c.pest_id) for c in ill if c.pest_id in IN_SOIL]
    if soil:
        return (
            f"For {listed(soil)} fresh soil is part of the treatment: do it as one of its evenings."
        )
    return (
        "Leave repotting until it is clear. New roots and treated leaves together are hard on a "
        "plant, and the next evenings would be by hand only."
    )
