"""The record: everything that was done and seen, plant by plant, to read, search and print."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date

from sqlalchemy import ColumnElement, select
from sqlalchemy.orm import InstrumentedAttribute, Session, selectinload

from brood.catalogue.holdings import Catalogue
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
    record, name = catalogue.records[row.pest_id], row.plant.name
    url, stages = (
        f"/cases/{row.id}",
        {**{s.id: s.plural for s in record.stage}, **dict(stage_choices(record))},
    )
    came = f", {ORIGINS[row.origin]}" if row.origin else ""
    yield Entry(
        row.created_at.date(), name, row.plant_id, "case", f"case opened: {record.name}{came}", url
    )
    if row.closed_at:
        yield Entry(
            row.closed_at.date(), name, row.plant_id, "case", f"case closed: {record.name}", url
        )
    for f in history.standing(row.findings):
        stage = stages.get(f.stage, f.stage)
        count = (
            f"{f.rough} of {stage}" if f.number is None else inspections.of_class(f.number, stage)
        )
        where = f", {f.location}" if f.location else ""
        yield Entry(
            f.found_on,
            name,
            row.plant_id,
            "find",
            f"{record.name}: {count.replace('few of', 'a few')}{where}",
            url,
        )
    for slot in row.applications:
        said = history.last_word(slot)
        if said is not None and said.outcome == EveningOutcome.DONE and said.done_on:
            note = f" {said.note}" if said.note else ""
            yield Entry(
                said.done_on,
                name,
                row.plant_id,
                "evening",
                f"{words.act_names(said.treatments, catalogue.treatments)}.{note}",
                url,
            )
        elif said is not None:
            yield Entry(slot.target_on, name, row.plant_id, "evening", "skipped", url)
    classes = inspections.class_names(record)
    for i in history.looks(row):
        vague = f" (give or take {i.spread_days} days)" if i.spread_days else ""
        yield Entry(
            i.looked_on,
            name,
            row.plant_id,
            "look",
            f"{record.name}: {follow_page.seen_said(i, classes)}{vague}",
            f"{url}/follow",
        )
    for card in (c for c in row.cards if c.withdrawn_at is None):
        yield Entry(
            card.placed_on,
            name,
            row.plant_id,
            "card",
            f"{card.colour} card placed",
            f"{url}/follow#cards",
        )
        for c in (c for c in card.counts if c.withdrawn_at is None):
            yield Entry(
                c.counted_on,
                name,
                row.plant_id,
                "card",
                f"{card.colour} card: {c.number} caught",
                f"{url}/follow#cards",
            )


def _apart(session: Session, plant_id: int | None) -> Iterator[Entry]:
    """What is kept outside cases: time apart, looks, events."""

    def only(column: InstrumentedAttribute[int]) -> list[ColumnElement[bool]]:
        return [column == plant_id] if plant_id else []

    for q in session.scalars(
        select(Quarantine).where(*only(Quarantine.plant_id)).options(selectinload(Quarantine.plant))
    ):
        yield Entry(
            q.since_on,
            q.plant.name,
            q.plant_id,
            "apart",
            f"kept apart: {REASONS[q.reason]}",
            f"/quarantine/{q.id}",
        )
        if q.released_on:
            yield Entry(
                q.released_on,
                q.plant.name,
                q.plant_id,
                "apart",
                "back in its place",
                f"/quarantine/{q.id}",
            )
    looks = (
        select(InspectionRecord)
        .where(
            InspectionRecord.case_id.is_(None),
            InspectionRecord.withdrawn_at.is_(None),
            *only(InspectionRecord.plant_id),
        )
        .options(selectinload(InspectionRecord.plant))
    )
    for i in session.scalars(looks):
        yield Entry(
            i.looked_on,
            i.plant.name,
            i.plant_id,
            "look",
            "looked over: nothing alive" if not i.live else f"looked over: {i.live:g} alive",
            f"/plants/{i.plant_id}",
        )
    for look in session.scalars(
        select(Look).where(*only(Look.plant_id)).options(selectinload(Look.plant))
    ):
        yield Entry(
            look.started_at.date(),
            look.plant.name,
            look.plant_id,
            "look",
            "looked over with questions",
            f"/looks/{look.id}/suspects",
        )
    for event in session.scalars(
        select(PlantEvent).where(PlantEvent.withdrawn_at.is_(None), *only(PlantEvent.plant_id))
    ):
        plant = session.get(Plant, event.plant_id)
        if plant is not None:
            note = f": {event.note}" if event.note else ""
            yield Entry(
                event.on,
                plant.name,
                plant.id,
                "event",
                f"{EVENTS[event.kind]}{note}",
                f"/plants/{plant.id}",
            )
