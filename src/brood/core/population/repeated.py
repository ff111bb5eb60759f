"""What one half-day does to every state, kept where half-days repeat.

Where a place has set points, one day is like another. A step is linear in the numbers (and
in the chances), so what it does is a matrix, worked out once by giving the step one of each
state, and then one product a step.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock

import numpy as np

from brood.core.biology.substages import Array

OFTEN = 3
"""The matrix of a kind is made when it comes up so many times: it takes as long as a few
steps.
"""
KINDS, BYTES = 512, 64_000_000
"""So many kinds are counted, and matrices of so many bytes are kept."""
_times: OrderedDict[int, int] = OrderedDict()
_known: OrderedDict[Hashable, Array] = OrderedDict()
_lock = Lock()


def matrix_of(kind: Hashable, make: Callable[[], Array]) -> Array | None:
    """What a kind of half-day does [scenarios, states before, states after], where it comes
    up often.
    """
    with _lock:
        found = _known.get(kind)
        if found is not None:
            _known.move_to_end(kind)
            return found
        times = _times.pop(hash(kind), 0) + 1
        _times[hash(kind)] = times
        if len(_times) > KINDS:
            _times.popitem(last=False)
    if times < OFTEN:
        return None
    found = make()
    with _lock:
        _known[kind] = found
        while sum(held.nbytes for held in _known.values()) > BYTES:
            _known.popitem(last=False)
    return found


def one_of_each(states: int, scenarios: int, more: int, dtype: np.dtype) -> tuple[Array, Array]:
    """One animal in each state of both tracks [2, states × 2 + more, scenarios, states], and
    one of whatever comes `more` [states × 2 + more, scenarios, more].
    """
    every = np.eye(2 * states + more, dtype=dtype)
    both = np.moveaxis(every[:, : 2 * states].reshape(-1, 2, states), 1, 0)[:, :, None]
    others = every[:, None, 2 * states :]
    return np.repeat(both, scenarios, axis=2), np.repeat(others, scenarios, axis=1)


def flat(x: Array) -> Array:
    """Both tracks of numbers side by side: [2, rows, scenarios, states] as [scenarios, rows,
    2 × states].
    """
    _, rows, scenarios, states = x.shape
    return x.transpose(2, 1, 0, 3).reshape(scenarios, rows, 2 * states)


def apart(x: Array) -> Array:
    """The way back from `flat`."""
    scenarios, rows, states = x.shape
    return np.ascontiguousarray(x.reshape(scenarios, rows, 2, states // 2).transpose(2, 1, 0, 3))
