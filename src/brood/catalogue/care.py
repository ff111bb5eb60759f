"""What a treatment asks of household, place and soil, what it harms, and which plants
it injures.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from brood.catalogue.schema import Grade, Id, Positive, Record, Text

Creature = Literal[
    "people", "children", "asthma", "pregnancy", "cats", "dogs", "birds", "fish", "bees"
]
Level = Literal["low", "care", "danger"]
Technique = Literal[
    "wipe",
    "swab",
    "shower",
    "spray",
    "drench",
    "dust",
    "cut",
    "soil",
    "dip",
    "bath",
    "heat",
    "unpot",
    "strip",
    "brush",
    "trap",
    "granules",
    "release",
]


class Hazard(Record):
    """What a treatment does to one kind of creature. `danger`: not offered where it lives."""

    level: Level
    text: Text


class CareRecord(Record):
    """What one treatment asks for.

    `rung` is its step on the ladder from hand work (1) to nerve poisons (4). `minutes`
    are for a table plant. `enemies_days` is how long natural enemies must wait after
    it. `clashes` are treatments that are not used on its evening, `apart` those that
    keep so many days from it. `marks_leaves` is no for a spray that leaves nothing on a
    leaf that could injure it; `wets_leaves` marks what wears leaves as a spray does.
    `close` is the number of uses within so many days beyond which it is too much.
    """

    technique: Technique
    marks_leaves: bool = True
    supply: Literal["hand", "home", "product", "living"]
    rung: Annotated[int, Field(ge=1, le=4)]
    light: Literal["any", "shade", "evening"]
    minutes: Positive
    edible: Literal["any", "labelled", "never"]
    enemies_days: tuple[Annotated[int, Field(ge=0, le=120)], Annotated[int, Field(ge=0, le=120)]]
    soil: Literal["any", "wet", "dry"]
    in_soil: bool
    wets_leaves: bool = False
    clashes: list[Id] = Field(default_factory=list)
    apart: dict[Id, Annotated[int, Field(ge=1, le=120)]] = Field(default_factory=dict)
    close: tuple[Annotated[int, Field(ge=1)], Annotated[int, Field(ge=1)]] | None = None
    needs_product: bool = False
    local: str = ""
    source: str
    grade: Grade
    hazards: dict[Creature, Hazard] = Field(default_factory=dict)

    @property
    def wears(self) -> bool:
        """Whether it is a spray or a dip that wears the leaves, and can mark them."""
        return self.wets_leaves or (self.technique == "spray" and self.marks_leaves)


class Marked(Record):
    """A trait that the keeper marks on a plant, and the treatments that often injure it."""

    id: Id
    name: Text
    injured_by: list[Id]
    source: str
    grade: Grade


class Named(Marked):
    """A kind of plant that is known by its name: any of `words` in the plant's name or
    species.
    """

    words: Annotated[list[Text], Field(min_length=1)]
    note: Text


class Sensitivity(Record):
    """Everything known of plants that a treatment injures."""

    named: list[Named]
    marked: list[Marked]

    def of(self, words: str, marks: tuple[str, ...] = ()) -> list[Marked]:
        """What applies to a plant with these words in its name and these marks. Words
        count as whole words.
        """
        padded = f" {''.join(c if c.isalpha() else ' ' for c in words.lower())} "
        called = [
            n for n in self.named if any(f" {w} " in padded or f" {w}s " in padded for w in n.words)
        ]
        return [*called, *(m for m in self.marked if m.id in marks)]


class Part(Record):
    """A part of a plant or pot, and why it is done."""

    name: Text
    why: Text


class Timer(Record):
    """Something to wait for on the evening itself."""

    text: Text
    minutes: Positive


class After(Record):
    """What comes so many hours after the evening; 0 at once."""

    hours: Annotated[float, Field(ge=0, le=2400)]
    text: Text


class Manner(Record):
    """What a technique asks before and during, where it is done in another way."""

    before: list[Text]
    steps: Annotated[list[Text], Field(min_length=1)]


class TechniqueRecord(Record):
    """How a technique is done, and which parts it `meets`; in another manner on a plant
    too `large` to move, and in a `bed`.
    """

    meets: list[Id]
    before: list[Text]
    steps: Annotated[list[Text], Field(min_length=1)]
    large: Manner | None = None
    bed: Manner | None = None
    timers: list[Timer] = Field(default_factory=list)
    after: list[After] = Field(default_factory=list)

    def manner(self, *, large: bool, bed: bool) -> Manner:
        """How it is done on a plant that stands so."""
        usual = Manner(before=self.before, steps=self.steps)
        return (self.bed if bed else self.large if large else None) or usual


class Hygiene(Record):
    """A rule between plants."""

    text: Text


class EveningBook(Record):
    """The treatment evening: the parts in order for each build, where each group sits,
    how each technique is done, and what comes after.
    """

    source: str
    grade: Grade
    walk: list[Technique]
    part: dict[Id, Part]
    build: dict[Id, list[Id]]
    sits: dict[Id, dict[Id, Annotated[float, Field(gt=0, le=1)]]]
    technique: dict[Technique, TechniqueRecord]
    care: dict[Id, After]
    hygiene: list[Hygiene]

    def most_on(self, group: str, build: str, most: int = 2) -> list[str]:
        """The names of the parts of a build on which most animals of a group sit, the
        likeliest first.
        """
        shares = self.sits[group]
        there = sorted((p for p in self.build[build] if p in shares), key=lambda p: -shares[p])
        return [self.part[p].name for p in there[:most]]

    def faults(self) -> list[str]:
        """Names that lead nowhere, and shares that do not add up to 1."""
        out = [
            f"build.{b}: there is no part '{p}'"
            for b, parts in self.build.items()
            for p in parts
            if p not in self.part
        ]
        out += [
            f"technique.{t}: there is no part '{p}'"
            for t, how in self.technique.items()
            for p in how.meets
            if p not in self.part
        ]
        out += [f"walk: '{t}' is missing" for t in self.technique if t not in self.walk]
        out += [
            f"sits.{g}: there is no part '{p}'"
            for g, shares in self.sits.items()
            for p in shares
            if p not in self.part
        ]
        out += [
            f"sits.{g}: the shares must add to 1"
            for g, shares in self.sits.items()
            if abs(sum(shares.values()) - 1) > 1e-6
        ]
        return out
