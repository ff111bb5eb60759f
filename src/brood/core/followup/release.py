"""Which evenings are set and which are spare: looks that find nothing release evenings.

A planned evening is done unless the look due on its day was made and found nothing, the
chance that a line lives on if nothing more is done is small, and the evenings so far
reach over the longest time that something may hide from them. That chance is worked out
backward from the last live sighting, given the evenings done and the looks made (see
`alive_odds`). A look that was not made says nothing and releases nothing.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

import numpy as np

from brood.core.biology.case import Case, Evening, Inspection, Pace, Schedule
from brood.core.biology.kill import effect, treated_as
from brood.core.biology.substages import Array, chain_of, clock
from brood.core.climate.hours import MORNING, evening
from brood.core.climate.series import covering
from brood.core.followup.alive_odds import Ask, Question, fates
from brood.core.followup.detection import USUAL
from brood.core.population.half_days import evenings, residues
from brood.core.population.steps import Steps

RELEASE_AT = {Pace.CLOSE: 0.02, Pace.USUAL: 0.05, Pace.FAR: 0.2}
"""An evening is released when the chance that a line lives on is at most this: by the
pace of the course (our judgement, C).
"""
SPARED_BELOW = 0.35
"""A stage hides from the evenings when they take less than this share of it."""
LEAST_SHARE = 0.5
"""A look releases evenings when it saw at least this share of the plant."""
BATCH = 5
LONGEST_DAYS = 400


@dataclass(frozen=True)
class Lane:
    """One course of things: the evenings up to `treated` are done, the `looks` found
    nothing, and the question is asked on the evening of `until`.
    """

    until: date
    treated: date
    looks: tuple[Inspection, ...]


class Lines:
    """A case from the morning of its last live sighting on, with the numbers then:
    `there` [2 tracks, scenarios, states]. `kept` are earlier evenings whose acts still
    last; where not given they are those of the case.
    """

    def __init__(
        self,
        case: Case,
        steps: Steps,
        schedule: Schedule,
        there: Array,
        since: date,
        kept: Schedule | None = None,
    ) -> None:
        self.case, self.steps, self.since, self.there = case, steps, since, there
        self.schedule = sorted((e for e in schedule if e.on >= since), key=lambda e: e.on)
        self.kept = still_lasting(case, case.done, since) if kept is None else kept

    @property
    def first_step(self) -> int:
        """The step that begins on the morning of the sighting."""
        start = datetime.combine(self.since, MORNING)
        return next(n for n, end in enumerate(self.steps.ends) if end > start)

    def until(self, treated: date) -> Schedule:
        """What is done up to an evening."""
        return [*self.kept, *(one for one in self.schedule if one.on <= treated)]

    def values(self, asked: Sequence[tuple[Lane, Ask]]) -> Array:
        """The answers for one animal on that morning: [asked, 2 tracks, scenarios, states]."""
        questions = [Question(lane.until, ask, lane.looks) for lane, ask in asked]
        done = [self.until(lane.treated) for lane, _ in asked]
        fresh = residues(self.case, self.steps, done)[:, :, None]
        survive = {
            day: share[:, None]
            for day, share in evenings(self.case, self.steps.chain, done).items()
        }
        p = fates(self.case, self.steps, survive, fresh, questions, self.since)
        return np.moveaxis(p[:, :, 0], 1, 0)

    def chances(self, lanes: Sequence[Lane], ask: Ask) -> list[float]:
        """The chance of a yes at the end of each lane, given that its looks found
        nothing.
        """
        plain = [(lane, ask) for lane in lanes]
        seen = [(replace(lane, until=_last(lane, self.since)), Ask.SEEN) for lane in lanes]
        u = np.einsum("qtsk,tsk->qs", self.values([*plain, *seen]), self.there)
        return [chance(self.steps.weights, u[n], u[len(lanes) + n]) for n in range(len(lanes))]


def _last(lane: Lane, since: date) -> date:
    return max((x.on for x in lane.looks), default=since)


def chance(weights: Array, either: Array, seen: Array) -> float:
    """The chance of a yes given that nothing was seen, where a yes or a sighting is
    expected `either` times and a sighting `seen` times, by scenario.
    """
    weight = weights * np.exp(seen.min() - seen)
    total = float(weight.sum())
    out = float((weight * -np.expm1(-np.maximum(either - seen, 0.0))).sum())
    return min(1.0, out / total)


def guard_days(case: Case, day: date) -> int:
    """The slow time, from an evening on, through the longest run of stages that the
    acts take less than a third of, in whole days. 0 where no stage is so spared.
    """
    taken = [
        effect(case.acts, stage, case.reach) < SPARED_BELOW for stage in treated_as(case.pest)
    ][:-1]
    runs, begun = [], None
    for n, spared in enumerate([*taken, False]):
        if spared and begun is None:
            begun = n
        elif not spared and begun is not None:
            runs.append((begun, n))
            begun = None
    if not runs:
        return 0
    chain = chain_of(case.pest)
    watch = clock(chain, covering(case.series, evening(day) - timedelta(days=1), 24 * LONGEST_DAYS))
    hour = watch.series.hour_of(evening(day))
    slow = [watch.passages(chain.entering(first), hour, [end])[0][2] for first, end in runs]
    return max(LONGEST_DAYS if s is None else -int(-(s - hour) // 24) for s in slow)


def still_lasting(case: Case, done: Schedule, since: date) -> list[Evening]:
    """What was set up before a day and works on beyond it."""
    out = []
    for one in done:
        days = (since - one.on).days
        acts = [
            a for a in case.acts_of(one) if a.lasts_days and days < a.starts_after + a.lasts_days
        ]
        if days > 0 and acts:
            out.append(Evening(one.on, tuple(a.id for a in acts)))
    return out


@dataclass(frozen=True)
class Release:
    """What the looks say of the coming evenings.

    The first `set` of them are done whatever the looks find; the others only if a look
    finds life. With `released` the looks made have taken all of them back. `left` is
    the chance that a line lives on if nothing more is done, by the looks made so far.
    `guard` is the first day on which a last evening may lie.
    """

    set: int
    released: bool
    left: float
    guard: date | None


def release(
    lines: Lines,
    coming: Sequence[date],
    made: Sequence[Inspection],
    today: date,
    *,
    begun: date | None = None,
    thorough: float = USUAL,
) -> Release:
    """Which of the coming evenings are set, if every look from now on finds nothing.

    `made` are the clean looks since the last live sighting. The schedule of `lines`
    holds what was done since then, and the coming evenings. The course has `begun` on
    its first evening, where one was done before the sighting.
    """
    coming, at_most = sorted(coming), RELEASE_AT[lines.case.pace]
    before = [e for e in lines.schedule if not coming or e.on < coming[0]]
    done = [e.on for e in before if lines.case.treats(e)]
    first = min([*done, *coming[:1], *([begun] if begun else [])], default=None)
    if first is None:
        return Release(0, released=False, left=0.0, guard=None)
    guard = first + timedelta(days=guard_days(lines.case, first))
    now = Lane(
        max(today, lines.since), done[-1] if done else lines.since - timedelta(days=1), tuple(made)
    )
    left = lines.chances([now], Ask.LINE)[0]
    looked = bool(coming) and _looked(made, done, coming[0])
    if looked and left <= at_most and done[-1] >= guard:
        return Release(0, released=True, left=left, guard=guard)
    fixed, n = len(coming), 0 if done else 1
    while n < len(coming):
        lanes = [
            _lane(done, coming, made, k, thorough) for k in range(n, min(n + BATCH, len(coming)))
        ]
        chances = lines.chances(lanes, Ask.LINE)
        good = [
            n + k
            for k, (lane, odds) in enumerate(zip(lanes, chances, strict=True))
            if odds <= at_most and lane.treated >= guard
        ]
        if good:
            fixed = good[0]
            break
        n += len(lanes)
    return Release(fixed, released=False, left=left, guard=guard)


def _looked(made: Sequence[Inspection], done: Sequence[date], due: date) -> bool:
    """Whether a look saw enough, and was made nearer to the day that is due than to the
    last evening: right after it nothing that was missed has come out yet.
    """
    return bool(done) and any(
        x.on > done[-1] and x.share >= LEAST_SHARE and x.on - done[-1] >= due - x.on for x in made
    )


def _lane(
    done: Sequence[date],
    coming: Sequence[date],
    made: Sequence[Inspection],
    k: int,
    thorough: float,
) -> Lane:
    """After k of the coming evenings, with a clean look on every date up to the next."""
    looks = [Inspection(on, thorough=thorough) for on in coming[0 if done else 1 : k + 1]]
    treated = coming[k - 1] if k else done[-1]
    return Lane(coming[k], treated, (*made, *looks))
