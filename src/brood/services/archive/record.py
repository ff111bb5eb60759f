"""The record: everything that was done and seen, plant by plant, to read, search and print."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import date

from sqlalchemy import ColumnElement, select
from sqlalchemy.orm import InstrumentedAttribute, Session, selectinload

from brood.catalogue.holdings import Catalogue
from brood.catalogue.schema import PestRecord
from brood.services.cases import history
from brood.services.cases.commands import ORIGINS, stage_choices
from brood.services.followup import follow_page, inspections
from brood.services.house.events import EVENTS
from brood.services.house.quarantine import REASONS
from brood.services.voice import words
from brood.services.voice.desk import Desk
from brood.store.place_tables import Place
from brood.store.queries import cases, said, season
from brood.store.records import PlantEvent, Quarantine
from brood.store.tables import InspectionRecord, Look, PestCase, Plant, PlantState, Stay

KINDS = {
    "case": "cases",
    "find": "finds",
    "evening": "evenings",
    "look": "looks",
    "card": "cards",
    "dates": "why dates moved",
    "move": "moves",
    "apart": "kept away from the others",
    "season": "what keeps pests off, and what came in",
    "event": "other events",
}
PAGE = 50


@dataclass(frozen=True)
class Entry:
    """One line of the record, of a plant or (with 0 as its number) of a place."""

    on: date
    plant: str
    plant_id: int
    kind: str
    text: str
    url: str


@dataclass(frozen=True)
class RecordResult:
    """A page of the record, newest first. `more` is the day from which older lines go
    on, `total` how many there are in all.
    """

    entries: tuple[Entry, ...]
    total: int
    older: int | None


def build(
    desk: Desk,
    *,
    plant_id: int | None = None,
    kind: str = "",
    text: str = "",
    skip: int = 0,
) -> RecordResult:
    """The lines that match a plant, a kind and some words."""
    wanted = text.casefold().split()
    found = [
        e
        for e in _entries(desk, plant_id)
        if (not kind or e.kind == kind)
        and all(w in f"{e.plant} {e.text}".casefold() for w in wanted)
    ]
    found.sort(key=lambda e: (e.on, e.plant), reverse=True)
    rest = skip + PAGE if len(found) > skip + PAGE else None
    return RecordResult(tuple(found[skip : skip + PAGE]), len(found), rest)


def _entries(desk: Desk, plant_id: int | None) -> Iterator[Entry]:
    session = desk.session
    query = select(PestCase).options(
        selectinload(PestCase.plant),
        selectinload(PestCase.findings),
        selectinload(PestCase.changes),
    )
    rows = session.scalars(query.where(*_only(PestCase.plant_id, plant_id))).all()
    work = _work(desk, {row.id: row for row in rows}, plant_id)
    for row in rows:
        for on, kind, text, part in (*_lines(desk, row), *work.get(row.id, ())):
            yield Entry(on, row.plant.name, row.plant_id, kind, text, f"/cases/{row.id}{part}")
    moves = (
        select(Stay.since_on, Plant.id, Plant.name, Place.name)
        .join(Plant, Plant.id == Stay.plant_id)
        .join(Place, Place.id == Stay.place_id)
        .where(*_only(Stay.plant_id, plant_id))
    )
    for on, number, name, place in session.execute(moves):
        yield Entry(on, name, number, "move", f"stands in: {place}", f"/plants/{number}")
    yield from _apart(session, plant_id)
    yield from _states(desk, plant_id)
    if plant_id is None:
        yield from _season(desk)


Line = tuple[date, str, str, str]
"""A line of a case: day, kind, words, and the part of the case's address."""


def _lines(desk: Desk, row: PestCase) -> Iterator[Line]:
    catalogue = desk.catalogue
    name = catalogue.records[row.pest_id].name
    came = f", {ORIGINS[row.origin]}" if row.origin else ""
    yield row.created_at.date(), "case", f"case opened: {name}{came}", ""
    if row.closed_at:
        yield row.closed_at.date(), "case", f"case closed: {name}", ""
    yield from _finds(catalogue.records[row.pest_id], row)
    for change in row.changes:
        on = change.at.date()
        moved = words.moved(change.parts, change.before, change.after, on, desk.speech)
        yield on, "dates", f"{name}: {moved}", "#dates"


def _finds(record: PestRecord, row: PestCase) -> Iterator[Line]:
    stages = {**{s.id: s.plural for s in record.stage}, **dict(stage_choices(record))}
    for find in history.standing(row.findings):
        stage = stages.get(find.stage, find.stage)
        rough = f"{find.rough} of {stage}".replace("few of", "a few")
        count = rough if find.number is None else inspections.of_class(find.number, stage)
        where = f", {find.location}" if find.location else ""
        yield find.found_on, "find", f"{record.name}: {count}{where}", ""


