"""When a plant may go back among the others, and when its case closes.

It may go back when the chance that anything lives is under 1 %, two looks were clean,
and the later of them came half a slow life from egg to adult after the last live
sighting, and a slow hatch after the last evening. Its case closes when the plant is
still clean a whole slow life from egg to adult after that sighting.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta

import numpy as np

from brood.core.biology.case import CardCatch, Case, Found, Inspection, Schedule
from brood.core.biology.pest import ADULT
from brood.core.biology.substages import Array, Clock, chain_of, clock
from brood.core.climate.hours import MORNING, evening
from brood.core.climate.series import covering
from brood.core.course.plan import Likely
from brood.core.followup.alive_odds import Ask, Question, fates
from brood.core.followup.detection import USUAL, clean, last_live
from brood.core.followup.look_days import LOOK_GAP_DAYS, looks_after
from brood.core.followup.posterior import Belief, even_speed, late_finds, learn, stacked
from brood.core.population.half_days import walk
from brood.core.population.steps import Steps, steps_of

SURE = 0.01
LOOKS_NEEDED = 2
MOST_LOOKS, FINAL_LOOKS = 14, 8
LIVE_BORN_DAYS = 7
"""Where young are born alive there is no hatch to wait for, but so many days."""
ROWS = 5
"""So many values of reach stand for all of them; each has about the same weight."""
CURVE_POINTS = 7
LEAST_CV = 0.14
SHOWN_LOOKS = 6
"""The chance on the day before a look is worked out for so many looks."""
LONGEST_DAYS = 400
"""What is not grown so many days after it was seen counts as standing still."""


@dataclass(frozen=True)
class NeededLook:
    """A look still to come. `why` is `evening` (on the day of a treatment), `first`,
    `back` (the plant may go back after it), `cycle` (a whole slow life after the
    last live sighting) or `doubt` (until the chance is small).
    """

    on: date
    why: str


@dataclass(frozen=True)
class Clearing:
    """When a case is over, if every look from now on finds nothing.

    `matured` is the slow end of egg to adult from the last live sighting. `hatched` is
    the same for the hatch of the last egg that the last evening can have missed. Both
    are None beyond the known temperatures. `back` is the day from which the plant may
    stand among the others, `closed` that on which its case closes.

    `curve` is the chance that anything lives on the evening of days, by the looks so
    far; `if_clean` the same with the looks that are needed. `worth` says by how much
    one look on a day divides the chance on the day of the last one. `remains` is the
    chance that anything still lives once whatever was missed is grown, by the looks so
    far. `likely` is how the course will probably go.
    """

    last_live: date
    last_treatment: date | None
    matured: date | None
    hatched: date | None
    curve: tuple[tuple[date, float], ...]
    if_clean: tuple[tuple[date, float], ...]
    needed: tuple[NeededLook, ...]
    back: date | None
    closed: date | None
    clean_looks: tuple[Inspection, ...]
    worth: tuple[tuple[date, float], ...]
    remains: float | None = None
    likely: Likely | None = None

    @property
    def settled(self) -> bool:
        """Whether the record is enough to close the case."""
        return self.closed is not None and not self.needed

    @property
    def may_go_back(self) -> bool:
        """Whether the looks made are enough for the plant to stand among the others."""
        return self.back is not None and any(x.on >= self.back for x in self.clean_looks)


class _Odds:
    """The chance that anything lives under any looks, from the state on the morning of
    the last live sighting.
    """

    def __init__(
        self, case: Case, schedule: Schedule, belief: Belief, since: date, until: date
    ) -> None:
        # A coarser chain is half the work, and moves these chances by little.
        case = replace(case, pest=replace(case.pest, cv=max(case.pest.cv, LEAST_CV)))
        self.case, self.since = case, since
        self.weights, reaches, scale = belief.summed(ROWS)
        self.steps = even_speed(steps_of(case, until))
        self.survive, self.fresh = stacked(case, self.steps, schedule, reaches)
        self.there = self._there(belief, scale)

    def _there(self, belief: Belief, scale: Array) -> Array:
        """The expected numbers on that morning, with what was then seen beyond them: [2
        tracks, reaches, scenarios, size + 2].
        """
        out = _at(self.case, self.steps, self.survive, self.fresh, self.since) * scale[..., None]
        for group in late_finds(belief):
            if group.on == self.since:
                out[0] += group.count * self.steps.chain.met(self.case.pest.index(group.stage))
        return out

    def alive(self, days: Sequence[tuple[date, tuple[Inspection, ...]]]) -> list[float]:
        """The chance that anything lives on the evening of a day when the looks up to
        then found nothing.
        """
        asked = [Question(day, Ask.ALIVE, looks) for day, looks in days]
        passed = list(dict.fromkeys(tuple(x for x in looks if x.on <= day) for day, looks in days))
        seen = [
            Question(max((x.on for x in looks), default=self.since), Ask.SEEN, looks)
            for looks in passed
            if looks
        ]
        p = fates(self.case, self.steps, self.survive, self.fresh, [*asked, *seen], self.since)
        total = np.einsum("tqrsk,trsk->qrs", p, self.there)
        missed = {looks: total[len(asked) + n] for n, looks in enumerate(x for x in passed if x)}
        out = []
        for n, (day, looks) in enumerate(days):
            unseen = missed.get(tuple(x for x in looks if x.on <= day), np.zeros_like(total[n]))
            weight = unseen_weights(self.weights, unseen)
            out.append(
                min(1.0, float((weight * -np.expm1(-np.maximum(total[n] - unseen, 0.0))).sum()))
            )
        return out


def unseen_weights(weights: Array, unseen: Array) -> Array:
    """The weights, adding to 1, after nothing was seen where `unseen` sightings were to
    be expected.

    They are worked out by logarithms. Otherwise a likely case of weight 0 could make
    them all 0.
    """
    with np.errstate(divide="ignore"):
        log = np.log(weights) - unseen
    weight = np.exp(log - log.max())
    out: Array = weight / weight.sum()
    return out


def _at(case: Case, steps: Steps, survive: dict[date, Array], fresh: Array, day: date) -> Array:
    """The expected numbers on a morning, as `walk` has them."""
    rows = fresh.shape[1]
    for n, x in walk(case, steps, survive, fresh, rows):
        if steps.ends[n].time() == MORNING and steps.ends[n].date() == day:
            return x
    out = np.zeros((2, rows, len(steps.weights), steps.chain.size + 2))
    for group in case.found:
        spread = group.count * steps.chain.met(case.pest.index(group.stage))
        out += np.array([1 - case.refuge, case.refuge]).reshape(2, 1, 1, 1) * spread
    return out


def clear_by(
    case: Case,
    schedule: Schedule,
    looks: Sequence[Inspection],
    cards: Sequence[CardCatch],
    today: date,
    thorough: float = USUAL,
    *,
    weigh: bool = True,
) -> Clearing:
    """When a case is over, from the evenings done and planned (`schedule`), from what
    was counted, and with further looks of a thoroughness.

    With `weigh` it also works out what one look is worth, by its day.
    """
    since, belief = _known(case, looks, cards, today)
    treated = max((e.on for e in schedule), default=None)
    matured, hatched = _bounds(case, since, treated)
    done = clean(looks, since)
    if matured is None or hatched is None:
        return Clearing(since, treated, matured, hatched, (), (), (), None, None, done, ())
    early = max(since + (matured - since) / 2, hatched)
    end = max(matured, hatched)
    until = max(end, today) + timedelta(days=LOOK_GAP_DAYS * (FINAL_LOOKS + 1))
    odds = _Odds(case, schedule, belief, since, until)
    evenings = sorted(e.on for e in schedule if e.on > since)
    coming = _proposed(done, evenings, (early, end), max(today, since), thorough)
    # If every look to come finds nothing, too.
    together = (*done, *coming)
    days = _asked(together, since, min(today, end), end)
    plain = [d for d in days if not done or d >= done[0].on][:: max(1, len(days) // 6)]
    *chances, remains = odds.alive(
        [*((d, together) for d in days), *((d, done) for d in plain), (end, done)]
    )
    clean_by = dict(zip(days, chances, strict=False))
    back, over = (_reached(together, day, clean_by) for day in (early, end))
    if back is not None and over is not None:
        # Between going back and closing, no look is asked for.
        coming = [x for x in coming if x.on <= back or x.on >= end]
    needed = _reasons(
        [x for x in coming if over is None or x.on <= over], (back, end), evenings, len(done)
    )
    shown = [d for d in days if over is None or d <= over]
    return Clearing(
        since,
        treated,
        matured,
        hatched,
        tuple(zip(plain, chances[len(days) :], strict=True)),
        tuple((d, clean_by[d]) for d in shown),
        needed,
        back,
        over,
        done,
        _worth(odds, done, today, over or end, thorough) if weigh else (),
        remains,
    )


def _asked(looks: Sequence[Inspection], since: date, now: date, end: date) -> list[date]:
    """The days on which the chance is worked out: those of looks, the days before the
    first of them, and a few evenly between.
    """
    ends = {x.on for x in looks}
    before = {max(x.on - timedelta(days=1), since) for x in looks[:SHOWN_LOOKS]}
    return sorted(ends | before | _even(max(now, since), max(end, *ends)))


def remaining(
    case: Case,
    schedule: Schedule,
    looks: Sequence[Inspection],
    cards: Sequence[CardCatch],
    today: date,
    end: date,
) -> float:
    """The chance that anything lives on the evening of a day under a schedule, by the
    looks so far.
    """
    since, belief = _known(case, looks, cards, today)
    odds = _Odds(case, schedule, belief, since, end + timedelta(days=1))
    return odds.alive([(end, clean(looks, since))])[0]


def _known(
    case: Case, looks: Sequence[Inspection], cards: Sequence[CardCatch], today: date
) -> tuple[date, Belief]:
    """The last live sighting, and what the counts up to it say. Clean looks since then do
    not enter: they count exactly, through the chance to see nothing.
    """
    since = last_live(looks, max(f.on for f in case.found), today)
    before = [x for x in looks if x.on <= since], [c for c in cards if c.until <= since]
    return since, learn(case, *before, since)


def _reached(
    looks: Sequence[Inspection], early: date, clean_by: Mapping[date, float]
) -> date | None:
    """The first look, if all are clean, that is at least the second, not before a day,
    and after which the chance is small.
    """
    return next(
        (
            x.on
            for n, x in enumerate(looks)
            if n + 1 >= LOOKS_NEEDED and x.on >= early and clean_by[x.on] < SURE
        ),
        None,
    )


def _bounds(case: Case, since: date, treated: date | None) -> tuple[date | None, date | None]:
    """The slow end of egg to adult from a day; and the slow hatch of eggs laid up to the
    last evening, or some days after it where young are born alive.
    """
    begun = evening(since) - timedelta(days=1)
    hours = 24 * ((max(since, treated or since) - since).days + LONGEST_DAYS)
    watch = clock(chain_of(case.pest), covering(case.series, begun, hours))
    matured = _slow(watch, since, len(case.pest.stages) - 1)
    if treated is None:
        return matured, since
    if case.pest.live_birth:
        return matured, treated + timedelta(days=LIVE_BORN_DAYS)
    return matured, _slow(watch, treated, 1)


def _slow(watch: Clock, day: date, stage: int) -> date | None:
    """The day by which the slow end of what begins on an evening has entered a stage."""
    slow = watch.passages(watch.chain.entering(0), watch.series.hour_of(evening(day)), [stage])[0][
        2
    ]
    return None if slow is None else watch.series.moment(slow).date() + timedelta(days=1)


def _proposed(
    done: Sequence[Inspection],
    evenings: Sequence[date],
    ends: tuple[date, date],
    today: date,
    thorough: float,
) -> list[Inspection]:
    """The looks that may be needed, in order: one on each evening to come but the first
    since something was seen, one a week after the last, those by which the plant may go
    back, and one at the end.
    """
    early, end = ends
    days = [on for on in evenings[1:] if on > today or (on == today and not done)]
    last = max([*evenings[-1:], *(x.on for x in done)], default=today)
    day = last + timedelta(days=LOOK_GAP_DAYS)
    if done and done[-1].on == last:
        day = next(looks_after(last, early))
    day = max(today, day)
    further = looks_after(day, early)
    weekly: list[date] = []
    while len(weekly) < MOST_LOOKS and (day < end or len(weekly) < LOOKS_NEEDED):
        weekly.append(day)
        day = next(further)
    days = sorted({*days, *weekly})
    final = max([end, today, *(on + timedelta(days=1) for on in days[-1:])])
    days += [final + timedelta(days=LOOK_GAP_DAYS * n) for n in range(FINAL_LOOKS)]
    return [Inspection(on, thorough=thorough) for on in days]


def _reasons(
    looks: Sequence[Inspection],
    ends: tuple[date | None, date],
    evenings: Sequence[date],
    before: int,
) -> tuple[NeededLook, ...]:
    back, end = ends
    out: list[NeededLook] = []
    for look in looks:
        settled = any(n.why == "cycle" for n in out)
        why = (
            "doubt"
            if settled
            else "cycle"
            if look.on >= end and before + len(out) + 1 >= LOOKS_NEEDED
            else "back"
            if look.on == back
            else "evening"
            if look.on in evenings
            else "first"
        )
        out.append(NeededLook(look.on, why))
    return tuple(out)


def _even(first: date, last: date) -> set[date]:
    """A few days, evenly between two."""
    span = max((last - first).days, 1)
    return {
        first + timedelta(days=round(n * span / (CURVE_POINTS - 1))) for n in range(CURVE_POINTS)
    }


def _worth(
    odds: _Odds, done: tuple[Inspection, ...], today: date, last: date, thorough: float
) -> tuple[tuple[date, float], ...]:
    """What one more look is worth, by its day."""
    span = (last - today).days
    if span < 1:
        return ()
    days = (
        [today + timedelta(days=round(n * span / 4)) for n in range(5)]
        if span >= 4
        else [today, last]
    )
    ways = [(last, done), *((last, (*done, Inspection(d, thorough=thorough))) for d in days)]
    plain, *each = odds.alive(
        [(on, tuple(sorted(looks, key=lambda x: x.on))) for on, looks in ways]
    )
    return tuple((d, plain / max(chance, 1e-9)) for d, chance in zip(days, each, strict=True))


def interpolated(curve: Sequence[tuple[date, float]]) -> list[tuple[date, float]]:
    """A curve on every day: its logarithm runs in straight lines."""
    if not curve:
        return []
    days = np.arange(curve[0][0].toordinal(), curve[-1][0].toordinal() + 1)
    logs = np.interp(
        days, [d.toordinal() for d, _ in curve], [np.log(max(c, 1e-12)) for _, c in curve]
    )
    return [(date.fromordinal(int(d)), float(np.exp(v))) for d, v in zip(days, logs, strict=True)]


def suspected(on: date, chance: float) -> tuple[Found, ...]:
    """What is suspected where nothing was seen: a female had come by a day, with some
    chance.
    """
    return (Found(on, ADULT, -float(np.log1p(-chance)), True),)
