"""One half-day step of a population, forward in numbers and backward in chances.

The exponential of the generator is taken by uniformisation (Jensen 1953, Skandinavisk
Aktuarietidskrift 36:87-91): a Poisson-weighted sum over jumps at the fastest rate. Forward, the
jumps of all scenarios and schedules are one sparse matrix, so that a jump is one product.
"""

from __future__ import annotations

import math
from collections.abc import Hashable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_array

from brood.core.biology.substages import Array
from brood.core.population.repeated import apart, flat, matrix_of, one_of_each
from brood.core.population.steps import Steps
from brood.core.population.tracks import placed_after

TAIL, SINGLE_TAIL = 1e-9, 1e-6
MOST_JUMPS = 200
PATTERNS = 128
"""How many patterns are kept: a few for each pest."""

Places = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class _Pattern:
    """Where a matrix of jumps has entries, for so many blocks along its diagonal. An entry is a
    rate times a share: `rates` and `shares` say which.
    """

    rates: Places
    shares: Places
    columns: NDArray[np.int32]
    starts: NDArray[np.int32]

    @classmethod
    def of(cls, entries: list[tuple[Places, Places, Places, Places]], blocks: int) -> _Pattern:
        """From parts of (rows, columns, rates, shares), for as many blocks."""
        parts = zip(*(np.broadcast_arrays(*entry) for entry in entries), strict=True)
        row, column, rates, shares = map(np.concatenate, parts)
        order, states = np.argsort(row, kind="stable"), int(row.max()) + 1
        ends = np.searchsorted(row[order], np.arange(1, states + 1))
        number = np.arange(blocks)[:, None]
        return cls(
            rates[order],
            shares[order],
            (column[order] + number * states).ravel().astype(np.int32),
            np.append(0, ends + number * len(row)).astype(np.int32),
        )

    def matrix(self, rates: Array, shares: Array) -> csr_array:
        """The jumps of every block: `rates` [..., scenarios, *], `shares` [..., 1, *]."""
        values = (rates[..., self.rates] * shares[..., self.shares]).ravel()
        size = len(self.starts) - 1
        return csr_array((values, self.columns, self.starts), shape=(size, size))


def _tail(x: Array) -> float:
    """What of a Poisson sum may be left out, by the precision of the numbers."""
    return TAIL if x.dtype == np.float64 else SINGLE_TAIL


def _weighted(jumps: csr_array, x: Array, most: float) -> Array:
    """The Poisson-weighted sum of x and its jumps."""
    weight, tail = math.exp(-most), _tail(x)
    out, seen, k = weight * x, weight, 0
    while seen < 1 - tail and k < MOST_JUMPS:
        x = jumps @ x
        k += 1
        weight *= most / k
        out += weight * x
        seen += weight
    return out


@lru_cache(maxsize=PATTERNS)
def _pattern_ahead(counts: tuple[int, ...], blocks: int) -> _Pattern:
    """The jumps of numbers in both tracks, each with its sub-stages, laying adults, and those
    that have laid out. Rates: what stays, by state; what leaves, by sub-stage; the adults that
    stop laying, and the young of each. Shares: 1, and what enters each stage, by track.
    """
    size, kinds = sum(counts), len(counts) + 1
    states, ends, stages = size + 2, np.cumsum(counts) - 1, np.arange(1, kinds)
    inside = np.setdiff1d(np.arange(size), ends)
    every, stops, born = np.arange(states), states + size, states + size + 1
    one = np.zeros(1, int)
    entries = []
    for track in (0, 1):
        at = track * states
        entries += [
            (at + every, at + every, every, one),
            (at + inside + 1, at + inside, states + inside, one),
            (at + size + 1 + one, at + size + one, stops + one, one),
        ]
        for source in (0, states):
            enter = 1 + track * kinds
            entries += [
                (at + ends + 1, source + ends, states + ends, enter + stages),
                (at + one, source + size + one, born + one, enter + one),
            ]
    return _Pattern.of(entries, blocks)


def ahead(steps: Steps, n: int, x: Array, females: float, refuge: float, fresh: Array) -> Array:
    """The numbers one step later, in both tracks, with births, deaths and changes of place.

    `x` [2, schedules, scenarios, size + 2] by track (in the open, in a refuge) and state.
    `fresh` [schedules or 1, 1, stages + 1] is what survives of the newly exposed.
    """
    if not (steps.repeats(n) and (fresh == 1).all()):
        return _ahead(steps, n, x, females, refuge, fresh)

    def whole() -> Array:
        """What the step does to one of each."""
        every, _ = one_of_each(x.shape[3], x.shape[2], 0, x.dtype)
        return flat(_ahead(steps, n, every, females, refuge, fresh[:1]))

    adults = (steps.births[n], steps.deaths[n], steps.laid_out[n])
    kind = (females, refuge, *_kind(steps, n, x.dtype), *(a.tobytes() for a in adults))
    matrix = matrix_of(kind, whole)
    return (
        _ahead(steps, n, x, females, refuge, fresh) if matrix is None else apart(flat(x) @ matrix)
    )


