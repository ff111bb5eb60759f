"""What was said of evenings, looks and cards, of all cases at once and without their rows."""

from __future__ import annotations

from datetime import date
from typing import Any, NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from brood.store.states import EveningOutcome
from brood.store.tables import (
    Application,
    ApplicationRecord,
    Card,
    CardCount,
    InspectionRecord,
    PestCase,
)


class Word(NamedTuple):
    """The last word on an evening: newer ones replace it, withdrawn ones do not count."""

    case_id: int
    target_on: date
    outcome: str
    done_on: date | None
    treatments: list[str]
    note: str
    minutes: int | None

    @property
    def day(self) -> date | None:
        """The day on which it was done. None where it was skipped."""
        return self.done_on if self.outcome == EveningOutcome.DONE else None


def last_words(session: Session, plant_id: int | None = None) -> list[Word]:
    """The last word on every evening of which something was said."""
    query = (
        select(
            Application.id,
            Application.case_id,
            Application.target_on,
            ApplicationRecord.outcome,
            ApplicationRecord.done_on,
            ApplicationRecord.treatments,
            ApplicationRecord.note,
            ApplicationRecord.minutes,
        )
        .join(ApplicationRecord, ApplicationRecord.application_id == Application.id)
        .where(ApplicationRecord.withdrawn_at.is_(None))
        .order_by(ApplicationRecord.id)
    )
    found = {row[0]: Word(*row[1:]) for row in session.execute(_of(query, Application, plant_id))}
    return list(found.values())


class Seen(NamedTuple):
    """A look at a case that stands."""

    case_id: int
    looked_on: date
    spread_days: int
    counts: list[dict[str, object]]


def looks(session: Session, plant_id: int | None = None) -> list[Seen]:
    """The looks at cases that stand."""
    query = select(
        InspectionRecord.case_id,
        InspectionRecord.looked_on,
        InspectionRecord.spread_days,
        InspectionRecord.counts,
    ).where(InspectionRecord.withdrawn_at.is_(None), InspectionRecord.case_id.is_not(None))
    return [Seen(*row) for row in session.execute(_of(query, InspectionRecord, plant_id))]


class Caught(NamedTuple):
    """A card of a case that was counted, or that was placed (no number)."""

    case_id: int
    colour: str
    on: date
    number: int | None


def cards(session: Session, plant_id: int | None = None) -> list[Caught]:
    """The cards of cases that stand: when they were placed, and what was counted."""
    placed = select(Card.case_id, Card.colour, Card.placed_on).where(Card.withdrawn_at.is_(None))
    counted = (
        select(Card.case_id, Card.colour, CardCount.counted_on, CardCount.number)
        .join(CardCount, CardCount.card_id == Card.id)
        .where(Card.withdrawn_at.is_(None), CardCount.withdrawn_at.is_(None))
    )
    return [
        *(Caught(a, b, c, None) for a, b, c in session.execute(_of(placed, Card, plant_id))),
        *(Caught(*row) for row in session.execute(_of(counted, Card, plant_id))),
    ]


def _of(query: Any, table: Any, plant_id: int | None) -> Any:
    """A query for the cases of one plant, where one is given."""
    if plant_id is None:
        return query
    return query.join(PestCase, PestCase.id == table.case_id).where(PestCase.plant_id == plant_id)