def _work(desk: Desk, rows: Mapping[int, PestCase], plant_id: int | None) -> dict[int, list[Line]]:
    """The evenings, looks and cards, by case."""
    out: dict[int, list[Line]] = {}
    for word in said.last_words(desk.session, plant_id):
        out.setdefault(word.case_id, []).append(_evening(desk.catalogue, word))
    records = {n: desk.catalogue.records[row.pest_id] for n, row in rows.items()}
    classes = {record.id: inspections.class_names(record) for record in records.values()}
    for look in said.looks(desk.session, plant_id):
        record = records[look.case_id]
        vague = f" (give or take {look.spread_days} days)" if look.spread_days else ""
        seen = follow_page.seen_said(look.counts, classes[record.id])
        line = (look.looked_on, "look", f"{record.name}: {seen}{vague}", "/follow")
        out.setdefault(look.case_id, []).append(line)
    for card in said.cards(desk.session, plant_id):
        what = "placed" if card.number is None else f"{card.number} caught"
        mark = "" if card.number is None else ":"
        line = (card.on, "card", f"{card.colour} card{mark} {what}", "/follow#cards")
        out.setdefault(card.case_id, []).append(line)
    return out


def _evening(catalogue: Catalogue, word: said.Word) -> Line:
    if word.day is None:
        return word.target_on, "evening", "skipped", ""
    note = f" {word.note}" if word.note else ""
    acts = words.act_names(word.treatments, catalogue.treatments)
    return word.day, "evening", f"{acts}.{note}", ""


def _apart(session: Session, plant_id: int | None) -> Iterator[Entry]:
    """What is kept outside cases: time apart, looks, events."""
    yield from _time_apart(session, plant_id)
    yield from _looks(session, plant_id)
    events = select(PlantEvent).where(
        PlantEvent.withdrawn_at.is_(None), *_only(PlantEvent.plant_id, plant_id)
    )
    named = select(Plant.id, Plant.name).where(*_only(Plant.id, plant_id))
    names = dict(session.execute(named).all())
    for event in session.scalars(events):
        text = EVENTS[event.kind] + (f": {event.note}" if event.note else "")
        number = event.plant_id
        yield Entry(event.on, names[number], number, "event", text, f"/plants/{number}")


def _states(desk: Desk, plant_id: int | None) -> Iterator[Entry]:
    """What was begun on plants to keep pests off, or was noticed to last on them."""
    query = select(PlantState).where(
        PlantState.withdrawn_at.is_(None), *_only(PlantState.plant_id, plant_id)
    )
    for row in desk.session.scalars(query.options(selectinload(PlantState.plant))):
        record = desk.catalogue.states.get(row.kind)
        text = (record.name if record else row.kind) + (f": {row.note}" if row.note else "")
        url = f"/plants/{row.plant_id}#states"
        yield Entry(row.since_on, row.plant.name, row.plant_id, "season", text, url)


def _season(desk: Desk) -> Iterator[Entry]:
    """What was noted of places: prevention, first sightings, and what came in."""
    places = {place.id: place.name for place in cases.places(desk.session)}
    for begun in season.preventions(desk.session):
        what = "prevention begun" if begun.kind == "begun" else "prevention left out"
        text = f"{what}: {desk.catalogue.name(begun.pest_id)}"
        yield Entry(begun.on, places[begun.place_id], 0, "season", text, "/season")
    for seen in season.sightings(desk.session):
        text = f"first seen: {desk.catalogue.name(seen.pest_id)}"
        yield Entry(seen.seen_on, places[seen.place_id], 0, "season", text, "/season/sightings")
    for row in season.ways_in(desk.session):
        record = desk.catalogue.ways_in.get(row.kind)
        if row.plant_id is None and record is not None:
            text = f"{row.note or record.name}: came in"
            yield Entry(row.on, places[row.place_id], 0, "season", text, "/season/came-in")


def _only(column: InstrumentedAttribute[int], plant_id: int | None) -> list[ColumnElement[bool]]:
    return [column == plant_id] if plant_id else []


def _time_apart(session: Session, plant_id: int | None) -> Iterator[Entry]:
    kept = select(Quarantine).where(*_only(Quarantine.plant_id, plant_id))
    for q in session.scalars(kept.options(selectinload(Quarantine.plant))):
        name, url = q.plant.name, f"/quarantine/{q.id}"
        yield Entry(
            q.since_on,
            name,
            q.plant_id,
            "apart",
            f"kept away from the others: {REASONS[q.reason]}",
            url,
        )
        if q.released_on:
            yield Entry(q.released_on, name, q.plant_id, "apart", "back in its place", url)


def _looks(session: Session, plant_id: int | None) -> Iterator[Entry]:
    """Looks that belong to no case: with counts, and with questions."""
    counted = select(InspectionRecord).where(
        InspectionRecord.case_id.is_(None),
        InspectionRecord.withdrawn_at.is_(None),
        *_only(InspectionRecord.plant_id, plant_id),
    )
    for i in session.scalars(counted.options(selectinload(InspectionRecord.plant))):
        seen = f"{i.live:g} alive" if i.live else "nothing alive"
        url = f"/plants/{i.plant_id}"
        yield Entry(i.looked_on, i.plant.name, i.plant_id, "look", f"checked: {seen}", url)
    asked = select(Look).where(*_only(Look.plant_id, plant_id)).options(selectinload(Look.plant))
    for look in session.scalars(asked):
        on, url = look.started_at.date(), f"/looks/{look.id}/suspects"
        name = look.plant.name
        yield Entry(on, name, look.plant_id, "look", "checked with questions", url)
