"""A case cut into half-day steps: what grows, is born and dies in each, by scenario."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from brood.core.biology.case import Case
from brood.core.biology.substages import NODES, Array, Chain, chain_of, moves_per_hour
from brood.core.climate.hours import EVENING, MORNING
from brood.core.climate.series import covering, shifted

SPEED_CV = 0.05
"""How much plants and strains differ in speed, beyond temperature (our judgement, C)."""


@dataclass(frozen=True, eq=False)
class Steps:
    """The half-day steps of a case under weighted scenarios.

    `moves` [steps, scenarios, sub-stages]: expected moves between sub-stages. `births`
    [steps, scenarios]: young per female that lays; `deaths` of adults likewise, and
    `laid_out` the rate at which living females stop laying. `weights` [scenarios]. Step
    n ends at `ends[n]`. `late` is (births, ends of laying) a day at the end of the
    series. `moved` [2, states]: the share that changes its place within a step that
    ends in the evening, or in the morning.
    """

    chain: Chain
    moves: Array
    births: Array
    deaths: Array
    laid_out: Array
    weights: Array
    ends: tuple[datetime, ...]
    late: tuple[Array, Array]
    moved: Array

    def switched(self, n: int) -> Array:
        """The share that changes its place within a step, by state."""
        out: Array = self.moved[0 if self.ends[n].time() == EVENING else 1]
        return out

    def repeats(self, n: int) -> bool:
        """Whether a step is like that of the day before or after, as at a place with set
        points.
        """
        return bool(self._as_before[n] or self._as_before[n + 2])

    @cached_property
    def _as_before(self) -> NDArray[np.bool_]:
        """Whether each step is like the one a day before: [steps + 2]."""
        out = np.zeros(len(self.ends) + 2, dtype=bool)
        rates = (self.moves, self.births, self.deaths, self.laid_out)
        like = [(r[2:] == r[:-2]).all(axis=tuple(range(1, r.ndim))) for r in rates]
        out[2:-2] = np.logical_and.reduce(like)
        return out

    def light(self) -> Steps:
        """The same in single precision: a hundred times finer than needed for what is
        said of a course, and twice as quick.
        """
        arrays = {
            name: getattr(self, name).astype(np.float32)
            for name in ("moves", "births", "deaths", "laid_out", "moved")
        }
        return replace(self, **arrays)

    def picked(self, scenarios: Sequence[int]) -> Steps:
        """The same steps under some of the scenarios, with weights that add to 1."""
        pick = list(scenarios)
        return replace(
            self,
            moves=self.moves[:, pick],
            births=self.births[:, pick],
            deaths=self.deaths[:, pick],
            laid_out=self.laid_out[:, pick],
            weights=self.weights[pick] / self.weights[pick].sum(),
            late=(self.late[0][pick], self.late[1][pick]),
        )


def steps_of(case: Case, until: date) -> Steps:
    """Cut a case's series into half-day steps, from 09:00 of the first find to 19:00 of
    a day, under 3 temperature offsets × 3 speeds.
    """
    chain = chain_of(case.pest)
    start = datetime.combine(min(f.on for f in case.found), MORNING)
    ends = [
        datetime.combine(start.date() + timedelta(days=n), t)
        for n in range((until - start.date()).days + 1)
        for t in (MORNING, EVENING)
    ][1:]
    marks = [0, *(int((end - start) / timedelta(hours=1)) for end in ends)]
    rates = scenario_rates(case, chain, start, marks)
    births, stops = (
        rate[:, -14:].sum(axis=1) / max(min(14, len(ends)) / 2, 1)
        for rate in (rates.births, rates.deaths + rates.laid_out)
    )
    spread = np.moveaxis(rates.moves, 0, 1)[..., chain.stage_of]
    hours = np.array([(EVENING.hour - MORNING.hour), 24 - (EVENING.hour - MORNING.hour)])
    return Steps(
        chain,
        spread,
        rates.births.T,
        rates.deaths.T,
        rates.laid_out.T,
        rates.weights,
        tuple(ends),
        (births, stops),
        1 - np.exp(-chain.switching * hours[:, None] / 24),
    )


@dataclass(frozen=True, eq=False)
class Rates:
    """Rates summed over spans of time, under weighted scenarios.

    `moves` [scenarios, spans, stages]: moves between sub-stages. [scenarios, spans]:
    `births` per female that lays, `deaths` of adults, and `laid_out`, the rate at which
    living females stop laying.
    """

    moves: Array
    births: Array
    deaths: Array
    laid_out: Array
    weights: Array


def scenario_rates(case: Case, chain: Chain, start: datetime, marks: list[int]) -> Rates:
    """Rates summed between marks (hours after a moment) under 3 temperature offsets × 3
    speeds, with the Gauss–Hermite weights. Where the series ends it is continued.

    A female that stops laying before she dies lays faster meanwhile: by 1 + rate of
    stopping × length of her life, so that her total is rate × life all the same.
    """
    moves, births, deaths, weights = [], [], [], []
    series = covering(case.series, start, marks[-1])
    for sigma, weight in NODES:
        celsius = shifted(series, sigma).celsius
        summed = np.add.reduceat(moves_per_hour(chain, celsius), marks[:-1], axis=0)
        per_day = np.interp(celsius, *np.array(case.pest.fecundity).T)
        lasts = np.interp(celsius, *np.array(case.pest.longevity).T)
        quicker = 1 + case.pest.laid_out * lasts
        ends = 1 / lasts + case.pest.leaves
        rates = [np.add.reduceat(rate / 24, marks[:-1]) for rate in (per_day * quicker, ends)]
        for speed, share in NODES:
            moves.append(summed * (1 + speed * SPEED_CV))
            births.append(rates[0])
            deaths.append(rates[1])
            weights.append(weight * share)
    stops = case.pest.laid_out * np.diff(marks) / 24
    return Rates(
        np.stack(moves),
        np.stack(births),
        np.stack(deaths),
        np.broadcast_to(stops, (len(weights), len(stops))),
        np.array(weights),
    )


def only(steps: Steps, scenario: int) -> Steps:
    """The same steps in one scenario."""
    return steps.picked([scenario])
