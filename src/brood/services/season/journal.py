"""The journal: what came when, at what heat, what was tried, and how it came out, year
beside year.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from sqlalchemy import func, select

from brood.core.season.biofix import season_of
from brood.services.cases import effort, history
from brood.services.season import arrivals
from brood.services.season.arrivals import Arrival, Seasons, Seen
from brood.services.voice import words
from brood.services.voice.desk import Desk
from brood.services.voice.speech import hours, listed
from brood.store.place_tables import Place
from brood.store.records import Expense
from brood.store.tables import PestCase, Plant


@dataclass(frozen=True)
class Year:
    """One season of a pest at a place: the first sighting and its degree-days, the forecast
    that it is judged by, and the cases with which it was fought.
    """

    season: int
    seen: Seen
    heat: float | None
    forecast: Arrival | None
    cases: tuple[Fought, ...]


@dataclass(frozen=True)
class Fought:
    """A case: the plant, what was used, evenings, time and money, when it was over, and
    whether it came back.
    """

    row: PestCase
    acts: str
    evenings: int
    time: str
    spent: float
    closed_on: date | None
    came_back: bool


@dataclass(frozen=True)
class Chapter:
    """A pest at a place, with its years, the newest first."""

    pest_id: str
    pest: str
    place: Place
    years: tuple[Year, ...]
    said: str


def build(desk: Desk, pest_id: str = "", plant_id: int | None = None) -> list[Chapter]:
    """The journal: of all pests, or of one; of all plants, or of one."""
    known = arrivals.seasons(desk.session, desk.catalogue, desk.prefs.hemisphere, desk.today)
    judged = {one.key: one for one in arrivals.scored(desk, known)}
    money = _money(desk)
    out = []
    for (pest, place_id), years in known.first.items():
        rows = _cases(known, pest, place_id, desk)
        if pest_id not in ("", pest):
            continue
        if plant_id is not None and all(row.plant_id != plant_id for row in rows):
            continue
        chapter = [
            _year(desk, known, judged, (pest, place_id, year), seen, rows, money)
            for year, seen in sorted(years.items(), reverse=True)
            if not seen.moved
        ]
        if not chapter:
            continue
        out.append(
            Chapter(
                pest,
                desk.catalogue.records[pest].plural,
                known.places[place_id],
                tuple(chapter),
                _said(desk, desk.catalogue.records[pest].plural, known.places[place_id], chapter),
            )
        )
    return sorted(out, key=lambda c: (c.pest, c.place.name))


def _money(desk: Desk) -> dict[int, float]:
    query = (
        select(Expense.case_id, func.sum(Expense.amount))
        .where(Expense.withdrawn_at.is_(None), Expense.case_id.is_not(None))
        .group_by(Expense.case_id)
    )
    return {case_id: float(amount) for case_id, amount in desk.session.execute(query) if case_id}


def _cases(known: Seasons, pest_id: str, place_id: int, desk: Desk) -> list[PestCase]:
    """The cases of a pest on plants that stood at a place when it was found."""
    rows = desk.session.scalars(select(PestCase).where(PestCase.pest_id == pest_id)).all()
    return [row for row in rows if arrivals.stood(row.plant, row.created_at.date()) == place_id]


def _year(
    desk: Desk,
    known: Seasons,
    judged: Mapping[tuple[str, int, int], Arrival],
    key: tuple[str, int, int],
    seen: Seen,
    rows: Sequence[PestCase],
    money: Mapping[int, float],
) -> Year:
    pest_id, place_id, year = key
    bounds = arrivals.thresholds(desk.catalogue, pest_id)
    heat = seen.heat if seen.heat is not None else known.warmth[place_id].heat(seen.on, *bounds)
    mine = [row for row in rows if season_of(known.hemisphere, row.created_at.date()) == year]
    return Year(
        year,
        seen,
        heat,
        judged.get(key),
        tuple(_fought(desk, row, rows, money) for row in mine),
    )


def _fought(
    desk: Desk, row: PestCase, rows: Sequence[PestCase], money: Mapping[int, float]
) -> Fought:
    done = history.evenings_done(row)
    used = list(dict.fromkeys(act for record in done for act in record.treatments))
    told = [record.minutes for record in done if record.minutes is not None]
    minutes = sum(told) + sum(
        effort.evening(desk.catalogue, row, record.treatments)
        for record in done
        if record.minutes is None
    )
    closed = row.closed_at.date() if row.closed_at else None
    return Fought(
        row,
        words.act_names(used, desk.catalogue.treatments) if used else "",
        len(done),
        hours(round(minutes)) if done else "",
        money.get(row.id, 0.0),
        closed,
        closed is not None and _came_back(row.plant, row, rows),
    )


def _came_back(plant: Plant, row: PestCase, rows: Sequence[PestCase]) -> bool:
    """Whether the plant got the same pest again later."""
    return any(
        other.plant_id == plant.id
        and row.closed_at is not None
        and other.created_at > row.closed_at
        for other in rows
    )


def _said(desk: Desk, pest: str, place: Place, years: Sequence[Year]) -> str:
    """The years in a sentence."""
    parts = []
    for one in years[:3]:
        heat = f" at {desk.speech.heat(one.heat)}" if one.heat is not None else ""
        parts.append(f"on {desk.speech.day_year(one.seen.on)}{heat}")
    return f"{pest[:1].upper()}{pest[1:]} came to the {place.name.lower()} {listed(parts)}."
