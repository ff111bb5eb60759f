"""What schedules do to a case, worked out from its day table: the chance that every
line dies out, and the expected number left.

The computation runs backward over the evenings, for many schedules at once. p is the
chance that the line of an animal lives for ever. For one that enters a stage, p is a
sum over the intervals in which it may leave, each times its chance to survive the
evenings before. For a laying female it is a birth-and-death recursion. When births
count linearly instead of saturating, the same sums give expected numbers.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from brood.core.biology.substages import Array
from brood.core.population.day_table import DayTable, Founders

NEVER = 1e-6
CHUNK = 40
"""Laying adults are solved over so many intervals at once. The product of their
survivals, each at least NEVER, then stays a normal floating-point number.
"""
LEAST = 1e-250
"""Products of survivals are kept above this, so that one can be divided by another."""


@dataclass(frozen=True, eq=False)
class Exposure:
    """What schedules do to a pest.

    `survive` [schedules, intervals, stages + 1]: the share that survives the evening at
    the end of an interval, laying adults last. `fresh`: the same for those that become
    exposed in an interval and meet what earlier evenings left behind (None where no act
    leaves anything).
    """

    survive: Array
    fresh: Array | None = None


@dataclass(eq=False)
class Run:
    """One backward pass over a day table.

    With `last` [schedules] it counts the numbers after those evenings instead of
    chances. `after` is the pass without any treatment; everything after the last
    evening is taken from it. With `born` [schedules, scenarios, intervals], the rate of
    births whose line lives on, the result is the chance that at least one of them
    happens.
    """

    table: DayTable
    exposure: Exposure
    last: Array | None = None
    after: Run | None = None
    born: Array | None = None
    values: list[Array] = field(init=False)
    paths: list[Array] = field(init=False)

    def __post_init__(self) -> None:
        t, survive = self.table, self.exposure.survive
        b, s = survive.shape[0], len(t.weights)
        d = self.days = self._until()
        survive = survive[:, :d]
        self.end = (
            np.zeros(s) if self.born is not None else t.late if self.last is None else np.ones(s)
        )
        self.share = t.females if self.last is None else 1.0
        # Products of survivals from the start on: what happens between two intervals is one
        # division.
        self.through = np.ones((b, d + 1, len(t.leave) + 1))
        np.cumprod(np.maximum(survive, _floor(survive)), axis=1, out=self.through[:, 1:])
        self.paths = [self._paths(stage) for stage in range(len(t.leave))]
        waits = [1, *(one.share.shape[2] for one in t.leave)]
        self.values = [np.empty((b, s, d + w)) for w in waits]
        for value, known in zip(self.values, self._known(), strict=True):
            value[...] = known[..., : value.shape[2]]
        # Views, not copies: each stage sees the values of the next one as they are filled in.
        self.ahead = [
            _windows(value, w) for value, w in zip(self.values[1:], waits[1:], strict=True)
        ]
        # [track, schedules, scenarios, intervals + 1]: the value of a laying female, open and
        # hidden.
        self.laying = np.empty((2, b, s, d + 1))
        self.laying[...] = (
            self.end[:, None] if self.after is None else self.after.laying[..., : d + 1]
        )
        self.tracks = np.ones((2, b, 1, d))
        self.tracks[0, :, 0] = survive[..., -1]
        self._sweep()

    def _until(self) -> int:
        """How many intervals have to be computed: what comes after them is known. The
        last find lies within them.
        """
        last_find = max(f.interval for f in self.table.founders)
        return min(self.table.intervals, max(self._acted(), last_find + 1))

    def _acted(self) -> int:
        """How many intervals there are up to the last one that matters for this pass."""
        if self.last is not None:
            return int(self.last.max()) + 1
        if self.born is not None:
            return int(np.flatnonzero(self.born.any(axis=(0, 1)))[-1:].sum()) + 1
        if self.after is None:
            return self.table.intervals
        done = (self.exposure.survive < 1).any(axis=(0, 2))
        if self.exposure.fresh is not None:
            done |= (self.exposure.fresh < 1).any(axis=(0, 2))
        return int(np.flatnonzero(done)[-1]) + 1 if done.any() else 1

    def _known(self) -> list[Array]:
        """The values after the intervals of this pass."""
        if self.after is not None:
            return self.after.values
        return [(self.share * self.end)[:, None]] * (len(self.table.leave) + 1)

    def spared(self, stage: int, first: int, waits: int) -> Array:
        """Of those in a stage from interval `first` on, the share that survives the
        evenings before each of the following intervals: [schedules, waits].
        """
        through = self.through[..., stage]
        passed = (
            np.take(
                through, np.minimum(np.arange(first, first + waits), through.shape[1] - 1), axis=1
            )
            / through[:, first : first + 1]
        )
        out: Array = self.table.refuge + (1 - self.table.refuge) * passed
        return out

    def _paths(self, stage: int) -> Array:
        """The chance to leave a stage alive in an interval: [schedules or 1, scenarios,
        intervals, waits].
        """
        share, through = self.table.leave[stage].share[:, : self.days], self.through[..., stage]
        fresh = None if self.exposure.fresh is None else self.exposure.fresh[:, : self.days, stage]
        if (through[:, -1] == 1).all() and (fresh is None or (fresh == 1).all()):
            return share[None]
        days, waits = share.shape[1:]
        padded = np.concatenate((through, np.repeat(through[:, -1:], waits, axis=1)), axis=1)
        begun = (1 - self.table.refuge) / through[:, :days]
        if fresh is not None:
            begun *= fresh
        spared = _windows(padded, waits)[:, :days] * begun[..., None]
        spared += self.table.refuge
        return spared[:, None] * share[None]

    def _sweep(self) -> None:
        """Fill the values from the last interval to the first. Each stage goes as far
        ahead of the laying adults as its shortest wait allows.
        """
        least = [one.least for one in self.table.leave]
        known = [self.days] * (len(least) + 1)
        while True:
            for stage in range(len(least) - 1, -1, -1):
                low = max(0, known[stage + 1] - least[stage])
                if low < known[stage]:
                    self._stage(stage, low, known[stage])
                    known[stage] = low
            if not known[-1]:
                return
            # Adults can go no further than their young are known.
            low = max(min(known[0], known[-1] - 1), known[-1] - CHUNK)
            self._adults(low, known[-1])
            known[-1] = low

    def _stage(self, stage: int, low: int, high: int) -> None:
        into = self.values[stage][:, :, low:high]
        np.einsum(
            "bsdw,bsdw->bsd",
            self.paths[stage][:, :, low:high],
            self.ahead[stage][:, :, low:high],
            out=into,
        )
        self._stop(into, low, high)

    def _stop(self, value: Array, low: int, high: int) -> None:
        """When counting, an animal that enters after the last evening counts as 1."""
        if self.last is not None:
            np.copyto(value, 1.0, where=(np.arange(low, high) > self.last[:, None])[:, None, :])

    def _adults(self, low: int, high: int) -> None:
        """Solve the affine recursion of laying females over some intervals at once, in
        the open and in refuge.
        """
        t, cut = self.table, slice(low, high)
        born = (
            self.values[0][:, :, cut] * t.births[:, cut]
            if self.born is None
            else self.born[..., cut]
        )
        died = t.deaths[:, cut]
        tracks = self.tracks[..., cut]
        if self.last is None:
            # Until she has a successful birth or dies, at steady rates, a female is a race
            # between the two.
            rate = born + died
            settled = born / rate
        else:
            over = (np.arange(low, high) > self.last[:, None])[:, None]
            rate = np.where(over, NEVER, died)
            settled = np.where(over, 0.0, born / died * t.females)
            tracks = np.where(over, 1.0, tracks)
        stay = np.exp(-rate)
        # The recursion is affine, so a stretch of it is a product and a cumulative sum.
        ahead = np.maximum(stay * tracks, NEVER)
        ahead = np.cumprod(ahead[..., ::-1], axis=-1)[..., ::-1]
        gained = np.cumsum((settled * (1 - stay) / ahead)[..., ::-1], axis=-1)[..., ::-1]
        into = self.laying[..., cut]
        into[...] = ahead * (self.laying[..., high : high + 1] + gained)
        # An animal that grows up within the interval is an adult for part of it.
        held = (1 - stay) / rate
        ends = tracks * self.laying[..., low + 1 : high + 1]
        exposed = settled + (ends[0] - settled) * held
        if self.exposure.fresh is not None:
            exposed *= self.exposure.fresh[:, None, cut, -1]
        hidden = settled + (ends[1] - settled) * held
        entering = self.values[-1][:, :, cut]
        entering[...] = ((1 - t.refuge) * exposed + t.refuge * hidden) * self.share
        self._stop(entering, low, high)

    def laying_at(self, interval: int) -> Array:
        """The value of an adult found at the start of an interval: [schedules, scenarios]."""
        run = self if interval <= self.days or self.after is None else self.after
        tracks = run.laying[..., interval]
        out: Array = (
            (1 - self.table.refuge) * tracks[0] + self.table.refuge * tracks[1]
        ) * self.share
        return out

    def founder(self, founders: Founders) -> Array:
        """The value of an animal found, by the sub-stage that it may be in: [schedules,
        scenarios, sub-stages].
        """
        if founders.share is None:
            return self.laying_at(founders.interval)[..., None]
        first, waits = founders.interval, founders.share.shape[2]
        after = self.values[founders.stage + 1][:, :, first : first + waits]
        more = waits - after.shape[2]
        if more > 0:
            known = np.broadcast_to(
                self._known()[founders.stage + 1],
                (*after.shape[:2], self._known()[founders.stage + 1].shape[-1]),
            )
            begun = first + after.shape[2]
            rest = known[..., begun : begun + more]
            rest = (
                rest
                if rest.shape[2] == more
                else np.concatenate(
                    (rest, np.repeat(known[..., -1:], more - rest.shape[2], axis=2)), axis=2
                )
            )
            after = np.concatenate((after, rest), axis=2)
        out: Array = np.einsum(
            "snw,bsw->bsn",
            founders.share,
            self.spared(founders.stage, first, waits)[:, None] * after,
        )
        return out

    def nothing(self) -> Array:
        """The logarithm of the chance that nothing comes of any animal found:
        [schedules, scenarios].
        """
        out = np.zeros((self.exposure.survive.shape[0], len(self.table.weights)))
        for founders in self.table.founders:
            out += founders.count * np.log1p(-np.minimum(self.founder(founders), 1 - 1e-15)).mean(
                axis=-1
            )
        return out


def _floor(survive: Array) -> float:
    """The smallest survival that is told apart from 0: NEVER, or more where so many are
    small that their product would vanish.
    """
    if float(np.log(np.maximum(survive, NEVER)).sum(axis=1).min(initial=0.0)) > np.log(LEAST):
        return NEVER
    return float(LEAST ** (1 / survive.shape[1]))


def _windows(values: Array, length: int) -> Array:
    """A view of a contiguous array as windows of a length along its last axis: [...,
    places, length]. It costs nothing to make and must not be written to.
    """
    *lead, size = values.shape
    *steps, step = values.strides
    return np.ndarray(
        (*lead, size - length + 1, length), values.dtype, values, 0, (*steps, step, step)
    )


def clearing(table: DayTable, exposure: Exposure, after: Run | None = None) -> Array:
    """The logarithm of the chance that everything found dies out: [schedules,
    scenarios]. Give `after` from `untreated` to save time.
    """
    return Run(table, exposure, after=after).nothing()


def untreated(table: DayTable) -> Run:
    """The pass over a table in which nothing is done."""
    return Run(table, Exposure(np.ones((1, table.intervals, len(table.leave) + 1))))


def alive_after(table: DayTable, exposure: Exposure, last: Sequence[int]) -> Array:
    """The expected number alive right after each schedule's last evening (its interval
    index): [schedules, scenarios].
    """
    run = Run(table, exposure, np.array(last))
    out = np.zeros((exposure.survive.shape[0], len(table.weights)))
    for founders in table.founders:
        out += founders.count * run.founder(founders).mean(axis=-1)
    return out


def rank(chances: Array, weights: Array, share: float = 0.9) -> NDArray[np.int64]:
    """The index of the scenario at the 90 % rank: the worst of the best scenarios that
    together hold that share of the weight. `chances` is [..., scenarios].
    """
    order = np.argsort(-chances, axis=-1)
    held = np.cumsum(weights[order], axis=-1)
    place = (held >= share - 1e-9).argmax(axis=-1)
    out: NDArray[np.int64] = np.take_along_axis(order, place[..., None], axis=-1)[..., 0]
    return out
