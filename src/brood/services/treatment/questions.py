"""What is still to be told of a plant under treatment: one question at a time, each with
what its answer would change.
"""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from brood.services.cases.beside import stay_of
from brood.services.house import who_lives_here
from brood.services.house.plants import EATEN
from brood.services.treatment.first_plan import UNNAMED
from brood.store.tables import PestCase


@dataclass(frozen=True)
class Question:
    """A question, what its answer changes, and where it is answered."""

    asks: str
    changes: str
    answer: str
    url: str


def of_case(session: Session, row: PestCase) -> Question | None:
    """The next question. None where everything is told, or the case is closed."""
    if row.closed_at is not None:
        return None
    plant, stay = row.plant, stay_of(row.plant)
    if not who_lives_here.load(session).told:
        return Question(
            "Who lives with you?",
            "Until you tell, what harms cats, fish or children is left out.",
            "Say who",
            "/household",
        )
    if stay is not None and stay.place.name.startswith(UNNAMED):
        return Question(
            "Where does it stand?",
            "With your own readings of the warmth the dates may move by some days.",
            "Name the place",
            f"/places/{stay.place_id}/edit",
        )
    if plant.eaten == "" and (plant.kind in EATEN or not plant.kind):
        return Question(
            "Do you eat of it?",
            "Until you tell, no home mix is planned for it.",
            "Say whether",
            f"/plants/{plant.id}/edit",
        )
    if plant.size == "":
        return Question(
            "How big is it?",
            "The amount of mix and the minutes follow from that.",
            "Say how big",
            f"/plants/{plant.id}/edit",
        )
    return None
