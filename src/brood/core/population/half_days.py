"""The population by stage in half-day steps: expected numbers forward, and the chance
that a line dies out backward.

Every stage is a chain of sub-stages (Erlang stage times), in each of which some die
untreated. Every animal is in one of two tracks: in the open, or in a refuge that no act
reaches. The track is drawn anew at every moult, and while a stage lasts as often as its
animals change their place. After the sub-stages come laying adults, and adults that
have laid out. Numbers are linear: x' = Qᵀx with births. The chance p
that a line lives for ever obeys the backward equation of the same generator (multi-type
branching process, Athreya & Ney 1972, Branching Processes, ch. V). Steps run from 19:00
to 09:00 and from 09:00 to 19:00, with hourly rates summed (`steps`, `one_step`).
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from itertools import pairwise

import numpy as np

from brood.core.biology.case import Act, Case, Schedule
from brood.core.biology.kill import (
    HALVING_FROM,
    later,
    newly_exposed,
    residue,
    touched,
    treated_as,
)
from brood.core.biology.pest import ADULT
from brood.core.biology.rain import Exposure, left_of_film
from brood.core.biology.substages import Array, Chain
from brood.core.climate.hours import EVENING, MORNING, evening
from brood.core.population.one_step import ahead, back
from brood.core.population.steps import Steps, only, steps_of
from brood.core.population.tracks import placed_before, survivals


@dataclass(frozen=True, eq=False)
class Assessment:
    """What a schedule does: the chance of clearing by scenario, with the weights, and
    the expected numbers after each evening by day and stage id (laying adults last).
    """

    by_scenario: Array
    weights: Array
    by_day: tuple[tuple[date, dict[str, float]], ...]

    @property
    def chance(self) -> float:
        """The weighted mean chance."""
        return float((self.by_scenario * self.weights).sum())


def assess(case: Case, schedule: Schedule, steps: Steps | None = None) -> Assessment:
    """What some dates with their acts would do to a case. Give `steps` where they exist
    and reach to the day after the last date.

    Treatments are at 19:00. What was found was there at 09:00 of its day. After the
    last date the rates at the end of the steps decide. The day table gives the same in
    a hundredth of the time; this function is what it is checked against.
    """
    return assess_many(case, [schedule], steps)[0]


def assess_many(
    case: Case, schedules: Sequence[Schedule], steps: Steps | None = None
) -> list[Assessment]:
    """Several schedules at once, in their order."""
    lasts = [max([e.on for e in schedule], default=case.start) for schedule in schedules]
    held = steps or steps_of(case, max(*lasts, *(f.on for f in case.found)) + timedelta(days=1))
    survive, fresh = evenings(case, held.chain, schedules), residues(case, held, schedules)
    chances = _chances(case, held, survive, fresh, len(schedules))
    numbers = _forward(case, held, survive, fresh, len(schedules))
    return [
        Assessment(chances[b], held.weights, _by_day(held, numbers[:, b]))
        for b in range(len(schedules))
    ]


def expected(
    case: Case, schedule: Schedule, until: date
) -> tuple[tuple[date, dict[str, float]], ...]:
    """Only the expected numbers, by day and stage id, up to a day."""
    held = steps_of(case, until)
    numbers = _forward(
        case, held, evenings(case, held.chain, [schedule]), residues(case, held, [schedule]), 1
    )
    return _by_day(held, numbers[:, 0])


def totals(case: Case, schedules: Sequence[Schedule], until: date) -> Array:
    """The expected number of all stages after each evening, in the scenario without any
    offset: [schedules, days from the first find].
    """
    every = steps_of(case, until)
    held = only(every, len(every.weights) // 2)
    numbers = _forward(
        case,
        held,
        evenings(case, held.chain, schedules),
        residues(case, held, schedules),
        len(schedules),
    )
    out: Array = numbers[_evening_steps(held), :, 0].sum(axis=-1).T
    return out


def by_scenario(case: Case, schedule: Schedule, until: date, steps: Steps | None = None) -> Array:
    """The expected numbers after each evening by scenario and stage, laying adults
    last: [days, scenarios, stages + 1]. Give `steps` where they exist.
    """
    held = steps or steps_of(case, until)
    numbers = _forward(
        case, held, evenings(case, held.chain, [schedule]), residues(case, held, [schedule]), 1
    )
    out: Array = numbers[_evening_steps(held), 0]
    return out


def _evening_steps(steps: Steps) -> list[int]:
    return [n for n, end in enumerate(steps.ends) if end.time() == EVENING]


def _by_day(steps: Steps, numbers: Array) -> tuple[tuple[date, dict[str, float]], ...]:
    marks = _evening_steps(steps)
    mean = np.einsum("s,tsk->tk", steps.weights, numbers[marks])
    names = [*(s.id for s in steps.chain.pest.stages), ADULT]
    return tuple(
        (steps.ends[n].date(), dict(zip(names, map(float, row), strict=True)))
        for n, row in zip(marks, mean, strict=True)
    )


def evenings(case: Case, chain: Chain, schedules: Sequence[Schedule]) -> dict[date, Array]:
    """The share that survives each evening: [schedules, 1, states]; 1 where a schedule
    has none. Acts that last work every evening from when they are placed.
    """
    out: dict[date, Array] = {}
    known: dict[tuple[tuple[str, ...], float], Array] = {}

    def meets(b: int, on: date, acts: Sequence[Act], reach: float, share: float = 1.0) -> None:
        """Note what acts leave alive on an evening of a schedule, each worked out once."""
        key = tuple(a.id for a in acts), reach
        if key not in known:
            known[key] = survivals(chain, acts, reach)
        if on not in out:
            out[on] = np.ones((len(schedules), 1, chain.size + 2))
        out[on][b, 0] *= known[key] if share == 1 else known[key] ** share

    for b, schedule in enumerate(schedules):
        for one in schedule:
            acts = case.acts_of(one)
            meets(b, one.on, [a for a in acts if not a.lasts_days], case.reach_of(one))
            for act in acts:
                for days in range(act.starts_after, act.starts_after + act.lasts_days):
                    meets(b, one.on + timedelta(days=days), [act], 1.0)
                for after, share in later(act):
                    meets(b, one.on + timedelta(days=after), [act], case.reach, share)
    return out


def residues(case: Case, steps: Steps, schedules: Sequence[Schedule]) -> Array:
    """The share that survives of those that become exposed in a step, by stage entered:
    [steps, schedules, 1, stages + 1].

    Each animal meets the latest use of each act with a residue once, at the strength
    that is left of it.
    """
    entering = np.array(newly_exposed(case.pest))
    stages = treated_as(case.pest)
    out = np.ones((len(steps.ends), len(schedules), 1, len(stages)))
    middles = [end - timedelta(hours=6) for end in steps.ends]
    for b, schedule in enumerate(schedules):
        used = {a.id: a for one in schedule for a in case.acts_of(one)}
        for act in (a for a in used.values() if a.residual_days >= HALVING_FROM and not a.eaten):
            kill = entering * np.array([act.kill.get(s, 0.0) for s in stages])
            kill = touched(act, case.reach) * kill
            uses = sorted({evening(one.on) for one in schedule if act.id in one.acts})
            for since, renewed in pairwise([*uses, datetime.max]):
                for n in range(bisect_right(middles, since), bisect_right(middles, renewed)):
                    strength = residue(act, (middles[n] - since) / timedelta(days=1))
                    if strength == 0:
                        break
                    if case.rain and act.rain == Exposure.FILM:
                        strength *= left_of_film(case.rain, since.date(), steps.ends[n].date())
                    out[n, b, 0] *= 1 - kill * strength
    return out


def _chances(
    case: Case, steps: Steps, survive: dict[date, Array], fresh: Array, schedules: int
) -> Array:
    """The chance of clearing: [schedules, scenarios]. The loop runs backward in time."""
    line = Line.at_the_end(case, steps, schedules)
    clears = np.ones((schedules, len(steps.weights)))
    mornings = {f.on for f in case.found}
    for n in range(len(steps.ends) - 1, -1, -1):
        end = steps.ends[n]
        if end.time() == EVENING and end.date() in survive:
            line = line.treated(survive[end.date()])
        if end.time() == MORNING and end.date() in mornings:
            clears *= _founders(case, steps.chain, end.date(), line)
        line = line.before(case, steps, n, fresh[n])
    return clears * _founders(case, steps.chain, min(mornings), line)


@dataclass(frozen=True, eq=False)
class Line:
    """The chance that the line of one animal lives for ever, by track (in the open, in
    a refuge): immatures [2, schedules, scenarios, size], laying females [2, schedules,
    scenarios].
    """

    young: Array
    female: Array

    @classmethod
    def at_the_end(cls, case: Case, steps: Steps, schedules: int) -> Line:
        """After the last step nothing is done and the rates stay: an immature that
        lives to be an adult has a line that lives on as hers would.
        """
        phi, (born, stops) = case.pest.female_share, steps.late
        daughters = phi * case.pest.lives_from(0) * born
        adult = np.maximum(0.0, 1 - stops / np.maximum(daughters, 1e-12))
        female = np.tile(adult, (2, schedules, 1))
        return cls(phi * female[..., None] * steps.chain.lives_on, female)

    def treated(self, survive: Array) -> Line:
        """The chances before an evening's acts, which meet what is in the open."""
        size = self.young.shape[-1]
        return Line(
            np.stack((self.young[0] * survive[..., :size], self.young[1])),
            np.stack((self.female[0] * survive[..., size], self.female[1])),
        )

    def before(self, case: Case, steps: Steps, n: int, fresh: Array) -> Line:
        """The chances one step earlier. `fresh` [schedules, 1, stages + 1] is what
        survives of the newly exposed.
        """
        phi, refuge = case.pest.female_share, case.refuge
        moved = steps.switched(n)
        later = Line(
            placed_before(self.young, moved[:-2], refuge),
            placed_before(self.female, moved[-1], refuge),
        )
        stops = steps.deaths[n] + steps.laid_out[n]
        # The share of the newly exposed that comes into the open and survives what acts left
        # there.
        open_to = (1 - refuge) * fresh
        hatched = open_to[..., 0] * later.young[0][..., 0] + refuge * later.young[1][..., 0]
        # An animal that grows up within the step lays for half of it on average.
        grown = (later.female + lives_on(later.female, steps.births[n] * hatched, stops)) / 2
        young = back(
            steps,
            n,
            later.young,
            phi * ((1 - refuge) * grown[0] + refuge * grown[1]),
            open_to,
            refuge,
        )
        first = open_to[..., 0] * young[0][..., 0] + refuge * young[1][..., 0]
        return Line(young, lives_on(later.female, steps.births[n] * (hatched + first) / 2, stops))


