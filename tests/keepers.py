"""Simulated keepers: they have a plant with known causes, look at it, and now and then
miss something or see what is not there.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from brood.core.diagnosis.evidence import Circumstances, EvidenceModel, Floats, Verdict, weigh
from brood.core.diagnosis.next_check import next_checks

PLACES = ("indoor", "glasshouse", "balcony", "outdoor")
KINDS = (
    "foliage",
    "flowering",
    "woody-citrus",
    "seedling-herb",
    "fruiting-vegetable",
    "orchid",
    "cactus-succulent",
    "cabbage-family",
)
OPENING = ("residue", "damage", "creature", "movement", "wings-appendages", "where")
"""Themes of what makes a keeper look in the first place."""


@dataclass
class Keeper:
    """A keeper whose plant has `causes` (ids). What is there is drawn once, when first
    looked for; `missed` and `false` are shares.
    """

    model: EvidenceModel
    causes: tuple[str, ...]
    rng: np.random.Generator
    missed: float = 0.10
    false: float = 0.05
    seen: dict[str, bool] = field(default_factory=dict)

    def share(self, sign: str) -> float:
        """The share of such plants that show a sign."""
        at = self.model.at[sign]
        shares = self.model.shares[[self.model.row[c] for c in self.causes], at]
        return float(shares.min() if self.model.clean[at] else shares.max())

    def opening(self) -> dict[str, bool]:
        """The one sign that made them look."""
        shown = [
            s.id
            for s in self.model.signs
            if s.theme in OPENING and self.share(s.id) > max(s.background, 0.3)
        ]
        weights = np.array([self.share(s) for s in shown])
        return {str(self.rng.choice(shown, p=weights / weights.sum())): True}

    def answer(self, outcomes: tuple[str, ...]) -> dict[str, bool]:
        """What they report of a check: the outcome that they chose, or none of them."""
        shares = np.array([self.share(o) for o in outcomes])
        none = float(np.prod(1 - shares))
        found = (
            -1
            if self.rng.random() < none or not shares.sum()
            else int(self.rng.choice(len(outcomes), p=shares / shares.sum()))
        )
        if found >= 0 and self.rng.random() < self.missed:
            found = -1
        elif found < 0 and self.rng.random() < self.false:
            found = int(self.rng.integers(len(outcomes)))
        return {outcomes[found]: True} if found >= 0 else dict.fromkeys(outcomes, False)


@dataclass(frozen=True)
class Inquiry:
    """How one simulated identification went: number of answers given, and the verdict."""

    truth: tuple[str, ...]
    answers: int
    verdict: Verdict

    @property
    def best(self) -> tuple[str, float]:
        """The likeliest cause and its chance."""
        name = next(iter(self.verdict.chances))
        return name, self.verdict.chances[name]


def inquire(
    keeper: Keeper, setting: Circumstances, *, sure: float = 0.9, most: int = 40
) -> Inquiry:
    """Ask next checks until a cause is `sure`, nothing useful is left, or `most`
    answers were given.
    """
    answers = keeper.opening()
    given = 1
    verdict = weigh(keeper.model, answers, setting)
    while max(verdict.chances.values()) < sure and given < most:
        checks = next_checks(keeper.model, answers, verdict, most=1)
        if not checks:
            break
        answers |= keeper.answer(checks[0].outcomes)
        given += 1
        verdict = weigh(keeper.model, answers, setting)
    return Inquiry(keeper.causes, given, verdict)


def typical_setting(model: EvidenceModel, cause: str, rng: np.random.Generator) -> Circumstances:
    """A place and plant kind, drawn by how well they fit a cause."""
    held = model.causes[model.row[cause]]
    return Circumstances(_one_of(PLACES, held.places, rng), _one_of(KINDS, held.kinds, rng))


def _one_of(
    options: tuple[str, ...], weights: Mapping[str, float], rng: np.random.Generator
) -> str:
    w = np.array([weights.get(o, 1.0) for o in options])
    return str(rng.choice(options, p=w / w.sum()))


def calibration_error(chances: Floats, right: Floats, bins: int = 10) -> float:
    """Expected calibration error: mean gap between stated chance and share right over
    equal bins, weighted by their size (Naeini et al. 2015).
    """
    at = np.minimum((chances * bins).astype(int), bins - 1)
    gaps = [
        abs(chances[at == k].mean() - right[at == k].mean()) * (at == k).mean()
        for k in range(bins)
        if (at == k).any()
    ]
    return float(sum(gaps))
