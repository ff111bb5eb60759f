"""The population by stage in half-day steps: expected numbers forward, and the chance
that a line dies out backward.

Every stage is a chain of sub-stages (Erlang stage times), in each of which some die
untreated. Every animal is in one of two tracks: in the open, or in a refuge that no act
reaches. The track is drawn anew at every moult, and while a stage lasts as often as its
animals change their place. After the sub-stages come laying adults, and adults that
have laid out. Numbers are linear: x' = Qᵀx with births. The chance p
that a line lives for ever obeys the backward equation of the same generator (multi-type
branching process, Athreya & Ney 1972, Branching Processes, ch. V). Steps run from 19:00
to 09:00 and from 09:00 to 19:00, with hourly rates summed. The exponential of the
generator is taken by uniformisation (Jensen 1953, Skandinavisk Aktuarietidskrift
36:87-91).
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

import numpy as np

from brood.core.biology.case import Case, Schedule
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
from brood.core.biology.substages import NODES, Array, Chain, chain_of, moves_per_hour
from brood.core.climate.hours import EVENING, MORNING, evening
from brood.core.climate.series import covering, shifted
from brood.core.population.tracks import placed_after, placed_before, survivals

SPEED_CV = 0.05
"""How much plants and strains differ in speed, beyond temperature (our judgement, C)."""
TAIL, SINGLE_TAIL = 1e-9, 1e-6


@dataclass(frozen=True, eq=False)
class Steps:
    """The half-day steps of a case under weighted scenarios.

    `moves` [steps, scenarios, sub-stages]: expected moves between sub-stages. `births`
    [steps, scenarios]: young per female that lays; `deaths` of adults likewise, and
    `laid_out` the rate at which living females stop laying. `weights` [scenarios]. Step
    n ends at `ends[n]`. `late` is (births, ends of laying) a day at the end of the
    series. `moved` [2, states]: the share that changes its place within a step that
    ends in the evening, or in the morning.
    """

    chain: Chain
    moves: Array
    births: Array
    deaths: Array
    laid_out: Array
    weights: Array
    ends: tuple[datetime, ...]
    late: tuple[Array, Array]
    moved: Array

    def switched(self, n: int) -> Array:
        """The share that changes its place within a step, by state."""
        out: Array = self.moved[0 if self.ends[n].time() == EVENING else 1]
        return out

    def light(self) -> Steps:
        """The same in single precision: a hundred times finer than needed for what is
        said of a course, and twice as quick.
        """
        arrays = {
            name: getattr(self, name).astype(np.float32)
            for name in ("moves", "births", "deaths", "laid_out", "moved")
        }
        return replace(self, **arrays)

    def picked(self, scenarios: Sequence[int]) -> Steps:
        """The same steps under some of the scenarios, with weights that add to 1."""
        pick = list(scenarios)
        return replace(
            self,
            moves=self.moves[:, pick],
            births=self.births[:, pick],
            deaths=self.deaths[:, pick],
            laid_out=self.laid_out[:, pick],
            weights=self.weights[pick] / self.weights[pick].sum(),
            late=(self.late[0][pick], self.late[1][pick]),
        )


def steps_of(case: Case, until: date) -> Steps:
    """Cut a case's series into half-day steps, from 09:00 of the first find to 19:00 of
    a day, under 3 temperature offsets × 3 speeds.
    """
    chain = chain_of(case.pest)
    start = datetime.combine(min(f.on for f in case.found), MORNING)
    ends = [
        datetime.combine(start.date() + timedelta(days=n), t)
        for n in range((until - start.date()).days + 1)
        for t in (MORNING, EVENING)
    ][1:]
    marks = [0, *(int((end - start) / timedelta(hours=1)) for end in ends)]
    rates = scenario_rates(case, chain, start, marks)
    births, stops = (
        rate[:, -14:].sum(axis=1) / max(min(14, len(ends)) / 2, 1)
        for rate in (rates.births, rates.deaths + rates.laid_out)
    )
    spread = np.moveaxis(rates.moves, 0, 1)[..., chain.stage_of]
    hours = np.array([(EVENING.hour - MORNING.hour), 24 - (EVENING.hour - MORNING.hour)])
    return Steps(
        chain,
        spread,
        rates.births.T,
        rates.deaths.T,
        rates.laid_out.T,
        rates.weights,
        tuple(ends),
        (births, stops),
        1 - np.exp(-chain.switching * hours[:, None] / 24),
    )


@dataclass(frozen=True, eq=False)
class Rates:
    """Rates summed over spans of time, under weighted scenarios.

    `moves` [scenarios, spans, stages]: moves between sub-stages. [scenarios, spans]:
    `births` per female that lays, `deaths` of adults, and `laid_out`, the rate at which
    living females stop laying.
    """

    moves: Array
    births: Array
    deaths: Array
    laid_out: Array
    weights: Array


def scenario_rates(case: Case, chain: Chain, start: datetime, marks: list[int]) -> Rates:
    """Rates summed between marks (hours after a moment) under 3 temperature offsets × 3
    speeds, with the Gauss–Hermite weights. Where the series ends it is continued.

    A female that stops laying before she dies lays faster meanwhile: by 1 + rate of
    stopping × length of her life, so that her total is rate × life all the same.
    """
    moves, births, deaths, weights = [], [], [], []
    series = covering(case.series, start, marks[-1])
    for sigma, weight in NODES:
        celsius = shifted(series, sigma).celsius
        summed = np.add.reduceat(moves_per_hour(chain, celsius), marks[:-1], axis=0)
        per_day = np.interp(celsius, *np.array(case.pest.fecundity).T)
        lasts = np.interp(celsius, *np.array(case.pest.longevity).T)
        quicker = 1 + case.pest.laid_out * lasts
        ends = 1 / lasts + case.pest.leaves
        rates = [np.add.reduceat(rate / 24, marks[:-1]) for rate in (per_day * quicker, ends)]
        for speed, share in NODES:
            moves.append(summed * (1 + speed * SPEED_CV))
            births.append(rates[0])
            deaths.append(rates[1])
            weights.append(weight * share)
    stops = case.pest.laid_out * np.diff(marks) / 24
    return Rates(
        np.stack(moves),
        np.stack(births),
        np.stack(deaths),
        np.broadcast_to(stops, (len(weights), len(stops))),
        np.array(weights),
    )


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


def only(steps: Steps, scenario: int) -> Steps:
    """The same steps in one scenario."""
    return steps.picked([scenario])


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
    for b, schedule in enumerate(schedules):
        for one in schedule:
            acts = case.acts_of(one)
            none = np.ones((len(schedules), 1, chain.size + 2))
            at_once = [a for a in acts if not a.lasts_days]
            row = out.setdefault(one.on, none.copy())
            row[b, 0] *= survivals(chain, at_once, case.reach_of(one))
            for act in acts:
                for days in range(act.starts_after, act.starts_after + act.lasts_days):
                    row = out.setdefault(one.on + timedelta(days=days), none.copy())
                    row[b, 0] *= survivals(chain, [act], 1.0)
                for after, share in later(act):
                    row = out.setdefault(one.on + timedelta(days=after), none.copy())
                    row[b, 0] *= survivals(chain, [act], case.reach) ** share
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
    for b, schedule in enumerate(schedules):
        used = {a.id: a for one in schedule for a in case.acts_of(one)}
        for act in (a for a in used.values() if a.residual_days >= HALVING_FROM and not a.eaten):
            kill = entering * np.array([act.kill.get(s, 0.0) for s in stages])
            kill = touched(act, case.reach) * kill
            uses = [evening(one.on) for one in schedule if act.id in one.acts]
            for n, end in enumerate(steps.ends):
                middle = end - timedelta(hours=6)
                since = max((u for u in uses if u < middle), default=None)
                if since is not None:
                    strength = residue(act, (middle - since) / timedelta(days=1))
                    if case.rain and act.rain == Exposure.FILM:
                        strength *= left_of_film(case.rain, since.date(), end.date())
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


def _tail(x: Array) -> float:
    """What of a Poisson sum may be left out, by the precision of the numbers."""
    return TAIL if x.dtype == np.float64 else SINGLE_TAIL


def back(steps: Steps, n: int, p: Array, entering: Array, open_to: Array, refuge: float) -> Array:
    """The chances of the sub-stages one step earlier, in both tracks at once [2, ...,
    size]: the exponential of the generator by uniformisation.
    """
    moves = steps.moves[n]
    most = float(moves.max(initial=0.0))
    if most <= 0:
        return p
    share, chain = moves / most, steps.chain
    lives, p = chain.lives.astype(p.dtype), p.copy()
    # Uniformisation: the exponential is a Poisson-weighted sum over jumps at the fastest rate.
    weight, tail = math.exp(-most), _tail(p)
    out, k, seen = weight * p, 0, weight
    change, part = np.empty_like(p), np.empty_like(p)
    while seen < 1 - tail and k < 200:
        change[..., :-1] = p[..., 1:]
        change[..., -1] = entering
        # Leaving a stage draws the track anew: into the open, or into the refuge.
        change[..., chain.left] = (
            open_to[..., 1:-1] * p[0][..., chain.entered] + refuge * p[1][..., chain.entered]
        )
        change *= lives
        change -= p
        change *= share
        p += change
        k += 1
        weight *= most / k
        out += np.multiply(p, weight, out=part)
        seen += weight
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
        x = _ahead(steps, n, x, case.pest.female_share, case.refuge, fresh[n])
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


def _ahead(steps: Steps, n: int, x: Array, females: float, refuge: float, fresh: Array) -> Array:
    """The numbers one step later, in both tracks: the exponential of the generator with
    births and deaths, and then changes of place.
    """
    moves, deaths, chain = steps.moves[n], steps.deaths[n], steps.chain
    stops, size = steps.laid_out[n], steps.chain.size
    lives, tail = steps.chain.lives.astype(x.dtype), _tail(x)
    most = max(float(moves.max(initial=0.0)), float((deaths + stops).max()))
    share, dying, stopping = moves / most, deaths / most, stops / most
    # Where an animal that enters a stage goes, by track; a residue takes its share of the open
    # ones.
    into = np.stack(np.broadcast_arrays((1 - refuge) * fresh, refuge))
    young = into[..., 0] * (steps.births[n] * females / most)
    left, entered = np.append(chain.left, size - 1), np.append(chain.entered, size)
    term, weight, k = x.copy(), math.exp(-most), 0
    out, seen = weight * x, weight
    leaving, part = np.empty_like(x[..., :size]), np.empty_like(x)
    while seen < 1 - tail and k < 200:
        np.multiply(term[..., :size], share, out=leaving)
        term[..., :size] -= leaving
        leaving *= lives
        laying, crossing = term[..., size].copy(), np.take(leaving, left, axis=-1)
        term[..., 1 : size + 1] += leaving
        # A moult empties both tracks into the next stage, and fills them anew.
        term[..., entered] += into[..., 1:] * crossing.sum(axis=0) - crossing
        term[..., size] -= (dying + stopping) * laying
        term[..., size + 1] += stopping * laying - dying * term[..., size + 1]
        term[..., 0] += young * laying.sum(axis=0)
        k += 1
        weight *= most / k
        out += np.multiply(term, weight, out=part)
        seen += weight
    return placed_after(out, steps.switched(n), refuge)
