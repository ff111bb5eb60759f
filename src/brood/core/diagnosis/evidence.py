"""What a plant has, weighed from what a keeper saw: sets of up to three causes, scored
by answers yes, no and not looked.

Every cause gives each sign a share: on how many plants with that cause a careful look
would find the sign. A background share says how often the sign turns up whatever the
cause. Reports are not perfect: `MISSED` of what is there is overlooked, and `FALSE` of
what is not there is reported. So no single wrong answer rules a cause out. The weight
of an answer for a cause is the logarithm of its likelihood ratio against the background
(Good 1950, Probability and the Weighing of Evidence, ch. 6). Answers of one exclusive
group count once. Answers of one kin (stickiness, soot and ants, for example) count less
and less.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

MISSED, FALSE = 0.10, 0.05
CONTEXT = "context"
LARGEST_SET = 3
MIXED = 0.1
"""How much rarer a further cause makes a set, where nothing is known of the two."""
UNKNOWN_PRIOR = 0.02
STRENGTH = 1.15
"""The factor on the summed weights. The floors under rare reports are cautious; tests
with simulated keepers show by how much.
"""
FADING = (1.0, 0.6, 0.4, 0.3)
"""How much the strongest, the second and the further answers of one kin count. All
others count as the last.
"""
PRESENT = 0.6
"""From this chance on a cause counts as present."""
TELLS = 0.4
"""From this weight on an answer is named as speaking for or against a cause."""
COMMON_SIGHT = 0.15
"""A sign with a larger background than this needs no cause."""
LOOSE_ENDS = 3
"""So many reports that the best causes leave unexplained, and at least as many as they
explain, are a contradiction.
"""


@dataclass(frozen=True)
class Sign:
    """An observation. Of one `group` only one can be true of one creature. A `plate` is
    what one look takes in. `stages` are the kinds of stage that it shows.
    """

    id: str
    theme: str
    group: str
    plate: str
    kin: str
    stages: tuple[str, ...]
    minutes: float
    tool: str
    background: float

    @property
    def clean(self) -> bool:
        """Whether it says that nothing is there. Causes make such a sign rarer, not
        likelier.
        """
        return self.theme != CONTEXT and self.background == 0.5


@dataclass(frozen=True)
class Cause:
    """Something that a plant can have, with `shares` by sign id (0 to 1) and weights
    around 1 by place, plant kind and season. `bodies` says for each kind of stage how
    often its body falls into a size (sign id to share). What is `aside` marks any plant in
    time, whatever else it has.
    """

    id: str
    harmless: bool
    group: str
    common: float
    shares: Mapping[str, float]
    places: Mapping[str, float]
    kinds: Mapping[str, float]
    seasons: Mapping[str, float]
    bodies: Mapping[str, Mapping[str, float]] = field(default_factory=dict)
    aside: bool = False


@dataclass(frozen=True)
class Circumstances:
    """What is known before anybody looks: place, plant kind and season (each may be
    empty), causes found lately in the house and on neighbours, and those that are known
    to like this plant (`hosted`).
    """

    place: str = ""
    kind: str = ""
    season: str = ""
    history: frozenset[str] = frozenset()
    neighbours: frozenset[str] = frozenset()
    hosted: frozenset[str] = frozenset()


NOWHERE = Circumstances()
IN_HOUSE, NEXT_DOOR, ON_HOST = 2.0, 4.0, 1.5
"""How much likelier a pest is when it was in the house within a year, when a neighbour
has it, and when it is known to like the plant (our judgement, C).
"""


MOST_BESIDE = 5
"""Over at most so many members of a group a false report is spread."""


def reported(share: Floats | float, beside: Floats | float) -> Floats:
    """The chance that a sign is reported, from the share of plants that have it and the
    number of signs in its exclusive group; any shape.
    """
    # A false report of one of several outcomes falls on any of them.
    false = FALSE / np.minimum(beside, MOST_BESIDE)
    chance: Floats = np.asarray(false + (1.0 - MISSED - false) * share)
    return chance


class EvidenceModel:
    """Signs and causes as arrays.

    `chance` is [causes + 2, signs]: the chance that every sign is reported under every
    cause, then under something else, then under nothing (the background). `sets` is [n,
    3]: the rows of every set, filled up with the last row; something else stands alone
    and last. `together` [causes, causes] is how much more or less often two causes come
    together than each alone would have it (1 is by chance); MIXED for all when None.
    """

    def __init__(
        self, signs: Iterable[Sign], causes: Iterable[Cause], together: Floats | None = None
    ) -> None:
        self.signs, self.causes = tuple(signs), tuple(causes)
        many = len(self.causes)
        self.together = np.full((many, many), MIXED) if together is None else together
        self.at = {s.id: n for n, s in enumerate(self.signs)}
        self.row = {c.id: n for n, c in enumerate(self.causes)}
        self.clean = np.array([s.clean for s in self.signs])
        background = np.array([s.background for s in self.signs])
        shares = np.vstack(
            [np.tile(background, (len(self.causes), 1)), _unknown(self.signs), background]
        )
        for n, cause in enumerate(self.causes):
            for sign, share in cause.shares.items():
                shares[n, self.at[sign]] = share
        self.shares = shares
        groups = [s.group for s in self.signs]
        self.chance = reported(
            shares, np.array([groups.count(g) if g else 1 for g in groups], dtype=float)
        )

    @cached_property
    def sets(self) -> NDArray[np.int64]:
        """Every set of one to three causes, and something else."""
        n = len(self.causes)
        rows = [
            (*s, *[n + 1] * (LARGEST_SET - len(s)))
            for k in range(1, LARGEST_SET + 1)
            for s in combinations(range(n), k)
        ]
        return np.array([*rows, (n, n + 1, n + 1)])

    @cached_property
    def members(self) -> Floats:
        """[causes, sets]: 1 where a set holds a cause."""
        return np.array(
            [(self.sets == n).any(axis=1) for n in range(len(self.causes))], dtype=float
        )

    @cached_property
    def _of_company(self) -> Floats:
        """How much the company of its causes makes every set likelier or rarer. A third
        cause counts with the one of the two that it goes with best.
        """
        many = len(self.causes)
        padded = np.ones((many + 2, many + 2))
        padded[:many, :many] = self.together
        first, second, third = self.sets.T
        pairs = np.sort(
            [padded[first, second], padded[first, third], padded[second, third]], axis=0
        )
        size = (self.sets < many).sum(axis=1)
        two: Floats = padded[first, second]
        return np.where(size < 2, 1.0, np.where(size == 2, two, pairs[0] * pairs[2]))

    @cached_property
    def main(self) -> NDArray[np.int64]:
        """For every set the row of the set that is left when what stands aside is taken
        out of it; of a set of which nothing would be left, its own row.
        """
        many = len(self.causes)
        aside = np.array([c.aside for c in self.causes] + [False, True])
        kept = np.sort(np.where(aside[self.sets], many + 1, self.sets), axis=1)
        row = {tuple(one): n for n, one in enumerate(self.sets.tolist())}
        return np.array([row.get(tuple(one), n) for n, one in enumerate(kept.tolist())])

    @cached_property
    def weights(self) -> tuple[Floats, Floats]:
        """The weights of a yes and of a no, each [causes + 2, signs]."""
        base = self.chance[-1]
        return np.log(self.chance / base), np.log((1 - self.chance) / (1 - base))

    def prior(self, setting: Circumstances) -> Floats:
        """The chance of every set before any answer; it sums to 1."""
        single = np.array([_weight(c, setting) for c in self.causes])
        single /= single.sum()
        padded = np.append(single, [1.0, 1.0])[self.sets]
        out = padded.prod(axis=1) * self._of_company
        out[-1] = UNKNOWN_PRIOR
        normed: Floats = out / out.sum()
        return normed


def _unknown(signs: tuple[Sign, ...]) -> Floats:
    """What something else may show: a little of anything."""
    share = {"where": 0.3, "damage": 0.3, "size": 0.2, "residue": 0.2, "roots-soil": 0.25}
    return np.array(
        [
            s.background
            if s.theme == CONTEXT or s.clean
            else max(share.get(s.theme, 0.15), s.background)
            for s in signs
        ]
    )


def _weight(cause: Cause, setting: Circumstances) -> float:
    out = (
        cause.common
        * cause.places.get(setting.place, 1.0)
        * cause.kinds.get(setting.kind, 1.0)
        * cause.seasons.get(setting.season, 1.0)
    )
    return (
        out
        * (IN_HOUSE if cause.id in setting.history else 1.0)
        * (NEXT_DOOR if cause.id in setting.neighbours else 1.0)
        * (ON_HOST if cause.id in setting.hosted else 1.0)
    )


@dataclass(frozen=True)
class Verdict:
    """What the answers say.

    `chances` of presence by cause id, best first; they need not add to one. `unknown`
    is the chance of something else. `present` are the causes that count as present; it
    is empty when undecided. `conflict` says that the answers contradict each other, so
    that half of all belief is taken back. `weights` [answers, causes] is what each
    answer counts for each cause, in the order of `answers`.
    """

    chances: Mapping[str, float]
    unknown: float
    present: tuple[str, ...]
    conflict: bool
    answers: tuple[str, ...]
    weights: Floats
    posterior: Floats

    @property
    def undecided(self) -> bool:
        """Whether no cause is likely enough to be named."""
        return not self.present


def weigh(
    model: EvidenceModel,
    answers: Mapping[str, bool],
    setting: Circumstances = NOWHERE,
    unsure: Collection[str] = (),
) -> Verdict:
    """The verdict on some answers (sign id to yes or no; what was not looked at is left
    out). Their order does not matter.

    Answers of which the keeper is `unsure` count half. Raises KeyError for an unknown
    sign.
    """
    named = tuple(sorted(answers))
    at = np.array([model.at[name] for name in named], dtype=int)
    yes = np.array([answers[name] for name in named], dtype=bool)
    if_yes, if_no = model.weights
    each = (
        np.where(yes[:, None], if_yes[:, at].T, if_no[:, at].T)
        * np.where(np.isin(named, list(unsure)), 0.5, 1.0)[:, None]
    )
    each = _fade(model, at, _count_once(model, at, yes, each))
    score = np.log(model.prior(setting)) + STRENGTH * _of_sets(
        each, model.sets, yes, model.clean[at]
    )
    posterior = np.exp(score - score.max())
    posterior /= posterior.sum()
    conflict = _conflict(model, at[yes], if_yes, model.members @ posterior)
    if conflict:
        posterior /= 2
        posterior[-1] += 0.5
    marginal = model.members @ posterior
    order = sorted(range(len(model.causes)), key=lambda n: (-marginal[n], model.causes[n].id))
    chances = {model.causes[n].id: float(marginal[n]) for n in order}
    present = tuple(name for name, chance in chances.items() if chance >= PRESENT)
    return Verdict(
        chances,
        float(posterior[-1]),
        present,
        conflict,
        named,
        each[:, : len(model.causes)],
        posterior,
    )


def _conflict(
    model: EvidenceModel, reported_at: NDArray[np.int64], if_yes: Floats, marginal: Floats
) -> bool:
    """Whether the likely causes leave as many reports unexplained as they explain, or
    reports that exclude each other would take more creatures than a set has. What is seen
    everywhere, and the circumstances, do not count.
    """
    groups = Counter(model.signs[n].group for n in reported_at if model.signs[n].group)
    if sum(max(many - LARGEST_SET, 0) for many in groups.values()) >= LOOSE_ENDS:
        return True
    likely = marginal >= PRESENT / 2
    telling = [
        n
        for n in reported_at
        if model.signs[n].theme != CONTEXT
        and (model.clean[n] or model.signs[n].background <= COMMON_SIGHT)
    ]
    if not telling or not likely.any():
        return False
    best = if_yes[: len(model.causes)][likely][:, telling].max(axis=0)
    open_ends = int(np.where(model.clean[telling], best < -TELLS, best < TELLS).sum())
    return open_ends >= LOOSE_ENDS and 2 * open_ends >= len(telling)


def group_chances(model: EvidenceModel, verdict: Verdict) -> dict[str, float]:
    """The chance that any cause of a group is there, by group. It is more than that of
    the likeliest member where kinds are hard to tell apart.
    """
    groups: dict[str, list[int]] = {}
    for n, cause in enumerate(model.causes):
        groups.setdefault(cause.group, []).append(n)
    return {
        name: float(model.members[rows].max(axis=0) @ verdict.posterior)
        for name, rows in groups.items()
    }


def _count_once(
    model: EvidenceModel, at: NDArray[np.int64], yes: NDArray[np.bool_], each: Floats
) -> Floats:
    """Of each exclusive group only the strongest answer counts, for every cause by
    itself. A no beside a yes says nothing new.
    """
    out = each.copy()
    groups: dict[str, list[int]] = {}
    for n, sign in enumerate(at):
        if model.signs[sign].group:
            groups.setdefault(model.signs[sign].group, []).append(n)
    for rows in groups.values():
        said = [n for n in rows if yes[n]]
        kept = said or rows
        best = np.argmax(each[kept], axis=0) if said else np.argmax(np.abs(each[kept]), axis=0)
        out[rows] = 0.0
        for place, n in enumerate(kept):
            out[n] = np.where(best == place, each[n], 0.0)
    return out


def _fade(model: EvidenceModel, at: NDArray[np.int64], each: Floats) -> Floats:
    """Answers of one kin, or otherwise of one plate: the strongest counts in full, each
    further one less. Answers for and against are kept apart.
    """
    out = each.copy()
    kins: dict[str, list[int]] = {}
    for n, sign in enumerate(at):
        kin = model.signs[sign].kin or model.signs[sign].plate
        if kin:
            kins.setdefault(kin, []).append(n)
    for rows in kins.values():
        if len(rows) > 1:
            out[rows] = sum(_faded(np.clip(side * each[rows], 0, None)) * side for side in (1, -1))
    return out


def _faded(strengths: Floats) -> Floats:
    """Strengths [answers, causes] of one kin, faded by rank within each cause."""
    rank = np.argsort(np.argsort(-strengths, axis=0, kind="stable"), axis=0)
    faded: Floats = strengths * np.array(FADING)[np.minimum(rank, len(FADING) - 1)]
    return faded


def _of_sets(
    each: Floats, sets: NDArray[np.int64], yes: NDArray[np.bool_], clean: NDArray[np.bool_]
) -> Floats:
    """The summed weights of every set.

    A yes, or a no to "all is clean", is explained by the member that explains it best.
    A denial speaks against every member that should have shown the sign, and for none.
    """
    first, second, third = (np.ascontiguousarray(one) for one in sets.T)

    def summed(row: Floats) -> Floats:
        """What the members of every set count together."""
        total: Floats = row[first] + row[second] + row[third]
        return total

    out = summed(np.minimum(each[~yes & ~clean], 0).sum(axis=0))
    for row, something in zip(each[yes | clean], (yes ^ clean)[yes | clean], strict=True):
        top = np.maximum(np.maximum(row[first], row[second]), row[third])
        against = summed(np.minimum(row, 0))
        out += np.where(top > 0, top, against) if something else np.where(against < 0, against, top)
    return out
