"""Conversion between the metric units that are kept and those a keeper reads, by the
units library.
"""

from __future__ import annotations

import re
from functools import cache

from brood.core.mixing.dilution import registry

TEMPERATURE = re.compile(
    r"(?P<low>[−-]?\d+(?:\.\d+)?)(?:(?P<join> to | or | and "
    r"|–)(?P<high>[−-]?\d+(?:\.\d+)?))? °C(?!·d)"
)
LENGTH = re.compile(
    r"(?P<low>\d+(?:\.\d+)?)(?:(?P<join> to |–)(?P<high>\d+(?:\.\d+)?))? (?P<unit>mm|cm|m)\b"
)


@cache
def factor(unit: str, into: str) -> float:
    """How many of one unit are in another, by their usual names ("mm", "inch", "cup", "ml")."""
    return float(registry().Quantity(1.0, unit).to(into).magnitude)


def fahrenheit(celsius: float) -> float:
    """A temperature in °F."""
    return celsius * 9 / 5 + 32


def celsius(degrees_f: float) -> float:
    """A temperature given in °F, in °C."""
    return (degrees_f - 32) * 5 / 9


def inches(mm: float) -> float:
    """A length in inches."""
    return mm * factor("mm", "inch")


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
            None if (v := match[name]) is None else f"{float(v) * factor(match['unit'], into):.2g}"
            for name in ("low", "high")
        )
        unit = "ft" if into == "foot" else "in"
        return f"{low}{match['join']}{high} {unit}" if high else f"{low} {unit}"

    return LENGTH.sub(turned, text)
