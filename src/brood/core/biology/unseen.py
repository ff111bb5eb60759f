"""Stages that must be there although nobody saw them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from brood.core.biology.case import Found
from brood.core.biology.pest import ADULT, Pest, Stage
from brood.core.biology.stage_classes import YOUNG_DISPLAYS
from brood.core.climate.series import HourlySeries

WORDS = ("nymph", "larva", "pupa")


def table_at(table: tuple[tuple[float, float], ...], celsius: float) -> float:
    """A tabulated quantity at °C: in a straight line between rows, level outside."""
    xs, ys = zip(*table, strict=True)
    return float(np.interp(celsius, xs, ys))


def spread_group(pest: Pest, found: Found, celsius: float) -> tuple[Found, ...]:
    """Spread "nymph", "larva" or "young" over the matching stages, in proportion to
    their duration at °C. Other groups stay as they are.

    A stage id stands for itself, even where it reads like a word. "young" is every
    larva and nymph. "crawler" is taken as the first nymph. Raises KeyError when the
    pest has no such stage.
    """
    if found.stage == ADULT or any(s.id == found.stage for s in pest.stages):
        return (found,)
    young = [s for s in pest.development if s.display in YOUNG_DISPLAYS]
    named = [
        s for s in pest.development if s.id.startswith(found.stage) or s.id.endswith(found.stage)
    ]
    matching = {"young": young, "crawler": [s for s in young if s.display == "nymph"][:1]}.get(
        found.stage, named if found.stage in WORDS else []
    )
    if not matching:
        raise KeyError(found.stage)
    days = np.array([stage_days(s, celsius) for s in matching])
    return tuple(
        replace(found, stage=s.id, count=found.count * d / days.sum())
        for s, d in zip(matching, days, strict=True)
    )


def stage_days(stage: Stage, celsius: float) -> float:
    """The stage time in days. Where it is too cold to develop, the time a little above
    the threshold is taken.
    """
    return min(stage.rate.days(max(celsius, stage.rate.threshold_c + 4)), 60.0)


def infer_hidden(pest: Pest, found: tuple[Found, ...], series: HourlySeries) -> tuple[Found, ...]:
    """The found groups, with the eggs that the found adults must have laid and the
    stages in the soil that must stand behind the found larvae.

    Eggs: laying females × eggs a day × days that an egg lasts, at the mean temperature
    of the first week of the series. Stages in the soil: as many per day of their
    duration as there are of the stage before them, or of adults. Only stages that
    nobody recorded are added, and they are marked as inferred.
    """
    if not found:
        return found
    # What is there now was laid at the warmth of the last days; the first week stands for it.
    celsius = float(series.celsius[: 24 * 7].mean())
    recorded = {f.stage for f in found}
    first = pest.stages[0]
    added: list[Found] = []
    adults = [f for f in found if f.stage == ADULT]
    if first.display == "egg" and first.id not in recorded and adults:
        laid = (
            sum(f.count for f in adults)
            * pest.female_share
            * table_at(pest.fecundity, celsius)
            * stage_days(first, celsius)
        )
        added.append(Found(max(f.on for f in adults), first.id, laid, True))
    added.extend(_soil(pest, found, recorded, celsius))
    return (*found, *added)


def _soil(pest: Pest, found: tuple[Found, ...], recorded: set[str], celsius: float) -> list[Found]:
    """Stages in the soil other than eggs that nobody recorded, at the rate at which the
    last recorded stage before them passes through.

    Where only adults were recorded, at the rate at which those adults must have been
    replaced.
    """
    added = []
    for stage in pest.development:
        if stage.habitat != "in-soil" or stage.display == "egg" or stage.id in recorded:
            continue
        before = [
            s
            for s in pest.development[: pest.index(stage.id)]
            if s.id in recorded and s.display != "egg"
        ]
        # The last stage before it that somebody recorded feeds it; without one, the adults must
        # have.
        source = before[-1].id if before else ADULT
        seen = [f for f in found if f.stage == source]
        if seen:
            lasts = stage_days(before[-1], celsius) if before else table_at(pest.longevity, celsius)
            per_day = sum(f.count for f in seen) / lasts
            added.append(
                Found(max(f.on for f in seen), stage.id, per_day * stage_days(stage, celsius), True)
            )
    return added