def _founders(case: Case, chain: Chain, on: date, line: Line) -> Array:
    """The chance that the lines of everything found on a day die out: [schedules,
    scenarios].
    """
    out, refuge = np.ones(line.female.shape[1:]), case.refuge
    for group in case.found:
        if group.on != on:
            continue
        if group.stage == ADULT:
            p = (case.pest.female_share * case.pest.still_laying * line.female)[..., None]
        else:
            stage = case.pest.index(group.stage)
            p = line.young[..., chain.first(stage) : chain.first(stage + 1)]
        lives = (1 - refuge) * p[0] + refuge * p[1]
        out *= np.exp(group.count * np.log1p(-np.minimum(lives, 1 - 1e-15)).mean(axis=-1))
    return out


def lives_on(later: Array, success: Array, ends: Array, won: Array | None = None) -> Array:
    """The chance at the start of a step that a laying female's line lives on: births
    that live on against the end of her laying, both at steady rates within the step.

    `won` is the rate at which the question is answered with yes, where that is not by
    births alone.
    """
    total = np.maximum(success + ends, 1e-30)
    settled = (success if won is None else won) / total
    out: Array = settled + (later - settled) * np.exp(-total)
    return out


def _forward(
    case: Case, steps: Steps, survive: dict[date, Array], fresh: Array, schedules: int
) -> Array:
    """The expected numbers at the end of every step by stage: [steps, schedules,
    scenarios, stages + 1].
    """
    numbers = np.zeros(
        (len(steps.ends), schedules, len(steps.weights), len(steps.chain.counts) + 1)
    )
    for n, x in walk(case, steps, survive, fresh, schedules):
        numbers[n] = by_stage(steps.chain, x.sum(axis=0))
    return numbers


