"""The day table of a case: everything that no schedule changes, worked out once, so
that the chance of a schedule takes milliseconds.

Time is cut at 19:00 of every day, when treatments are done. It is also cut at 09:00 of
the days of finds, or of every day where the pest is quick. The interval in which a
stage is left depends on the interval of entry alone (a semi-Markov chain; Howard 1971,
Dynamic Probabilistic Systems II). So the equations of `half_days` become sums over
waiting times.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from brood.core.biology.case import Case
from brood.core.biology.pest import ADULT
from brood.core.biology.substages import Array, Chain, chain_of
from brood.core.climate.hours import EVENING, MORNING
from brood.core.population.steps import scenario_rates
from brood.core.population.waiting_times import Leaving, erlang, found_leaving, leaving

LATE_DAYS = 7
QUICK_DAYS = 10.0
"""Where a generation is shorter than so many days, every day is cut in two."""


@dataclass(frozen=True, eq=False)
class Founders:
    """A group found: its interval, stage index and number, and its chances to leave the
    stage [scenarios, sub-stages, waits] (None for adults). `lives` is the share that lives
    through a sub-stage.
    """

    interval: int
    stage: int
    count: float
    share: Array | None
    lives: float = 1.0

    @property
    def waits(self) -> int:
        """The most intervals until it has left the stage."""
        return 0 if self.share is None else int(self.share.shape[2])

    @cached_property
    def alive(self) -> Array:
        """The chances to leave the stage and not to have died untreated by then."""
        assert self.share is not None
        out: Array = self.share * (self.lives ** np.arange(self.share.shape[1], 0, -1.0))[:, None]
        return out


@dataclass(frozen=True, eq=False)
class DayTable:
    """Everything about a case that no schedule changes.

    `moves` [scenarios, boundaries, stages]: moves between sub-stages, summed up to each
    boundary. [scenarios, intervals]: `births` per female that lays, `stops` the rate at
    which she stops laying, by death or laid out; and `deaths` of adults. `late`
    [scenarios]: the chance that a female's line lives on after the last interval.
    `moved` [intervals, stages + 1]: the share that changes its place on the plant.
    `weights` [scenarios]. `hours` [boundaries]: hours since the first boundary. The
    evening of day `first` + d ends interval `evenings[d]`.
    """

    chain: Chain
    first: date
    evenings: NDArray[np.int64]
    hours: Array
    moves: Array
    leave: tuple[Leaving, ...]
    births: Array
    stops: Array
    deaths: Array
    late: Array
    moved: Array
    weights: Array
    founders: tuple[Founders, ...]
    females: float
    refuge: float

    @cached_property
    def leave_alive(self) -> tuple[Array, ...]:
        """For each stage the share that leaves it after so many intervals and has not died
        untreated by then: [scenarios, intervals, waits].
        """
        stages = self.chain.pest.stages
        return tuple(s.survival * one.share for s, one in zip(stages, self.leave, strict=True))

    @property
    def intervals(self) -> int:
        """How many intervals there are."""
        return int(self.births.shape[1])

    @property
    def last(self) -> date:
        """The last day with an evening in the table."""
        return self.first + timedelta(days=len(self.evenings) - 1)

    def index(self, day: date) -> int:
        """The interval that a day's evening ends. Raises IndexError outside the table."""
        offset = (day - self.first).days
        if offset < 0:
            raise IndexError(offset)
        return int(self.evenings[offset])

    def passage(self, day: date, first: int, until: int) -> tuple[float | None, ...]:
        """Days from entering stage index `first` on an evening to entering `until` (the
        number of stages means laying): 5 %, 50 % and 95 % over the scenarios. None
        beyond the table.
        """
        start = self.index(day) + 1
        gone = erlang(self.chain.counts[first]).share(
            self.moves[:, start + 1 :, first] - self.moves[:, start : start + 1, first]
        )
        return self._quantiles(np.diff(gone, axis=1, prepend=0.0), start, first, until)

    def founder_passage(self, founders: Founders) -> tuple[float | None, ...]:
        """The same for a group found: days from its find to its own first egg."""
        if founders.share is None:
            return (0.0, 0.0, 0.0)
        flow = np.zeros((len(self.weights), self.intervals - founders.interval))
        share = founders.share.mean(axis=1)[:, : flow.shape[1]]
        flow[:, : share.shape[1]] = share
        return self._quantiles(flow, founders.interval, founders.stage, len(self.leave))

    def _quantiles(
        self, flow: Array, start: int, first: int, until: int
    ) -> tuple[float | None, ...]:
        """Quantiles of the time to reach stage `until`, in days from the start of
        interval `start`, for animals that leave stage `first` as `flow` says.
        """
        # Pass the flow on, stage by stage: what enters in an interval leaves after each of its
        # waits.
        for one in self.leave[first + 1 : until]:
            into = np.zeros_like(flow)
            for wait in range(min(one.share.shape[2], flow.shape[1])):
                into[:, wait:] += (
                    flow[:, : flow.shape[1] - wait]
                    * one.share[:, start : start + flow.shape[1] - wait, wait]
                )
            flow = into
        there = np.concatenate(([0.0], np.cumsum(self.weights @ flow)))
        days = (self.hours[start:] - self.hours[start]) / 24
        reached = [int(np.argmax(there >= share)) for share in (0.05, 0.5, 0.95)]
        return tuple(
            float(np.interp(share, there[after - 1 : after + 1], days[after - 1 : after + 1]))
            if after
            else None
            for share, after in zip((0.05, 0.5, 0.95), reached, strict=True)
        )

    def only(self, scenario: int) -> DayTable:
        """The table of one scenario."""
        pick = slice(scenario, scenario + 1)
        founders = tuple(
            replace(f, share=None if f.share is None else f.share[pick]) for f in self.founders
        )
        leave = tuple(Leaving(one.share[pick], one.least) for one in self.leave)
        return replace(
            self,
            moves=self.moves[pick],
            leave=leave,
            births=self.births[pick],
            stops=self.stops[pick],
            deaths=self.deaths[pick],
            late=self.late[pick],
            weights=np.ones(1),
            founders=founders,
        )


