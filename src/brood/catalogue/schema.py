"""The form that catalogue files must have. Anything else is a fault."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, model_validator

Share = Annotated[float, Field(ge=0, le=1)]
Celsius = Annotated[float, Field(ge=-30, le=60)]
Positive = Annotated[float, Field(gt=0, allow_inf_nan=False)]
Number = Annotated[float, Field(allow_inf_nan=False)]
Grade = Literal["A", "B", "C"]
Id = Annotated[str, Field(pattern=r"^[a-z][a-z0-9-]*$")]
Text = Annotated[str, Field(min_length=3)]


class Record(BaseModel):
    """A catalogue record. Unknown keys are refused, and nothing changes after reading."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Source(Record):
    """A citation, or the plain statement that a figure is a synthesis."""

    text: Annotated[str, Field(min_length=20)]
    kind: Literal["published", "representative", "derived"]


class Figure(Record):
    """One sourced number, with the range that sources span where one is known."""

    value: Number
    low: Number | None = None
    high: Number | None = None
    source: str
    grade: Grade

    @model_validator(mode="after")
    def _between(self) -> Figure:
        if (self.low is not None and self.low > self.value) or (
            self.high is not None and self.high < self.value
        ):
            raise ValueError("the value must lie between low and high")
        return self


class Range(Record):
    """A sourced range."""

    low: Number
    high: Number
    source: str
    grade: Grade
    note: str = ""

    @model_validator(mode="after")
    def _rising(self) -> Range:
        if self.low > self.high:
            raise ValueError("low must not be above high")
        return self


class Basis(Record):
    """Where several figures of a record come from together."""

    source: str
    grade: Grade


class Days(Record):
    """A tabulated time: days at a constant °C."""

    celsius: Celsius
    days: Positive
    source: str
    grade: Grade


class Fecundity(Record):
    """Eggs or live young per laying female per day at °C."""

    celsius: Celsius
    per_day: Positive
    source: str
    grade: Grade


class Published(Record):
    """A published constant, kept for comparison and never used: threshold (°C) and heat
    sum (°C·d), or words alone.
    """

    what: Text
    lower_c: Celsius | None = None
    k_dd: Positive | None = None
    source: str
    grade: Grade
    note: str = ""


Mobility = Literal["still", "slow", "walks", "flies"]


class Early(Record):
    """The share of all her eggs that a living female lays in her first days of laying."""

    share: Annotated[float, Field(gt=0, lt=1)]
    days: Positive
    source: str
    grade: Grade


FOLDED = ("rosette", "orchid", "head")
"""Builds and kinds of plants with axils, sheaths or leaves that lie over each other."""
OPEN = ("tray",)
"""Builds of plants whose leaves all lie open."""


class HidingBook(Record):
    """How often a day animals change their place, by mobility, and the share that sits
    out of reach, by how a plant is built.
    """

    switching: dict[Mobility, Figure]
    refuge: dict[Literal["open", "usual", "folded"], Figure]

    def of_plant(self, build: str, kind: str) -> float:
        """The share that sits out of reach on a plant of a build, or where that is not
        said of a kind.
        """
        built = build or kind
        if built in FOLDED:
            return self.refuge["folded"].value
        return self.refuge["open" if built in OPEN else "usual"].value

    @model_validator(mode="after")
    def _whole(self) -> HidingBook:
        if len(self.switching) != 4 or len(self.refuge) != 3:
            raise ValueError("every mobility and every build must have a figure")
        return self


