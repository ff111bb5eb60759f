"""Conversion between the metric units that are kept and those a keeper reads."""

from __future__ import annotations

import re

from brood.core.mixing.dilution import ML, from_ml

TEMPERATURE = re.compile(
    r"(?P<low>[−-]?\d+(?:\.\d+)?)(?:(?P<join> to | or | and "
    r"|–)(?P<high>[−-]?\d+(?:\.\d+)?))? °C(?!·d)"
)
LENGTH = re.compile(
    r"(?P<low>\d+(?:\.\d+)?)(?:(?P<join> to |–)(?P<high>\d+(?:\.\d+)?))? (?P<unit>mm|cm|m)\b"
)


MEASURES = tuple(ML)
"""The measures of volume by short name."""
MM = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "inch": 25.4, "foot": 304.8}
"""Measures of length in mm, all exact (international inch of 1959)."""


def length(amount: float, unit: str, into: str) -> float:
    """A length in another unit; both are keys of MM."""
    return amount * MM[unit] / MM[into]


def fahrenheit(celsius: float) -> float:
    """A temperature in °F."""
    return celsius * 9 / 5 + 32


def celsius(degrees_f: float) -> float:
    """A temperature given in °F, in °C."""
    return (degrees_f - 32) * 5 / 9


def inches(mm: float) -> float:
    """A length in inches."""
    return length(mm, "mm", "inch")


def fluid_ounces(ml: float) -> float:
    """A volume in US fluid ounces."""
    return from_ml(ml, "fl oz")


OUNCES_A_GALLON = from_ml(1000 * 3.785411784, "fl oz") / 1000
"""US fluid ounces in a gallon for a part in a thousand: what 1 ml in a litre comes to."""


def with_fahrenheit(text: str) -> str:
    """A sentence with every temperature in °F."""

    def turned(match: re.Match[str]) -> str:
        low, high = (
            None if (v := match[name]) is None else f"{fahrenheit(float(v.replace('−', '-'))):.0f}"
            for name in ("low", "high")
        )
        return f"{low}{match['join']}{high} °F" if high else f"{low} °F"

    return TEMPERATURE.sub(turned, text)


def with_inches(text: str) -> str:
    """A sentence with every length in inches (or feet, from a metre up)."""

    def turned(match: re.Match[str]) -> str:
        into = "foot" if match["unit"] == "m" else "inch"
        low, high = (
            None if (v := match[name]) is None else f"{length(float(v), match['unit'], into):.2g}"
            for name in ("low", "high")
        )
        unit = "ft" if into == "foot" else "in"
        return f"{low}{match['join']}{high} {unit}" if high else f"{low} {unit}"

    return LENGTH.sub(turned, text)
