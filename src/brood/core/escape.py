"""The first escape: by when a schedule has most probably let something breed whose line lives on."""

from __future__ import annotations

from datetime import date, timedelta

import numpy as np

from brood.core.daytable import DayTable
from brood.core.lines import Exposure, Run


def first_escapes(table: DayTable, exposure: Exposure, after: Run) -> list[date]:
    """The first day, of each schedule, by which the chance that something found has borne young whose line lives on is half of what it
    comes to in the end. For a table of one scenario: births up to a day count, with the chance of each to live on under the whole schedule.
    """
    full = Run(table, exposure, after=after)
    ahead = np.broadcast_to(after.values[0][:, :, : table.intervals], (len(exposure.survive), 1, table.intervals)).copy()
    ahead[:, :, : full.days] = full.values[0][:, :, : full.days]
    born = ahead * table.births
    goal = -np.expm1(full.nothing()[:, 0]) / 2
    low, high = np.zeros(len(goal), dtype=int), np.full(len(goal), table.intervals - 1)
    while (low < high).any():
        middle = (low + high) // 2
        until = np.arange(table.intervals) <= middle[:, None]
        reached = -np.expm1(Run(table, exposure, born=born * until[:, None]).nothing()[:, 0]) >= goal
        low, high = np.where(reached, low, middle + 1), np.where(reached, middle, high)
        low = np.minimum(low, high)
    days = np.searchsorted(table.evenings, low)
    return [table.first + timedelta(days=int(d)) for d in days]
