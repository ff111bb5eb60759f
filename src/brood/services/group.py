"""What belongs to a case besides its dates: further plants, where it came from."""

from __future__ import annotations

from datetime import date

from sqlalchemy.orm import Session

from brood.errors import NotFound
from brood.services import counted
from brood.store.queries import cases
from brood.store.records import Card, CasePlant

ORIGINS = {
    "": "not known",
    "newcomer": "came with a new plant",
    "neighbour": "from a plant beside it",
    "outside": "from outdoors, a window or clothing",
    "produce": "with cut flowers or produce",
    "survived": "it never quite went",
}


def join(session: Session, case_id: int, plant_id: int, on: date) -> None:
    """A case stands for another plant too; the same plant once only."""
    row, plant = cases.case(session, case_id), cases.plant(session, plant_id)
    if plant.id == row.plant_id or any(m.plant_id == plant.id for m in counted.members(row)):
        return
    row.members.append(CasePlant(plant_id=plant.id, joined_on=on))


def leave(session: Session, case_id: int, plant_id: int, on: date) -> None:
    """A plant is no longer part of a case."""
    for member in counted.members(cases.case(session, case_id)):
        if member.plant_id == plant_id:
            member.left_on = on


def came_from(session: Session, case_id: int, kind: str, note: str) -> None:
    """Where a case came from."""
    row = cases.bare_case(session, case_id)
    row.origin, row.origin_note = kind, note


def case_of_card(session: Session, card_id: int) -> int:
    """The case that a card hangs in; raises NotFound."""
    card = session.get(Card, card_id)
    if card is None or card.withdrawn_at is not None:
        raise NotFound("There is no such card.")
    return card.case_id
