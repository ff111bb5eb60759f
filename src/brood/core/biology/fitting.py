"""Fits development models to a table of stage times."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brood.core.biology.rates import Briere1, Lactin2, LinearPlateau, RateModel
from brood.errors import InputError, ModelError

Array = NDArray[np.float64]
Maker = Callable[[Array], RateModel]

LINE_TOLERANCE = 0.05
"""The line describes a tabulated time when it comes within this share of it."""
FEWEST_FOR_CURVES = 4
DEFAULT_ABOVE_C = 6.0
"""How far the upper limit lies above the fastest tabulated temperature where nothing
better is known, °C; a working assumption, grade C.
"""


@dataclass(frozen=True)
class Point:
    """A tabulated stage time: `days` at a constant `celsius`. A `weight` of 0 shows it
    but keeps it out of the fit.
    """

    celsius: float
    days: float
    weight: float = 1.0


@dataclass(frozen=True)
class Parameter:
    """A fitted constant with its standard error. The error is None where the constant
    was given or read off the table.
    """

    name: str
    value: float
    unit: str
    standard_error: float | None


@dataclass(frozen=True)
class Residual:
    """Tabulated and fitted days at a temperature. `days` is fitted minus tabulated; it
    is infinite where the model has no rate.
    """

    celsius: float
    tabulated_days: float
    fitted_days: float
    days: float


@dataclass(frozen=True)
class Fit:
    """A model fitted to a table. `r_squared` is of the rates (1/day). `aicc` is of the
    log stage times, None with too few rows.
    """

    model: RateModel
    parameters: tuple[Parameter, ...]
    r_squared: float
    aicc: float | None
    residuals: tuple[Residual, ...]


def _line(points: Sequence[Point]) -> tuple[float, float]:
    """The lower threshold and heat sum with the least weighted squared log ratio of
    K/(T − T0) to the tabulated days.

    The threshold is searched in steps of 0.01 °C, finer than any table gives it.
    """
    t = np.array([p.celsius for p in points])
    log_days = np.log([p.days for p in points])
    w = np.array([p.weight for p in points])
    w = w / w.sum()
    lower, top = float(t.min() - 10.1), float(t.min() - 0.2)
    for half, step in ((9.9, 0.1), (0.2, 0.01)):
        lowers = np.arange(lower - half, min(lower + half, top) + step / 2, step)[:, None]
        log_k = (w * (log_days + np.log(t - lowers))).sum(axis=1, keepdims=True)
        miss = (w * (log_k - np.log(t - lowers) - log_days) ** 2).sum(axis=1)
        best = int(np.argmin(miss))
        lower, k = float(lowers[best, 0]), float(np.exp(log_k[best, 0]))
    return lower, k


def fastest_point(points: Sequence[Point]) -> float:
    """The temperature (°C) of the shortest tabulated time. Where several share it, the
    highest of them.
    """
    return min(points, key=lambda p: (p.days, -p.celsius)).celsius


def fit_line(
    points: Sequence[Point], upper_c: float, tolerance: float = LINE_TOLERANCE
) -> LinearPlateau:
    """Fit a LinearPlateau to at least three tabulated temperatures with a weight above
    0.

    The threshold and heat sum minimise the weighted squared log ratio of fitted to
    tabulated days, so that a miss counts the same share at every temperature. The
    plateau begins at the highest tabulated temperature at which the line is within
    `tolerance` of the table (the line is fitted again without what lies above, as long
    as three points are left), and ends at the temperature of the shortest tabulated
    time. `upper_c` (°C) is the species' upper limit. Raises ModelError for fewer than
    three points.
    """
    used = sorted((p for p in points if p.weight > 0), key=lambda p: p.celsius)
    if len({p.celsius for p in used}) < 3:
        raise ModelError(
            "A line needs stage times at three temperatures or more.",
            field="development",
            value=len(used),
            allowed="≥ 3",
        )
    plateau_to = fastest_point(used)
    inside = [p for p in used if p.celsius <= plateau_to]
    # Leave out what lies above the line, and fit again, until all that is left lies on it.
    while True:
        lower, k = _line(inside)
        off = [abs(k / (p.celsius - lower) / p.days - 1) for p in inside]
        top = max(
            (p.celsius for p, miss in zip(inside, off, strict=True) if miss <= tolerance),
            default=inside[-1].celsius,
        )
        kept = [p for p in inside if p.celsius <= top]
        if len({p.celsius for p in kept}) < 3:
            return LinearPlateau(lower, k, inside[-1].celsius, plateau_to, upper_c)
        if len(kept) == len(inside):
            return LinearPlateau(lower, k, top, plateau_to, upper_c)
        inside = kept


def fit_all(points: Sequence[Point], upper_c: float | None = None) -> tuple[Fit, ...]:
    """Fit every model that the table bears, the one with the lowest AICc first.

    `points` are stage times at three temperatures or more; with fewer than four, only
    the line is fitted. `upper_c` is the temperature (°C) at which development stops, if
    known; the line takes 6 °C above the fastest row otherwise. Standard errors come
    from the Jacobian at the optimum, s²(JᵀJ)⁻¹ (Seber & Wild 1989, Nonlinear
    Regression, 2.1.2); AICc from the squared log ratios (Hurvich & Tsai 1989,
    Biometrika 76:297–307). Raises InputError for rows out of range, ModelError for too
    few.
    """
    _check(points)
    fastest = fastest_point(points)
    line = fit_line(
        points,
        upper_c
        if upper_c is not None
        else max(fastest, max(p.celsius for p in points)) + DEFAULT_ABOVE_C,
    )
    fits = [_line_fit(points, line)]
    if len({p.celsius for p in points}) >= FEWEST_FOR_CURVES:
        fits += [
            f
            for f in (_briere(points, upper_c, fastest), _lactin(points, upper_c, fastest))
            if f is not None
        ]
    return tuple(sorted(fits, key=lambda f: math.inf if f.aicc is None else f.aicc))


def _check(points: Sequence[Point]) -> None:
    for p in points:
        if not (math.isfinite(p.celsius) and 0 < p.celsius < 60):
            raise InputError(
                "A temperature must lie between 0 and 60 °C.",
                field="celsius",
                value=p.celsius,
                allowed="0 to 60",
            )
        if not (math.isfinite(p.days) and 0 < p.days < 2000):
            raise InputError(
                "A stage time must be more than 0 and under 2000 days.",
                field="days",
                value=p.days,
                allowed="0 to 2000",
            )


def _line_fit(points: Sequence[Point], line: LinearPlateau) -> Fit:
    used = [p for p in points if p.celsius <= line.plateau_from_c and p.weight > 0]

    def _make(x: Array) -> RateModel:
        return LinearPlateau(
            float(x[0]), float(x[1]), line.plateau_from_c, line.plateau_to_c, line.upper_c
        )

    errors = _standard_errors(used, _make, np.array([line.lower_c, line.k_dd]))
    return _answer(
        points,
        line,
        {"lower_c": errors[0], "k_dd": errors[1]},
        2 + (line.plateau_from_c < max(p.celsius for p in points)),
    )


def _briere(points: Sequence[Point], upper_c: float | None, fastest: float) -> Fit | None:
    top, bottom = max(p.celsius for p in points), min(p.celsius for p in points)
    low = np.array([1e-7, -4.0, top + 0.2]) if upper_c is None else np.array([1e-7, -4.0])
    high = (
        np.array([1.0, bottom - 0.1, top + 25])
        if upper_c is None
        else np.array([1.0, bottom - 0.1])
    )

    def _make(x: Array) -> RateModel:
        limit = float(x[2]) if upper_c is None else upper_c
        return Briere1(
            float(x[0]),
            float(x[1]),
            limit,
            min(limit - 0.1, max(fastest, float(x[1]) + 0.5)),
            limit,
        )

    scale = 1 / (min(p.days for p in points) * fastest * max(fastest - 8, 4) * 2.5)
    starts = [
        np.array([scale, min(t0, bottom - 1), top + 5])[: len(low)] for t0 in (3.0, 8.0, 11.0)
    ]
    names = ("a", "lower_c", "upper_c")[: len(low)]
    return _curve(points, _make, starts, low, high, names)


def _lactin(points: Sequence[Point], upper_c: float | None, fastest: float) -> Fit | None:
    top = max(p.celsius for p in points)
    limit = top + 5 if upper_c is None else max(upper_c, top + 0.2)
    low, high = np.array([1e-4, top + 0.1, 0.05, -5.0]), np.array([0.5, top + 25, 30.0, -1e-6])

    def _make(x: Array) -> RateModel:
        return Lactin2(
            float(x[0]),
            float(x[1]),
            float(x[2]),
            float(x[3]),
            fastest,
            max(limit, float(x[1]) + 10),
        )

    starts = [
        np.array([rho, limit, delta, -math.exp(rho * 10)])
        for rho in (0.004, 0.01, 0.03)
        for delta in (0.5, 2.0)
    ]
    return _curve(points, _make, starts, low, high, ("rho", "t_max_c", "delta_c", "lam"))


def _curve(
    points: Sequence[Point],
    make: Maker,
    starts: Sequence[Array],
    low: Array,
    high: Array,
    names: tuple[str, ...],
) -> Fit | None:
    """The best least-squares fit of log stage times over several starts. None when no
    start gives a sound model.
    """
    from scipy.optimize import least_squares

    # Several starts: the surface of a curve with four constants has more than one valley.
    weights = np.sqrt([p.weight for p in points])
    best: tuple[float, Array] | None = None
    for start in starts:
        found = least_squares(
            lambda x: weights * _log_misses(points, make, x),
            np.clip(start, low + 1e-9, high - 1e-9),
            bounds=(low, high),
            x_scale=np.maximum(np.abs(start), 1e-3),
            max_nfev=400,
        )
        if best is None or found.cost < best[0]:
            best = (float(found.cost), found.x)
    if best is None or best[0] > 0.5 * float((weights**2).sum()):
        return None
    x = best[1]
    errors = _standard_errors(points, make, x)
    return _answer(points, make(x), dict(zip(names, errors, strict=True)), len(x))


def _log_misses(points: Sequence[Point], make: Maker, x: Array) -> Array:
    try:
        model = make(x)
    except ModelError:
        return np.full(len(points), 5.0)
    rates = model.per_day(np.array([p.celsius for p in points]))
    return np.asarray(-np.log(np.maximum(rates, 1e-6)) - np.log([p.days for p in points]))


def _standard_errors(points: Sequence[Point], make: Maker, x: Array) -> list[float | None]:
    """The standard error of each constant, from a central-difference Jacobian of the
    log misses.
    """
    spare = len(points) - len(x)
    if spare < 1:
        return [None] * len(x)
    steps = np.maximum(np.abs(x) * 1e-5, 1e-8)
    columns = [
        (_log_misses(points, make, x + d) - _log_misses(points, make, x - d)) / (2 * s)
        for s, d in zip(steps, np.diag(steps), strict=True)
    ]
    jacobian = np.stack(columns, axis=1)
    variance = float((_log_misses(points, make, x) ** 2).sum()) / spare
    covariance = variance * np.linalg.pinv(jacobian.T @ jacobian)
    return [
        float(v) if math.isfinite(v) else None
        for v in np.sqrt(np.maximum(np.diag(covariance), 0.0))
    ]


def _answer(
    points: Sequence[Point], model: RateModel, errors: dict[str, float | None], free: int
) -> Fit:
    residuals = tuple(
        Residual(p.celsius, p.days, d := model.days(p.celsius), d - p.days) for p in points
    )
    rates = np.array([1 / p.days for p in points])
    fitted = np.array([float(model.per_day(p.celsius)) for p in points])
    spread = float(((rates - rates.mean()) ** 2).sum())
    r_squared = 1 - float(((rates - fitted) ** 2).sum()) / spread if spread > 0 else math.nan
    parameters = tuple(
        Parameter(name, value, model.units[name], errors.get(name))
        for name, value in model.figures.items()
    )
    return Fit(model, parameters, r_squared, _aicc(residuals, free), residuals)


def _aicc(residuals: Sequence[Residual], free: int) -> float | None:
    """n·ln(RSS/n) + 2k + 2k(k+1)/(n − k − 1), with k constants and the variance. None
    when n is too small or a row has no rate.
    """
    n, k = len(residuals), free + 1
    if n - k - 1 < 1 or not all(math.isfinite(r.fitted_days) for r in residuals):
        return None
    rss = sum(math.log(r.fitted_days / r.tabulated_days) ** 2 for r in residuals)
    return n * math.log(max(rss, 1e-12) / n) + 2 * k + 2 * k * (k + 1) / (n - k - 1)
