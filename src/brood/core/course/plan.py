"""The answer of a planner: dated evenings with their windows and reasons."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime

from brood.core.biology.case import Evening
from brood.core.biology.pest import DateSpan, Span


@dataclass(frozen=True)
class Reason:
    """Why a date stands where it stands, as facts for a sentence.

    `kind` is first-laying, first-immature, first-hidden, after-patch, repeat, short,
    overdue or keep. `since` is the evening after which the newest cohort left `stage`
    by `event`. `breeds` is when its fastest member could lay. `celsius` is the mean
    temperature in between. `whole` is the chance of clearing, `without` the chance with
    this evening left out.
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
    """What a late evening has cost: `done` came after `latest`, and eggs may have been
    laid in between.
    """

    done: date
    latest: date
    breeds: datetime
    stage: str
    event: str


@dataclass(frozen=True)
class Likely:
    """How a course will probably go if looks decide: the number of evenings to come, its
    middle and the range of eight in ten; the middle days of the last evening, of going
    back among the others and of closing (None where most courses do not come so far);
    and the chance that it ends clear. With `open_end` some courses find no end.
    """

    evenings: int
    low: int
    high: int
    last: date
    back: date | None
    closed: date | None
    chance: float
    open_end: bool


@dataclass(frozen=True)
class Plan:
    """The answer of a planner.

    `guard` is the stage that hides longest from an evening. `gap_days` are the usual
    days between two dates; `growth` is the factor by which the numbers grow from one
    date to the next in the long run (None where nobody saw anything). `chance` is what scenarios
    holding 90 % of the weight reach; `reaches` says whether it is the chance wanted.
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
    gap_days: int
    growth: float | None

    @property
    def evenings(self) -> tuple[Evening, ...]:
        """The planned evenings, without windows and reasons."""
        return tuple(Evening(a.target, a.acts) for a in self.applications)
