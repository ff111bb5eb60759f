"""Which check to do next: the one that is expected to settle most for each minute that
it takes.

A check is a single question, or one look with several outcomes of which the best is
chosen ("how large is it?", "what does it look like?"). Its gain is the expected fall of
the entropy of the set posterior, in bits (Lindley 1956, Annals of Mathematical
Statistics 27:986-1005). Sets that differ only in what marks any plant in time (dry tips
beside mites) count as one: nobody needs to know.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace
from statistics import median

import numpy as np

from brood.core.diagnosis.evidence import EvidenceModel, Floats, Verdict

KNOWN_BEFORE = ("place", "plant-kind")
"""Groups that are known of a plant and never asked."""
SETTLING_MINUTES = 4.0
"""What any check takes besides its own minutes: getting there, and answering."""
LEAST_BITS = 0.03
MOST_SETS = 400
NO_TOOL = "none"


@dataclass(frozen=True)
class Check:
    """A check with its possible outcomes (sign ids; none of them is an outcome too),
    its minutes and its expected gain in bits. The likeliest outcome comes first.
    """

    outcomes: tuple[str, ...]
    minutes: float
    tool: str
    gain: float

    @property
    def worth(self) -> float:
        """Bits for each minute."""
        return self.gain / (self.minutes + SETTLING_MINUTES)


def next_checks(
    model: EvidenceModel,
    answers: Mapping[str, bool],
    verdict: Verdict,
    tools: Collection[str] | None = None,
    most: int = 5,
    passed: Collection[str] = (),
) -> list[Check]:
    """The checks worth doing, best first. `tools` are those at hand (all when None).
    Nothing that was answered is asked again, nor what the keeper could not tell (`passed`).
    """
    order = np.argsort(-verdict.posterior)[:MOST_SETS]
    order = order[verdict.posterior[order] > 1e-5]
    weights = verdict.posterior[order] / verdict.posterior[order].sum()
    chance = model.chance[model.sets[order]]
    by_set = np.where(model.clean, chance.min(axis=1), chance.max(axis=1))
    rows, place = np.unique(model.main[order], return_inverse=True)
    alike = np.zeros((len(rows), len(order)))
    alike[place, np.arange(len(order))] = 1.0
    candidates = _candidates(model, answers, tools, passed)
    alone = _gains_alone(
        alike, weights, by_set[:, [model.at[c[0]] for c in candidates if len(c) == 1]]
    )
    gains: dict[tuple[str, ...], float] = dict(
        zip((c for c in candidates if len(c) == 1), alone, strict=True)
    )
    for wide in (c for c in candidates if len(c) > 1):
        gains[wide] = _gain(alike, weights, _table(by_set[:, [model.at[o] for o in wide]]))
    worth_it = [_check(model, c, float(gain)) for c, gain in gains.items() if gain >= LEAST_BITS]
    worth_it.sort(key=lambda check: (-check.worth, check.outcomes))
    return [
        _likeliest_first(check, weights @ _table(by_set[:, [model.at[o] for o in check.outcomes]]))
        for check in worth_it[:most]
    ]


def _check(model: EvidenceModel, outcomes: tuple[str, ...], gain: float) -> Check:
    minutes = median(model.signs[model.at[o]].minutes for o in outcomes)
    return Check(outcomes, minutes, model.signs[model.at[outcomes[0]]].tool, gain)


def _likeliest_first(check: Check, expected: Floats) -> Check:
    """The same check with its outcomes in the order of their expected chance."""
    order = sorted(range(len(check.outcomes)), key=lambda k: -expected[k])
    return replace(check, outcomes=tuple(check.outcomes[k] for k in order))


def _candidates(
    model: EvidenceModel,
    answers: Mapping[str, bool],
    tools: Collection[str] | None,
    passed: Collection[str],
) -> list[tuple[str, ...]]:
    """Every check that can still be done."""
    given = [model.signs[model.at[a]] for a in answers]
    asked, looked = {s.group for s in given} - {""}, {s.plate for s in given}
    checks: dict[tuple[str, str], list[str]] = {}
    for sign in model.signs:
        able = tools is None or sign.tool == NO_TOOL or sign.tool in tools
        if (
            able
            and sign.id not in answers
            and sign.id not in passed
            and sign.group not in asked
            and sign.group not in KNOWN_BEFORE
        ):
            checks.setdefault(("one", sign.group or sign.id), []).append(sign.id)
            if sign.plate and sign.plate not in looked:
                checks.setdefault(("plate", sign.plate), []).append(sign.id)
    return [tuple(ids) for ids in checks.values()]


def _table(yes: Floats) -> Floats:
    """The chance of each outcome and of none of them [sets, outcomes + 1], from the
    chance of each alone [sets, outcomes].
    """
    none = np.prod(1 - yes, axis=1, keepdims=True)
    return np.hstack([yes / yes.sum(axis=1, keepdims=True) * (1 - none), none])


def _gains_alone(alike: Floats, weights: Floats, yes: Floats) -> Floats:
    """The gain of every yes-or-no question, from the chance of a yes [sets, questions].
    `alike` [kinds, sets] is 1 where a set counts as of a kind.
    """
    joint = weights[:, None]
    out: Floats = sum(
        (_information(alike @ (joint * part)) for part in (yes, 1 - yes)), np.zeros(yes.shape[1])
    ) - _information(alike @ joint)
    return out


def _gain(alike: Floats, weights: Floats, table: Floats) -> float:
    """The gain of one check in bits, from the chance of each outcome [sets, outcomes]."""
    joint = weights[:, None]
    return float(_information(alike @ (joint * table)).sum() - _information(alike @ joint)[0])


def _information(joint: Floats) -> Floats:
    """For every column of joint chances [sets, outcomes], the sum of j·log2(j / column
    total). This is minus its part of the entropy left.
    """
    total = joint.sum(axis=0)
    summed: Floats = (joint * np.log2(np.maximum(joint, 1e-300))).sum(axis=0) - total * np.log2(
        np.maximum(total, 1e-300)
    )
    return summed
