"""Which stages of a cause are there, from the signs that show them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from brood.core.diagnosis.evidence import Cause, EvidenceModel, reported

BEFORE = 0.6
"""The chance that a stage is there before any sign of it: most infestations are of
mixed age (our judgement, C).
"""
LEAST_SHARE = 0.1
"""A sign that a cause shows less often than this says nothing of its stages."""
SEEN = 0.75


@dataclass(frozen=True)
class StageChance:
    """The chance that a kind of stage (egg, young, pupa, adult) is there. `seen` when a
    sign showed it alone.
    """

    kind: str
    chance: float
    seen: bool


def stage_chances(
    model: EvidenceModel, cause: Cause, kinds: Sequence[str], answers: Mapping[str, bool]
) -> tuple[StageChance, ...]:
    """The chance of every kind of stage in `kinds`, given that the cause is there.

    A sign of one kind weighs by its full likelihood ratio. A sign that several kinds
    show weighs by its root for each. A size that was measured is one body: it is of each
    kind with the share that such bodies have of this size, each body by itself.
    """
    odds = dict.fromkeys(kinds, BEFORE / (1 - BEFORE))
    seen = dict.fromkeys(kinds, False)
    for name, yes in answers.items():
        sign = model.signs[model.at[name]]
        shown = [kind for kind in sign.stages if kind in odds]
        share = cause.shares.get(name, 0.0)
        if not shown or share < LEAST_SHARE:
            continue
        with_it, without = float(reported(share, 1.0)), float(reported(0.0, 1.0))
        ratio = with_it / without if yes else (1 - with_it) / (1 - without)
        for kind in shown:
            odds[kind] *= ratio ** (1 / len(shown))
            seen[kind] |= yes and len(shown) == 1
    chance = {kind: odds[kind] / (1 + odds[kind]) for kind in kinds}
    for name, yes in answers.items():
        if not yes:
            continue
        fits = {kind: cause.bodies.get(kind, {}).get(name, 0.0) for kind in kinds}
        total = sum(fits.values())
        for kind, share in fits.items():
            if total:
                chance[kind] = 1 - (1 - chance[kind]) * (1 - share / total)
                seen[kind] |= share == total
    return tuple(StageChance(kind, chance[kind], seen[kind]) for kind in kinds)
