"""What the acts of one evening do to a stage, and what they leave behind."""

from __future__ import annotations

from collections.abc import Iterable

from brood.core.biology.case import Act
from brood.core.biology.pest import ADULT, PREOVIPOSITION, Pest

HALVING_FROM = 3.0
"""A product whose residue halves sooner than in so many days leaves nothing worth counting."""
FADED = 0.01


def effect(acts: Iterable[Act], stage: str, reach: float) -> float:
    """The share of a stage (id, or "adult") that one evening's acts kill or remove, 0
    to 1: 1 − Π(1 − touched·kill).
    """
    survive = 1.0
    for act in acts:
        survive *= 1 - touched(act, reach) * act.kill.get(stage, 0.0)
    return 1 - survive


def touched(act: Act, reach: float) -> float:
    """The share that an act touches where evenings usually touch `reach`."""
    return 1 - act.misses * (1 - reach)


def treated_as(pest: Pest) -> list[str]:
    """For every stage and, last, laying adults: the stage id whose kill applies. Adults
    that do not lay yet count as adults.
    """
    return [*(ADULT if s.id == PREOVIPOSITION else s.id for s in pest.stages), ADULT]


def newly_exposed(pest: Pest) -> tuple[bool, ...]:
    """For every stage and, last, laying adults: whether an animal that enters it comes
    to a new place (by hatching, birth, leaving the soil or the leaf).

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


def eaten_again(act: Act, days: int) -> float:
    """How much of one more application a poison that lies in wait amounts to on a later
    evening, for everything that feeds: 0 for most acts.

    Its strength halves every `residual_days`. All later evenings together come to one
    more application (our judgement, C).
    """
    if not act.eaten or act.residual_days < HALVING_FROM or days <= 0:
        return 0.0
    half: float = 2.0 ** (-1 / act.residual_days)
    share = half ** (days - 1) * (1 - half)
    return share if share >= FADED else 0.0


def later(act: Act) -> list[tuple[int, float]]:
    """The later evenings on which what was eaten still kills: (days after, share of an
    application).
    """
    out: list[tuple[int, float]] = []
    while share := eaten_again(act, len(out) + 1):
        out.append((len(out) + 1, share))
    return out


def residue(act: Act, days: float) -> float:
    """How much of its strength an act's residue still has after so many days, 0 to 1.
    It halves every `residual_days`.
    """
    if act.eaten or act.residual_days < HALVING_FROM or days <= 0:
        return 0.0
    strength: float = 2.0 ** (-days / act.residual_days)
    return strength if strength >= FADED else 0.0
