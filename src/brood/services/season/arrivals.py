"""When the pests of earlier years are to be expected again, by pest and place."""

from __future__ import annotations

import statistics
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from math import floor
from typing import Any

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.core.season import arrival
from brood.core.season.arrival import Band
from brood.core.season.biofix import biofix, day_of, season_of
from brood.services.season import year_warmth
from brood.services.season.year_warmth import PlaceWarmth, Warmths
from brood.services.voice.desk import Desk
from brood.store.place_tables import Place
from brood.store.queries import cases, season
from brood.store.records import Prevention
from brood.store.tables import PestCase, Plant

LINGERS = timedelta(days=60)
"""A find so soon after a case was closed is what was left, and no new arrival."""


@dataclass(frozen=True)
class Seen:
    """The first sighting of a pest at a place in one season: the day, the degree-days up to
    it where they are known, and the plant and the case where it is one's. `moved` says that
    the plant stood somewhere else then.
    """

    on: date
    heat: float | None
    plant: Plant | None = None
    case_id: int = 0
    source: str = "case"
    moved: bool = False


@dataclass(frozen=True)
class Arrival:
    """The forecast of a pest at a place for one season. `seen` are the first sightings of
    the earlier seasons that it rests on, `found` is that of its own season.

    From `begin` on it is kept off, from `early` to `late` (80 in 100) it is likely.
    """

    pest_id: str
    place: Place
    season: int
    begin: date
    early: date
    likely: date
    late: date
    by_heat: bool
    seen: tuple[Seen, ...]
    found: Seen | None

    @property
    def key(self) -> tuple[str, int, int]:
        """What identifies it."""
        return self.pest_id, self.place.id, self.season

    def state(self, today: date) -> str:
        """How it stands on a day: found, over (nothing came), likely, begin or ahead."""
        if self.found is not None and self.found.on <= today:
            return "found"
        if today > self.late:
            return "over"
        return "likely" if today >= self.early else "begin" if today >= self.begin else "ahead"

    @property
    def missed_by(self) -> int:
        """By how many days the find lay before (negative) or after the likely days; 0
        inside them, or without a find.
        """
        if self.found is None or self.early <= self.found.on <= self.late:
            return 0
        edge = self.early if self.found.on < self.early else self.late
        return (self.found.on - edge).days


@dataclass(frozen=True)
class Seasons:
    """What every season brought, by pest and place, with the warmth of these places."""

    hemisphere: str
    places: Mapping[int, Place]
    warmth: Warmths
    first: Mapping[tuple[str, int], Mapping[int, Seen]]
    preventions: Sequence[Prevention] = ()
    forecasts: dict[int, list[Arrival]] = field(default_factory=dict)


def thresholds(catalogue: Catalogue, pest_id: str) -> tuple[float, float]:
    """The temperatures between which a pest's heat is summed, in °C: the middle lower
    threshold of its stages, and the middle of where they are fastest.
    """
    limits = [stage.rate.limits for stage in catalogue.pest(pest_id).stages]
    lower, upper = (statistics.median(float(one[n]) for one in limits) for n in (0, 1))
    return max(round(lower, 1), 0.0), round(upper, 1)


def seasons(session: Session, catalogue: Catalogue, hemisphere: str, today: date) -> Seasons:
    """All first sightings on record: of cases where their plants stood then, and those
    noted by hand or from a file.
    """
    places = {p.id: p for p in cases.places(session)}
    raw: dict[tuple[str, int], dict[int, Seen]] = {}
    moved: list[tuple[str, int, Seen]] = []
    finds = [(row, on, stood(row.plant, on)) for row, on in season.first_finds(session)]
    for row, on, place in finds:
        known = place is not None and row.pest_id in catalogue.records
        if known and place is not None and not _lingered(row, on, place, finds):
            seen = Seen(on, None, row.plant, row.id)
            _note(raw, row.pest_id, place, hemisphere, seen)
            moved += [(row.pest_id, to, seen) for to in _moved_to(row.plant, place, on)]
    for one in season.sightings(session):
        if one.pest_id in catalogue.records:
            seen = Seen(one.seen_on, one.heat, source=one.source)
            _note(raw, one.pest_id, one.place_id, hemisphere, seen)
    for pest_id, to, seen in moved:
        if (year := season_of(hemisphere, seen.on)) < season_of(hemisphere, today):
            raw.setdefault((pest_id, to), {}).setdefault(year, replace(seen, moved=True))
    warmth = year_warmth.Warmths(session, places, today)
    return Seasons(hemisphere, places, warmth, raw, season.preventions(session))


def _moved_to(plant: Plant, place_id: int, on: date) -> list[int]:
    """The place to which a plant was moved for good since a day, if it was. One that goes to
    and fro is expected to be back where it stood.
    """
    now = plant.stays[-1].place_id if plant.stays and plant.gone_on is None else place_id
    before = {s.place_id for s in plant.stays if s.since_on <= on}
    return [] if now == place_id or now in before else [now]


