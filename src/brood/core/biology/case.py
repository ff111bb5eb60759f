"""What is known of a case: what was found, what can be done, what was done and seen."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from enum import StrEnum

from brood.core.biology.digest import digest_of, parts_of
from brood.core.biology.pest import Pest
from brood.core.climate.series import HourlySeries

ASIDE = "aside"
"""When an act is done beside the course of evenings."""


class Pace(StrEnum):
    """How a course is walked: evenings as usual, as close together as is usual, or as far
    apart.
    """

    CLOSE = "close"
    USUAL = "usual"
    FAR = "far"


@dataclass(frozen=True)
class Act:
    """Something done to the plant on a treatment evening.

    `kill` maps a stage id (or "adult") to the share of the touched animals that die or
    are removed (0 to 1). What the act leaves behind has half its strength after
    `residual_days`. A trap or a predator, once placed, takes its `kill` every day for
    `lasts_days`. `when` is "always" (on every date), "first", "every-N", or "planner"
    (as the planner finds best). It is not used in the last `harvest_days` before a
    harvest, nor before the day `not_before`, nor on an evening above `hottest_c` (°C).

    `min_gap_days` is the least that the label allows; in use, `usual_days` (least and
    most) lie between two. An act that `wears` the leaves is a spray; what is `released`
    lives. It is not used on an evening with any of the acts that it `clashes` with, nor
    within the spans of days `not_on`, nor so few days after others as are named in
    `apart`. What was `eaten` meets everything that feeds while it lasts, and not only what
    has just come.

    Of the animals that evenings of this case usually miss, this act misses the share
    `misses`. What is `kept` up is a state of the plant and no evening. What lasts begins
    `starts_after` days after its evening. `rain` says how rain meets it (see
    rain.Exposure). What `opens` their hiding places comes with the first evening. `used`
    are the days before this course that its label still counts.
    """

    id: str
    name: str
    verb: str
    kill: Mapping[str, float]
    min_gap_days: int = 1
    max_applications: int | None = None
    by_hand: bool = False
    residual_days: float = 0.0
    lasts_days: int = 0
    when: str = "planner"
    harvest_days: int = 0
    not_before: date | None = None
    usual_days: tuple[int, int] = (1, 28)
    wears: bool = False
    hottest_c: float | None = None
    eaten: bool = False
    released: bool = False
    misses: float = 1.0
    starts_after: int = 0
    clashes: frozenset[str] = frozenset()
    apart: tuple[tuple[str, int], ...] = ()
    not_on: tuple[tuple[date, date], ...] = ()
    rain: str = "none"
    kept: bool = False
    opens: bool = False
    used: tuple[date, ...] = ()

    @property
    def usual_gap_days(self) -> int:
        """The least days between two uses in practice: the usual ones, or the label's
        where they are more.
        """
        return max(self.min_gap_days, self.usual_days[0])


@dataclass(frozen=True)
class Found:
    """A group found on the plant on one day: a stage id (or "adult") and the expected
    number.
    """

    on: date
    stage: str
    count: float
    inferred: bool = False


@dataclass(frozen=True)
class Evening:
    """A treatment evening, done or to come, with the ids of its acts. `reach` is the
    share that it touched, where that is known.
    """

    on: date
    acts: tuple[str, ...]
    reach: float | None = None

    @property
    def day(self) -> int:
        """The ordinal of its day."""
        return self.on.toordinal()


Schedule = Sequence[Evening]
"""The evenings of a course, done or to come."""


@dataclass(frozen=True)
class Inspection:
    """One look over the plant, at 09:00 of its day: live animals by class (`egg`,
    `young`, `pupa`, `adult`). A look that counted none is a clean look.

    `share` of the plant was looked at (0 to 1). An animal in the open there is seen
    with the chance `thorough`. The day is known to within `spread_days` either way.
    """

    on: date
    counts: Mapping[str, float] = field(default_factory=dict, hash=False)
    share: float = 1.0
    thorough: float = 0.7
    spread_days: int = 0

    @property
    def live(self) -> float:
        """All live animals seen."""
        return sum(self.counts.values())


@dataclass(frozen=True)
class CardCatch:
    """Adults counted on a sticky card between two evenings."""

    since: date
    until: date
    caught: float


@dataclass(frozen=True)
class Rain:
    """Rain of a day at the plant, in mm. `hour` is when it began, where that is known."""

    on: date
    mm: float
    hour: int | None = None


@dataclass(frozen=True)
class Arrival:
    """Eggs that females from elsewhere lay on the plant, so many a day, over a span of
    days.
    """

    first: date
    last: date
    eggs_a_day: float


@dataclass(frozen=True)
class Limits:
    """What the keeper can and will do; None means no limit of the kind."""

    min_gap_days: int | None = None
    max_applications: int | None = None
    weekdays: frozenset[int] | None = None
    away: tuple[tuple[date, date], ...] = ()
    harvest: date | None = None

    def admits(self, day: date) -> bool:
        """Whether a treatment may fall on that day."""
        if self.weekdays is not None and day.weekday() not in self.weekdays:
            return False
        return not any(first <= day <= last for first, last in self.away)


@dataclass(frozen=True)
class Case:
    """All that a planner may know: the pest, what was found, the temperatures, the acts
    at hand, what was done.

    `refuge` is the share (0 to 1) that no act reaches while a stage lasts; on open
    leaves 0.02 is our judgement (C). `target` is the chance of clearing that is wanted.
    `also` are further pests on the same plant at the same temperatures; they share one
    list of dates. `promised` are the evenings of an earlier plan: they are kept unless
    better ones are needed. `fixed` are those that the keeper has set; they are taken as
    they are. With `keep_below` the aim is not to clear the plant but to hold what feeds
    and flies under that number. `seen_on` is the last day on which something alive was
    seen, where that is known. `rain` is that of the days known, where the plant stands in
    it. `arrivals` lay on the plant; they count in numbers, and not in the chance that what
    is there dies out. `past` are acts that were used and are no longer at hand. `pace`
    says how far apart the evenings lie, and how sure a look must be to release them.
    `beside` are evenings that the plant has anyway, for another pest: dates that lie near
    are moved to them.
    """

    pest: Pest
    start: date
    found: tuple[Found, ...]
    series: HourlySeries
    acts: tuple[Act, ...]
    reach: float = 0.9
    done: tuple[Evening, ...] = ()
    limits: Limits = field(default_factory=Limits)
    test_patch: bool = False
    horizon_days: int | None = None
    refuge: float = 0.02
    target: float = 0.95
    also: tuple[Case, ...] = ()
    keep_below: float | None = None
    promised: tuple[Evening, ...] = ()
    fixed: tuple[Evening, ...] = ()
    seen_on: date | None = None
    rain: tuple[Rain, ...] = ()
    arrivals: tuple[Arrival, ...] = ()
    past: tuple[Act, ...] = ()
    pace: Pace = Pace.USUAL
    beside: tuple[date, ...] = ()

    def at_pace(self, pace: Pace) -> Case:
        """The same case at another pace, its further pests too."""
        return replace(self, pace=pace, also=tuple(replace(one, pace=pace) for one in self.also))

    def digest(self) -> str:
        """The digest of every field, of the temperatures and of the further pests too."""
        return digest_of(self)

    def parts(self) -> dict[str, str]:
        """The digest of every field by its name, to tell which of them changed."""
        return parts_of(self)

    def acts_of(self, evening: Evening) -> list[Act]:
        """The acts of an evening, as far as they are known."""
        acts = {a.id: a for a in (*self.past, *self.acts)}
        return [acts[i] for i in evening.acts if i in acts]

    def treats(self, evening: Evening) -> bool:
        """Whether an evening is one of the course: something is done to the pest, beyond
        setting up what then lasts, or handling the plant aside.
        """
        return any(not act.lasts_days and act.when != ASIDE for act in self.acts_of(evening))

    @property
    def evenings_done(self) -> tuple[Evening, ...]:
        """The evenings of the course that were done, in order."""
        return tuple(e for e in sorted(self.done, key=lambda e: e.on) if self.treats(e))

    def reach_of(self, evening: Evening) -> float:
        """The share that an evening touches: its own where it is known, otherwise what
        is usual in this case.
        """
        return self.reach if evening.reach is None else evening.reach
