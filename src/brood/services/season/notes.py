"""What a keeper notes for the season: first sightings of earlier years, one by one or as a
table, and prevention that was begun.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.core.season.biofix import season_of
from brood.errors import FieldErrors, InputError
from brood.services.house import plant_states, plants
from brood.services.house.plant_states import StateCommand
from brood.services.season import arrivals
from brood.services.season.arrivals import Arrival
from brood.services.voice.desk import Desk
from brood.store.place_tables import Place
from brood.store.queries import cases, season
from brood.store.records import Prevention, Sighting

OLDEST_YEARS, MOST_ROWS, MOST_HEAT = 30, 500, 20_000.0


@dataclass(frozen=True)
class SightingCommand:
    """A first sighting: of which pest, where, on which day, with the degree-days up to it
    where they were noted.
    """

    pest_id: str
    place_id: int
    on: date
    heat: float | None = None
    note: str = ""


def add(session: Session, said: SightingCommand, *, source: str = "hand", now: datetime) -> int:
    """Keep a sighting; its id. The same one again is kept once. Raises FieldErrors."""
    place = cases.place(session, said.place_id)
    if said.on > now.date():
        raise FieldErrors({"on": "That day has not come yet."})
    if said.on.year < now.year - OLDEST_YEARS:
        raise FieldErrors({"on": f"Not more than {OLDEST_YEARS} years back."})
    for row in season.sightings(session):
        same = (row.pest_id, row.place_id, row.seen_on) == (said.pest_id, place.id, said.on)
        if same:
            row.heat = said.heat if said.heat is not None else row.heat
            row.note = said.note or row.note
            return row.id
    kept = Sighting(
        pest_id=said.pest_id,
        place_id=place.id,
        seen_on=said.on,
        heat=said.heat,
        note=said.note,
        source=source,
        recorded_at=now,
    )
    session.add(kept)
    session.flush()
    return kept.id


def withdraw(session: Session, sighting_id: int, now: datetime) -> Sighting:
    """Take a sighting back."""
    row = season.sighting(session, sighting_id)
    row.withdrawn_at = row.withdrawn_at or now
    return row


def restore(session: Session, sighting_id: int) -> Sighting:
    """Let a sighting that was taken back stand again."""
    row = season.sighting(session, sighting_id)
    row.withdrawn_at = None
    return row


@dataclass(frozen=True)
class TableResult:
    """What became of a table: how many rows are new, and why others were refused."""

    kept: int
    known: int
    refused: tuple[str, ...]


def take_table(session: Session, catalogue: Catalogue, data: bytes, now: datetime) -> TableResult:
    """Keep the rows of a table `date,pest,place[,degree_days[,note]]`. A pest is named as in
    the field guide or by its id, a place as in the household. Raises InputError for a table
    without a row that can be kept.
    """
    rows = list(csv.reader(io.StringIO(data.decode("utf-8-sig", "replace"))))
    if len(rows) > MOST_ROWS:
        raise InputError(f"At most {MOST_ROWS} rows at a time.", field="file", value=len(rows))
    pests, places = _pest_names(catalogue), {p.name.casefold(): p for p in cases.places(session)}
    before = {row.id for row in season.sightings(session)}
    kept, known, refused = 0, 0, []
    for number, cells in enumerate(rows, 1):
        if not any(cell.strip() for cell in cells) or (number == 1 and cells[0] == "date"):
            continue
        try:
            said = _read(cells, pests, places)
            new = add(session, said, source="file", now=now)
        except InputError as error:
            refused.append(f"Row {number}: {error.message}")
        except FieldErrors as error:
            refused.append(f"Row {number}: {' '.join(error.by_field.values())}")
        else:
            kept, known = kept + (new not in before), known + (new in before)
            before.add(new)
    if not kept and not known:
        raise InputError(
            " ".join(refused[:3]) or "The table has no row.",
            field="file",
            allowed="2025-06-03,two-spotted spider mite,Balcony,310",
        )
    return TableResult(kept, known, tuple(refused))


def _pest_names(catalogue: Catalogue) -> dict[str, str]:
    names = {pest_id: pest_id for pest_id in catalogue.records}
    for pest_id, record in catalogue.records.items():
        for name in (record.name, record.plural, record.scientific):
            names.setdefault(name.casefold(), pest_id)
    return names


def _read(cells: Sequence[str], pests: dict[str, str], places: dict[str, Place]) -> SightingCommand:
    """A row of the table. Raises InputError."""
    cells = [cell.strip() for cell in cells] + [""] * 5
    try:
        on = date.fromisoformat(cells[0])
    except ValueError:
        raise InputError("The date is not one; write it as 2025-06-03.", field="file") from None
    pest, place = pests.get(cells[1].casefold()), places.get(cells[2].casefold())
    if pest is None:
        raise InputError(f"There is no pest '{cells[1][:40]}' in the field guide.", field="file")
    if place is None:
        raise InputError(f"There is no place '{cells[2][:40]}'.", field="file")
    try:
        heat = float(cells[3]) if cells[3] else None
    except ValueError:
        heat = -1.0
    if heat is not None and not 0 <= heat <= MOST_HEAT:
        raise InputError("The degree-days are not a number of 0 or more.", field="file")
    return SightingCommand(pest, place.id, on, heat, cells[4][:200])


def begin(desk: Desk, pest_id: str, place_id: int, kind: str) -> int:
    """Note that prevention was begun, or left out, for what is expected at a place; the id
    of the note. What then lasts on a plant begins on the plants that may get the pest.
    """
    one = expected(desk, pest_id, place_id)
    year = one.season if one else season_of(desk.prefs.hemisphere, desk.today)
    for row in season.preventions(desk.session):
        if (row.pest_id, row.place_id, row.season) == (pest_id, place_id, year):
            if kind == "begun" and row.kind != "begun":
                _begin_states(desk, pest_id, place_id)
            row.kind = kind
            return row.id
    kept = Prevention(
        pest_id=pest_id,
        place_id=place_id,
        season=year,
        kind=kind,
        on=desk.today,
        recorded_at=desk.moment,
    )
    desk.session.add(kept)
    desk.session.flush()
    if kind == "begun":
        _begin_states(desk, pest_id, place_id)
    return kept.id


def _begin_states(desk: Desk, pest_id: str, place_id: int) -> None:
    """Begin what lasts against a pest on the plants of a place that may get it."""
    how = desk.catalogue.prevention[desk.catalogue.records[pest_id].group]
    if how.state is None:
        return
    for plant in cases.standing_at(desk.session, place_id):
        if plants.susceptible(desk.catalogue, plant, pest_id):
            said = StateCommand(how.state, desk.today, None)
            plant_states.begin(
                desk.session, desk.catalogue, plant.id, said, desk.speech, now=desk.moment
            )


def take_back(session: Session, prevention_id: int, now: datetime) -> None:
    """Withdraw what was noted of prevention. What lasts on plants is ended there."""
    row = season.prevention(session, prevention_id)
    row.withdrawn_at = row.withdrawn_at or now


def expected(desk: Desk, pest_id: str, place_id: int) -> Arrival | None:
    """The next forecast of a pest at a place."""
    return next(
        (a for a in arrivals.ahead(desk) if (a.pest_id, a.place.id) == (pest_id, place_id)), None
    )
