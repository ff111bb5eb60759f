"""What schedules do to a case, worked out from its day table: the chance that every
line dies out, the expected number left, and the chance that a birth of some kind
happens.

The computation runs backward over the evenings, for many schedules at once. An animal
that enters a stage has a value: a sum over the intervals in which it may leave, each
times its chance to live until then. A laying female has one that steps from interval
to interval, in the open and in a refuge. The three questions share this kernel and
differ in what a laying female is worth.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brood.core.biology.substages import Array
from brood.core.population.day_table import DayTable, Founders
from brood.core.population.sparing import Spared, spared

NEVER = 1e-6
CHUNK = 40
"""Laying adults are stepped over so many intervals at a time."""


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


class Backward:
    """One backward pass over a day table. Subclasses say what it asks.

    `after` is the pass without any treatment; everything after the last evening is
    taken from it.
    """

    share = 1.0
    """The part of the animals that grow up whose value counts."""

    def __init__(self, table: DayTable, exposure: Exposure, after: Backward | None = None) -> None:
        self.table, self.exposure, self.after = table, exposure, after
        self.schedules, scenarios = exposure.survive.shape[0], len(table.weights)
        self.end = self._end()
        # What comes after the last interval that matters is known. The last find lies within.
        last_find = max(f.interval for f in table.founders)
        self.days = min(table.intervals, max(self._acted(), last_find + 1))
        stages = range(len(table.leave))
        self.values = [
            np.empty((self.schedules, scenarios, self.days + wait))
            for wait in (1, *map(self._longest, stages))
        ]
        for value, known in zip(self.values, self._known(), strict=True):
            value[...] = known[..., : value.shape[2]]
        # Views, not copies: each stage sees the values of the next one as they are filled in.
        self._lefts = [self._leaves(stage) for stage in stages]
        self._ahead = [
            _windows(value, left.shape[3])
            for value, left in zip(self.values[1:], self._lefts, strict=True)
        ]
        self._followed = [self._follow(stage) for stage in stages]
        self._through = [None if each is None else each.all() for each in self._followed]
        # [intervals + 1, track, schedules, scenarios]: the value of a laying female.
        self.laying = np.empty((self.days + 1, 2, self.schedules, scenarios))
        self.laying[...] = self.end if after is None else after.laying[: self.days + 1]
        self._sweep()

    # -- what a subclass says --

    def _end(self) -> Array:
        """The value of a laying female after the last interval: [scenarios]."""
        return self.table.late

    def _acted(self) -> int:
        """How many intervals there are up to the last one that matters for this pass."""
        if self.after is None:
            return self.table.intervals
        done = (self.exposure.survive < 1).any(axis=(0, 2))
        if self.exposure.fresh is not None:
            done |= (self.exposure.fresh < 1).any(axis=(0, 2))
        return int(np.flatnonzero(done)[-1]) + 1 if done.any() else 1

    def _worth(self, cut: slice) -> tuple[Array, Array]:
        """The rate at which the race of a laying female is decided in each of some
        intervals [schedules, scenarios, intervals], and her value once it is, with a
        track for each of in the open and hidden, or one for both, in front.
        """
        raise NotImplementedError

    def _stop(self, value: Array, low: int, high: int) -> None:
        """Set, in place, values of intervals that need no working out."""

    def _open(self, cut: slice) -> Array:
        """The share of laying adults in the open that lives on after each evening:
        [intervals, schedules, 1].
        """
        return self.exposure.survive[:, cut, -1].T[..., None]

    def _leaves(self, stage: int) -> Array:
        """The share that leaves a stage after so many intervals and has not died untreated
        until then, or until it is counted: [schedules or 1, scenarios, intervals, waits].
        """
        return self.table.leave_alive[stage][None, :, : self.days]

    def _founder_left(self, founders: Founders) -> Array:
        """The same of a group found, by sub-stage: [schedules or 1, scenarios, sub-stages,
        waits].
        """
        return founders.alive[None]

    # -- the kernel --

    def _known(self) -> list[Array]:
        """The values after the intervals of this pass."""
        if self.after is not None:
            return self.after.values
        pest = self.table.chain.pest
        return [
            (self.share * self._reaches(pest.lives_from(stage)) * self.end)[:, None]
            for stage in range(len(pest.stages) + 1)
        ]

    def _reaches(self, lives: float) -> float:
        """What the share that lives to be an adult is worth after the last interval."""
        return lives

    def _follow(self, stage: int) -> Spared | None:
        """What survives the evenings of those in a stage from every interval on, and then
        of each group found in it. None where no evening touches the stage.
        """
        found = self._found(stage)
        fresh = np.ones((1, self.days))
        if self.exposure.fresh is not None:
            fresh = self.exposure.fresh[:, : self.days, stage]
        met = self.exposure.survive[..., stage]
        if (met == 1).all() and (fresh == 1).all():
            return None
        starts = np.array([*range(self.days), *(f.interval for f in found)])
        # Residues meet who comes into the open, and not who was found there.
        fresh = np.concatenate((fresh, np.ones((len(fresh), len(found)))), axis=1)
        moved, refuge, longest = self.table.moved[:, stage], self.table.refuge, self._longest(stage)
        return spared(met, moved, refuge, starts, fresh, longest)

    def _longest(self, stage: int) -> int:
        """The most intervals that anyone waits in a stage."""
        usual: int = self.table.leave[stage].share.shape[2]
        return max([usual, *(f.waits for f in self._found(stage))])

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
        least, followed = self.table.leave[stage].least, self._followed[stage]
        left, ahead = self._lefts[stage][:, :, low:high], self._ahead[stage][:, :, low:high]
        through = self._through[stage]
        if followed is None or through is None:
            np.einsum("bsdw,bsdw->bsd", left[..., least:], ahead[..., least:], out=into)
            self._stop(into, low, high)
            return
        # Who leaves after the intervals of this pass has met every evening, and has a value
        # that no schedule changes.
        late = max(least, min(left.shape[3], self.days - low))
        np.einsum(
            "bdw,bsdw,bsdw->bsd",
            followed.upto(slice(low, high), range(least, late)),
            left[..., least:late],
            ahead[..., least:late],
            out=into,
        )
        if late < left.shape[3]:
            beyond = np.einsum("bsdw,bsdw->bsd", left[..., late:], ahead[:1, ..., late:])
            into += through[:, None, low:high] * beyond
        self._stop(into, low, high)

    def _adults(self, low: int, high: int) -> None:
        """Step laying females back over some intervals, in the open and in refuge."""
        cut, refuge = slice(low, high), self.table.refuge
        # Both with the intervals first: [intervals, (tracks,) schedules, scenarios].
        rate, settled = (np.moveaxis(a, -1, 0) for a in self._worth(cut))
        stay, spared = np.exp(-rate), self._open(cut)
        gained, moved = settled * (1 - stay)[:, None], self.table.moved[cut, -1]
        for n in range(high - low - 1, -1, -1):
            later = self.laying[low + n + 1]
            exposed, hidden = later[0] * spared[n], later[1]
            if moved[n]:
                towards = moved[n] * (hidden - exposed)
                exposed, hidden = exposed + refuge * towards, hidden - (1 - refuge) * towards
            into = self.laying[low + n]
            np.add(stay[n] * exposed, gained[n, 0], out=into[0])
            np.add(stay[n] * hidden, gained[n, -1], out=into[1])
        # An animal that grows up within the interval is an adult for part of it.
        held = (1 - stay) / rate
        later = self.laying[low + 1 : high + 1]
        exposed = settled[:, 0] + (spared * later[:, 0] - settled[:, 0]) * held
        if self.exposure.fresh is not None:
            exposed *= self.exposure.fresh[:, cut, -1].T[..., None]
        hidden = settled[:, -1] + (later[:, 1] - settled[:, -1]) * held
        entering = self.values[-1][:, :, cut]
        entering[...] = np.moveaxis(((1 - refuge) * exposed + refuge * hidden) * self.share, 0, -1)
        self._stop(entering, low, high)

    def laying_at(self, interval: int) -> Array:
        """The value of an adult found at the start of an interval: [schedules, scenarios]."""
        run = self if interval <= self.days or self.after is None else self.after
        refuge, tracks = self.table.refuge, run.laying[interval]
        return self._met((1 - refuge) * tracks[0] + refuge * tracks[1], interval)

    def _met(self, laying: Array, interval: int) -> Array:
        """The value of an adult met at any age, from that of a female that lays."""
        raise NotImplementedError

    def founder(self, founders: Founders) -> Array:
        """The value of an animal found, by the sub-stage that it may be in: [schedules,
        scenarios, sub-stages].
        """
        if founders.share is None:
            return self.laying_at(founders.interval)[..., None]
        first, stage = founders.interval, founders.stage
        later = self.values[stage + 1][:, :, first : first + founders.waits]
        followed = self._followed[stage]
        if followed is not None:
            row = self.days + self._found(stage).index(founders)
            later = later * followed.upto(slice(row, row + 1), range(founders.waits))
        out: Array = np.einsum("bsnw,bsw->bsn", self._founder_left(founders), later)
        return out

    def _found(self, stage: int) -> list[Founders]:
        """The groups found in a stage."""
        return [f for f in self.table.founders if f.stage == stage and f.share is not None]

    def nothing(self) -> Array:
        """The logarithm of the chance that nothing comes of any animal found:
        [schedules, scenarios].
        """
        out = np.zeros((self.schedules, len(self.table.weights)))
        for founders in self.table.founders:
            out += founders.count * np.log1p(-np.minimum(self.founder(founders), 1 - 1e-15)).mean(
                axis=-1
            )
        return out


class LivesOn(Backward):
    """The chance that the line of an animal lives for ever."""

    def __init__(self, table: DayTable, exposure: Exposure, after: Backward | None = None) -> None:
        self.share = table.females
        super().__init__(table, exposure, after)

    def _met(self, laying: Array, interval: int) -> Array:
        return laying * (self.share * self.table.chain.pest.still_laying)

    def _worth(self, cut: slice) -> tuple[Array, Array]:
        """Until she has a successful birth or stops laying, at steady rates, a female
        is a race between the two.
        """
        born = self._born(cut)
        rate = born + self.table.stops[:, cut]
        return rate, (born / rate)[None]

    def _born(self, cut: slice) -> Array:
        """Births whose line lives on: [schedules, scenarios, intervals]."""
        return np.asarray(self.values[0][:, :, cut] * self.table.births[:, cut])


class Happens(LivesOn):
    """The chance that at least one birth of a kind happens. `born` [schedules,
    scenarios, intervals] is their rate while a female lays.
    """

    def __init__(self, table: DayTable, exposure: Exposure, born: Array) -> None:
        self.born = born
        super().__init__(table, exposure)

    def _end(self) -> Array:
        return np.zeros(len(self.table.weights))

    def _acted(self) -> int:
        return int(np.flatnonzero(self.born.any(axis=(0, 1)))[-1:].sum()) + 1

    def _born(self, cut: slice) -> Array:
        return self.born[..., cut]


class Left(Backward):
    """The expected number alive right after the evening of interval `last` [schedules]."""

    def __init__(self, table: DayTable, exposure: Exposure, last: Array) -> None:
        self.last, self.table = last, table
        over = np.arange(table.intervals) > last[:, None]
        survive = np.where(over[..., None], 1.0, exposure.survive)
        self.exposure = Exposure(survive, exposure.fresh)
        self.spent = self._laid_out()
        super().__init__(table, self.exposure)

    def _laid_out(self) -> Array:
        """The chance of an adult that has laid out to live until the count:
        [intervals + 1, track, schedules, scenarios].
        """
        t, until = self.table, int(self.last.max()) + 1
        out = np.ones((t.intervals + 1, 2, len(self.last), len(t.weights)))
        spared, over = self._open(slice(0, until)), np.arange(until)[:, None] > self.last
        for n in range(until - 1, -1, -1):
            exposed, hidden = out[n + 1, 0] * spared[n], out[n + 1, 1]
            towards = t.moved[n, -1] * (hidden - exposed)
            stay = np.where(over[n][:, None], 1.0, np.exp(-t.deaths[:, n]))
            out[n, 0] = stay * (exposed + t.refuge * towards)
            out[n, 1] = stay * (hidden - (1 - t.refuge) * towards)
        return out

    def _end(self) -> Array:
        return np.ones(len(self.table.weights))

    def _acted(self) -> int:
        return int(self.last.max()) + 1

    def _reaches(self, lives: float) -> float:
        return 1.0

    def _over(self, low: int, high: int) -> Array:
        """Which intervals come after the evening that ends the count: [schedules, 1,
        intervals].
        """
        return np.asarray((np.arange(low, high) > self.last[:, None])[:, None])

    def _worth(self, cut: slice) -> tuple[Array, Array]:
        t, over = self.table, self._over(cut.start, cut.stop)
        stops = t.stops[:, cut]
        young = self.values[0][:, :, cut] * t.births[:, cut] * t.females
        after = (self.spent[cut] + self.spent[cut.start + 1 : cut.stop + 1]) / 2
        won = young + (stops - t.deaths[:, cut]) * np.moveaxis(after, 0, -1)
        return np.where(over, NEVER, stops), np.where(over, 0.0, won / stops)

    def _met(self, laying: Array, interval: int) -> Array:
        share, refuge = self.table.chain.pest.still_laying, self.table.refuge
        tracks = self.spent[interval]
        spent = (1 - refuge) * tracks[0] + refuge * tracks[1]
        return np.asarray(share * laying + (1 - share) * spent)

    def _stop(self, value: Array, low: int, high: int) -> None:
        """An animal that enters after the last evening counts as 1."""
        np.copyto(value, 1.0, where=self._over(low, high))

    def _leaves(self, stage: int) -> Array:
        share = self.table.leave[stage].share[None, :, : self.days]
        if self.table.chain.pest.stages[stage].survival == 1:
            return share
        waits = share.shape[3]
        middle = (self.table.moves[:, 1:, stage] + self.table.moves[:, :-1, stage]) / 2
        ends = np.concatenate((middle, np.repeat(middle[:, -1:], waits, axis=1)), axis=1)
        done = (
            _windows(np.ascontiguousarray(ends), waits)[:, : self.days]
            - middle[:, : self.days, None]
        )
        until = self._until(stage)[..., None] - middle[:, : self.days]
        return self._progressed(stage, self.table.chain.counts[stage], until, done) * share

    def _founder_left(self, founders: Founders) -> Array:
        assert founders.share is not None
        moves = self.table.moves[..., founders.stage]
        size, waits = founders.share.shape[1:]
        start = moves[:, founders.interval]
        at = np.minimum(founders.interval + 1 + np.arange(waits), moves.shape[1] - 1)
        until = np.repeat((self._until(founders.stage) - start)[..., None], size, axis=-1)
        done = np.repeat((moves[:, at] - start[:, None])[:, None], size, axis=1)
        lived = self._progressed(founders.stage, np.arange(size, 0, -1)[:, None], until, done)
        return founders.share * lived

    def _until(self, stage: int) -> Array:
        """The moves of a stage up to the count: [schedules, scenarios]."""
        return self.table.moves[:, self.last + 1, stage].T

    def _progressed(
        self, stage: int, left: NDArray[np.int64] | int, until: Array, done: Array
    ) -> Array:
        """The share not dead untreated by the count.

        Of `left` moves that end a stage at `done`, those before `until` are spread
        evenly: each is met with the chance until / done, and lived through.
        """
        dies = 1 - self.table.chain.lives[self.table.chain.first(stage)]
        passed = np.clip(until[..., None] / np.maximum(done, 1e-9), 0.0, 1.0)
        out: Array = np.where(
            passed < 1, (1 - passed * dies) ** (np.asarray(left) - 1.0), (1 - dies) ** left
        )
        return out


def _windows(values: Array, length: int) -> Array:
    """A view of a contiguous array as windows of a length along its last axis: [...,
    places, length]. It costs nothing to make and must not be written to.
    """
    *lead, size = values.shape
    *steps, step = values.strides
    return np.ndarray(
        (*lead, size - length + 1, length), values.dtype, values, 0, (*steps, step, step)
    )


def clearing(table: DayTable, exposure: Exposure, after: Backward | None = None) -> Array:
    """The logarithm of the chance that everything found dies out: [schedules,
    scenarios]. Give `after` from `untreated` to save time.
    """
    return LivesOn(table, exposure, after).nothing()


def untreated(table: DayTable) -> LivesOn:
    """The pass over a table in which nothing is done."""
    return LivesOn(table, Exposure(np.ones((1, table.intervals, len(table.leave) + 1))))


def alive_after(table: DayTable, exposure: Exposure, last: Sequence[int]) -> Array:
    """The expected number alive right after each schedule's last evening (its interval
    index): [schedules, scenarios].
    """
    run = Left(table, exposure, np.array(last))
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
