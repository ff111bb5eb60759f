"""What a planner answers: dated evenings with their windows and reasons."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime

from brood.core.biology.pest import DateSpan, Span


@dataclass(frozen=True)
class Reason:
    """Why a date stands where it stands, as facts for a sentence.

    `kind`: first-laying, first-immature, first-hidden, after-patch, repeat, short,
    overdue or keep. `since` is the evening after which the newest cohort left `stage`
    by `event`; `breeds` when its fastest member could lay; `celsius` the mean
    temperature in between; `whole` the chance of clearing, `without` that with this
    evening left out.
    """

    kind: str
    stage: str
    event: str
    since: datetime | None
    breeds: datetime | None
    celsius: float | None
    whole: float
    without: float


@dataclass(frozen=True)
class PlannedEvening:
    """One planned treatment evening with its window and reason."""

    n: int
    earliest: date
    target: date
    latest: date
    short_by_days: int
    acts: tuple[str, ...]
    reason: Reason
    serves: tuple[str, ...] = ()


@dataclass(frozen=True)
class Slip:
    """What a late evening has cost: `done` came after `latest`; eggs may have been laid
    in between.
    """

    done: date
    latest: date
    breeds: datetime
    stage: str
    event: str


@dataclass(frozen=True)
class Plan:
    """The answer of a planner. `guard` is the stage that hides last from an evening;
    `reaches` whether `chance`, which scenarios holding 90 % of the weight reach, is the
    one wanted.
    """

    applications: tuple[PlannedEvening, ...]
    guard: str
    spared: tuple[str, ...]
    first_breeding: DateSpan
    last_hatch: DateSpan
    generation: Span
    slips: tuple[Slip, ...]
    reaches: bool
    warnings: tuple[str, ...]
    chance: float