def _kind(steps: Steps, n: int, dtype: np.dtype) -> tuple[Hashable, ...]:
    """What tells one kind of half-day of a pest from another."""
    chain = steps.chain
    moved = steps.switched(n).tobytes()
    return dtype.char, chain.counts, chain.lives.tobytes(), moved, steps.moves[n].tobytes()


def _ahead(steps: Steps, n: int, x: Array, females: float, refuge: float, fresh: Array) -> Array:
    chain, dying, stops = steps.chain, steps.deaths[n], steps.laid_out[n]
    most = max(float(steps.moves[n].max(initial=0.0)), float((dying + stops).max()))
    share, adults = steps.moves[n] / most, np.stack((dying + stops, dying), axis=-1) / most
    others = np.stack((stops, steps.births[n] * females), axis=-1) / most
    rates = np.concatenate((1 - share, 1 - adults, share * chain.lives, others), axis=-1)
    # Where an animal that enters a stage goes. A residue takes its share of the open ones.
    one = np.ones_like(fresh[..., :1])
    shares = np.concatenate((one, (1 - refuge) * fresh, np.full_like(fresh, refuge)), axis=-1)
    # Schedules under the same residues are columns of one product.
    shared = len(fresh) == 1 < x.shape[1]
    order = (2, 0, 3, 1) if shared else (1, 2, 0, 3)
    turned = np.ascontiguousarray(x.transpose(order))
    flat = turned.reshape((-1, x.shape[1]) if shared else -1)
    pattern = _pattern_ahead(chain.counts, len(fresh) * x.shape[2])
    jumps = pattern.matrix(rates.astype(x.dtype), shares.astype(x.dtype))
    after = _weighted(jumps, flat, most).reshape(turned.shape)
    return placed_after(after.transpose(np.argsort(order)), steps.switched(n), refuge)


def back(steps: Steps, n: int, p: Array, entering: Array, open_to: Array, refuge: float) -> Array:
    """The chances of the sub-stages one step earlier, in both tracks at once [2, ...,
    size]. `entering` is the chance of an animal that grows up. `open_to` [..., stages + 1] is the
    share of the newly exposed that comes into the open and survives what acts left there.
    """
    if not (steps.repeats(n) and (open_to == 1 - refuge).all()):
        return _back(steps, n, p, entering, open_to, refuge)
    scenarios, size = p.shape[-2:]

    def whole() -> Array:
        """What the step does to one of each."""
        every, grown = one_of_each(size, scenarios, 1, p.dtype)
        usual = np.full(open_to.shape[-1], 1 - refuge, p.dtype)
        return flat(_back(steps, n, every, grown[..., 0], usual, refuge))

    matrix = matrix_of((refuge, *_kind(steps, n, p.dtype)), whole)
    if matrix is None:
        return _back(steps, n, p, entering, open_to, refuge)
    rows = np.concatenate(
        (flat(p.reshape(2, -1, scenarios, size)), entering.reshape(-1, scenarios).T[..., None]),
        axis=-1,
    )
    return apart(rows @ matrix).reshape(p.shape)


def _back(steps: Steps, n: int, p: Array, entering: Array, open_to: Array, refuge: float) -> Array:
    moves = steps.moves[n]
    most = float(moves.max(initial=0.0))
    if most <= 0:
        return p
    share, chain = moves / most, steps.chain
    lives, p = chain.lives.astype(p.dtype), p.copy()
    weight, tail = math.exp(-most), _tail(p)
    out, k, seen = weight * p, 0, weight
    change, part = np.empty_like(p), np.empty_like(p)
    while seen < 1 - tail and k < MOST_JUMPS:
        change[..., :-1] = p[..., 1:]
        change[..., -1] = entering
        # Leaving a stage draws the track anew: into the open, or into the refuge.
        change[..., chain.left] = (
            open_to[..., 1:-1] * p[0][..., chain.entered] + refuge * p[1][..., chain.entered]
        )
        change *= lives
        change -= p
        change *= share
        p += change
        k += 1
        weight *= most / k
        out += np.multiply(p, weight, out=part)
        seen += weight
    return out
