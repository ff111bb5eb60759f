"""Other events in a plant's life: lost, given away, cut back, repotted."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.core.biology.handling import MOST_AT_ONCE
from brood.errors import FieldErrors, NotFound
from brood.services.cases import history
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
ROUNDING = 1e-9


@dataclass(frozen=True)
class EventCommand:
    """What is told of an event. Of a cut, `leaves` were taken of `of_leaves` (None where
    that was not told); `sure` says that more than is usual was meant.
    """

    kind: str
    on: date
    note: str = ""
    leaves: int | None = None
    of_leaves: int | None = None
    told: bool = False
    sure: bool = False


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
    said: EventCommand,
    *,
    now: datetime,
) -> None:
    """Keep an event. A plant that is lost or given away is no longer here, and its
    cases are closed. What was cut off takes with it what sat there, and repotting what
    lived in the soil: the dates of its cases are worked out again.

    Raises FieldErrors when it is given away with something that the receiver was not
    told of, and when more is cut than it bears, without a second yes. The same event of
    the same day is kept once.
    """
    plant, kind, on = cases.plant(session, plant_id), said.kind, said.on
    if kind not in EVENTS:
        raise FieldErrors({"kind": "Choose what happened."})
    cut = (said.leaves, said.of_leaves) if kind == "cut" else (None, None)
    same = (kind, on, said.note, *cut)
    if any(
        (e.kind, e.on, e.note, e.leaves, e.of_leaves) == same for e in of_plant(session, plant_id)
    ):
        return
    if kind == "cut":
        _check_cut(plant, said)
    carries = what_it_carries(session, catalogue, plant)
    if kind == "given" and carries and not said.told:
        raise FieldErrors(
            {
                "told": f"{plant.name} {carries}. Tell whoever takes it, and tick that you did; or "
                "wait until it is clear."
            }
        )
    session.add(
        PlantEvent(
            plant_id=plant.id,
            on=on,
            kind=kind,
            note=said.note,
            leaves=cut[0],
            of_leaves=cut[1],
            recorded_at=now,
        )
    )
    if kind in GONE:
        _goes(session, plant, on, now)


def _check_cut(plant: Plant, said: EventCommand) -> None:
    """Raise FieldErrors for a cut that cannot be, or that is more than a plant of this
    build bears, until the keeper says it was meant.
    """
    leaves, of_leaves = said.leaves, said.of_leaves
    if (leaves is None) != (of_leaves is None):
        missing = "leaves" if leaves is None else "of_leaves"
        raise FieldErrors({missing: "Say both: how many leaves were cut, of how many."})
    if leaves is None or of_leaves is None:
        return
    if leaves > of_leaves:
        raise FieldErrors({"leaves": f"Of {of_leaves} leaves {leaves} cannot be cut."})
    if leaves / of_leaves > bears(plant) + ROUNDING and not said.sure:
        raise FieldErrors(
            {
                "sure": f"{leaves} of {of_leaves} leaves is more than a third, which is as much as "
                "a plant usually bears at once. Tick that you mean it."
            }
        )


def bears(plant: Plant) -> float:
    """The share of its leaves that may be cut at once: a plant that comes again from the
    root may be cut to it.
    """
    return 1.0 if "from-root" in plant.marks else MOST_AT_ONCE


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
                history.open_again(row)
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
