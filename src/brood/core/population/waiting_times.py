"""The chance to leave a stage after a number of intervals. Stage times are Erlang on a
clock of summed rates, averaged over the moment of entry.

A stage of n sub-stages is left when its summed rate has made n moves: a
gamma-distributed number with mean n (Sharpe et al. 1977, J. Theor. Biol. 66:21–38, for
a shape that does not depend on temperature). An animal may enter at any moment of an
interval, evenly on the stage's own clock. The mean over that has a closed form: (H(x) −
H(y)) / (x − y), with F the distribution function and H its integral.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.special import gammainc

from brood.core.biology.substages import Array

STEP = 0.02
SURE = 1e-5
FORGOTTEN = 1 / 6
UNLIKELY = 4e-3
"""What leaves sooner than this share of the entrants counts as leaving with them."""


@dataclass(frozen=True, eq=False)
class Erlang:
    """The distribution function of n exponential sub-stages and its integral, on an
    even grid of moves. After `sure` moves 1e-5 are left.
    """

    reached: Array
    summed: Array
    sure: float

    def share(self, moves: Array) -> Array:
        """F: the share of those that began with nothing done who have left after so
        many moves; any shape.
        """
        return self._at(self.reached, moves)

    def total(self, moves: Array) -> Array:
        """H: the integral of F from 0; any shape."""
        top = (len(self.summed) - 1) * STEP
        return self._at(self.summed, moves) + np.maximum(moves - top, 0.0)

    def _at(self, table: Array, moves: Array) -> Array:
        place = np.minimum(np.maximum(moves, 0.0) / STEP, len(table) - 1.001)
        below = place.astype(np.int32)
        first = table[below]
        out: Array = first + (place - below) * (table[below + 1] - first)
        return out


@lru_cache(maxsize=512)
def erlang(count: float) -> Erlang:
    """The table of the sum of `count` exponential moves (a gamma distribution of that shape)."""
    grid = np.arange(0.0, count + 9 * count**0.5 + 24, STEP)
    reached = gammainc(count, grid)
    summed = grid * reached - count * gammainc(count + 1, grid)
    return Erlang(reached, summed, float(grid[int(np.searchsorted(reached, 1 - SURE))]))


@dataclass(frozen=True, eq=False)
class Leaving:
    """The chances to leave a stage.

    `share` [scenarios, intervals, waits]: of those that enter the stage in an interval,
    the share that leaves so many intervals later. Those that outlast the known
    intervals leave in the first one after them. `least` is the smallest number of
    intervals that anyone waits.
    """

    share: Array
    least: int


def leaving(count: int, moves: Array) -> Leaving:
    """The chances to leave a stage of `count` sub-stages. `moves` [scenarios, intervals
    + 1] are its summed moves at the ends of the intervals.

    The table forgets the moment of entry within an interval. That adds about 1/6 of an
    interval squared to the variance of a stage, so the stage's own variance is taken so
    much smaller, but never under a quarter of itself.
    """
    days = moves.shape[1] - 1
    pace = float(moves[:, -1].mean()) / days
    # The stage's own variance in intervals, less what forgetting the moment of entry adds.
    own = count / max(pace, 1e-9) ** 2
    shape = round(count * own / max(own - FORGOTTEN, own / 4), 1)
    table, moves = erlang(shape), moves * (shape / count)
    waits = _waits(moves, table.sure)
    # After the known time everything has left: a step that large ends every stage.
    beyond = moves[:, -1:] + table.sure + 50
    padded = np.concatenate((moves, np.repeat(beyond, waits, axis=1)), axis=1)
    ends = np.lib.stride_tricks.sliding_window_view(padded[:, 1:], waits, axis=1)[:, :days]
    width = moves[:, 1:] - moves[:, :-1]
    since_start, since_end = ends - moves[:, :-1, None], ends - moves[:, 1:, None]
    # Animals enter evenly over the interval: the mean of the share gone, between entry at its
    # start and at its end.
    gone = (table.total(since_start) - table.total(since_end)) / np.maximum(width, 1e-9)[..., None]
    # Where nothing develops in the interval of entry, the two moments are one.
    still = width < 1e-6
    if still.any():
        gone[still] = table.share(since_start[still])
    gone = np.minimum(gone, 1.0)
    known = np.arange(days)[:, None] + np.arange(waits) < days
    least = int(np.argmax(np.append((gone * known).max(axis=(0, 1)) > UNLIKELY, True)))
    # The few that leave sooner are held back: the sweep can then fill that many intervals at
    # once.
    gone[..., :least] = 0.0
    return Leaving(np.diff(gone, axis=-1, prepend=0.0), least)


def _waits(moves: Array, sure: float) -> int:
    """The number of intervals after which everyone has left, or the known time is over."""
    days, most = moves.shape[1] - 1, 1
    for row in moves:
        done = np.searchsorted(row, row[1:] + sure)
        most = max(most, int((np.minimum(done, days + 1) - np.arange(days)).max()))
    return most + 1


def found_leaving(count: int, moves: Array, start: Array) -> Array:
    """The same for animals found in a stage, by sub-stages left to do: [scenarios,
    sub-stages, waits].

    `moves` [scenarios, boundaries] are the summed moves at the ends of the interval of
    the find and those after; `start` [scenarios] those at the find.
    """
    done = moves - start[:, None]
    gone = np.stack([erlang(left).share(done) for left in range(count, 0, -1)], axis=1)
    gone[..., -1] = 1.0
    waits = max(1, int(np.argmax(gone.min(axis=(0, 1)) > 1 - SURE)) + 1)
    gone = gone[..., :waits]
    gone[..., -1] = 1.0
    return np.diff(gone, axis=-1, prepend=0.0)
