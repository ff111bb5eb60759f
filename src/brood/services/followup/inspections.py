"""Looking again at a known pest: what was counted on the plant and on cards."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy.orm import Session

from brood.catalogue.schema import PestRecord
from brood.core.biology.stage_classes import BY_DISPLAY, StageClass, class_of
from brood.errors import FieldErrors, NotFound
from brood.services.cases import assemble, pictures
from brood.services.voice.desk import Desk
from brood.store.queries import cases
from brood.store.tables import Card, CardCount, InspectionRecord, PestCase

SHARES = {"1": "all of it", "0.5": "about half", "0.25": "a quarter", "0.1": "a few leaves"}
HOW = {
    "glance": "at a glance",
    "usual": "leaf by leaf, undersides too",
    "lens": "leaf by leaf with a lens",
}
CLUES = {
    "": "not said",
    "moves": "moves",
    "wet": "wet when crushed",
    "holds": "holds fast, plump",
    "dry": "dry when crushed",
    "empty": "an empty shell",
}
GROWTH = {"": "did not look", "clean": "clean", "marked": "freshly marked"}
HONEYDEW = {"": "did not look", "none": "none", "fresh": "fresh, sticky"}
SMEARS = {
    "": "did not wipe",
    "none": "nothing on the cloth",
    "green": "green or brown",
    "red": "rust or red",
    "yellow": "yellow",
}
SPOTS = {
    "": "not said",
    "undersides": "undersides of leaves",
    "axils": "axils and joints",
    "new-growth": "only in new, folded leaves",
    "stems": "stems",
    "flowers": "flowers",
    "soil": "in or on the soil",
    "everywhere": "all over, many at once",
}
VAGUE = {
    "0": "exactly that day",
    "2": "give or take two days",
    "4": "about then, within four days",
    "7": "within a week or so",
}
AFTER_COUNT = {"": "left hanging", "fresh": "a fresh one hung", "gone": "taken away"}
"""What becomes of a card once it is counted."""
COLOURS = {"yellow": "yellow", "blue": "blue", "white": "white paper", "tape": "tape round a twig"}


@dataclass(frozen=True)
class CountCommand:
    """What was seen of a class: alive, dead, and the clue by which they were told apart."""

    kind: str
    live: float
    dead: float
    clue: str = ""


@dataclass(frozen=True)
class InspectCommand:
    """What the form of a look says. No counts mean that it found none."""

    looked_on: date
    counts: tuple[CountCommand, ...]
    share: float = 1.0
    thorough: str = "usual"
    spread_days: int = 0
    growth: str = ""
    honeydew: str = ""
    smear: str = ""
    spot: str = ""
    note: str = ""
    sent_key: str = ""
    plants: int = 0

    @property
    def live(self) -> float:
        """The number seen alive."""
        return sum(c.live for c in self.counts)


def class_names(record: PestRecord) -> dict[str, str]:
    """The classes that a keeper counts of a pest, with their names."""
    young = "larvae" if any(s.display == "larva" for s in record.stage) else "nymphs"
    if record.stage[1].id == "larva" and any(s.display == "nymph" for s in record.stage):
        young = "larvae and nymphs"
    names = {"egg": "eggs", "young": young, "pupa": "pupae", "adult": "adults"}
    there = {"adult", *(record_class(record, s.id) for s in record.stage)}
    return {kind: names[kind] for kind in StageClass if kind in there}


ONE = {
    "eggs": "egg",
    "larvae": "larva",
    "nymphs": "nymph",
    "larvae and nymphs": "larva or nymph",
    "pupae": "pupa",
    "adults": "adult",
}


def of_class(count: float, name: str) -> str:
    """A number with the name of its class: "1 adult", "12 eggs"."""
    return f"{count:g} {ONE.get(name, name) if count == 1 else name}"


def record_class(record: PestRecord, stage: str) -> str:
    """The class of a stage in the catalogue."""
    return BY_DISPLAY[next(s.display for s in record.stage if s.id == stage)]


def record(desk: Desk, case_id: int, said: InspectCommand, *, plant_id: int | None = None) -> int:
    """Keep a look at a case's plant; the id of the look. The same `sent_key` is taken
    once.
    """
    row = cases.case(desk.session, case_id)
    sent = next((i for i in row.inspections if said.sent_key and i.sent_key == said.sent_key), None)
    if sent is not None:
        return sent.id
    pest = desk.catalogue.pest(row.pest_id)
    for count in said.counts:
        class_of(pest, count.kind)
    kept = written(said, plant_id or row.plant_id, case_id, desk.moment)
    assemble.counted_again(desk, row, said.looked_on, live=said.live > 0)
    row.inspections.append(kept)
    desk.session.flush()
    return kept.id


def written(
    said: InspectCommand, plant_id: int, case_id: int | None, now: datetime
) -> InspectionRecord:
    """A look as a row of its table."""
    if said.looked_on > now.date():
        raise FieldErrors({"looked_on": "That day has not come yet."})
    return InspectionRecord(
        plant_id=plant_id,
        case_id=case_id,
        looked_on=said.looked_on,
        spread_days=said.spread_days,
        share=said.share,
        plants=said.plants,
        thorough=said.thorough,
        counts=[
            {"class": c.kind, "live": c.live, "dead": c.dead, "clue": c.clue} for c in said.counts
        ],
        growth=said.growth,
        honeydew=said.honeydew,
        smear=said.smear,
        spot=said.spot,
        note=said.note,
        sent_key=said.sent_key,
        recorded_at=now,
        photos=[],
    )


def inspection(session: Session, inspection_id: int) -> InspectionRecord:
    """A look; raises NotFound."""
    found = session.get(InspectionRecord, inspection_id)
    if found is None:
        raise NotFound("There is no such look.")
    return found


def withdraw(desk: Desk, inspection_id: int, *, out: bool = True) -> int | None:
    """Take a look out of the record, or put it back; the id of the case. What was
    written is kept. Doing it twice changes nothing.
    """
    found = inspection(desk.session, inspection_id)
    if out == (found.withdrawn_at is not None):
        return found.case_id
    found.withdrawn_at = desk.moment if out else None
    return found.case_id


def add_photo(
    session: Session, inspection_id: int, filename: str, data: bytes, *, now: datetime
) -> None:
    """Keep a photo with a look. Raises FieldErrors when it is empty, too large or no picture."""
    inspection(session, inspection_id).photos.append(pictures.taken(filename, data, now))


def hang(desk: Desk, case_id: int, colour: str, placed_on: date, spot: str = "") -> None:
    """Record that a card was placed, and on which spot."""
    row = cases.case(desk.session, case_id)
    row.cards.append(
        Card(colour=colour, spot=spot, placed_on=placed_on, recorded_at=desk.moment, counts=[])
    )


def _card(session: Session, card_id: int) -> tuple[PestCase, Card]:
    card = session.get(Card, card_id)
    if card is None or card.withdrawn_at is not None:
        raise NotFound("There is no such card.")
    return cases.case(session, card.case_id), card


def count(
    desk: Desk, card_id: int, counted_on: date, number: int, *, replaced: bool, gone: bool
) -> int:
    """Record that a card was counted, and left, replaced or taken away; the id of the case."""
    row, card = _card(desk.session, card_id)
    since = max([card.placed_on, *(c.counted_on for c in card.counts if c.withdrawn_at is None)])
    if not since < counted_on <= desk.today:
        raise FieldErrors(
            {
                f"counted_on-{card_id}": "A card is counted after it was placed or last counted, "
                "and not before that day has come."
            }
        )
    card.counts.append(
        CardCount(counted_on=counted_on, number=number, replaced=replaced, recorded_at=desk.moment)
    )
    if gone:
        card.removed_on = counted_on
    return row.id