def _lingered(
    row: PestCase, on: date, place: int, finds: Sequence[tuple[PestCase, date, int | None]]
) -> bool:
    """Whether the pest was there already: another case of it at that place was open then, or
    closed only lately.
    """
    return any(
        other.id != row.id
        and other.pest_id == row.pest_id
        and there == place
        and begun < on
        and (other.closed_at is None or on - other.closed_at.date() <= LINGERS)
        for other, begun, there in finds
    )


def stood(plant: Plant, on: date) -> int | None:
    """The place at which a plant stood on a day. None where it never had one."""
    stays = [s for s in plant.stays if s.since_on <= on] or plant.stays[:1]
    return stays[-1].place_id if stays else None


def _note(
    raw: dict[tuple[str, int], dict[int, Seen]],
    pest_id: str,
    place_id: int,
    hemisphere: str,
    seen: Seen,
) -> None:
    """Keep the earliest sighting of each season."""
    years = raw.setdefault((pest_id, place_id), {})
    year = season_of(hemisphere, seen.on)
    if year not in years or seen.on < years[year].on:
        years[year] = seen


def of_season(catalogue: Catalogue, known: Seasons, year: int, today: date) -> list[Arrival]:
    """The forecasts of a season, by the day on which prevention begins. What was found is
    judged by the forecast as it stood when prevention began.
    """
    if year not in known.forecasts:
        known.forecasts[year] = _of_season(catalogue, known, year, today)
    return known.forecasts[year]


def _of_season(catalogue: Catalogue, known: Seasons, year: int, today: date) -> list[Arrival]:
    out = []
    for (pest_id, place_id), years in known.first.items():
        earlier = {y: seen for y, seen in sorted(years.items()) if y < year}
        if not earlier:
            continue
        warmth, bounds = known.warmth[place_id], thresholds(catalogue, pest_id)
        rows = [_core(known, one, warmth, bounds) for one in earlier.values()]
        band = arrival.forecast(rows, warmth.sums(year, *bounds))
        assert band is not None
        first = biofix(known.hemisphere, year)
        begun = floor(band.begin)
        if today >= first + timedelta(days=begun):
            band = arrival.forecast(rows, warmth.sums(year, *bounds, max(begun, 0))) or band
        out.append(_arrival(known, (pest_id, place_id, year), band, earlier))
    return sorted(out, key=lambda a: (a.begin, a.pest_id))


def _core(
    known: Seasons, seen: Seen, warmth: PlaceWarmth, bounds: tuple[float, float]
) -> arrival.Sighting:
    if seen.moved:
        return arrival.Sighting(day_of(known.hemisphere, seen.on), None)
    heat = seen.heat if seen.heat is not None else warmth.heat(seen.on, *bounds)
    return arrival.Sighting(day_of(known.hemisphere, seen.on), heat)


def _arrival(
    known: Seasons, key: tuple[str, int, int], band: Band, earlier: Mapping[int, Seen]
) -> Arrival:
    pest_id, place_id, year = key
    first = biofix(known.hemisphere, year)
    days = (band.begin, band.early, band.likely, band.late)
    begin, early, likely, late = (first + timedelta(days=floor(d)) for d in days)
    return Arrival(
        pest_id,
        known.places[place_id],
        year,
        begin,
        early,
        likely,
        late,
        band.by_heat,
        tuple(earlier.values()),
        known.first[pest_id, place_id].get(year),
    )


def ahead(desk: Desk) -> list[Arrival]:
    """The forecasts that matter now: of this season what is not over, and of the next."""
    known = seasons(desk.session, desk.catalogue, desk.prefs.hemisphere, desk.today)
    return ahead_of(desk, known)


def ahead_of(desk: Desk, known: Seasons) -> list[Arrival]:
    """The same, where the seasons are at hand: the next one of each pest at each place."""
    this = season_of(desk.prefs.hemisphere, desk.today)
    out: dict[tuple[str, int], Arrival] = {}
    for year in (this, this + 1):
        for one in of_season(desk.catalogue, known, year, desk.today):
            over = one.state(desk.today) in ("found", "over")
            if not over:
                out.setdefault((one.pest_id, one.place.id), one)
    return sorted(out.values(), key=lambda a: (a.begin, a.pest_id))


def as_json(desk: Desk) -> dict[str, Any]:
    """The forecasts of the household by the contract."""
    return {
        "schema": 1,
        "forecasts": [
            {
                "pest": a.pest_id,
                "place": a.place.name,
                "begin_prevention": a.begin.isoformat(),
                "early": a.early.isoformat(),
                "likely": a.likely.isoformat(),
                "late": a.late.isoformat(),
                "from": "heat" if a.by_heat else "date",
                "years": len(a.seen),
                "seen": [s.on.isoformat() for s in a.seen],
            }
            for a in ahead(desk)
        ],
    }


def scored(desk: Desk, known: Seasons) -> Sequence[Arrival]:
    """The forecasts that came out, found or not, the newest first."""
    this = season_of(desk.prefs.hemisphere, desk.today)
    years = range(this, this - year_warmth.BACK_YEARS, -1)
    return [
        one
        for year in years
        for one in reversed(of_season(desk.catalogue, known, year, desk.today))
        if one.state(desk.today) in ("found", "over")
    ]
