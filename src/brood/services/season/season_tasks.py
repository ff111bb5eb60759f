"""What the season asks for today: prevention to begin, and the walk past plants that are due."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date

from brood.services.cases.beside import House
from brood.services.house import neighbours, plants
from brood.services.house.neighbours import Standing
from brood.services.house.quarantine import open_quarantines
from brood.services.season import arrivals, rhythm
from brood.services.season.arrivals import Arrival
from brood.services.season.rhythm import DueLook, Walk
from brood.services.voice.desk import Desk
from brood.store.place_tables import Place
from brood.store.records import Prevention, Quarantine
from brood.store.tables import Plant

ASKED_DAYS = 14
"""Prevention that nobody begins is asked for so long."""


@dataclass(frozen=True)
class ToBegin:
    """Prevention that is due: the forecast, and the plants that it is for."""

    arrival: Arrival
    plants: tuple[Plant, ...]


@dataclass(frozen=True)
class SeasonTasks:
    """What the season asks for on a day."""

    begin: tuple[ToBegin, ...]
    walk: Walk | None


def of_day(
    desk: Desk, house: House, apart: Sequence[Quarantine], busy: Collection[int]
) -> SeasonTasks:
    """The season's tasks of a day. `busy` are plants that are looked over today anyway."""
    known = arrivals.seasons(desk.session, desk.catalogue, desk.prefs.hemisphere, desk.today)
    coming = arrivals.ahead_of(desk, known) if known.first else []
    begin = tuple(_to_begin(desk, house, coming, known.preventions))
    if desk.prefs.rhythm != "on":
        return SeasonTasks(begin, None)
    due = [o for o in rhythm.looks(desk, house, apart, coming) if o.plant.id not in busy]
    return SeasonTasks(begin, rhythm.walk(due, desk.today, house.looked))


def in_turn(desk: Desk, house: House, place_id: int, busy: Collection[int]) -> list[DueLook]:
    """The plants of a place whose turn it is to be looked over, apart from those `busy`."""
    if desk.prefs.rhythm != "on":
        return []
    coming = arrivals.ahead(desk)
    found = rhythm.looks(desk, house, open_quarantines(desk.session), coming)
    due = [o for o in found if o.place.id == place_id and o.due_on <= desk.today]
    here = [one for one in due if one.plant.id not in busy][: rhythm.MOST]
    return sorted(here, key=rhythm.clean_first)


def standings(desk: Desk, house: House) -> list[tuple[Place, list[Standing]]]:
    """Every place with its plants and how each stands: clear is what was looked at within
    its rhythm.
    """
    if desk.prefs.rhythm != "on":
        return neighbours.standings(desk, house)
    coming = arrivals.ahead(desk)
    found = rhythm.looks(desk, house, open_quarantines(desk.session), coming)
    return neighbours.standings(desk, house, {o.plant.id: o.every for o in found})


def _to_begin(
    desk: Desk, house: House, coming: Sequence[Arrival], begun: Sequence[Prevention]
) -> list[ToBegin]:
    done = {(p.pest_id, p.place_id, p.season) for p in begun}
    out = []
    for one in coming:
        if one.key in done or not is_asked(one, desk.today):
            continue
        some = tuple(
            p
            for p in house.by_place.get(one.place.id, [])
            if plants.susceptible(desk.catalogue, p, one.pest_id)
        )
        if some:
            out.append(ToBegin(one, some))
    return out


def is_asked(one: Arrival, today: date) -> bool:
    """Whether prevention is asked for on a day: from its day on, for two weeks."""
    return one.state(today) == "begin" and (today - one.begin).days < ASKED_DAYS
