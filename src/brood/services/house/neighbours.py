"""The neighbours of infested plants: how large the risk is, and the picture of the
whole house.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.errors import FieldErrors
from brood.services.cases.beside import WAYS, House, Near, beside_in, stay_of
from brood.services.house.plants import susceptible
from brood.services.house.quarantine import REASONS
from brood.services.voice.desk import Desk
from brood.services.voice.speech import days, listed
from brood.store.place_tables import Place
from brood.store.queries import cases
from brood.store.records import Quarantine
from brood.store.tables import CasePlant, PestCase, Plant

IN_SOIL = {"bradysia", "rhizoecus"}
MONTH, LOOK_EVERY, WATCH_DAYS, LOOKED_DAYS = 28.0, 7, 60, 28
RISKY, CHECKED = 0.2, 0.1
LATE_SIGNS, CLOSE = ("flat-mite", "broad-mite"), ("touching", "tray", "next", "downwind")
"""The groups that are seen long after they have come, and the ways to stand so close that a
plant that gets them easily is treated along without signs (our judgement, C).
"""
DRAUGHTS = {"": "no draught", "right": "air moves to the right", "left": "air moves to the left"}
STATES = {
    "infested": "infested",
    "suspect": "suspect",
    "watched": "watched",
    "unseen": "not looked at lately",
    "clear": "clear",
}
"""How a plant stands. It is called clear only when it was looked at within its rhythm, or
within four weeks where nobody keeps one.
"""


def weekly(due: date, today: date) -> date:
    """A weekly date: the last time it was due, or the first time to come."""
    return due if due >= today else due + timedelta(days=7 * ((today - due).days // 7))


@dataclass(frozen=True)
class Risk:
    """A neighbour of an infested plant: the chance that the pest has come over, and
    when to look it over next.
    """

    near: Near
    row: PestCase
    pest: str
    chance: float
    due_on: date


def chance_over(catalogue: Catalogue, pest_id: str, near: Near, since: date, today: date) -> float:
    """The chance that a pest has crossed: from how the plants stand, how long together
    since the case began, and what the pest likes.
    """
    together = max((today - max(near.since, since - timedelta(days=14))).days, 0)
    kept = 1.0
    for way in near.ways:
        base = 0.6 if way == "tray" and pest_id in IN_SOIL else WAYS[way]
        kept *= (1 - base) ** (together / MONTH)
    liking = next(
        (
            c.kinds.get(near.plant.kind, 1.0)
            for c in catalogue.evidence.model.causes
            if c.id == pest_id
        ),
        1.0,
    )
    return float(1 - kept ** min(2.0, math.sqrt(liking)))


def risks(house: House, catalogue: Catalogue, today: date) -> list[Risk]:
    """What open cases may have passed on to their neighbours, the likeliest first; one
    line for each neighbour and pest. Cases of plants that left with them count too.
    """
    best: dict[tuple[int, str], Risk] = {}
    for plant in house.every:
        ill = sources(plant, today)
        for near in beside_in(house, plant) if ill else ():
            for row in ill:
                found = _risk(catalogue, row, near, today)
                key = (near.plant.id, row.pest_id)
                if found is not None and (key not in best or best[key].chance < found.chance):
                    best[key] = found
    return sorted(best.values(), key=lambda r: (-r.chance, r.near.plant.name))


def sources(plant: Plant, today: date) -> list[PestCase]:
    """The cases of a plant that its neighbours may have caught: the open ones, or those
    with which it left lately.
    """
    gone = plant.gone_on
    if gone is None:
        return [c for c in plant.cases if c.closed_at is None]
    if (today - gone).days > WATCH_DAYS:
        return []
    return [c for c in plant.cases if c.closed_at is None or c.closed_at.date() >= gone]


def _risk(catalogue: Catalogue, row: PestCase, near: Near, today: date) -> Risk | None:
    """What a case may have passed on to a neighbour. None where the neighbour has it
    already, or was looked over a week after the source left.
    """
    gone = row.plant.gone_on
    if any(c.pest_id == row.pest_id and c.closed_at is None for c in near.plant.cases):
        return None
    if gone is not None and near.looked_since(gone + timedelta(days=LOOK_EVERY)):
        return None
    chance = chance_over(catalogue, row.pest_id, near, row.start_on, min(today, gone or today))
    due = (
        max(row.start_on, near.looked_on + timedelta(days=LOOK_EVERY))
        if near.looked_on
        else row.start_on
    )
    return Risk(near, row, catalogue.name(row.pest_id), chance, due)


def to_treat_along(catalogue: Catalogue, row: PestCase, others: Sequence[Near]) -> list[Near]:
    """The neighbours that are treated along though nothing is seen on them yet: those that
    get this pest easily and stand close, where its signs come late.
    """
    if catalogue.records[row.pest_id].group not in LATE_SIGNS:
        return []
    return [
        near
        for near in others
        if set(CLOSE) & set(near.ways) and susceptible(catalogue, near.plant, row.pest_id)
    ]


@dataclass(frozen=True)
class Standing:
    """How a plant stands in the picture of the house, and why."""

    plant: Plant
    state: str
    why: str


def standings(
    desk: Desk, house: House, rhythm: Mapping[int, int] | None = None
) -> list[tuple[Place, list[Standing]]]:
    """Every place with its plants in the order of their shelves, and how each stands (see
    STATES). `rhythm` holds the days between two looks, by the id of a plant.
    """
    within = rhythm or {}
    session, catalogue, today = desk.session, desk.catalogue, desk.today
    by_plant: dict[int, Risk] = {}
    for risk in reversed(risks(house, catalogue, today)):
        by_plant[risk.near.plant.id] = risk
    apart = {
        q.plant_id: q
        for q in session.scalars(select(Quarantine).where(Quarantine.released_on.is_(None)))
    }
    joined = {
        m.plant_id: m for m in session.scalars(select(CasePlant).where(CasePlant.left_on.is_(None)))
    }
    places: dict[int, tuple[Place, list[Standing]]] = {p.id: (p, []) for p in cases.places(session)}
    for plant in sorted(
        house.here, key=lambda p: (s.shelf, s.position) if (s := stay_of(p)) else (0, 0)
    ):
        stay = stay_of(plant)
        if stay is not None:
            places[stay.place_id][1].append(
                _standing(
                    catalogue,
                    plant,
                    by_plant.get(plant.id),
                    apart,
                    joined,
                    house.looked.get(plant.id),
                    within.get(plant.id, LOOKED_DAYS),
                    today,
                )
            )
    return list(places.values())


def _standing(
    catalogue: Catalogue,
    plant: Plant,
    risk: Risk | None,
    apart: dict[int, Quarantine],
    joined: dict[int, CasePlant],
    looked: date | None,
    within: int,
    today: date,
) -> Standing:
    ill = [catalogue.name(c.pest_id) for c in plant.cases if c.closed_at is None]
    if ill or plant.id in joined:
        return Standing(plant, "infested", listed(ill) or "part of a case")
    if plant.id in apart:
        why = REASONS.get(apart[plant.id].reason, apart[plant.id].reason)
        return Standing(plant, "suspect", f"kept away from the others: {why}")
    if risk is not None and risk.chance >= RISKY:
        return Standing(plant, "suspect", f"{risk.near.said}: {risk.row.plant.name}, {risk.pest}")
    recent = [
        c for c in plant.cases if c.closed_at and (today - c.closed_at.date()).days < WATCH_DAYS
    ]
    if risk is not None or recent:
        return Standing(
            plant,
            "watched",
            f"{risk.row.plant.name} is in the same place" if risk else "had it lately",
        )
    if looked is None or (today - looked).days > within:
        return Standing(
            plant,
            "unseen",
            "nobody has looked at it yet"
            if looked is None
            else f"last looked at {days((today - looked).days)} ago",
        )
    return Standing(plant, "clear", "")


@dataclass(frozen=True)
class SpotCommand:
    """Where a plant stands on its shelf."""

    plant_id: int
    shelf: int
    position: int
    touches: bool
    tray: str


def arrange(session: Session, place_id: int, draught: str, spots: Sequence[SpotCommand]) -> None:
    """Keep the plan of a place. Positions are counted anew along each shelf in the
    order given.
    """
    if draught not in DRAUGHTS:
        raise FieldErrors({"draught": "Choose where the air moves from the list."})
    place = cases.place(session, place_id)
    place.draught = draught
    stays = {p.id: p.stays[-1] for p in cases.standing_at(session, place_id)}
    along: dict[int, int] = {}
    for spot in sorted(
        (s for s in spots if s.plant_id in stays), key=lambda s: (s.shelf, s.position)
    ):
        along[spot.shelf] = along.get(spot.shelf, 0) + 1
        stay = stays[spot.plant_id]
        stay.shelf, stay.position, stay.touches, stay.tray = (
            spot.shelf,
            along[spot.shelf],
            spot.touches,
            spot.tray,
        )
