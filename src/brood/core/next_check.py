"""Which check to do next: the one that is expected to settle most for each minute it takes.

A check is a single question, or one look with several outcomes of which the best is chosen ("how large is it?", "what does it
look like?"). Its gain is the expected fall of the entropy of the set posterior, in bits (Lindley 1956, Annals of Mathematical
Statistics 27:986-1005).
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace

import numpy as np

from brood.core.evidence import EvidenceModel, Floats, Verdict

KNOWN_BEFORE = ("place", "plant-kind")
"""Groups that are known of a plant and never asked."""
SETTLING_MINUTES = 4.0
"""What any check takes besides its own minutes: getting there, and answering."""
LEAST_BITS = 0.03
MOST_SETS = 400
NO_TOOL = "none"


@dataclass(frozen=True)
class Check:
    """A check with its possible outcomes (sign ids; none of them is an outcome too), minutes and expected gain in bits.

    `leaning` gives for every outcome the cause that would then be likeliest and its chance; the last one is for none of them.
    """

    outcomes: tuple[str, ...]
    minutes: float
    tool: str
    gain: float
    leaning: tuple[tuple[str, float], ...]

    @property
    def worth(self) -> float:
        """Bits for each minute."""
        return self.gain / (self.minutes + SETTLING_MINUTES)


def next_checks(
    model: EvidenceModel, answers: Mapping[str, bool], verdict: Verdict, tools: Collection[str] | None = None, most: int = 5
) -> list[Check]:
    """The checks worth doing, best first; `tools` are those at hand (all when None). Nothing already answered is asked again."""
    order = np.argsort(-verdict.posterior)[:MOST_SETS]
    order = order[verdict.posterior[order] > 1e-5]
    weights = verdict.posterior[order] / verdict.posterior[order].sum()
    chance = model.chance[model.sets[order]]
    by_set = np.where(model.clean, chance.min(axis=1), chance.max(axis=1))
    members = model.members[:, order]
    out = []
    for outcomes in _candidates(model, answers, tools):
        table = _table(by_set[:, [model.at[o] for o in outcomes]])
        gain = _gain(weights, table)
        if gain >= LEAST_BITS:
            first = model.signs[model.at[outcomes[0]]]
            minutes = float(np.median([model.signs[model.at[o]].minutes for o in outcomes]))
            out.append((Check(outcomes, minutes, first.tool, gain, ()), table))
    out.sort(key=lambda pair: (-pair[0].worth, pair[0].outcomes))
    return [_likeliest_first(replace(c, leaning=_leaning(model, weights, table, members)), weights @ table) for c, table in out[:most]]


def _likeliest_first(check: Check, expected: Floats) -> Check:
    """The same check with its outcomes in the order in which they are to be expected."""
    order = sorted(range(len(check.outcomes)), key=lambda k: -expected[k])
    leaning = tuple(check.leaning[k] for k in order) + check.leaning[-1:]
    return replace(check, outcomes=tuple(check.outcomes[k] for k in order), leaning=leaning)


def _candidates(model: EvidenceModel, answers: Mapping[str, bool], tools: Collection[str] | None) -> list[tuple[str, ...]]:
    """Every check that can still be done."""
    given = [model.signs[model.at[a]] for a in answers]
    asked, looked = {s.group for s in given} - {""}, {s.plate for s in given}
    checks: dict[tuple[str, str], list[str]] = {}
    for sign in model.signs:
        able = tools is None or sign.tool == NO_TOOL or sign.tool in tools
        if able and sign.id not in answers and sign.group not in asked and sign.group not in KNOWN_BEFORE:
            checks.setdefault(("one", sign.group or sign.id), []).append(sign.id)
            if sign.plate and sign.plate not in looked:
                checks.setdefault(("plate", sign.plate), []).append(sign.id)
    return [tuple(ids) for ids in checks.values()]


def _table(yes: Floats) -> Floats:
    """[sets, outcomes + 1]: the chance of each outcome and of none of them, from the chance of each by itself [sets, outcomes]."""
    none = np.prod(1 - yes, axis=1, keepdims=True)
    return np.hstack([yes / yes.sum(axis=1, keepdims=True) * (1 - none), none])


def _gain(weights: Floats, table: Floats) -> float:
    joint = weights[:, None] * table
    total = joint.sum(axis=0)
    after = joint / np.maximum(total, 1e-300)
    return float(_entropy(weights) - (total * np.array([_entropy(after[:, k]) for k in range(after.shape[1])])).sum())


def _entropy(p: Floats) -> float:
    held = p[p > 0]
    return float(-(held * np.log2(held)).sum())


def _leaning(model: EvidenceModel, weights: Floats, table: Floats, members: Floats) -> tuple[tuple[str, float], ...]:
    """After each outcome, the cause that is likeliest, with its chance."""
    joint = weights[:, None] * table
    chances = members @ (joint / joint.sum(axis=0))
    best = chances.argmax(axis=0)
    return tuple((model.causes[n].id, float(chances[n, k])) for k, n in enumerate(best))
