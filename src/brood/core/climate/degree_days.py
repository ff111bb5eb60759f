"""Degree-days, from a day's minimum and maximum in closed form, or from hours."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from brood.errors import InputError

Array = NDArray[np.float64]
Above = Callable[[float, float, float], tuple[float, float]]
"""A function of minimum, maximum and threshold: (mean excess over the threshold in
°C·day, share of the day above it).
"""

CUTOFFS = ("horizontal", "intermediate", "vertical")
METHODS = ("single-sine", "double-sine", "single-triangle", "hourly")


def check(lower: float, upper: float | None) -> None:
    """Raises InputError when thresholds are out of order or range."""
    for name, value in (("lower", lower), ("upper", upper)):
        if value is not None and not (math.isfinite(value) and -30 <= value <= 60):
            raise InputError(
                "A threshold must lie between −30 and 60 °C.",
                field=name,
                value=value,
                allowed="-30 to 60",
            )
    if upper is not None and upper <= lower:
        raise InputError(
            "The upper threshold must be above the lower one.",
            field="upper",
            value=upper,
            allowed=f"> {lower:g}",
        )


def _sine(minimum: float, maximum: float, threshold: float) -> tuple[float, float]:
    """Baskerville & Emin 1969, Ecology 50:514–517."""
    mean, swing = (maximum + minimum) / 2, (maximum - minimum) / 2
    if threshold >= maximum:
        return 0.0, 0.0
    if threshold <= minimum:
        return mean - threshold, 1.0
    angle = math.asin((threshold - mean) / swing)
    return ((mean - threshold) * (math.pi / 2 - angle) + swing * math.cos(angle)) / math.pi, (
        math.pi / 2 - angle
    ) / math.pi


def _triangle(minimum: float, maximum: float, threshold: float) -> tuple[float, float]:
    """Lindsey & Newman 1956, Ecology 37:812–823."""
    if threshold >= maximum:
        return 0.0, 0.0
    if threshold <= minimum:
        return (maximum + minimum) / 2 - threshold, 1.0
    share = (maximum - threshold) / (maximum - minimum)
    return (maximum - threshold) * share / 2, share


def _day(
    above: Above, minimum: float, maximum: float, lower: float, upper: float | None, cutoff: str
) -> float:
    """The degree-days of one day or half-day, as if it were a whole day, under a cut-off."""
    if minimum > maximum:
        raise InputError(
            "A day's minimum is above its maximum.",
            field="minimum",
            value=minimum,
            allowed=f"≤ {maximum:g}",
        )
    total = above(minimum, maximum, lower)[0]
    if upper is None:
        return total
    over, share = above(minimum, maximum, upper)
    if cutoff == "horizontal":
        return total - over
    if cutoff == "vertical":
        return total - over - (upper - lower) * share
    return total - 2 * over + above(minimum, maximum, 2 * upper - lower)[0]


def from_extremes(
    minima: Sequence[float],
    maxima: Sequence[float],
    lower: float,
    upper: float | None = None,
    *,
    method: str = "single-sine",
    cutoff: str = "horizontal",
) -> Array:
    """Degree-days of each day from its minimum and maximum, in closed form.

    All in °C, shape (days,); the answer in °C·day, never negative. `method` is
    single-sine, double-sine (up to the maximum from the day's own minimum, down to the
    next day's) or single-triangle. Above `upper`, development stays level (horizontal),
    falls as steeply as it rose, down to nothing (intermediate), or stops (vertical).
    Sources: Allen 1976, Environ. Entomol. 5:388–396 (sines); Roltsch et al. 1999, Int.
    J. Biometeorol. 42:169–176 (methods and cut-offs). Raises InputError for thresholds
    or days out of order, or an unknown method.
    """
    check(lower, upper)
    _known(method, cutoff)
    if method == "hourly":
        raise InputError(
            "Hourly degree-days need hours, not extremes.",
            field="method",
            value=method,
            allowed=", ".join(METHODS[:3]),
        )
    if len(minima) != len(maxima):
        raise InputError("Give a minimum and a maximum for every day.", field="temperature")
    above = _triangle if method == "single-triangle" else _sine
    days = [_day(above, a, b, lower, upper, cutoff) for a, b in zip(minima, maxima, strict=True)]
    if method == "double-sine":
        after = [*minima[1:], *minima[-1:]]
        evenings = [
            _day(above, min(a, b), b, lower, upper, cutoff)
            for a, b in zip(after, maxima, strict=True)
        ]
        days = [(morning + evening) / 2 for morning, evening in zip(days, evenings, strict=True)]
    return np.array(days)


def rate_above(celsius: Array, lower: float, upper: float | None, cutoff: str) -> Array:
    """How many degrees count at a temperature (°C, any shape) under a cut-off; the same
    shape.
    """
    over = np.maximum(celsius - lower, 0.0)
    if upper is None:
        return over
    if cutoff == "horizontal":
        return np.minimum(over, upper - lower)
    if cutoff == "vertical":
        return np.where(celsius > upper, 0.0, over)
    return np.maximum(np.minimum(over, 2 * upper - lower - celsius), 0.0)


def from_hours(
    celsius: Array, lower: float, upper: float | None = None, *, cutoff: str = "horizontal"
) -> Array:
    """Degree-days of each day from 24 hourly means (°C, shape (days × 24,)), shape
    (days,).

    Hours are too coarse for a vertical cut-off: see `vertical_error`. Raises InputError
    for thresholds out of order.
    """
    check(lower, upper)
    _known("hourly", cutoff)
    return np.asarray(
        rate_above(np.asarray(celsius, float).reshape(-1, 24), lower, upper, cutoff).mean(axis=1)
    )


def vertical_error(lower: float, upper: float) -> float:
    """The largest error of one day's hourly sum under a vertical cut-off, °C·day.

    The hour that crosses `upper` on the way up, and the one on the way down, count
    whole or not at all. In the worst case that is an hour's worth of the full rate.
    """
    return (upper - lower) / 24


def _known(method: str, cutoff: str) -> None:
    if method not in METHODS:
        raise InputError(
            "There is no such method.",
            field="method",
            value=method[:30],
            allowed=", ".join(METHODS),
        )
    if cutoff not in CUTOFFS:
        raise InputError(
            "There is no such cut-off.",
            field="cutoff",
            value=cutoff[:30],
            allowed=", ".join(CUTOFFS),
        )
