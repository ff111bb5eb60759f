"""Which plants stand beside a plant, how close, and when each was last looked over."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from functools import cached_property

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from brood.services.voice.speech import listed
from brood.store.queries import cases
from brood.store.tables import InspectionRecord, Look, PestCase, Plant, Stay

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


@dataclass(frozen=True)
class House:
    """Every plant of a household, also those that are gone, with their cases and where
    they stand, and the day on which each was last looked over.
    """

    every: tuple[Plant, ...]
    looked: Mapping[int, date]

    @cached_property
    def here(self) -> tuple[Plant, ...]:
        """The plants that are here."""
        return tuple(p for p in self.every if p.gone_on is None)

    @cached_property
    def by_place(self) -> Mapping[int, list[Plant]]:
        """The plants that are here, by the place at which they stand."""
        out: dict[int, list[Plant]] = {}
        for plant in self.here:
            if plant.stays:
                out.setdefault(plant.stays[-1].place_id, []).append(plant)
        return out

    @property
    def open_cases(self) -> list[PestCase]:
        """The open cases of the plants that are here, in the order of their opening."""
        found = (c for p in self.here for c in p.cases if c.closed_at is None)
        return sorted(found, key=lambda c: c.id)


def house_of(session: Session, place_id: int | None = None) -> House:
    """The household as it stands, loaded at once: all of it, or what stands or stood at
    one place.
    """
    found = tuple(cases.plants(session, place_id))
    wanted = None if place_id is None else [p.id for p in found]
    return House(found, last_looks(session, wanted))


def last_looks(session: Session, plants: Collection[int] | None = None) -> dict[int, date]:
    """The last day on which each plant was looked over: in a case, while kept apart, or
    to find out what it has. Of some plants where they are given.
    """
    seen = (
        select(InspectionRecord.plant_id, func.max(InspectionRecord.looked_on))
        .where(InspectionRecord.withdrawn_at.is_(None))
        .group_by(InspectionRecord.plant_id)
    )
    begun = select(Look.plant_id, func.max(func.date(Look.started_at))).group_by(Look.plant_id)
    if plants is not None:
        seen = seen.where(InspectionRecord.plant_id.in_(plants))
        begun = begun.where(Look.plant_id.in_(plants))
    out: dict[int, date] = {}
    for plant_id, on in session.execute(seen.union_all(begun)):
        out[plant_id] = max(out.get(plant_id, on), on)
    return out


def beside(session: Session, plant: Plant) -> list[Near]:
    """The plants in the same place, the nearest first. For a plant that is gone: those
    where it stood last.
    """
    if not plant.stays:
        return []
    there = cases.standing_at(session, plant.stays[-1].place_id)
    return _near(plant, there, last_looks(session, [p.id for p in there]))


def beside_in(house: House, plant: Plant) -> list[Near]:
    """The same, where the whole household is at hand."""
    if not plant.stays:
        return []
    return _near(plant, house.by_place.get(plant.stays[-1].place_id, []), house.looked)


def _near(plant: Plant, there: Sequence[Plant], looked: Mapping[int, date]) -> list[Near]:
    here = plant.stays[-1]
    out = [
        Near(
            other,
            ways(here, other.stays[-1]),
            max(here.since_on, other.stays[-1].since_on),
            looked.get(other.id),
        )
        for other in there
        if other.id != plant.id
    ]
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
