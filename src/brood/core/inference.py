"""Stages that must be there although nobody saw them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from brood.core.temperature import HourlySeries
from brood.core.types import ADULT, Found, Pest

CLASSES = {"few": 4.0, "dozens": 30.0, "hundreds": 250.0}
"""Expected number behind a rough count; each is uncertain by a factor of two either way."""

GROUP_WORDS = ("nymph", "larva", "pupa")


def table_at(table: tuple[tuple[float, float], ...], celsius: float) -> float:
    """A tabulated quantity at °C, in a straight line between rows and level outside."""
    xs, ys = zip(*table, strict=True)
    return float(np.interp(celsius, xs, ys))


def spread_group(pest: Pest, found: Found, celsius: float) -> tuple[Found, ...]:
    """Spread "nymph", "larva" or "pupa" over the matching stages by their duration at °C; other groups as they are.

    Raises KeyError when the pest has no such stage.
    """
    if found.stage == ADULT or any(s.id == found.stage for s in pest.stages):
        return (found,)
    word = "nymph" if found.stage == "crawler" else found.stage
    wanted = ("larva", "nymph") if word in ("nymph", "larva") else (word,)
    matching = [s for s in pest.development if s.display in wanted]
    exact = [s for s in pest.development if s.id.startswith(word) or s.id.endswith(word)]
    matching = exact or matching
    if word not in GROUP_WORDS or not matching:
        raise KeyError(found.stage)
    days = np.array([min(s.rate.days(max(celsius, s.rate.lower_c + 4)), 365.0) for s in matching])
    return tuple(replace(found, stage=s.id, count=found.count * d / days.sum()) for s, d in zip(matching, days, strict=True))


def infer_hidden(pest: Pest, found: tuple[Found, ...], series: HourlySeries) -> tuple[Found, ...]:
    """The found groups, with the eggs that the found adults must have laid and the soil stages behind the found larvae.

    Eggs: laying females × eggs a day × days that an egg lasts, at the mean temperature of the series' hours up to the
    finding. Soil stages: as many, per day of their duration, as there are of the last feeding stage. Only stages that
    nobody recorded are added, and they are marked as inferred.
    """
    if not found:
        return found
    celsius = float(series.celsius[: 24 * 7].mean())
    recorded = {f.stage for f in found}
    first = pest.stages[0]
    added: list[Found] = []
    adults = [f for f in found if f.stage == ADULT]
    if first.display == "egg" and first.id not in recorded and adults:
        days = min(first.rate.days(celsius), 60.0)
        laid = sum(f.count for f in adults) * pest.female_share * table_at(pest.fecundity, celsius) * days
        added.append(Found(max(f.on for f in adults), first.id, laid, True))
    added.extend(_soil(pest, found, recorded, celsius))
    return (*found, *added)


def _soil(pest: Pest, found: tuple[Found, ...], recorded: set[str], celsius: float) -> list[Found]:
    soil = [s for s in pest.development if s.habitat == "in-soil" and s.id not in recorded]
    if not soil:
        return []
    source = pest.development[pest.index(soil[0].id) - 1]
    seen = [f for f in found if f.stage == source.id]
    if not seen:
        return []
    per_day = sum(f.count for f in seen) / source.rate.days(max(celsius, source.rate.lower_c + 4))
    return [Found(max(f.on for f in seen), s.id, per_day * min(s.rate.days(celsius), 60.0), True) for s in soil]
