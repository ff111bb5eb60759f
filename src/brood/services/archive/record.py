"""The record: everything that was done and seen, plant by plant, to read, search and print."""

from __future__ import annotations

from collections.abc import Iterator
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
from brood.store.records import PlantEvent, Quarantine
from brood.store.states import EveningOutcome
from brood.store.tables import Application, InspectionRecord, Look, PestCase, Plant, Stay

KINDS = {
    "case": "cases",
    "find": "finds",
    "evening": "evenings",
    "look": "looks",
    "card": "cards",
    "move": "moves",
    "apart": "kept apart",
    "event": "what befell it",
}
PAGE = 120


@dataclass(frozen=True)
class Entry:
    """One line of the record."""

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
    session: Session,
    catalogue: Catalogue,
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
        for e in _entries(session, catalogue, plant_id)
        if (not kind or e.kind == kind)
        and all(w in f"{e.plant} {e.text}".casefold() for w in wanted)
    ]
    found.sort(key=lambda e: (e.on, e.plant), reverse=True)
    rest = skip + PAGE if len(found) > skip + PAGE else None
    return RecordResult(tuple(found[skip : skip + PAGE]), len(found), rest)


def _entries(session: Session, catalogue: Catalogue, plant_id: int | None) -> Iterator[Entry]:
    query = select(PestCase).options(
        selectinload(PestCase.plant),
        selectinload(PestCase.findings),
        selectinload(PestCase.applications).selectinload(Application.records),
        selectinload(PestCase.inspections),
        selectinload(PestCase.cards),
    )
    for row in session.scalars(
        query if plant_id is None else query.where(PestCase.plant_id == plant_id)
    ):
        yield from _of_case(catalogue, row)
    for stay in session.scalars(
        select(Stay)
        .options(selectinload(Stay.place))
        .where(*([Stay.plant_id == plant_id] if plant_id else []))
    ):
        plant = session.get(Plant, stay.plant_id)
        if plant is not None:
            yield Entry(
                stay.since_on,
                plant.name,
                plant.id,
                "move",
                f"stands in: {stay.place.name}",
                f"/plants/{plant.id}",
            )
    yield from _apart(session, plant_id)


def _of_case(catalogue: Catalogue, row: PestCase) -> Iterator[Entry]:
    for on, kind, text, part in _lines(catalogue, row):
        yield Entry(on, row.plant.name, row.plant_id, kind, text, f"/cases/{row.id}{part}")


Line = tuple[date, str, str, str]
"""A line of a case: day, kind, words, and the part of the case's address."""


def _lines(catalogue: Catalogue, row: PestCase) -> Iterator[Line]:
    name = catalogue.records[row.pest_id].name
    came = f", {ORIGINS[row.origin]}" if row.origin else ""
    yield row.created_at.date(), "case", f"case opened: {name}{came}", ""
    if row.closed_at:
        yield row.closed_at.date(), "case", f"case closed: {name}", ""
    yield from _finds(catalogue.records[row.pest_id], row)
    yield from _evenings(catalogue, row)
    classes = inspections.class_names(catalogue.records[row.pest_id])
    for look in history.looks(row):
        vague = f" (give or take {look.spread_days} days)" if look.spread_days else ""
        seen = follow_page.seen_said(look, classes)
        yield look.looked_on, "look", f"{name}: {seen}{vague}", "/follow"
    yield from _cards(row)


def _finds(record: PestRecord, row: PestCase) -> Iterator[Line]:
    stages = {**{s.id: s.plural for s in record.stage}, **dict(stage_choices(record))}
    for find in history.standing(row.findings):
        stage = stages.get(find.stage, find.stage)
        rough = f"{find.rough} of {stage}".replace("few of", "a few")
        count = rough if find.number is None else inspections.of_class(find.number, stage)
        where = f", {find.location}" if find.location else ""
        yield find.found_on, "find", f"{record.name}: {count}{where}", ""


def _evenings(catalogue: Catalogue, row: PestCase) -> Iterator[Line]:
    for slot in row.applications:
        said = history.last_word(slot)
        if said is not None and said.outcome == EveningOutcome.DONE and said.done_on:
            note = f" {said.note}" if said.note else ""
            acts = words.act_names(said.treatments, catalogue.treatments)
            yield said.done_on, "evening", f"{acts}.{note}", ""
        elif said is not None:
            yield slot.target_on, "evening", "skipped", ""


def _cards(row: PestCase) -> Iterator[Line]:
    for card in (c for c in row.cards if c.withdrawn_at is None):
        yield card.placed_on, "card", f"{card.colour} card placed", "/follow#cards"
        for count in (c for c in card.counts if c.withdrawn_at is None):
            caught = f"{card.colour} card: {count.number} caught"
            yield count.counted_on, "card", caught, "/follow#cards"


def _apart(session: Session, plant_id: int | None) -> Iterator[Entry]:
    """What is kept outside cases: time apart, looks, events."""
    yield from _time_apart(session, plant_id)
    yield from _looks(session, plant_id)
    events = select(PlantEvent).where(
        PlantEvent.withdrawn_at.is_(None), *_only(PlantEvent.plant_id, plant_id)
    )
    for event in session.scalars(events):
        plant = session.get(Plant, event.plant_id)
        if plant is not None:
            text = EVENTS[event.kind] + (f": {event.note}" if event.note else "")
            yield Entry(event.on, plant.name, plant.id, "event", text, f"/plants/{plant.id}")


def _only(column: InstrumentedAttribute[int], plant_id: int | None) -> list[ColumnElement[bool]]:
    return [column == plant_id] if plant_id else []


def _time_apart(session: Session, plant_id: int | None) -> Iterator[Entry]:
    kept = select(Quarantine).where(*_only(Quarantine.plant_id, plant_id))
    for q in session.scalars(kept.options(selectinload(Quarantine.plant))):
        name, url = q.plant.name, f"/quarantine/{q.id}"
        yield Entry(q.since_on, name, q.plant_id, "apart", f"kept apart: {REASONS[q.reason]}", url)
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
        yield Entry(i.looked_on, i.plant.name, i.plant_id, "look", f"looked over: {seen}", url)
    asked = select(Look).where(*_only(Look.plant_id, plant_id)).options(selectinload(Look.plant))
    for look in session.scalars(asked):
        on, url = look.started_at.date(), f"/looks/{look.id}/suspects"
        name = look.plant.name
        yield Entry(on, name, look.plant_id, "look", "looked over with questions", url)