class StageRecord(Record):
    """A stage.

    `term` is the field's term, `name` and `plural` are plain ones. `columns` says which
    columns of the kill tables it spans, with shares that add to 1. `fitted` holds the
    constants of a curve that is not fitted when the catalogue is read. `model` and
    `model_why` give its kind where it is not that of the pest.
    """

    id: Id
    name: Text
    term: Text
    plural: Text
    display: Literal["egg", "larva", "nymph", "pupa", "adult"]
    ends_with: Literal["hatch", "moult", "enters-soil", "emergence", "first-egg", "first-birth"]
    habitat: Literal["exposed", "in-tissue", "in-soil", "under-cover", "in-wax", "in-furled-leaf"]
    where: Text
    mobility: Mobility
    feeds: bool
    rest_share: Share
    length_mm: tuple[Positive, Positive]
    drawing: Id
    columns: dict[Id, Share]
    development: Annotated[list[Days], Field(min_length=3)]
    model: Literal["briere-1", "lactin-2"] | None = None
    model_why: Text | None = None
    fitted: dict[str, Number] | None = None

    @model_validator(mode="after")
    def _whole(self) -> StageRecord:
        if abs(sum(self.columns.values()) - 1) > 1e-6:
            raise ValueError("the shares in columns must add to 1")
        if len({(row.celsius, row.source) for row in self.development}) != len(self.development):
            raise ValueError("a temperature stands twice in development")
        return self


class PestRecord(Record):
    """A pest file. `variant_of` names the pest beside which this one stands on the
    pages. `lethal_c` is deadly heat, `cold_c` the cold in or below which it dies out.
    `survival` is the share that lives from egg (or birth) to adult where nothing is
    done; `survival_lost_in` gives the share of that loss that falls in some stages.
    `adult_mobility` is that of laying adults where they move less than before.
    `leaves_outdoors` is the rate a day at which adults fly off a plant outdoors.
    """

    id: Id
    name: Text
    plural: Text
    scientific: Text
    group: Id
    variant_of: Id | None = None
    model: Literal["linear-plateau", "briere-1", "lactin-2"]
    model_why: Text
    fitted_c: tuple[Celsius, Celsius]
    adult_length_mm: tuple[Positive, Positive]
    adult_drawing: Id
    reproduction: Literal["sexual", "arrhenotoky", "thelytoky", "parthenogenesis"]
    live_birth: bool
    winter_rest: Literal["none", "adult-female", "pupa"]
    where: Text
    notes: Text
    tell: Text
    winter: Text
    sizes: Basis
    upper_c: Figure
    optimum_c: Range
    lethal_c: Figure | None = None
    cold_c: Figure | None = None
    cv: Figure
    female_share: Figure
    soil_share: Figure | None = None
    host_factor: Range
    total_young: Range
    survival: Figure
    survival_lost_in: dict[Id, Share] = {}
    laying_early: Early | None = None
    adult_mobility: Mobility | None = None
    leaves_outdoors: Figure | None = None
    fecundity: Annotated[list[Fecundity], Field(min_length=2)]
    longevity: Annotated[list[Days], Field(min_length=2)]
    published: list[Published]
    stage: Annotated[list[StageRecord], Field(min_length=3)]

    @model_validator(mode="after")
    def _ordered(self) -> PestRecord:
        ids = [stage.id for stage in self.stage]
        if len(set(ids)) != len(ids):
            raise ValueError("a stage id stands twice")
        if ids[-1] != "preoviposition":
            raise ValueError("the last stage must be preoviposition")
        if self.live_birth == (self.stage[0].display == "egg"):
            raise ValueError("a pest that bears live young has no egg stage, any other has")
        for rows in (self.fecundity, self.longevity):
            degrees = [row.celsius for row in rows]
            if degrees != sorted(set(degrees)):
                raise ValueError("temperatures of a table must rise")
        odd = set(self.survival_lost_in) - set(ids[:-1])
        if odd or sum(self.survival_lost_in.values()) > 1 or not 0 < self.survival.value <= 1:
            raise ValueError("survival_lost_in must name stages, with shares of at most 1")
        return self

    @model_validator(mode="after")
    def _lays_no_more_than_it_can(self) -> PestRecord:
        """The laying rate times the laying life is at most the total on record, at every
        temperature.
        """
        per_day = [(row.celsius, row.per_day) for row in self.fecundity]
        lasts = [(row.celsius, row.days) for row in self.longevity]
        degrees = np.arange(0, 45, 0.25)
        laid = np.interp(degrees, *np.array(per_day).T) * np.interp(degrees, *np.array(lasts).T)
        if laid.max() > self.total_young.high:
            raise ValueError(
                f"{laid.max():.0f} young in a life at {degrees[laid.argmax()]:g} °C are more than "
                f"the total of {self.total_young.high:g}"
            )
        return self


