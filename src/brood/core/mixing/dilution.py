"""Dilution: how much of a stock gives a strength in a volume, and what a volume is in
spoons and cups. Volumes are in ml, strengths in percent v/v.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from brood.errors import InputError

DROP_ML = 0.05
ML = {
    "ml": 1.0,
    "l": 1000.0,
    "tsp": 4.92892159375,
    "tbsp": 14.78676478125,
    "cup": 236.5882365,
    "fl oz": 29.5735295625,
    "quart": 946.352946,
    "gallon": 3785.411784,
    "imp pint": 568.26125,
    "imp gallon": 4546.09,
    "drop": DROP_ML,
}
"""Measures of volume by short name, in ml: the US customary ones (the gallon is 231
cubic inches of 25.4 mm exactly) unless said to be imperial (4.54609 l exactly). A drop
is about 0.05 ml and never exact.
"""
METRIC, IMPERIAL = ("ml", "l"), ("imp pint", "imp gallon")
"""Measures of the metric system, and imperial ones. The others are US customary."""
SMALLEST_SPOON_ML = 0.6
"""Less than an eighth of a teaspoon is not measured by spoon."""
EIGHTHS = {0: "", 1: "1/8", 2: "1/4", 3: "3/8", 4: "1/2", 5: "5/8", 6: "3/4", 7: "7/8"}


def to_ml(amount: float, unit: str) -> float:
    """A volume in ml. `unit` is a key of ML. Raises InputError for another unit."""
    return _converted(amount, unit, "ml")


def from_ml(ml: float, unit: str) -> float:
    """A volume in ml, in another measure. Raises InputError for an unknown one."""
    return _converted(ml, "ml", unit)


def _converted(amount: float, unit: str, into: str) -> float:
    for name in (unit, into):
        if name not in ML:
            raise InputError(
                f"There is no measure '{name[:20]}'.",
                field="unit",
                value=name[:20],
                allowed=", ".join(ML),
            )
    return amount * ML[unit] / ML[into]


def measured(ml: float, unit: str) -> str:
    """A volume as it is measured out where `unit` (a key of ML) is used: in ml and litres,
    in US fluid ounces and gallons, or in ml and imperial pints.
    """
    if unit in IMPERIAL and ml >= ML["imp pint"] / 2:
        return f"{from_ml(ml, 'imp pint'):.3g} imp pint"
    if unit in (*METRIC, *IMPERIAL):
        if ml >= 1000:
            return f"{ml / 1000:.3g} l"
        return f"{ml:.4g} ml" if 10 <= ml < 100 else f"{ml:.3g} ml"
    large = "gallon" if ml >= ML["gallon"] else "fl oz"
    return f"{from_ml(ml, large):.3g} {large}"


@dataclass(frozen=True)
class Portion:
    """One ingredient of a mix: `ml` of a stock of `stock_percent` give `percent` of the
    whole. None: counted as bought.
    """

    ingredient: str
    ml: float
    percent: float
    stock_percent: float | None


@dataclass(frozen=True)
class Mixed:
    """A mix of `volume_ml`: the portions, and the water that fills it up."""

    volume_ml: float
    portions: tuple[Portion, ...]
    water_ml: float


def dilute(volume_ml: float, percent: float, stock_percent: float) -> float:
    """The ml of a stock for a strength in a final volume: V_stock = V_final · c_final /
    c_stock (conservation of the active).

    Raises InputError when a number is not positive, or when the strength is above the
    stock's; the error names what can be reached.
    """
    for name, value in (
        ("volume", volume_ml),
        ("percent", percent),
        ("stock-percent", stock_percent),
    ):
        if not value > 0:
            raise InputError(
                f"'{name}' must be more than 0.", field=name, value=value, allowed="more than 0"
            )
    if stock_percent > 100:
        raise InputError(
            "A stock cannot be stronger than 100 %.",
            field="stock-percent",
            value=stock_percent,
            allowed="at most 100",
        )
    if percent > stock_percent + 1e-9:
        raise InputError(
            f"{percent:g} % cannot be made from {stock_percent:g} %: with this stock "
            f"{stock_percent:g} % undiluted is the most. "
            f"Buy one of {percent:g} % or stronger, or aim lower.",
            field="stock-percent",
            value=stock_percent,
            allowed=f"{percent:g} or more",
        )
    return volume_ml * percent / stock_percent


def mixed(volume_ml: float, wanted: Sequence[tuple[str, float, float | None]]) -> Mixed:
    """A mix from (ingredient, percent of the final volume, percent of the stock or
    None). All parts count inside the final volume; water fills it up.

    That alcohol shrinks with water is left out. Raises InputError as `dilute` does, and
    when the parts do not fit into the volume.
    """
    portions = tuple(
        Portion(name, dilute(volume_ml, percent, 100.0 if stock is None else stock), percent, stock)
        for name, percent, stock in wanted
    )
    water = volume_ml - sum(p.ml for p in portions)
    if water < -1e-6 * volume_ml:
        strongest = max(portions, key=lambda p: p.ml)
        room = volume_ml - sum(p.ml for p in portions if p is not strongest)
        stock = 100.0 if strongest.stock_percent is None else strongest.stock_percent
        raise InputError(
            "The parts do not fit into the volume: with this stock "
            f"{room / volume_ml * stock:.3g} % is the most that leaves room for the rest.",
            field="stock-percent",
            value=strongest.stock_percent,
            allowed="a stronger stock",
        )
    return Mixed(volume_ml, portions, max(water, 0.0))


def by_label(volume_ml: float, ml_per_litre: float) -> float:
    """The ml of a product at its label's rate."""
    if not volume_ml > 0 or not ml_per_litre > 0:
        raise InputError(
            "A volume and the label's rate must be more than 0.",
            field="label-rate",
            value=ml_per_litre,
            allowed="more than 0",
        )
    return volume_ml / 1000 * ml_per_litre


def spoons(ml: float) -> str:
    """A volume in cups, tablespoons and teaspoons, to the nearest eighth of a teaspoon.
    Empty where it is too little to measure so.
    """
    if ml < SMALLEST_SPOON_ML:
        return ""
    eighths = round(from_ml(ml, "tsp") * 8)
    cups, rest = divmod(eighths, 48 * 8)
    quarters, rest = divmod(rest, 12 * 8)
    tablespoons, rest = divmod(rest, 3 * 8)
    parts = [
        _amount(cups * 8 + quarters * 2, "cup"),
        _amount(tablespoons * 8, "tbsp"),
        _amount(rest, "tsp"),
    ]
    return " + ".join(p for p in parts if p)


def _amount(eighths: int, unit: str) -> str:
    whole, part = divmod(eighths, 8)
    words = " ".join(w for w in (str(whole) if whole else "", EIGHTHS[part]) if w)
    return f"{words} {unit}{'s' if unit == 'cup' and eighths > 8 else ''}" if words else ""
