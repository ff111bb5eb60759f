"""What a few survivors become without any treatment."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import timedelta

import numpy as np

from brood.core.biology.case import Case, Found
from brood.core.biology.pest import ADULT
from brood.core.biology.stage_times import stage_times
from brood.core.biology.substages import Array
from brood.core.climate.hours import evening
from brood.core.population.half_days import totals

DAYS = 60


@dataclass(frozen=True, eq=False)
class Regrowth:
    """The expected number alive, of all stages, day by day, of one female that has just
    begun to lay. Several are so many times as many. `son` is the days until a son of
    hers is grown, at the warmth of the case.
    """

    numbers: Array
    son: float

    def until(self, number: float, females: float) -> int | None:
        """The first day on which so many are alive. None beyond the forecast."""
        reached = self.numbers * females >= number
        return int(np.argmax(reached)) if reached.any() else None


def regrowth(case: Case, days: int = DAYS) -> Regrowth:
    """The expected numbers from one laying female on `case.start`, in the scenario
    without any offset. A crowded plant bears fewer.
    """
    share = case.pest.female_share * case.pest.still_laying
    found = (Found(case.start, ADULT, 1 / share),)
    one = replace(case, found=found, done=(), also=(), refuge=0.0)
    numbers = totals(one, [[]], case.start + timedelta(days=days))[0]
    begun = evening(case.start)
    celsius = case.series.mean(begun, min(begun + timedelta(days=days), case.series.end))
    # Of found adults some are males or have laid out; they are taken away again.
    lasts = float(np.interp(celsius, *np.array(case.pest.longevity).T))
    others = (1 / share - 1) * np.exp(-np.arange(len(numbers)) / lasts)
    grown = stage_times(case.pest, celsius).egg_to_adult.typical
    return Regrowth(np.maximum(numbers - others, 0.0), np.inf if grown is None else grown)
