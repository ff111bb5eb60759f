"""Who survives the evenings while a stage lasts, in the open and in a refuge.

Animals are followed side by side in both, and change places as often as the stage does.
Between two evenings their number stays; only the part that is hidden drifts towards the
refuge. So it is enough to step from evening to evening.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from brood.core.biology.substages import Array

STAY = 1e-300
"""Where all change their place in an interval, so many are taken not to: logarithms of
what stays must be finite.
"""


@dataclass(frozen=True, eq=False)
class Spared:
    """Of those in a stage from the intervals `starts` on, the shares that survive.

    `after` [schedules, starts, evenings + 1]: the share after so many of the evenings
    from the start on. `before` [schedules, boundaries]: how many evenings lie before the
    start of an interval, counted from the first one.
    """

    starts: NDArray[np.int64]
    after: Array
    before: NDArray[np.int64]

    @cached_property
    def _places(self) -> NDArray[np.int64]:
        """Where in `after`, read as one list, lie the shares after no evening, less the
        evenings before the start: [schedules, starts].
        """
        schedules, starts, most = self.after.shape
        rows = np.arange(schedules * starts).reshape(schedules, starts)
        out: NDArray[np.int64] = rows * most - self.before[:, self.starts]
        return out

    def upto(self, some: slice, waits: range) -> Array:
        """The share of those from some of the starts on that survives the evenings of so
        many intervals, the longest that anyone stays at most: [schedules, starts, waits].
        """
        ends = self.starts[some, None] + np.arange(waits.start, waits.stop)
        places = self.before[:, ends]
        places += self._places[:, some, None]
        out: Array = self.after.ravel().take(places)
        return out

    def all(self) -> Array:
        """The share that survives every evening there is, for those who may stay for so
        long: [schedules, starts].
        """
        met = self.before[:, -1:] - self.before[:, self.starts]
        met = np.minimum(met, self.after.shape[2] - 1)
        out: Array = np.take_along_axis(self.after, met[..., None], axis=2)[..., 0]
        return out


def spared(
    met: Array,
    moved: Array,
    refuge: float,
    starts: NDArray[np.int64],
    fresh: Array,
    longest: int,
) -> Spared:
    """Follow those who come into a stage at the start of some intervals through the evenings.

    `met` [schedules, intervals]: what survives in the open at the end of an interval.
    `moved` [intervals]: the share that changes its place in it. `fresh` [schedules or 1,
    starts]: what survives in the open of those that come. Nobody stays for longer than
    `longest` intervals.
    """
    schedules, size = met.shape
    acted = met < 1
    before = np.zeros((schedules, size + longest + 1), dtype=int)
    np.cumsum(acted, axis=1, out=before[:, 1 : size + 1])
    before[:, size + 1 :] = before[:, size, None]
    begun = before[:, starts]
    most = int((before[:, starts + longest] - begun).max())
    # The evenings of each schedule in order, and after them an interval in which nothing is done.
    order = np.full((schedules, int(before[:, -1].max()) + most + 1), size)
    row, place = np.nonzero(acted)
    order[row, before[row, place]] = place
    kills = np.concatenate((met, np.ones((schedules, 1))), axis=1)
    stays = np.cumsum(np.log(np.maximum(1 - moved, STAY)))
    stays = np.concatenate(([0.0], stays, stays[-1:]))
    row = np.arange(schedules)[:, None]
    total = np.broadcast_to((1 - refuge) * fresh + refuge, begun.shape)
    hidden, since = np.full(begun.shape, refuge), stays[starts]
    after = np.empty((*begun.shape, most + 1))
    after[..., 0] = total
    for n in range(most):
        place = order[row, begun + n]
        until = stays[place + 1]
        level = refuge * total
        hidden = level + (hidden - level) * np.exp(until - since)
        total = hidden + (total - hidden) * kills[row, place]
        after[..., n + 1], since = total, until
    return Spared(starts, after, before)
