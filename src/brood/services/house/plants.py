"""Plants: where they stand and what is next for each."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import date, datetime, time

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.services.cases import history
from brood.services.cases.aftercare import open_tasks
from brood.services.house.places import stay_since
from brood.services.voice import words
from brood.services.voice.speech import Speech
from brood.store.place_tables import Place
from brood.store.queries import cases
from brood.store.tables import PestCase, Plant

KINDS = {
    "": "not said",
    "foliage": "foliage plant",
    "flowering": "flowering plant",
    "rosette": "rosette or hairy leaves",
    "woody-citrus": "citrus or other woody plant",
    "seedling-herb": "seedlings or herbs",
    "fruiting-vegetable": "fruiting vegetable",
    "orchid": "orchid",
    "cactus-succulent": "cactus or succulent",
    "cabbage-family": "cabbage family",
}


EATEN = ("woody-citrus", "seedling-herb", "fruiting-vegetable", "cabbage-family")
"""Kinds of plants with parts that are eaten. No home mix is offered for them."""


BUILDS = {
    "": "usual for its kind",
    "upright": "stems with leaves",
    "rosette": "a rosette",
    "orchid": "an orchid",
    "cactus": "a cactus",
    "head": "a head in a bed",
    "tray": "a tray of seedlings",
}
SIZES = {
    "": "not said",
    "small": "small, on a windowsill",
    "table": "middling, on a table",
    "floor": "big, on the floor",
    "tree": "a tree, or too heavy to turn",
}
AGES = {
    "": "not said",
    "seedling": "seedling or cutting",
    "young": "young",
    "grown": "grown",
    "old": "old",
}
GROWTHS = {"": "not said", "slow": "slow", "fast": "fast"}
WORTHS = {"": "not said", "easy": "easily replaced", "dear": "dear", "only": "cannot be replaced"}
EATEN_CHOICES = {"": "usual for its kind", "yes": "yes", "no": "no"}
PRONE, MOST_PRONE = 2.0, 6
"""From this weight on a plant is said to be prone to a pest; and how many pests are named."""


def is_eaten(plant: Plant) -> bool:
    """Whether parts of a plant are eaten: as the keeper says, or as usual for its kind."""
    return plant.eaten == "yes" or (plant.eaten == "" and plant.kind in EATEN)


def prone_to(catalogue: Catalogue, plant: Plant) -> list[str]:
    """The names of the pests that this kind of plant, at its kind of place, has more
    often than others; the likeliest first.
    """
    weights = prone_weights(catalogue, plant)
    return [
        catalogue.name(c)
        for c in sorted(weights, key=lambda c: -weights[c])[:MOST_PRONE]
        if weights[c] >= PRONE
    ]


def prone_ids(catalogue: Catalogue, plant: Plant) -> list[str]:
    """Ids of the pests that may come with a plant of this kind, the likeliest first."""
    weights = prone_weights(catalogue, plant)
    return [c for c in sorted(weights, key=lambda c: -weights[c]) if c in catalogue.pests]


def prone_weights(catalogue: Catalogue, plant: Plant) -> dict[str, float]:
    """How much more often than on other plants each pest is found on this kind, at its
    kind of place.
    """
    place = plant.stays[-1].place.setting if plant.stays else ""
    return {
        c.id: c.kinds.get(plant.kind, 1.0) * c.places.get(place, 1.0)
        for c in catalogue.evidence.model.causes
        if not c.harmless
    }


def susceptible(catalogue: Catalogue, plant: Plant, pest_id: str) -> bool:
    """Whether a plant may get a pest: it had it, or its kind is not spared by it."""
    if any(c.pest_id == pest_id for c in plant.cases):
        return True
    known = {pest_id, catalogue.records[pest_id].variant_of}
    causes = [c for c in catalogue.evidence.model.causes if c.id in known]
    return any(c.kinds.get(plant.kind, 1.0) >= 1.0 for c in causes)


def susceptible_to(catalogue: Catalogue, plant: Plant, group: str) -> bool:
    """Whether a plant may get a pest of a group."""
    return any(
        susceptible(catalogue, plant, pest_id)
        for pest_id, record in catalogue.records.items()
        if record.group == group
    )


@dataclass(frozen=True)
class PlantTraits:
    """What is known of a plant beyond its kind. Empty where nothing was told."""

    species: str = ""
    build: str = ""
    size: str = ""
    age: str = ""
    growth: str = ""
    worth: str = ""
    eaten: str = ""
    sensitive: bool = False
    marks: tuple[str, ...] = ()
    number: int = 1


@dataclass(frozen=True)
class PlantCommand:
    """What a plant's form says. `since` is the day on which it came to stand there."""

    name: str
    kind: str
    note: str
    place_id: int
    since: date
    traits: PlantTraits = PlantTraits()


