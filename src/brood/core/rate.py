"""How fast a stage develops at a temperature, and fitting that to a table of stage times."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from brood.errors import ModelError

Array = NDArray[np.float64]

LINE_TOLERANCE = 0.05
"""The line is held to describe a tabulated time when it is within this share of it."""


@dataclass(frozen=True)
class RateModel:
    """Linear rate with a lower threshold, a plateau and a decline.

    r(T) = (T − lower_c) / k_dd between `lower_c` and `plateau_from_c`; level to `plateau_to_c`; falling in a straight line to
    0 at `upper_c`; 0 outside. Temperatures in °C, `k_dd` in degree-days, r in 1/day. The linear part is the usual
    degree-day model (Campbell et al. 1974, J. Appl. Ecol. 11:431–438); level and decline are a plain closure of it above
    the temperatures where the line holds. Raises ModelError when the figures are not in order.
    """

    lower_c: float
    k_dd: float
    plateau_from_c: float
    plateau_to_c: float
    upper_c: float

    def __post_init__(self) -> None:
        if not all(math.isfinite(v) for v in (self.lower_c, self.k_dd, self.plateau_from_c, self.plateau_to_c, self.upper_c)):
            raise ModelError("A development model needs finite figures.", field="rate")
        if self.k_dd <= 0:
            raise ModelError("The heat sum of a stage must be more than 0 degree-days.", field="k_dd", value=self.k_dd, allowed="> 0")
        if not self.lower_c < self.plateau_from_c <= self.plateau_to_c < self.upper_c:
            raise ModelError(
                "The threshold, the plateau and the upper limit of a stage must rise in that order.",
                field="lower_c", value=self.lower_c, allowed="lower < plateau from ≤ plateau to < upper",
            )  # fmt: skip

    def per_day(self, celsius: ArrayLike) -> Array:
        """Rate in 1/day at temperatures of any shape (°C); the same shape. Missing (NaN) stays missing."""
        t = np.asarray(celsius, dtype=np.float64)
        top = (self.plateau_from_c - self.lower_c) / self.k_dd
        rise = np.clip((t - self.lower_c) / self.k_dd, 0.0, top)
        fall = np.clip((self.upper_c - t) / (self.upper_c - self.plateau_to_c), 0.0, 1.0)
        return np.asarray(rise * fall, dtype=np.float64)

    def days(self, celsius: float) -> float:
        """Mean stage time in days at a constant temperature (°C); infinite where nothing develops."""
        rate = float(self.per_day(celsius))
        return 1.0 / rate if rate > 0 else math.inf


@dataclass(frozen=True)
class Point:
    """A tabulated stage time: `days` at a constant `celsius`; `weight` 0 keeps it for show and out of the fit."""

    celsius: float
    days: float
    weight: float = 1.0


def _line(points: Sequence[Point]) -> tuple[float, float]:
    """Lower threshold and heat sum with the least weighted squared log ratio of K/(T − T0) to the tabulated days."""
    t = np.array([p.celsius for p in points])
    log_days = np.log([p.days for p in points])
    w = np.array([p.weight for p in points])
    w = w / w.sum()
    lowers = np.arange(t.min() - 20.0, t.min() - 0.2, 0.01)[:, None]
    log_k = (w * (log_days + np.log(t - lowers))).sum(axis=1, keepdims=True)
    miss = (w * (log_k - np.log(t - lowers) - log_days) ** 2).sum(axis=1)
    best = int(np.argmin(miss))
    return float(lowers[best, 0]), float(np.exp(log_k[best, 0]))


def fit(points: Sequence[Point], upper_c: float) -> RateModel:
    """Fit a RateModel to at least three tabulated temperatures with a weight above 0.

    The threshold and heat sum minimise the weighted squared log ratio of fitted to tabulated days, so that a miss counts
    the same share at every temperature. The plateau begins at the highest tabulated temperature at which the line is
    within 5 % of the table (the line is fitted again without what lies above, as long as three points are left), and ends at the temperature of the
    shortest tabulated time. `upper_c` (°C) is the species' upper limit. Raises ModelError for fewer than three points.
    """
    used = sorted((p for p in points if p.weight > 0), key=lambda p: p.celsius)
    if len({p.celsius for p in used}) < 3:
        raise ModelError("A line needs stage times at three temperatures or more.", field="development", value=len(used), allowed="≥ 3")
    plateau_to = min(used, key=lambda p: (p.days, -p.celsius)).celsius
    inside = [p for p in used if p.celsius <= plateau_to]
    while True:
        lower, k = _line(inside)
        off = [abs(k / (p.celsius - lower) / p.days - 1) for p in inside]
        top = max((p.celsius for p, miss in zip(inside, off, strict=True) if miss <= LINE_TOLERANCE), default=inside[-1].celsius)
        kept = [p for p in inside if p.celsius <= top]
        if len({p.celsius for p in kept}) < 3:
            return RateModel(lower, k, inside[-1].celsius, plateau_to, upper_c)
        if len(kept) == len(inside):
            return RateModel(lower, k, top, plateau_to, upper_c)
        inside = kept