def by_stage(chain: Chain, x: Array) -> Array:
    """Numbers by state [..., size + 2], summed by stage: [..., stages + 1]."""
    out: Array = np.add.reduceat(
        x, [chain.first(stage) for stage in range(len(chain.counts) + 1)], axis=-1
    )
    return out


def walk(
    case: Case, steps: Steps, survive: dict[date, Array], fresh: Array, schedules: int
) -> Iterator[tuple[int, Array]]:
    """The expected numbers at the end of every step, by track (in the open, in a
    refuge) and state: (step, [2, schedules, scenarios, size + 2]).
    """
    x = np.zeros((2, schedules, len(steps.weights), steps.chain.size + 2))
    _found_on(x, case, steps.chain, min(f.on for f in case.found))
    yield from walk_on(case, steps, survive, fresh, x, 0)


def walk_on(
    case: Case, steps: Steps, survive: dict[date, Array], fresh: Array, x: Array, since: int
) -> Iterator[tuple[int, Array]]:
    """The same, going on from a state before step `since`."""
    for n, end in enumerate(steps.ends[since:], since):
        x = ahead(steps, n, x, case.pest.female_share, case.refuge, fresh[n])
        if end.time() == MORNING:
            _found_on(x, case, steps.chain, end.date())
            _laid_by_others(x, case, end.date())
        elif end.date() in survive:
            x[0] *= survive[end.date()]
        yield n, x


def _found_on(x: Array, case: Case, chain: Chain, on: date) -> None:
    """Add, in place, what was found on a day."""
    for group in case.found:
        if group.on == on:
            spread = group.count * chain.met(case.pest.index(group.stage))
            x[0] += (1 - case.refuge) * spread
            x[1] += case.refuge * spread


def _laid_by_others(x: Array, case: Case, on: date) -> None:
    """Add, in place, the eggs that came from elsewhere by a morning."""
    for one in case.arrivals:
        if one.first <= on <= one.last:
            x[0, ..., 0] += (1 - case.refuge) * one.eggs_a_day
            x[1, ..., 0] += case.refuge * one.eggs_a_day