@dataclass(frozen=True)
class CaseLine:
    """One open case in a list: what is next, and on which day. `care` is the first
    thing to do after the last evening, once it is due.
    """

    id: int
    pest: str
    next_step: str
    due: date | None
    overdue: bool
    care: str = ""
    evening: date | None = None


@dataclass(frozen=True)
class PlantLine:
    """One plant in the list."""

    plant: Plant
    place: Place | None
    cases: tuple[CaseLine, ...]


def listing(
    session: Session, catalogue: Catalogue, *, today: date, speech: Speech
) -> list[PlantLine]:
    """Every plant. Those with something due come first, by day."""
    lines = []
    for plant in (p for p in cases.plants(session) if p.gone_on is None):
        open_cases = tuple(
            case_line(row, catalogue, today, speech) for row in plant.cases if row.closed_at is None
        )
        lines.append(PlantLine(plant, plant.stays[-1].place if plant.stays else None, open_cases))
    return sorted(
        lines,
        key=lambda line: (
            min((c.due or date.max for c in line.cases), default=date.max),
            line.plant.name.lower(),
        ),
    )


def fits(line: PlantLine, words: str) -> bool:
    """Whether a plant's name, species or place contains all the words."""
    text = (
        f"{line.plant.name} {line.plant.species} {line.place.name if line.place else ''}".casefold()
    )
    return all(word in text for word in words.casefold().split())


def case_line(row: PestCase, catalogue: Catalogue, today: date, speech: Speech) -> CaseLine:
    """What is next in a case."""
    planned = history.planned(row)
    care = next(
        (
            t.text
            for t in open_tasks(row, datetime.combine(today, time()))
            if t.due_at.date() <= today
        ),
        "",
    )
    pest = catalogue.pest(row.pest_id).name
    if history.is_left_alone(row):
        return CaseLine(row.id, pest, "Count again first", today, False, care)
    if not planned:
        return CaseLine(
            row.id,
            pest,
            "Course done. Look again." if row.applications else "Open it to see what is missing.",
            None,
            False,
            care,
        )
    slot = planned[0]
    verb = words.evening_verb(slot.treatments, catalogue.treatments)
    when = "tonight" if slot.target_on <= today else speech.day(slot.target_on)
    return CaseLine(
        row.id,
        pest,
        f"{verb} {when}",
        slot.target_on,
        slot.target_on < today or slot.missed_on is not None,
        care,
        slot.target_on,
    )


def add(session: Session, command: PlantCommand, *, now: datetime) -> int:
    """Add a plant; its id."""
    cases.place(session, command.place_id)
    plant = Plant(
        name=command.name,
        kind=command.kind,
        note=command.note,
        created_at=now,
        **_columns(command.traits),
    )
    session.add(plant)
    session.flush()
    stay_since(session, plant.id, command.place_id, command.since, now)
    return plant.id


def _columns(traits: PlantTraits) -> dict[str, object]:
    return {**asdict(traits), "marks": list(traits.marks)}


def change(session: Session, plant_id: int, command: PlantCommand, *, now: datetime) -> None:
    """Change a plant. A move is kept with its day, so that earlier temperatures stay
    those of the earlier place.
    """
    plant = cases.plant(session, plant_id)
    cases.place(session, command.place_id)
    plant.name, plant.kind, plant.note = command.name, command.kind, command.note
    for trait, value in _columns(command.traits).items():
        setattr(plant, trait, value)
    if not plant.stays or plant.stays[-1].place_id != command.place_id:
        stay_since(session, plant_id, command.place_id, command.since, now)