class MixRecord(Record):
    """Treatments used together and what they lead to for a moderate infestation of one
    plant at 20 °C, worked out and not observed: the growth from one evening to the next,
    the chance that the course ends clear, its likely number of evenings with the range of
    eight in ten, and the days until the last evening and until the plant may go back.
    """

    acts: list[Id]
    growth: float
    chance: Share
    evenings: int
    low: int
    high: int
    last: int
    back: int | None


class LookAlike(Record):
    """What a group is taken for, and what tells them apart."""

    with_: Annotated[Text, Field(alias="with")]
    tell: Text


class GroupRecord(Record):
    """What the pests of a group have in common for the eye, and the usual days between
    treatments at 20 °C. `always` are treatments that belong to every course against them
    where they suit the plant, `on_build` those that belong to it on plants of a build.
    Skilled keepers take at most `most_evenings` at 20 °C for a moderate infestation.
    """

    name: Text
    brief: Text
    usual_gap_days: Figure
    always: list[Id] = []
    on_build: dict[Id, list[Id]] = {}
    most_evenings: Figure
    look: Text
    alive: Text
    dead: Text
    first_signs: Annotated[list[Text], Field(min_length=1)]
    last_signs: Annotated[list[Text], Field(min_length=1)]
    drawing: Id
    confused: Annotated[list[LookAlike], Field(min_length=1)]


class KillRow(Record):
    """The kill by column for one treatment, for a whole group or for one pest of it.

    `span` gives the range behind a figure. `per_day` marks a trap's catch a day,
    `per_week` what a natural enemy takes in a week of what was there at its start.
    `as_kept` is what is taken over all the days that a treatment is kept up. `of_part` is
    the share of the part cut out. `eaten` marks a poison whose residue meets
    everything that feeds, and not only what has just come.
    """

    treatment: Id
    pest: Id | None = None
    grade: Grade
    residual_days: tuple[float, float] | None = None
    per_day: bool = False
    per_week: bool = False
    as_kept: bool = False
    of_part: bool = False
    eaten: bool = False
    note: str = ""
    span: dict[Id, tuple[Share, Share]] = {}
    kill: dict[Id, Share]

    @property
    def lasting(self) -> bool:
        """Whether it acts day after day once placed."""
        return self.per_day or self.per_week or self.as_kept


class OtherMethod(Record):
    """A method without an id of its own, kept for the record."""

    method: Text
    grade: Grade
    kill: dict[Id, Share]


class KillTable(Record):
    """A group's kill table: every row has a figure for every column."""

    group: Id
    columns: Annotated[list[Id], Field(min_length=2)]
    source: str
    row: Annotated[list[KillRow], Field(min_length=1)]
    other: list[OtherMethod] = []

    @model_validator(mode="after")
    def _complete(self) -> KillTable:
        keys = [(row.treatment, row.pest) for row in self.row]
        if len(set(keys)) != len(keys):
            raise ValueError("a treatment stands twice")
        for row in self.row:
            odd = set(row.kill) ^ set(self.columns)
            if odd:
                raise ValueError(
                    f"{row.treatment}: no figure, or one too many, for {', '.join(sorted(odd))}"
                )
        return self


