"""Looks at the neighbours of infested plants: one for each plant, and one walk where
several stand at one place.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date

from brood.catalogue.holdings import Catalogue
from brood.services.cases import beside, effort
from brood.services.cases.beside import House
from brood.services.cases.effort import MINUTES
from brood.services.house import neighbours
from brood.services.house.neighbours import CHECKED, Risk, weekly
from brood.services.voice.speech import listed
from brood.store.place_tables import Place
from brood.store.tables import Plant

WALK, NAMED = 3, 4
"""From so many plants of one place on, looking at them is one walk. So many are named."""


@dataclass(frozen=True)
class Source:
    """An infested plant, and how its neighbour stands to it, in words."""

    plant: Plant
    said: str


@dataclass(frozen=True)
class Stop:
    """A plant to check, what for, and when: what may have come over from several
    plants is looked for at once.
    """

    risks: tuple[Risk, ...]
    due_on: date

    @property
    def plant(self) -> Plant:
        """The plant to check."""
        return self.risks[0].near.plant

    @property
    def place(self) -> Place | None:
        """Where it stands."""
        stay = beside.stay_of(self.plant)
        return stay.place if stay else None

    @property
    def key(self) -> str:
        """What identifies the look for good."""
        return f"neighbour-{self.plant.id}-{self.risks[0].row.pest_id}"

    @property
    def said(self) -> str:
        """What to look for, from which plant, and how the plant stands to that one."""
        return "; ".join(
            f"{listed(pests)} from the {near.plant.name.lower()} (it {near.said})"
            for pests, near in self.sources
        )

    @property
    def sources(self) -> list[tuple[list[str], Source]]:
        """The plants from which something may have come over, each with its pests."""
        pests: dict[int, list[str]] = {}
        for risk in self.risks:
            pests.setdefault(risk.row.plant_id, []).append(risk.pest)
        first = {r.row.plant_id: r for r in reversed(self.risks)}
        return [(some, Source(first[n].row.plant, first[n].near.said)) for n, some in pests.items()]


def to_check(risks: Iterable[Risk], today: date) -> list[Stop]:
    """The plants to check, the soonest first. All that is due on a plant is one look. What
    has a case of its own is looked at with that.
    """
    groups: dict[tuple[int, date], list[Risk]] = {}
    for risk in risks:
        if risk.chance < CHECKED or any(c.closed_at is None for c in risk.near.plant.cases):
            continue
        due = max(weekly(risk.due_on, today), today)
        groups.setdefault((risk.near.plant.id, due), []).append(risk)
    found = [
        Stop(tuple(some), min(weekly(r.due_on, today) for r in some)) for some in groups.values()
    ]
    return sorted(found, key=lambda s: (s.due_on, s.plant.name))


def walks(found: Sequence[Stop], today: date) -> list[tuple[Stop, ...]]:
    """The looks, those that are due together at one place as one walk from three plants on."""
    groups: dict[tuple[int, date], list[Stop]] = {}
    for stop in found:
        place = stop.place.id if stop.place else -stop.plant.id
        groups.setdefault((place, max(stop.due_on, today)), []).append(stop)
    out: list[tuple[Stop, ...]] = []
    for some in groups.values():
        out += [tuple(some)] if len(some) >= WALK else [(one,) for one in some]
    return out


def walk_text(walk: Sequence[Stop]) -> str:
    """What a walk looks for, with the plants by pest."""
    plants: dict[str, list[str]] = {}
    for stop in walk:
        for pest in dict.fromkeys(r.pest for r in stop.risks):
            plants.setdefault(pest, []).append(stop.plant.name)
    pests: dict[tuple[str, ...], list[str]] = {}
    for pest, names in plants.items():
        pests.setdefault(tuple(names), []).append(pest)
    parts = [
        f"{listed(some)} on "
        + (listed([*names]) if len(names) <= NAMED else f"{len(names)} plants")
        for names, some in pests.items()
    ]
    return f"Look for {'; '.join(parts)}"


def minutes(walk: Sequence[Stop]) -> int:
    """How long a walk takes."""
    return MINUTES["neighbour"] * len(walk)


def of_place(
    house: House, catalogue: Catalogue, place_id: int, today: date
) -> tuple[list[Stop], list[Stop]]:
    """The plants of a place that may have caught something, in the order of their
    shelves: those to check now, and those whose day is still to come.
    """
    every = to_check(neighbours.risks(house, catalogue, today), today)
    found = [s for s in every if s.place is not None and s.place.id == place_id]
    due = sorted((s for s in found if s.due_on <= today), key=_where)
    return due, [s for s in found if s.due_on > today]


def _where(stop: Stop) -> tuple[int, int]:
    stay = beside.stay_of(stop.plant)
    return (stay.shelf, stay.position) if stay else (0, 0)


def sits_on(catalogue: Catalogue, stop: Stop) -> str:
    """Where on the plant to look: the parts on which most of those animals sit."""
    build = effort.build_of(stop.plant)
    groups = dict.fromkeys(catalogue.records[r.row.pest_id].group for r in stop.risks)
    parts = [p for g in groups for p in catalogue.evenings.most_on(g, build)]
    return "; ".join(dict.fromkeys(parts))
