"""Individuals differ: every stage is a chain of equal sub-stages, and each is passed
after a random time (Erlang stage times).

When time is measured by development, its distribution keeps its shape at all
temperatures (Sharpe et al. 1977, J. Theor. Biol. 66:21–38). A chain of n sub-stages
gives a coefficient of variation of 1/√n ("linear chain trick", MacDonald 1978, Time
Lags in Biological Models). The number of moves within an hour is Poisson; it can be
more than one.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from brood.core.biology.pest import Pest
from brood.core.climate.series import HourlySeries, shifted
from brood.errors import ModelError, NothingDevelops

Array = NDArray[np.float64]

SHARE_CELSIUS = 22.0
"""The temperature at which the stage times share out the sub-stages. The shares hardly
change over the fitted range.
"""
MOST_SUBSTAGES = 400
TAYLOR_ORDER = 10
ORDERS = ((0.1, 4), (0.25, 5), (0.5, 6), (1.0, 8))
"""(most moves, order of the series): the order that is enough for small steps."""
STEP_MOVES = 2.0
STRIDES = (12.0, 6.0, 3.0, 2.0, 1.0)
NODES = ((-(3**0.5), 1 / 6), (0.0, 2 / 3), (3**0.5, 1 / 6))
"""Gauss–Hermite nodes and weights of the persistent temperature offset, in units of its spread."""


@dataclass(frozen=True, eq=False)
class Chain:
    """The sub-stages of a pest from egg (or birth) to its first own egg. `stage_of`
    gives the stage index of each sub-stage.
    """

    pest: Pest
    counts: tuple[int, ...]
    stage_of: NDArray[np.int64]

    @property
    def size(self) -> int:
        """Number of sub-stages."""
        return len(self.stage_of)

    @cached_property
    def entered(self) -> NDArray[np.int64]:
        """The first sub-stage of every stage but the first; `left` has the last of the
        stage before it.
        """
        return np.flatnonzero(np.diff(self.stage_of)) + 1

    @cached_property
    def left(self) -> NDArray[np.int64]:
        """The last sub-stage of every stage but the last."""
        return self.entered - 1

    def first(self, stage: int) -> int:
        """Index of the first sub-stage of a stage index; `size` for laying adults."""
        return int(sum(self.counts[:stage]))

    @cached_property
    def lives(self) -> Array:
        """The share that lives through each sub-stage untreated: (size,). Deaths fall
        evenly over the development of a stage.
        """
        each = [
            stage.survival ** (1 / count)
            for stage, count in zip(self.pest.stages, self.counts, strict=True)
        ]
        return np.array(each)[self.stage_of]

    @cached_property
    def lives_on(self) -> Array:
        """The share that lives untreated from each sub-stage to laying: (size,)."""
        return np.asarray(np.cumprod(self.lives[::-1], dtype=np.float64)[::-1])

    @cached_property
    def switching(self) -> Array:
        """How often a day an animal changes its place, by state: (size + 2,)."""
        each = np.array(self.pest.switchings)
        return np.append(each[self.stage_of], [each[-1]] * 2)

    def of_states(self, by_stage: Array) -> Array:
        """Values by stage and, last, adults [..., stages + 1], for every state: the
        sub-stages, laying adults, and adults that have laid out [..., size + 2].
        """
        return np.asarray(by_stage)[..., np.append(self.stage_of, [len(self.counts)] * 2)]

    def met(self, stage: int) -> Array:
        """A distribution, shape (size + 2,), of individuals met in a stage at any time
        of it. Of adults a part has laid out.
        """
        if stage < len(self.counts):
            return np.append(self.spread(stage), 0.0)
        x = np.zeros(self.size + 2)
        x[-2:] = self.pest.still_laying, 1 - self.pest.still_laying
        return x

    def spread(self, stage: int) -> Array:
        """A distribution, shape (size + 1,), of individuals spread evenly over a
        stage's duration.
        """
        x = np.zeros(self.size + 1)
        if stage == len(self.counts):
            x[-1] = 1.0
        else:
            x[self.first(stage) : self.first(stage + 1)] = 1 / self.counts[stage]
        return x

    def entering(self, stage: int) -> Array:
        """A distribution, shape (size + 1,), of individuals that have just entered a stage."""
        x = np.zeros(self.size + 1)
        x[self.first(stage)] = 1.0
        return x


def chain_of(pest: Pest) -> Chain:
    """Lay out the sub-stages of a pest.

    From egg to adult there are round(1/CV²), shared out by largest remainder in
    proportion to the mean stage times. Pre-oviposition has sub-stages of the same
    length. Raises ModelError for a CV outside 0.05 to 0.6.
    """
    if not 0.05 <= pest.cv <= 0.6:
        raise ModelError(
            "The spread between individuals must be 0.05 to 0.6.",
            field="cv",
            value=pest.cv,
            allowed="0.05 to 0.6",
        )
    days = np.array([stage.rate.days(SHARE_CELSIUS) for stage in pest.stages])
    total = min(MOST_SUBSTAGES, round(1 / pest.cv**2))
    ideal = days[:-1] / days[:-1].sum() * total
    counts = np.maximum(1, np.floor(ideal)).astype(int)
    # Largest remainder: the stages that lost most by rounding down get what is left over.
    for position in np.argsort(np.floor(ideal) - ideal)[: max(0, total - int(counts.sum()))]:
        counts[position] += 1
    own = max(1, round(days[-1] / days[:-1].sum() * total))
    every = (*(int(c) for c in counts), own)
    return Chain(pest, every, np.repeat(np.arange(len(every)), every))


def moves_per_hour(chain: Chain, celsius: Array) -> Array:
    """The expected moves between sub-stages in an hour, at °C of any shape; that shape
    plus (stages,).
    """
    rates = [
        count * stage.rate.per_day(celsius) / 24
        for count, stage in zip(chain.counts, chain.pest.stages, strict=True)
    ]
    return np.stack(rates, axis=-1)


def advance(x: Array, moves: Array) -> Array:
    """The state after a step in which the animals of each sub-stage move on at `moves`
    a step (at most about 2).

    `x` has shape (…, size + 1); the last entry holds those that have left. `moves` has
    shape (…, size). The exponential of the generator is taken by its Taylor series,
    which conserves numbers exactly. The error is under 2e-6 of the numbers for up to
    one move, and under moves¹¹/11! beyond.
    """
    out, term = x.copy(), x.copy()
    flow = np.zeros((*x.shape[:-1], x.shape[-1] + 1))
    # Views once, not at every order: a plan takes thousands of such steps.
    leave, enter, within = flow[..., 1:], flow[..., :-1], flow[..., 1:-1]
    settled = term[..., :-1]
    most = float(moves.max(initial=0.0))
    # Most steps are small, and few terms of the series are enough for them.
    for order in range(1, next((o for limit, o in ORDERS if most <= limit), TAYLOR_ORDER) + 1):
        np.multiply(moves, settled, out=within)
        np.subtract(enter, leave, out=term)
        term /= order
        out += term
    return out


def scenarios(series: HourlySeries) -> tuple[tuple[HourlySeries, float], ...]:
    """The series under a lasting cool, usual and warm offset of its own spread, with
    weights that add to 1.
    """
    return tuple((shifted(series, sigmas), weight) for sigmas, weight in NODES)


@dataclass(frozen=True, eq=False)
class Clock:
    """A chain's moves under weighted temperature scenarios.

    `total` has shape (scenarios, hours + 1, stages): the moves up to each hour.
    `stride` is the most hours that one step may take.
    """

    chain: Chain
    series: HourlySeries
    total: Array
    weights: Array
    stride: float

    def passages(
        self, state: Array, hour: float, targets: Sequence[int], until: float = 0.95
    ) -> list[list[float | None]]:
        """Hours after the start of the series at which 5 %, 50 % and 95 % of `state`
        have entered each target stage index.

        `state` has shape (size + 1,) and adds to 1; it begins at `hour`. The run stops
        when the share `until` has entered the last target; later quantiles are then
        None, as are those beyond the series. The quantiles are those of the mixture
        over the scenarios: the fast one comes from quick individuals in a warm place.
        """
        x = np.tile(state, (len(self.weights), 1))
        firsts = [self.chain.first(target) for target in targets]
        curve, times, last = [self._entered(x, firsts)], [float(hour)], self.total.shape[1] - 1
        while curve[-1][-1] < until and times[-1] < last:
            step_to, moves = self._step(times[-1], float(last))
            x = advance(x, moves)
            curve.append(self._entered(x, firsts))
            times.append(step_to)
        shares = np.array(curve)
        return [
            [_crossing(times, shares[:, j], q) for q in (0.05, 0.5, 0.95)]
            for j in range(len(targets))
        ]

    def _step(self, hour: float, last: float) -> tuple[float, Array]:
        """The end of the longest step in which no sub-stage is left more than about
        twice, and its moves.
        """
        start = self._total_at(hour)
        # The longest step in which no sub-stage is left more than twice.
        for stride in (s for s in STRIDES if s <= self.stride):
            step_to = min(hour + stride, last)
            moves = self._total_at(step_to) - start
            if moves.max() <= STEP_MOVES:
                break
        return step_to, moves[:, self.chain.stage_of]

    def _total_at(self, hour: float) -> Array:
        whole = int(hour)
        if whole == hour:
            return self.total[:, whole]
        return self.total[:, whole] + (hour - whole) * (
            self.total[:, whole + 1] - self.total[:, whole]
        )

    def _entered(self, x: Array, firsts: Sequence[int]) -> list[float]:
        return [float((self.weights * x[:, first:].sum(axis=1)).sum()) for first in firsts]


def _crossing(times: list[float], shares: Array, quantile: float) -> float | None:
    if shares[-1] < quantile - 1e-12:
        return None
    after = int(np.argmax(shares >= quantile - 1e-12))
    if after == 0:
        return times[0]
    before, now = shares[after - 1], shares[after]
    return float(
        times[after - 1] + (quantile - before) / (now - before) * (times[after] - times[after - 1])
    )


def clock(chain: Chain, series: HourlySeries) -> Clock:
    """A Clock over the three temperature scenarios of a series. Hourly rates are
    summed; a step takes up to 12 hours.
    """
    pairs = scenarios(series)
    moves = np.stack([moves_per_hour(chain, s.celsius) for s, _ in pairs])
    total = np.concatenate((np.zeros_like(moves[:, :1]), np.cumsum(moves, axis=1)), axis=1)
    return Clock(chain, series, total, np.array([w for _, w in pairs]), STRIDES[0])


def require_development(chain: Chain, series: HourlySeries) -> None:
    """Raise NothingDevelops when no stage of the pest develops in any hour of the series."""
    if (moves_per_hour(chain, series.celsius) > 0).any():
        return
    lowest = min(stage.rate.threshold_c for stage in chain.pest.stages)
    highest = max(stage.rate.stops_c for stage in chain.pest.stages)
    hottest = round(float(series.celsius.max()), 1)
    too_hot = hottest >= highest
    if too_hot:
        still = NothingDevelops(
            f"Nothing develops at {highest:.0f} °C and above: such heat stops this pest, "
            "and much of it dies. "
            "Look again when it is cooler; what lives then goes on.",
            field="temperature",
            value=hottest,
            allowed=f"some hours under {highest:.1f} °C",
        )
    else:
        still = NothingDevelops(
            f"Nothing develops below {lowest:.0f} °C: eggs wait and nothing hatches. "
            "Look again when it is warmer, or move the plant somewhere warmer for the course.",
            field="temperature",
            value=hottest,
            allowed=f"some hours above {lowest:.1f} °C",
        )
    still.limit_c, still.too_hot = (highest if too_hot else lowest), too_hot
    raise still