class TreatmentRecord(Record):
    """A treatment with its limits and its cautions. `resistance_group` is its
    mode-of-action class. `not_for` are the plant kinds that it often injures.
    `harvest_days` are the days from the last use to the harvest on the usual label. Of what
    evenings usually miss it misses the share `misses`. What lasts begins `starts_after`
    days after its evening. A product that `holds` another injures what that injures.
    """

    id: Id
    name: Text
    verb: Text
    short_verb: Text
    by_hand: bool
    offered: bool
    min_gap_days: Annotated[int, Field(ge=1, le=120)]
    max_applications: Annotated[int, Field(ge=1, le=50)] | None = None
    usual_repeat_days: tuple[int, int]
    strength: Text
    residual_days: Annotated[float, Field(ge=0)]
    harvest_days: Annotated[int, Field(ge=0, le=120)] = 0
    misses: Annotated[float, Field(gt=0, le=1)] = 1.0
    holds: list[Id] = []
    starts_after: Annotated[int, Field(ge=0, le=14)] = 0
    limits_c: tuple[Celsius, Celsius] | None = None
    not_for: list[
        Literal[
            "foliage",
            "flowering",
            "rosette",
            "woody-citrus",
            "seedling-herb",
            "fruiting-vegetable",
            "orchid",
            "cactus-succulent",
            "cabbage-family",
        ]
    ] = []
    resistance_group: str
    acts_by: Text
    source: str
    grade: Grade
    how: Text
    cautions: Annotated[list[Text], Field(min_length=1)]


class StateRecord(Record):
    """A state that lasts on a plant: what it is called, how long it usually lasts, what is
    looked after meanwhile, what comes at its end.

    `forbids` are treatments or techniques that are not used meanwhile. It `keeps_off` a
    share of the eggs from elsewhere; where it `shuts_in`, nothing flies off. It `guards`
    the pest from living helpers, or `frees` them from such guards. Its `act` is kept up.
    `seen` marks what is noticed and not begun. Rain of `washes_off_mm` since its last
    renewal takes it off; on a fast-growing plant it lasts `fast_days`. `sprays` is the
    treatment that puts it on: it counts for harvest and wear as on any other day.
    """

    name: Text
    verb: Text
    why: Text
    care: Text
    care_days: Annotated[int, Field(ge=1, le=60)]
    ends: Text
    days: Annotated[int, Field(ge=1, le=400)]
    most_days: Annotated[int, Field(ge=1, le=400)]
    forbids: list[Id] = []
    keeps_off: Share = 0.0
    shuts_in: bool = False
    guards: bool = False
    frees: bool = False
    seen: bool = False
    act: Id | None = None
    washes_off_mm: Annotated[float, Field(gt=0, le=100)] | None = None
    fast_days: Annotated[int, Field(ge=1, le=400)] | None = None
    sprays: Id | None = None
    evidence: Literal["good", "fair", "weak"] | None = None
    source: str
    grade: Grade


class PreventionRecord(Record):
    """What keeps the pests of a group off before they come: what to do, how, and how well
    that is shown to work. Its `state` then lasts on a plant; `outdoors` it is for plants
    outdoors alone. `look` is where they are seen first.
    """

    say: Text
    text: Text
    evidence: Literal["good", "fair", "weak"]
    state: Id | None = None
    outdoors: bool = False
    look: Text
    source: str
    grade: Grade


class WayInRecord(Record):
    """How pests come into a house: what came (a new plant, one that is back, a thing that
    is there for some `days`, something outside that stays), the groups of pests that it
    usually brings, and every how many days plants beside it are checked meanwhile.
    """

    name: Text
    say: Text
    what: Literal["plant", "back", "thing", "outside"]
    brings: list[Id] = []
    days: Annotated[int, Field(ge=0, le=120)]
    every: Annotated[int, Field(ge=1, le=30)]
    text: Text
    source: str
    grade: Grade


def cited(record: BaseModel, path: str = "") -> Iterator[tuple[str, str]]:
    """Every (path, source id) in a record, in order."""
    for name in type(record).model_fields:
        value = getattr(record, name)
        here = f"{path}.{name}" if path else name
        if name == "source":
            yield here, value
        items = (
            value.items()
            if isinstance(value, dict)
            else enumerate(value)
            if isinstance(value, list)
            else [("", value)]
        )
        for key, item in items:
            if isinstance(item, BaseModel):
                yield from cited(item, f"{here}.{key}" if key != "" else here)
