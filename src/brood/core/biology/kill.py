"""A treatment evening: when it is, and what its acts do to a stage."""

from __future__ import annotations

from collections.abc import Iterable

from brood.core.biology.case import Act
from brood.core.biology.pest import ADULT, PREOVIPOSITION, Pest

HALVING_FROM = 3.0
"""Products whose residue halves sooner than in so many days leave nothing worth counting."""
FADED = 0.01


def effect(acts: Iterable[Act], stage: str, reach: float) -> float:
    """Share of a stage (id, or "adult") that one evening's acts kill or remove: 1 − Π(1
    − reach·kill), 0 to 1.
    """
    survive = 1.0
    for act in acts:
        survive *= 1 - reach * act.kill.get(stage, 0.0)
    return 1 - survive


def treated_as(pest: Pest) -> list[str]:
    """For every stage and, last, laying adults: the stage id whose kill applies; adults
    not yet laying are adults.
    """
    return [*(ADULT if s.id == PREOVIPOSITION else s.id for s in pest.stages), ADULT]


def newly_exposed(pest: Pest) -> tuple[bool, ...]:
    """For every stage and, last, laying adults: whether one that enters it comes to
    where it was not before (hatch, birth, soil, leaf).

    Becoming a laying adult is no change of place.
    """
    out = []
    for n, stage in enumerate(pest.stages):
        before = pest.stages[n - 1] if n else None
        out.append(
            pest.live_birth
            if before is None
            else before.display == "egg" or before.habitat != stage.habitat
        )
    return (*out, False)


def residue(act: Act, days: float) -> float:
    """What an act left behind still has of its strength after so many days, 0 to 1: it
    halves every `residual_days`.
    """
    if act.residual_days < HALVING_FROM or days <= 0:
        return 0.0
    strength: float = 2.0 ** (-days / act.residual_days)
    return strength if strength >= FADED else 0.0
