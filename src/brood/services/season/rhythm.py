"""The rhythm of looking: how often each plant is looked over, and the walks past those
that are due.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from brood.catalogue.holdings import Catalogue
from brood.services.cases import beside
from brood.services.cases.beside import House
from brood.services.house import plants
from brood.services.season import ways_in
from brood.services.season.arrivals import Arrival
from brood.services.season.ways_in import Here
from brood.services.voice.desk import Desk
from brood.services.warmth.hourly import known_series
from brood.store.place_tables import Place
from brood.store.records import Quarantine
from brood.store.tables import Plant

USUAL, PRONE, HOT, COOL, EXPECTED = 10, 7, 5, 14, 4
"""Days between two looks: usually, of a kind that mites, thrips or mealybugs like, at a hot
place, at a cool one, and while a pest of earlier years is likely there (our judgement, C).
"""
HOT_C, COOL_C, WEEK = 26.0, 12.0, 7
WATCHED = ("spider-mite", "soil-thrips", "leaf-thrips", "mealybug", "root-mealybug")
A_LOOK = 1.25
"""Minutes for one plant of a walk: tops and undersides (our judgement, C)."""
MOST = 15
"""So many plants are one walk: under twenty minutes."""
NAMED = 4


@dataclass(frozen=True)
class DueLook:
    """A plant to look over: since when it is due, how many days lie between two looks, and
    why so few or so many. `pests` are those to look for first.
    """

    plant: Plant
    place: Place
    due_on: date
    every: int
    why: str
    pests: tuple[str, ...] = ()


def looks(
    desk: Desk, house: House, apart: Sequence[Quarantine], expected: Sequence[Arrival]
) -> list[DueLook]:
    """When each plant is due, the soonest first. What has an open case or is kept apart is
    looked over with that.
    """
    kept = {one.plant_id for one in apart}
    brought = ways_in.here(desk)
    warm: dict[int, float | None] = {}
    out = []
    for plant in house.here:
        stay = beside.stay_of(plant)
        if stay is None or plant.id in kept or any(c.closed_at is None for c in plant.cases):
            continue
        if stay.place_id not in warm:
            warm[stay.place_id] = mean_of_week(desk, stay.place)
        usual = _every(desk, plant, stay.place, warm[stay.place_id], expected)
        near = ways_in.beside(brought, desk.catalogue, plant, stay.place)
        every, why, pests = _with_what_came(desk, usual, near, warm[stay.place_id])
        since = max(house.looked.get(plant.id, date.min), plant.created_at.date())
        out.append(DueLook(plant, stay.place, since + timedelta(days=every), every, why, pests))
    return sorted(out, key=lambda one: (one.due_on, one.plant.name))


def _with_what_came(
    desk: Desk,
    usual: tuple[int, str, tuple[str, ...]],
    near: Sequence[Here],
    celsius: float | None,
) -> tuple[int, str, tuple[str, ...]]:
    """The usual rhythm of a plant, or a shorter one while something that came in is beside
    it. In the cold nothing flies in from outside.
    """
    cool = celsius is not None and celsius < COOL_C
    found = [one for one in near if not (cool and one.record.what == "outside")]
    one = min(found, key=lambda h: h.record.every, default=None)
    if one is None or one.record.every >= usual[0]:
        return usual
    briefs = tuple(dict.fromkeys(desk.catalogue.groups[g].brief for g in one.groups))
    return one.record.every, f"{one.name}, since {desk.speech.day(one.row.on)}", briefs


def mean_of_week(desk: Desk, place: Place, ago: int = 0) -> float | None:
    """The mean °C at a place of the week that ended yesterday, or so many days earlier. None
    where nothing is known.
    """
    last = desk.today - timedelta(days=1 + ago)
    series = known_series(desk.session, place, last - timedelta(days=WEEK - 1), last)
    return None if series is None else float(series.celsius.mean())


def _every(
    desk: Desk, plant: Plant, place: Place, celsius: float | None, expected: Sequence[Arrival]
) -> tuple[int, str, tuple[str, ...]]:
    """Days between two looks at a plant, why, and what to look for first."""
    coming = [
        a
        for a in expected
        if a.place.id == place.id
        and a.state(desk.today) == "likely"
        and plants.susceptible(desk.catalogue, plant, a.pest_id)
    ]
    if coming:
        pests = tuple(dict.fromkeys(desk.catalogue.name(a.pest_id) for a in coming))
        return EXPECTED, "a pest of earlier years is likely now", pests
    if celsius is not None and celsius >= HOT_C:
        return HOT, "hot there: mites need a week for a generation", ()
    if celsius is not None and celsius < COOL_C:
        return COOL, "cool there: everything is slow", ()
    if _prone(desk.catalogue, plant):
        return PRONE, "of a kind that mites, thrips or mealybugs like", ()
    return USUAL, "", ()


def _prone(catalogue: Catalogue, plant: Plant) -> bool:
    weights = plants.prone_weights(catalogue, plant)
    return any(
        weights.get(pest, 0.0) >= plants.PRONE and record.group in WATCHED
        for pest, record in catalogue.records.items()
    )


def minutes(some: Sequence[DueLook]) -> int:
    """How long looking at some plants takes."""
    return round(A_LOOK * len(some) + 0.5) if some else 0


@dataclass(frozen=True)
class Walk:
    """The plants of one place that are looked over on one walk: those for which nothing is
    expected come first, in the order of their shelves.
    """

    place: Place
    stops: tuple[DueLook, ...]

    @property
    def minutes(self) -> int:
        """How long it takes."""
        return minutes(self.stops)

    @property
    def text(self) -> str:
        """What it is, in words."""
        names = [one.plant.name for one in self.stops]
        more = len(names) - NAMED
        said = ", ".join(names[:NAMED]) + (f" and {more} more" if more > 0 else "")
        return f"Look at tops and undersides: {said}"


def walk(found: Sequence[DueLook], today: date, looked: Mapping[int, date]) -> Walk | None:
    """Today's walk: past the plants of one place that are due. One place a day, unless
    nobody has begun one yet: then the place where the longest wait is.
    """
    by_place: dict[int, list[DueLook]] = {}
    for one in found:
        if one.due_on <= today:
            by_place.setdefault(one.place.id, []).append(one)
    begun = {one.place.id for one in found if looked.get(one.plant.id) == today}
    open_here = {n: some for n, some in by_place.items() if not begun or n in begun}
    if not open_here:
        return None
    waits = {n: sum((today - o.due_on).days + 1 for o in some) for n, some in open_here.items()}
    chosen = max(open_here, key=lambda n: (waits[n], -n))
    stops = sorted(open_here[chosen][:MOST], key=clean_first)
    return Walk(stops[0].place, tuple(stops))


def clean_first(one: DueLook) -> tuple[bool, int, int]:
    """The order of a walk: plants that may have caught something come last."""
    stay = beside.stay_of(one.plant)
    return (bool(one.pests), stay.shelf, stay.position) if stay else (bool(one.pests), 0, 0)
