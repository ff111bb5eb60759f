"""How fast a stage develops at a temperature: three models behind one interface."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass, fields
from functools import cached_property
from typing import ClassVar

import numpy as np
from numpy.typing import ArrayLike, NDArray

from brood.errors import ModelError

Array = NDArray[np.float64]


@dataclass(frozen=True)
class RateModel(ABC):
    """The rate of development, in 1/day, at a temperature in °C.

    Every model is 0 at and below `lower_c`, and 0 at and above `upper_c`. It is never
    negative, and above `fastest_c` never faster than there. Missing (NaN) temperatures
    stay missing. Raises ModelError for constants that are out of order.
    """

    name: ClassVar[str]
    units: ClassVar[Mapping[str, str]]

    def __post_init__(self) -> None:
        if not all(math.isfinite(getattr(self, f.name)) for f in fields(self)):
            raise ModelError("A development model needs finite figures.", field="rate")
        self._check()

    @property
    def figures(self) -> dict[str, float]:
        """The constants by name."""
        return {f.name: float(getattr(self, f.name)) for f in fields(self)}

    @abstractmethod
    def _check(self) -> None:
        """Raise ModelError for impossible constants."""

    @abstractmethod
    def _rate(self, celsius: Array) -> Array:
        """The formula, between the limits."""

    @property
    @abstractmethod
    def limits(self) -> tuple[float, float, float]:
        """(lower, fastest, upper) in °C."""

    @property
    def threshold_c(self) -> float:
        """°C at and below which nothing develops."""
        return self.limits[0]

    @property
    def fastest_at_c(self) -> float:
        """°C above which development is no faster."""
        return self.limits[1]

    @property
    def stops_c(self) -> float:
        """°C at and above which nothing develops."""
        return self.limits[2]

    def per_day(self, celsius: ArrayLike) -> Array:
        """The rate in 1/day at temperatures (°C) of any shape; the same shape. Missing
        (NaN) stays missing.
        """
        t = np.asarray(celsius, dtype=np.float64)
        lower, fastest, upper = self.limits
        raw = self._rate(np.clip(t, lower, upper))
        held = np.where(t > fastest, np.minimum(raw, self._rate(np.array(fastest))), raw)
        rate = np.where((t <= lower) | (t >= upper), 0.0, np.maximum(held, 0.0))
        return np.asarray(np.where(np.isnan(t), np.nan, rate), dtype=np.float64)

    def days(self, celsius: float) -> float:
        """The mean stage time in days at a constant temperature (°C). Infinite where
        nothing develops.
        """
        rate = float(self.per_day(celsius))
        return 1.0 / rate if rate > 0 else math.inf


@dataclass(frozen=True)
class LinearPlateau(RateModel):
    """A linear rate with a lower threshold, a plateau and a decline.

    r(T) = (T − lower_c) / k_dd between `lower_c` and `plateau_from_c`. It is level up
    to `plateau_to_c` and falls in a straight line to 0 at `upper_c`. Temperatures are
    in °C, `k_dd` in degree-days. The linear part is the usual degree-day model
    (Campbell et al. 1974, J. Appl. Ecol. 11:431–438). Plateau and decline simply close
    it above the temperatures where the line holds.
    """

    lower_c: float
    k_dd: float
    plateau_from_c: float
    plateau_to_c: float
    upper_c: float

    name: ClassVar[str] = "linear-plateau"
    units: ClassVar[Mapping[str, str]] = {
        "lower_c": "°C",
        "k_dd": "°C·d",
        "plateau_from_c": "°C",
        "plateau_to_c": "°C",
        "upper_c": "°C",
    }

    def _check(self) -> None:
        if self.k_dd <= 0:
            raise ModelError(
                "The heat sum of a stage must be more than 0 degree-days.",
                field="k_dd",
                value=self.k_dd,
                allowed="> 0",
            )
        if not self.lower_c < self.plateau_from_c <= self.plateau_to_c < self.upper_c:
            raise ModelError(
                "The threshold, the plateau and the upper limit of a stage must rise in "
                "that order.",
                field="lower_c",
                value=self.lower_c,
                allowed="lower < plateau from ≤ plateau to < upper",
            )

    @property
    def limits(self) -> tuple[float, float, float]:
        """(lower, fastest, upper) in °C."""
        return self.lower_c, self.plateau_to_c, self.upper_c

    def _rate(self, celsius: Array) -> Array:
        top = (self.plateau_from_c - self.lower_c) / self.k_dd
        rise = np.clip((celsius - self.lower_c) / self.k_dd, 0.0, top)
        fall = np.clip((self.upper_c - celsius) / (self.upper_c - self.plateau_to_c), 0.0, 1.0)
        return np.asarray(rise * fall)


@dataclass(frozen=True)
class Briere1(RateModel):
    """Brière-1: r(T) = a·T·(T − lower_c)·√(upper_c − T), °C and 1/day.

    Source: Brière, Pracros, Le Roux & Pierre 1999, Environ. Entomol. 28:22–29, equation
    1. `fastest_c` is the temperature of the shortest tabulated time: above it the rate
    is no faster than there. At `stop_c`, the species' limit, development ends.
    """

    a: float
    lower_c: float
    upper_c: float
    fastest_c: float
    stop_c: float

    name: ClassVar[str] = "briere-1"
    units: ClassVar[Mapping[str, str]] = {
        "a": "",
        "lower_c": "°C",
        "upper_c": "°C",
        "fastest_c": "°C",
        "stop_c": "°C",
    }

    def _check(self) -> None:
        if self.a <= 0:
            raise ModelError(
                "The factor of a Brière curve must be more than 0.",
                field="a",
                value=self.a,
                allowed="> 0",
            )
        if not -5 <= self.lower_c < self.fastest_c < min(self.upper_c, self.stop_c):
            raise ModelError(
                "The threshold, the fastest temperature and the upper limit of a stage "
                "must rise in that order.",
                field="lower_c",
                value=self.lower_c,
                allowed="−5 ≤ lower < fastest < upper",
            )

    @property
    def limits(self) -> tuple[float, float, float]:
        """(lower, fastest, upper) in °C."""
        return max(self.lower_c, 0.0), self.fastest_c, min(self.upper_c, self.stop_c)

    def _rate(self, celsius: Array) -> Array:
        return np.asarray(
            self.a
            * celsius
            * (celsius - self.lower_c)
            * np.sqrt(np.maximum(self.upper_c - celsius, 0.0))
        )


@dataclass(frozen=True)
class Lactin2(RateModel):
    """Lactin-2: r(T) = e^(ρT) − e^(ρ·Tmax − (Tmax − T)/Δ) + λ, °C and 1/day.

    Source: Lactin, Holliday, Johnson & Craigen 1995, Environ. Entomol. 24:68–75,
    equation 2. λ < 0 gives it a lower threshold. The limits are where the formula
    crosses 0. `fastest_c` and `stop_c` are as in Brière-1.
    """

    rho: float
    t_max_c: float
    delta_c: float
    lam: float
    fastest_c: float
    stop_c: float

    name: ClassVar[str] = "lactin-2"
    units: ClassVar[Mapping[str, str]] = {
        "rho": "1/°C",
        "t_max_c": "°C",
        "delta_c": "°C",
        "lam": "1/d",
        "fastest_c": "°C",
        "stop_c": "°C",
    }

    def _check(self) -> None:
        if self.rho <= 0 or self.delta_c <= 0:
            raise ModelError(
                "ρ and Δ of a Lactin curve must be more than 0.",
                field="rho",
                value=self.rho,
                allowed="> 0",
            )
        if (
            self._rate(np.array(self.fastest_c)) <= 0
            or not self.limits[0] < self.fastest_c < self.limits[2]
        ):
            raise ModelError(
                "This Lactin curve has no rate above 0.",
                field="lam",
                value=self.lam,
                allowed="a curve that rises above 0",
            )

    def _rate(self, celsius: Array) -> Array:
        rise, stop = (
            self.rho * celsius,
            self.rho * self.t_max_c - (self.t_max_c - celsius) / self.delta_c,
        )
        return np.asarray(np.exp(np.minimum(rise, 50)) - np.exp(np.minimum(stop, 50)) + self.lam)

    @property
    def limits(self) -> tuple[float, float, float]:
        """(lower, fastest, upper) in °C."""
        return self._limits

    @cached_property
    def _limits(self) -> tuple[float, float, float]:
        top = _zero(self, self.fastest_c, max(self.t_max_c + 10, self.fastest_c + 1))
        return _zero(self, self.fastest_c, -30.0), self.fastest_c, min(top, self.stop_c)


def _zero(model: RateModel, inside: float, outside: float) -> float:
    """The °C at which a formula falls to 0, between a temperature where it is positive
    and one beyond. The latter where it is still positive there (Brent 1973).
    """
    from scipy.optimize import brentq

    if model._rate(np.array(outside)) > 0:
        return outside
    low, high = sorted((inside, outside))
    return float(brentq(lambda celsius: float(model._rate(np.array(celsius))), low, high))


MODELS: Mapping[str, type[RateModel]] = {m.name: m for m in (LinearPlateau, Briere1, Lactin2)}
"""Every model by its name. This is the only place where a model is chosen."""


def model_of(name: str, figures: Mapping[str, float]) -> RateModel:
    """The model of that name with its constants. Raises ModelError for an unknown name
    or missing constants.
    """
    if name not in MODELS:
        raise ModelError(
            f"There is no development model '{name[:40]}'.",
            field="model",
            value=name[:40],
            allowed=", ".join(MODELS),
        )
    kind = MODELS[name]
    wanted = {f.name for f in fields(kind)}
    if set(figures) != wanted:
        raise ModelError(
            f"The model {name} needs {', '.join(sorted(wanted))}.",
            field="model",
            value=", ".join(sorted(figures)),
            allowed=name,
        )
    return kind(**figures)
