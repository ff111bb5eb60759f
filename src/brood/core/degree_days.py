"""Degree-days from a day's minimum and maximum, in closed form."""

from __future__ import annotations

import math

from brood.errors import InputError


def single_sine(minimum: float, maximum: float, lower: float, upper: float | None = None) -> float:
    """Degree-days of one day under a single sine, with a lower threshold and a horizontal upper cut-off.

    All in °C; the answer in °C·day, never negative. With `upper`, temperatures above it count as `upper` (horizontal
    cut-off), which is DD(lower) − DD(upper). Source: Baskerville & Emin 1969, Ecology 50:514–517; Allen 1976, Environ.
    Entomol. 5:388–396. Raises InputError when the minimum is above the maximum or the thresholds are out of order.
    """
    if minimum > maximum:
        raise InputError("A day's minimum is above its maximum.", field="minimum", value=minimum, allowed=f"≤ {maximum}")
    if upper is not None and upper <= lower:
        raise InputError("The upper threshold must be above the lower one.", field="upper", value=upper, allowed=f"> {lower}")
    total = _above(minimum, maximum, lower)
    return total if upper is None else total - _above(minimum, maximum, upper)


def _above(minimum: float, maximum: float, threshold: float) -> float:
    mean, swing = (maximum + minimum) / 2, (maximum - minimum) / 2
    if threshold <= minimum:
        return mean - threshold
    if threshold >= maximum:
        return 0.0
    angle = math.asin((threshold - mean) / swing)
    return ((mean - threshold) * (math.pi / 2 - angle) + swing * math.cos(angle)) / math.pi
