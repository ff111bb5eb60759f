"""The shape that catalogue files must have; anything else is a fault."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

Share = Annotated[float, Field(ge=0, le=1)]
Celsius = Annotated[float, Field(ge=-30, le=60)]
Positive = Annotated[float, Field(gt=0, allow_inf_nan=False)]
Grade = Literal["A", "B", "C"]
Id = Annotated[str, Field(pattern=r"^[a-z][a-z0-9-]*$")]


class Record(BaseModel):
    """A catalogue record: no unknown key, nothing changed after reading."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Source(Record):
    """A citation, or the plain statement that a figure is a synthesis."""

    text: Annotated[str, Field(min_length=20)]
    kind: Literal["published", "representative", "derived"]


class Figure(Record):
    """One sourced number."""

    value: Positive
    source: str
    grade: Grade


class Development(Record):
    """A tabulated stage time (days at a constant °C)."""

    celsius: Celsius
    days: Positive
    source: str
    grade: Grade


class Fecundity(Record):
    """Eggs per laying female per day at °C."""

    celsius: Celsius
    eggs_per_day: Positive
    source: str
    grade: Grade


class Longevity(Record):
    """Days that a laying adult lives at °C."""

    celsius: Celsius
    days: Positive
    source: str
    grade: Grade


class StageRecord(Record):
    """A stage: `columns` says which columns of the kill tables it spans, with shares that add to 1."""

    id: Id
    name: str
    plural: str
    display: Literal["egg", "larva", "nymph", "pupa", "adult"]
    ends_with: Literal["hatch", "moult", "enters-soil", "emergence", "first-egg"]
    habitat: Literal["exposed", "in-tissue", "in-soil"]
    rest_share: Share
    length_mm: tuple[Positive, Positive]
    columns: dict[Id, Share]
    development: Annotated[list[Development], Field(min_length=3)]

    @model_validator(mode="after")
    def _whole(self) -> StageRecord:
        if abs(sum(self.columns.values()) - 1) > 1e-6:
            raise ValueError("the shares in columns must add to 1")
        if len({(row.celsius, row.source) for row in self.development}) != len(self.development):
            raise ValueError("a temperature stands twice in development")
        return self


class PestRecord(Record):
    """A pest file."""

    id: Id
    name: str
    plural: str
    scientific: str
    kill_group: Id
    drawing: Id
    upper_c: Celsius
    adult_length_mm: tuple[Positive, Positive]
    where: str
    notes: str
    cv: Figure
    female_share: Figure
    fecundity: Annotated[list[Fecundity], Field(min_length=2)]
    longevity: Annotated[list[Longevity], Field(min_length=2)]
    stage: Annotated[list[StageRecord], Field(min_length=3)]

    @model_validator(mode="after")
    def _ordered(self) -> PestRecord:
        ids = [stage.id for stage in self.stage]
        if len(set(ids)) != len(ids):
            raise ValueError("a stage id stands twice")
        if ids[-1] != "preoviposition":
            raise ValueError("the last stage must be preoviposition")
        for rows in (self.fecundity, self.longevity):
            degrees = [row.celsius for row in rows]
            if degrees != sorted(set(degrees)):
                raise ValueError("temperatures of a table must rise")
        return self


class KillRow(BaseModel):
    """Kill by column for one pest group."""

    model_config = ConfigDict(extra="allow", frozen=True)
    __pydantic_extra__: dict[str, Share] = Field(init=False)
    grade: Grade


class TreatmentRecord(Record):
    """A treatment: what it does, its limits and its cautions."""

    id: Id
    name: str
    verb: str
    short_verb: str
    by_hand: bool
    min_gap_days: Annotated[int, Field(ge=1, le=120)]
    max_applications: Annotated[int, Field(ge=1, le=50)] | None = None
    usual_repeat_days: tuple[int, int]
    strength: str
    residual_days: Annotated[float, Field(ge=0)]
    limits_c: tuple[Celsius, Celsius] | None = None
    source: str
    grade: Grade
    how: str
    cautions: Annotated[list[str], Field(min_length=1)]
    kill: Annotated[dict[Id, KillRow], Field(min_length=1)]
