"""The first escape: the day by which a schedule has most probably let an animal breed
whose line lives on.
"""

from __future__ import annotations

from datetime import date, timedelta

import numpy as np

from brood.core.biology.substages import Array
from brood.core.population.day_table import DayTable
from brood.core.population.extinction import Backward, Exposure, Happens, LivesOn

PROBES = 12


def first_escapes(table: DayTable, exposure: Exposure, after: Backward) -> list[date]:
    """For each schedule the day by which half of its final risk has come about: the
    risk that something found bears young whose line lives on.

    For a table of one scenario. Births are counted up to a day; each counts with the
    chance that its line lives on under the whole schedule.
    """
    full = LivesOn(table, exposure, after)
    ahead = np.broadcast_to(
        after.values[0][:, :, : table.intervals], (len(exposure.survive), 1, table.intervals)
    ).copy()
    ahead[:, :, : full.days] = full.values[0][:, :, : full.days]
    born = ahead * table.births
    goal = -np.expm1(full.nothing()[:, 0]) / 2
    low, high = np.zeros(len(goal), dtype=int), np.full(len(goal), table.intervals - 1)
    while (low < high).any():
        low, high = _narrowed(table, exposure, born, goal, (low, high))
    days = np.searchsorted(table.evenings, low)
    return [table.first + timedelta(days=int(d)) for d in days]


def _narrowed(
    table: DayTable, exposure: Exposure, born: Array, goal: Array, span: tuple[Array, Array]
) -> tuple[Array, Array]:
    """Closer bounds of the interval in which the goal is reached: a dozen intervals are
    tried at once for every schedule.
    """
    low, high = span
    step = np.maximum(1, -(-(high - low) // PROBES))
    tried = np.minimum(low[:, None] + step[:, None] * np.arange(PROBES), high[:, None])
    until = np.arange(table.intervals) <= tried[..., None]
    many = Exposure(
        np.repeat(exposure.survive, PROBES, axis=0),
        None if exposure.fresh is None else np.repeat(exposure.fresh, PROBES, axis=0),
    )
    some = np.repeat(born, PROBES, axis=0) * until.reshape(-1, 1, table.intervals)
    reached = (-np.expm1(Happens(table, many, some).nothing()[:, 0])).reshape(tried.shape) >= goal[
        :, None
    ]
    first = np.where(reached.any(axis=1), reached.argmax(axis=1), PROBES)
    below = np.take_along_axis(tried, np.maximum(first - 1, 0)[:, None], axis=1)[:, 0]
    above = np.take_along_axis(tried, np.minimum(first, PROBES - 1)[:, None], axis=1)[:, 0]
    return np.where(first > 0, np.minimum(below + 1, high), low), np.where(
        first < PROBES, above, high
    )