def day_table(case: Case, last: date) -> DayTable:
    """Tabulate a case up to the evening of a day, under 3 temperature offsets × 3
    speeds with Gauss–Hermite weights.
    """
    chain = chain_of(case.pest)
    cuts, evenings = _cuts(case, last)
    start = datetime.combine(min(f.on for f in case.found), MORNING)
    marks = [int((cut - start) / timedelta(hours=1)) for cut in cuts]
    rates = scenario_rates(case, chain, start, marks)
    stops = rates.deaths + rates.laid_out
    ends = np.concatenate(
        (np.zeros_like(rates.moves[:, :1]), np.cumsum(rates.moves, axis=1)), axis=1
    )
    founders = tuple(
        _founders(chain, f.stage, f.count, cuts.index(datetime.combine(f.on, MORNING)), ends)
        for f in case.found
        if f.count > 0
    )
    leave = tuple(leaving(n, ends[..., stage]) for stage, n in enumerate(chain.counts))
    late = _late(case, rates.births, stops, round(LATE_DAYS * len(cuts) / len(evenings)))
    return DayTable(
        chain,
        start.date(),
        evenings,
        np.array(marks, dtype=float),
        ends,
        leave,
        rates.births,
        stops,
        rates.deaths,
        late,
        1 - np.exp(-np.array(case.pest.switchings) * np.diff(marks)[:, None] / 24),
        rates.weights,
        founders,
        case.pest.female_share,
        case.refuge,
    )


def _cuts(case: Case, last: date) -> tuple[list[datetime], NDArray[np.int64]]:
    """The moments between the intervals, beginning with the first find, and the
    interval that each evening ends.
    """
    finds = {f.on for f in case.found}
    first = min(finds)
    # A pest with short stages would skip some of them between two evenings.
    quick = (
        sum(stage.rate.days(float(case.series.celsius.mean())) for stage in case.pest.stages)
        < QUICK_DAYS
    )
    cuts, evenings = [], []
    for d in range((last - first).days + 1):
        day = first + timedelta(days=d)
        if quick or day in finds:
            cuts.append(datetime.combine(day, MORNING))
        evenings.append(len(cuts) - 1)
        cuts.append(datetime.combine(day, EVENING))
    return cuts, np.array(evenings)


def _late(case: Case, births: Array, stops: Array, intervals: int) -> Array:
    """1 − 1/R0 with R0 = φ·survival·births/stops, at the mean rates of the last days."""
    born, died = births[:, -intervals:].sum(axis=1), stops[:, -intervals:].sum(axis=1)
    daughters = case.pest.female_share * case.pest.lives_from(0) * born
    out: Array = np.maximum(0.0, 1 - died / np.maximum(daughters, 1e-12))
    return out


def _founders(chain: Chain, stage: str, count: float, interval: int, ends: Array) -> Founders:
    position = chain.pest.index(stage)
    if stage == ADULT:
        return Founders(interval, position, count, None)
    own = ends[..., position]
    return Founders(
        interval,
        position,
        count,
        found_leaving(chain.counts[position], own[:, interval + 1 :], own[:, interval]),
        chain.lives[chain.first(position)],
    )
