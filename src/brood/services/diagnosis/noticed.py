"""The first screen of a look: what was noticed, by drawings and in one's own words."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.catalogue.sign_tables import DrawnSign
from brood.catalogue.signs import Observation, sizes_of
from brood.core.diagnosis import own_words
from brood.errors import FieldErrors
from brood.services.diagnosis import look_log
from brood.store.queries import looks as queries

OFFERED, LISTED, MOST_WORDS = 6, 12, 400
SOME = 2
"""So many of each other row are offered at most."""


@dataclass(frozen=True)
class Offered:
    """A sign that may be meant. `denied`: it was said that it is not there."""

    observation: Observation
    denied: bool


@dataclass(frozen=True)
class NoticedResult:
    """The first screen: the drawings, what was said in own words, and what that may mean:
    signs, places on the plant, sizes.
    """

    plant: str
    look_id: int
    drawn: tuple[DrawnSign, ...]
    words: str
    signs: tuple[Offered, ...]
    places: tuple[Offered, ...]
    sizes: tuple[Offered, ...]

    @property
    def found(self) -> bool:
        """Whether the words may mean anything."""
        return bool(self.signs or self.places or self.sizes)


def build(session: Session, catalogue: Catalogue, look_id: int, words: str = "") -> NoticedResult:
    """The first screen of a look. Raises NotFound."""
    row = queries.look(session, look_id)
    words = words[:MOST_WORDS]
    evidence, every = catalogue.evidence, catalogue.evidence.observations
    read = own_words.read(evidence.own_words, words, evidence.folk.places, LISTED)
    aside = {o.id for o in every.values() if o.theme in ("where", "size")}
    signs = [Offered(every[h.id], h.denied) for h in read.signs if h.id not in aside][:OFFERED]
    return NoticedResult(
        row.plant.name,
        row.id,
        tuple(evidence.folk.drawn),
        words,
        tuple(signs),
        tuple(Offered(every[key], denied=False) for key in read.places[:SOME]),
        tuple(Offered(every[key], denied=False) for key in _bins(read.length_mm)),
    )


def _bins(length_mm: float | None) -> list[str]:
    """The size of a length. Near an edge both bins beside it are offered."""
    return sizes_of(length_mm)[:SOME] if length_mm is not None else []


def keep(
    session: Session,
    catalogue: Catalogue,
    look_id: int,
    drawn: list[str],
    asked: dict[str, str],
    seen: list[str],
    unseen: list[str],
    *,
    now: datetime,
) -> int:
    """Keep what was noticed, and nothing that was not said: the drawings that were tapped,
    of those that ask the kind that was chosen, signs ticked as seen or as not seen. How
    many answers were kept. Raises FieldErrors where nothing was told.
    """
    signs = {d.id: d for d in catalogue.evidence.folk.drawn}
    wrong = {
        f"which-{key}": "Choose one from the list."
        for key, one in asked.items()
        if one and one not in (signs[key].asks if key in signs else ())
    }
    if wrong:
        raise FieldErrors(wrong)
    said = {o: "yes" for key in drawn if key in signs for o in signs[key].means}
    said |= {one: "yes" for key, one in asked.items() if key in drawn and one}
    said |= dict.fromkeys(seen, "yes") | dict.fromkeys(unseen, "no")
    if not said and not any(signs[key].asks for key in drawn if key in signs):
        raise FieldErrors({"signs": "Tap what you notice, or say it in your own words."})
    if said:
        look_log.answer(session, catalogue, look_id, said, now=now)
    return len(said)


def signs_json(catalogue: Catalogue, words: str) -> dict[str, Any]:
    """The observations that somebody's words may mean, by the contract."""
    hits = catalogue.evidence.own_words.search(words, LISTED)
    every = catalogue.evidence.observations
    return {
        "schema": 1,
        "observations": [
            {"id": h.id, "phrase": every[h.id].phrase, "score": h.score, "denied": h.denied}
            for h in hits
        ],
    }
