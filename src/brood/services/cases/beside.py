"""Which plants stand beside a plant, how close, and when each was last looked over."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from sqlalchemy import select
from sqlalchemy.orm import Session

from brood.services.voice.speech import listed
from brood.store.queries import cases
from brood.store.tables import InspectionRecord, Look, Plant, Stay

WAYS = {"touching": 0.5, "tray": 0.4, "next": 0.25, "downwind": 0.2, "place": 0.08}
"""The chance that a pest crosses within a month, by how two plants stand (our judgement, C)."""


NAMES = {
    "touching": "touches it",
    "tray": "shares its tray",
    "next": "stands next to it",
    "downwind": "stands downwind of it",
    "place": "stands in the same place",
}


@dataclass(frozen=True)
class Near:
    """A plant beside another: how it stands, since when they stand together, and when
    it was last looked over.
    """

    plant: Plant
    ways: tuple[str, ...]
    since: date
    looked_on: date | None

    def looked_since(self, day: date) -> bool:
        """Whether it was looked over from that day on."""
        return self.looked_on is not None and self.looked_on >= day

    @property
    def said(self) -> str:
        """How it stands, in words."""
        return listed([NAMES[w] for w in self.ways])


def stay_of(plant: Plant) -> Stay | None:
    """Where a plant stands now. None once it is gone."""
    return plant.stays[-1] if plant.stays and plant.gone_on is None else None


def everyone(session: Session) -> Sequence[Plant]:
    """The plants that are here, with where they stand and their cases."""
    return [p for p in cases.plants(session) if p.gone_on is None]


def last_looks(session: Session) -> dict[int, date]:
    """The last day on which each plant was looked over: in a case, while kept apart, or
    to find out what it has.
    """
    out: dict[int, date] = {}
    seen = select(InspectionRecord.plant_id, InspectionRecord.looked_on).where(
        InspectionRecord.withdrawn_at.is_(None)
    )
    for plant_id, on in [
        *session.execute(seen),
        *((p, at.date()) for p, at in session.execute(select(Look.plant_id, Look.started_at))),
    ]:
        out[plant_id] = max(out.get(plant_id, on), on)
    return out


def beside(
    session: Session,
    plant: Plant,
    plants: Sequence[Plant] | None = None,
    looked: dict[int, date] | None = None,
) -> list[Near]:
    """The plants in the same place, the nearest first. For a plant that is gone: those
    where it stood last.
    """
    here = plant.stays[-1] if plant.stays else None
    if here is None:
        return []
    looked = last_looks(session) if looked is None else looked
    out = []
    for other in everyone(session) if plants is None else plants:
        there = stay_of(other)
        if there is None or other.id == plant.id or there.place_id != here.place_id:
            continue
        out.append(
            Near(other, ways(here, there), max(here.since_on, there.since_on), looked.get(other.id))
        )
    return sorted(out, key=lambda n: (-WAYS[n.ways[0]], n.plant.name))


def ways(here: Stay, there: Stay) -> tuple[str, ...]:
    """How one plant stands to another in the same place, the closest way first."""
    apart = there.position - here.position
    found = []
    if here.shelf == there.shelf and abs(apart) == 1 and (here if apart == 1 else there).touches:
        found.append("touching")
    if here.tray and here.tray == there.tray:
        found.append("tray")
    if here.shelf == there.shelf and abs(apart) == 1 and "touching" not in found:
        found.append("next")
    if (
        here.shelf == there.shelf
        and apart
        and here.place.draught == ("right" if apart > 0 else "left")
    ):
        found.append("downwind")
    return tuple(found) or ("place",)
