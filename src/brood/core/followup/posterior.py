"""What the counts say of how well the evenings work: a posterior on a grid of reach and
starting number.

Expected numbers are linear in the starting number, so one forward run for every reach
gives them all. Counts are negative binomial about what a look should have seen. The
size is 8, because animals sit in clumps (Southwood & Henderson 2000, Ecological
Methods, ch. 2, for the family; the size is our judgement, C). Catches on cards are
Poisson with an unknown rate. So only their distribution over the times that cards hung
counts (a multinomial, given their total): a card tells the trend, never the level.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

import numpy as np
from scipy.special import gammaln

from brood.core.biology.case import (
    Act,
    CardCatch,
    Case,
    Evening,
    Found,
    Inspection,
    Schedule,
)
from brood.core.biology.kill import effect
from brood.core.biology.pest import ADULT
from brood.core.biology.stage_classes import StageClass, classes
from brood.core.biology.substages import Array
from brood.core.biology.unseen import infer_hidden
from brood.core.climate.hours import MORNING
from brood.core.climate.series import window
from brood.core.followup.detection import HIDDEN_SEEN, numbers, seen_share, spread_class
from brood.core.population.half_days import by_stage, evenings, residues, walk
from brood.core.population.steps import Steps, steps_of

REACHES = np.array(
    [0.05, 0.15, 0.25, 0.35, 0.45, 0.55, 0.62, 0.69, 0.76, 0.83, 0.88, 0.92, 0.96, 0.995]
)
SCALES = 2.0 ** np.linspace(-3, 3, 13)
REACH_SD, SCALE_SD = 0.2, 0.7
"""How far the true reach lies from the assumed one, and the natural logarithm of the
starting number likewise (a factor of two either way): our judgement (C).
"""
CLUMPING = 8.0
SHORTFALL = 5 / 6
"""A course works where its evenings take at least this share of what they should."""
RISEN = 1.1
NOTHING = 1e-12


@dataclass(frozen=True, eq=False)
class Belief:
    """The posterior: weights [reaches, scales, scenarios] that add to 1, like those of
    `prior`.

    On the morning of each day from the first find on: `alive` [days, reaches,
    scenarios] is the expected number of live animals of all stages per unit of scale;
    `open_to_see` the same of what a perfect look sees; `in_open` [days, reaches,
    scenarios, stages + 1] what there is for it to see.
    """

    case: Case
    reaches: Array
    weights: Array
    prior: Array
    first: date
    alive: Array
    open_to_see: Array
    in_open: Array
    looks: tuple[Inspection, ...]
    cards: tuple[CardCatch, ...]

    @property
    def by_reach(self) -> Array:
        """The weights of the reaches alone."""
        out: Array = self.weights.sum(axis=(1, 2))
        return out

    @property
    def reach(self) -> float:
        """The mean reach."""
        return float(self.by_reach @ self.reaches)

    @property
    def scale(self) -> float:
        """The mean starting number, divided by the one assumed."""
        return float(self.weights.sum(axis=(0, 2)) @ SCALES)

    def summed(self, rows: int) -> tuple[Array, Array, Array]:
        """A few values of reach that stand for all: weights [rows, scenarios] that add
        to 1, reaches [rows], mean scales [rows, scenarios].
        """
        place = np.minimum(
            (np.cumsum(self.by_reach) - self.by_reach / 2) * rows, rows - 1e-9
        ).astype(int)
        every = [np.flatnonzero(place == n) for n in dict.fromkeys(place.tolist())]
        groups = [g for g in every if self.by_reach[g].sum() > NOTHING]
        weights = np.stack([self.weights[g].sum(axis=(0, 1)) for g in groups])
        reaches = np.array(
            [self.by_reach[g] @ self.reaches[g] / self.by_reach[g].sum() for g in groups]
        )
        scaled = np.stack([(self.weights[g] * SCALES[:, None]).sum(axis=(0, 1)) for g in groups])
        return weights, reaches, scaled / np.maximum(weights, 1e-300)

    def kill(self, reach: float) -> float:
        """The share of the young in the open that an evening with the acts used takes
        at a reach.
        """
        stages = [
            s
            for s, kind in zip(self.case.pest.stages, classes(self.case.pest), strict=False)
            if kind == StageClass.YOUNG
        ]
        acts = _used(self.case)
        return float(np.mean([effect(acts, s.id, reach) for s in stages])) if stages else 0.0

    @property
    def effective(self) -> float:
        """The mean of that share, by what was counted."""
        return float(self.by_reach @ np.array([self.kill(r) for r in self.reaches]))

    @property
    def expected(self) -> float:
        """What that share should have been."""
        return self.kill(self.case.reach)

    @property
    def last(self) -> date:
        """The last day on which something was counted."""
        return max([x.on for x in self.looks] + [c.until for c in self.cards], default=self.first)

    def verdicts(self) -> dict[str, float]:
        """The chances of `working`, `stalled` and `rising`; they add to 1.

        Rising: at the last count over a tenth more are alive than at the find. Working:
        not so, and an evening takes at least five sixths of what it should.
        """
        now = self.alive[min((self.last - self.first).days, len(self.alive) - 1)]
        grown = (now / np.maximum(self.alive[0], 1e-9)) > RISEN
        weight = self.weights.sum(axis=1)
        rising = float((weight * grown).sum())
        enough = np.array([self.kill(r) for r in self.reaches]) >= SHORTFALL * self.expected
        working = float((weight * ~grown * enough[:, None]).sum())
        return {"working": working, "stalled": max(0.0, 1 - working - rising), "rising": rising}

    @property
    def verdict(self) -> str:
        """The likeliest of the three."""
        said = self.verdicts()
        return max(said, key=lambda k: said[k])

    def band(self, share: float = 1.0) -> tuple[Array, Array, Array]:
        """What a perfect look over a share of the plant should see each day, as assumed
        before any count: low, middle, high (10, 50, 90 %).
        """
        return self._spread(self.prior, share)

    def learnt(self, share: float = 1.0) -> tuple[Array, Array, Array]:
        """The same, by what was counted."""
        return self._spread(self.weights, share)

    def _spread(self, weights: Array, share: float) -> tuple[Array, Array, Array]:
        values = (self.open_to_see[:, :, None, :] * SCALES[:, None] * share).reshape(
            len(self.open_to_see), -1
        )
        flat = weights.reshape(-1)
        order = np.argsort(values, axis=1)
        ranked, reached = np.take_along_axis(values, order, axis=1), np.cumsum(flat[order], axis=1)
        low, mid, high = (
            ranked[np.arange(len(ranked)), np.argmax(reached >= q - 1e-9, axis=1)]
            for q in (0.1, 0.5, 0.9)
        )
        return low, mid, high


def late_finds(belief: Belief) -> tuple[Found, ...]:
    """What looks saw that the course cannot explain, with what must be there too: of a
    class, everything beyond twice the expected number.

    Such animals were missed at the find, or came since.
    """
    case = belief.case
    out: list[Found] = []
    for look in belief.looks:
        kinds = np.array(classes(case.pest))
        there = np.einsum(
            "rvs,v,rsk->k", belief.weights, SCALES, belief.in_open[(look.on - belief.first).days]
        )
        celsius = case.series.mean(morning(look.on), morning(look.on) + timedelta(days=3))
        seen: list[Found] = []
        for kind, number in numbers(case.pest, look).items():
            known = float(there[kinds == kind].sum())
            if number > 2 * known:
                seen += spread_class(case.pest, kind, number - known, look.on, celsius)
        out.extend(
            infer_hidden(
                case.pest,
                tuple(seen),
                window(case.series, morning(look.on), morning(look.on) + timedelta(days=7)),
            )
        )
    return tuple(out)


def updated(belief: Belief) -> Case:
    """The case to plan with: as it was learnt, with what looks saw beyond that."""
    case = as_learnt(belief)
    return replace(case, found=(*case.found, *late_finds(belief)))


def as_learnt(belief: Belief) -> Case:
    """The case as it was where the course works, otherwise with the reach and the
    starting numbers that the counts speak for.
    """
    case = belief.case
    if belief.verdict != "working":
        case = replace(
            at_reach(case, belief.reach),
            found=tuple(replace(f, count=f.count * belief.scale) for f in case.found),
        )
    return case


def _used(case: Case) -> tuple[Act, ...]:
    """The acts of the evenings done. All acts of the case when none was done."""
    ids = {a for d in case.evenings_done for a in d.acts}
    return tuple(a for a in case.acts if not ids or a.id in ids)


def at_reach(case: Case, reach: float) -> Case:
    """The case as if its evenings had this reach. Evenings that are known to have
    missed parts keep their proportion.
    """
    return replace(case, reach=reach, done=_touching(case.done, reach / case.reach))


def _touching(schedule: Schedule, share: float) -> tuple[Evening, ...]:
    """Evenings as if they had touched that many times what they are known to have."""
    return tuple(
        e if e.reach is None else replace(e, reach=min(1.0, e.reach * share)) for e in schedule
    )


def stacked(
    case: Case, steps: Steps, schedule: Schedule, reaches: Array
) -> tuple[dict[date, Array], Array]:
    """What survives each evening of a schedule, and of the newly exposed each step,
    with one row for each reach, as `walk` takes them.
    """
    each = [
        (replace(case, reach=float(r)), _touching(schedule, float(r) / case.reach)) for r in reaches
    ]
    rows = [evenings(one, steps.chain, [done]) for one, done in each]
    survive = {day: np.concatenate([row[day] for row in rows]) for day in rows[0]}
    return survive, np.concatenate([residues(one, steps, [done]) for one, done in each], axis=1)


def even_speed(steps: Steps) -> Steps:
    """The three scenarios of warmth, at the usual speed."""
    return steps.picked([1, 4, 7])


def learn(
    case: Case,
    looks: Sequence[Inspection],
    cards: Sequence[CardCatch],
    until: date,
    steps: Steps | None = None,
) -> Belief:
    """The posterior from what was done and counted, with expected numbers up to a day.
    Looks before the first find say nothing here.
    """
    first = min(f.on for f in case.found)
    looks = tuple(sorted((x for x in looks if x.on > first), key=lambda x: x.on))
    cards = tuple(c for c in cards if c.until > c.since >= first)
    until = max(
        [until, *(x.on + timedelta(days=x.spread_days) for x in looks), *(c.until for c in cards)]
    )
    held = steps or even_speed(steps_of(case, until))
    survive, fresh = stacked(case, held, case.done, REACHES)
    total, open_air = [], []
    # One forward run for all reaches: numbers are linear in the start, so the scales need none
    # of their own.
    for n, x in walk(case, held, survive, fresh, len(REACHES)):
        if held.ends[n].time() == MORNING:
            total.append(by_stage(held.chain, x.sum(axis=0)))
            open_air.append(by_stage(held.chain, x[0] + HIDDEN_SEEN * x[1]))
    start = [_at_find(case, held, len(REACHES))]
    every, exposed = (
        np.stack([start[0], *total]),
        np.stack([(1 - case.refuge + case.refuge * HIDDEN_SEEN) * start[0], *open_air]),
    )
    log = np.zeros((len(REACHES), len(SCALES), len(held.weights)))
    for look in looks:
        log += _look_fit(case, look, exposed, first)
    if cards:
        log += _card_fit(cards, every[..., -1], first)
    prior = _prior(case, held.weights)
    # Less the largest, so that the exponentials stay in range.
    weights = prior * np.exp(log - log.max())
    perfect = seen_share(case.pest, Inspection(first, thorough=1.0))
    return Belief(
        case,
        REACHES,
        weights / weights.sum(),
        prior,
        first,
        every.sum(axis=-1),
        exposed @ perfect,
        exposed,
        looks,
        cards,
    )


def _at_find(case: Case, steps: Steps, rows: int) -> Array:
    """The numbers by stage on the morning of the first find."""
    out = np.zeros((rows, len(steps.weights), len(steps.chain.counts) + 1))
    for group in case.found:
        if group.on == min(f.on for f in case.found):
            out[..., -1 if group.stage == ADULT else case.pest.index(group.stage)] += group.count
    return out


def _prior(case: Case, weights: Array) -> Array:
    reach = np.exp(-0.5 * ((REACHES - case.reach) / REACH_SD) ** 2) * np.gradient(REACHES)
    scale = np.exp(-0.5 * (np.log(SCALES) / SCALE_SD) ** 2)
    out = reach[:, None, None] * scale[:, None] * weights
    total: Array = out / out.sum()
    return total


def _look_fit(case: Case, look: Inspection, exposed: Array, first: date) -> Array:
    """Log-likelihood of a look's counts, by class: [reaches, scales, scenarios]."""
    share, kinds = seen_share(case.pest, look), classes(case.pest)
    days = range(
        (look.on - first).days - look.spread_days, (look.on - first).days + look.spread_days + 1
    )
    rows = [min(max(n, 0), len(exposed) - 1) for n in days]
    # A look on a vague day saw the mean of the days that it may have been.
    mean = exposed[rows].mean(axis=0)
    log = np.zeros((1, len(SCALES), 1))
    for kind in dict.fromkeys(kinds):
        on = np.array([k == kind for k in kinds]) * share
        if on.any():
            log = log + _negative_binomial(
                look.counts.get(kind, 0.0), (mean @ on)[:, None, :] * SCALES[:, None] + 0.02
            )
    return log


def _negative_binomial(count: float, mean: Array) -> Array:
    """Log-probability of a count with variance mean + mean²/size."""
    k = CLUMPING
    out: Array = (
        gammaln(count + k)
        - gammaln(k)
        - gammaln(count + 1)
        + k * np.log(k / (k + mean))
        + count * np.log(mean / (k + mean))
    )
    return out


def _card_fit(cards: Sequence[CardCatch], adults: Array, first: date) -> Array:
    """The log-likelihood of how the catches are distributed over the times, given their
    total: [reaches, scales, scenarios].
    """
    # How many adults there were to catch while each card hung.
    exposure = []
    for card in cards:
        days = adults[
            (card.since - first).days : max(
                (card.until - first).days, (card.since - first).days + 1
            )
        ]
        exposure.append(np.maximum(days.sum(axis=0), 1e-3))
    total = np.sum(exposure, axis=0)
    out: Array = sum(
        card.caught * np.log(e / total) for card, e in zip(cards, exposure, strict=True)
    )[:, None, :]
    return out


def morning(day: date) -> datetime:
    """The moment of a look on a day."""
    return datetime.combine(day, MORNING)
