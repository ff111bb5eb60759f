"""How far apart the expected numbers lie between a cool, slow course of a case and a
warm, quick one.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

import numpy as np

from brood.core.biology.case import Case, Schedule
from brood.core.biology.substages import NODES, Array
from brood.core.population.half_days import by_scenario

OUTER = 0.1
"""The share of the weight beyond each edge of the spread."""


@dataclass(frozen=True, eq=False)
class Spread:
    """The expected number alive, all stages together, after each evening from the first
    find on: mean and edges, shape (days,).
    """

    first: date
    mean: Array
    low: Array
    high: Array


def spread_of(case: Case, schedule: Schedule, until: date) -> Spread:
    """The weighted mean over the scenarios of warmth and speed, and the numbers below
    and above which a tenth of the weight lies.
    """
    totals = by_scenario(case, schedule, until).sum(axis=-1)
    weights = np.array([warmth * speed for _, warmth in NODES for _, speed in NODES])
    order = np.argsort(totals, axis=1)
    ranked, reached = np.take_along_axis(totals, order, axis=1), np.cumsum(weights[order], axis=1)
    low, high = (_at(ranked, reached, share) for share in (OUTER, 1 - OUTER))
    return Spread(min(f.on for f in case.found), totals @ weights, low, high)


def _at(ranked: Array, reached: Array, share: float) -> Array:
    """For each day the first ranked number at which a share of the weight is reached."""
    place = np.argmax(reached >= share - 1e-9, axis=1)
    out: Array = ranked[np.arange(len(ranked)), place]
    return out
