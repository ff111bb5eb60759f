"""The population by stage in half-day steps: expected numbers forward, and the chance
that a line dies out backward.

Every stage is a chain of sub-stages (Erlang stage times). Every animal is in one of two
tracks: in the open, or in a refuge that no act reaches while the stage lasts. The track
is drawn anew at every moult. Numbers are linear: x' = Qᵀx with births. The chance p
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

from brood.core.biology.case import Act, Case
from brood.core.biology.kill import HALVING_FROM, newly_exposed, residue, treated_as
from brood.core.biology.pest import ADULT
from brood.core.biology.substages import NODES, Array, Chain, chain_of, moves_per_hour
from brood.core.climate.hours import EVENING, MORNING, evening
from brood.core.climate.series import covering, shifted
from brood.core.population.projection import survivals

SPEED_CV = 0.05
"""How much plants and strains differ in speed, beyond temperature (our judgement, C)."""
TAIL, SINGLE_TAIL = 1e-9, 1e-6


@dataclass(frozen=True, eq=False)
class Steps:
    """The half-day steps of a case under weighted scenarios.

    `moves` [steps, scenarios, sub-stages]: expected moves between sub-stages. `births`
    [steps, scenarios]: young per laying female; `deaths` likewise. `weights`
    [scenarios]. Step n ends at `ends[n]`. `late` is (births, deaths) a day at the end
    of the series.
    """

    chain: Chain
    moves: Array
    births: Array
    deaths: Array
    weights: Array
    ends: tuple[datetime, ...]
    late: tuple[Array, Array]


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
    moves, births, deaths, weights = scenario_rates(case, chain, start, marks)
    late = tuple(
        rates[:, -14:].sum(axis=1) / max(min(14, len(ends)) / 2, 1) for rates in (births, deaths)
    )
    spread = np.moveaxis(moves, 0, 1)[..., chain.stage_of]
    return Steps(chain, spread, births.T, deaths.T, weights, tuple(ends), (late[0], late[1]))


def scenario_rates(
    case: Case, chain: Chain, start: datetime, marks: list[int]
) -> tuple[Array, Array, Array, Array]:
    """Rates summed between marks (hours after a moment) under 3 temperature offsets × 3
    speeds.

    Returns moves between sub-stages [scenarios, spans, stages], births and deaths per
    laying female [scenarios, spans], and the Gauss–Hermite weights [scenarios]. Where
    the series ends it is continued.
    """
    moves, births, deaths, weights = [], [], [], []
    series = covering(case.series, start, marks[-1])
    for sigma, weight in NODES:
        celsius = shifted(series, sigma).celsius
        summed = np.add.reduceat(moves_per_hour(chain, celsius), marks[:-1], axis=0)
        laid = _summed(case.pest.fecundity, celsius, marks, invert=False)
        died = _summed(case.pest.longevity, celsius, marks, invert=True)
        for speed, share in NODES:
            moves.append(summed * (1 + speed * SPEED_CV))
            births.append(laid)
            deaths.append(died)
            weights.append(weight * share)
    return np.stack(moves), np.stack(births), np.stack(deaths), np.array(weights)


def _summed(
    table: tuple[tuple[float, float], ...], celsius: Array, marks: list[int], *, invert: bool
) -> Array:
    """A daily rate that is tabulated over °C, summed over every span. With `invert` the
    table holds durations in days.
    """
    values = np.interp(celsius, *np.array(table).T)
    summed: Array = np.add.reduceat((1 / values if invert else values) / 24, marks[:-1])
    return summed


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


Schedule = Sequence[tuple[date, Sequence[Act]]]


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
    lasts = [max([on for on, _ in schedule], default=case.start) for schedule in schedules]
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
    pick = slice(scenario, scenario + 1)
    return replace(
        steps,
        moves=steps.moves[:, pick],
        births=steps.births[:, pick],
        deaths=steps.deaths[:, pick],
        weights=np.ones(1),
    )


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
    """The share that survives each evening: [schedules, 1, size + 1]; 1 where a
    schedule has none. Acts that last work every evening from when they are placed.
    """
    out: dict[date, Array] = {}
    for b, schedule in enumerate(schedules):
        for on, acts in schedule:
            for later in range(max([1, *(a.lasts_days for a in acts)])):
                active = [a for a in acts if later < max(a.lasts_days, 1)]
                row = out.setdefault(
                    on + timedelta(days=later), np.ones((len(schedules), 1, chain.size + 1))
                )
                row[b, 0] *= survivals(
                    chain, [a for a in active if not a.lasts_days], case.reach_on(on)
                )
                row[b, 0] *= survivals(chain, [a for a in active if a.lasts_days], 1.0)
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
        for act in {
            a.id: a for _, acts in schedule for a in acts if a.residual_days >= HALVING_FROM
        }.values():
            kill = case.reach * entering * np.array([act.kill.get(s, 0.0) for s in stages])
            uses = [evening(on) for on, acts in schedule if any(a.id == act.id for a in acts)]
            for n, end in enumerate(steps.ends):
                middle = end - timedelta(hours=6)
                since = max((u for u in uses if u < middle), default=None)
                if since is not None:
                    out[n, b, 0] *= 1 - kill * residue(act, (middle - since) / timedelta(days=1))
    return out


def _chances(
    case: Case, steps: Steps, survive: dict[date, Array], fresh: Array, schedules: int
) -> Array:
    """The chance of clearing: [schedules, scenarios]. The loop runs backward in time."""
    phi, refuge = case.pest.female_share, case.refuge
    born, died = steps.late
    adult = np.tile(np.maximum(0.0, 1 - died / np.maximum(phi * born, 1e-12)), (schedules, 1))
    # At the end of the steps every immature is taken to become an adult: its line lives on as
    # hers would.
    exposed = np.repeat((phi * adult)[..., None], steps.chain.size, -1)
    hidden, hidden_adult, clears = exposed.copy(), adult.copy(), np.ones_like(adult)
    mornings = {f.on for f in case.found}
    for n in range(len(steps.ends) - 1, -1, -1):
        end = steps.ends[n]
        if end.time() == EVENING and end.date() in survive:
            exposed, adult = (
                exposed * survive[end.date()][..., :-1],
                adult * survive[end.date()][..., -1],
            )
        if end.time() == MORNING and end.date() in mornings:
            clears *= _founders(case, steps.chain, end.date(), exposed, hidden, adult, hidden_adult)
        # The share of the newly exposed that comes into the open and survives what acts left
        # there.
        open_to = (1 - refuge) * fresh[n]
        before = open_to[..., 0] * exposed[..., 0] + refuge * hidden[..., 0]
        young = steps.births[n] * before
        # An animal that grows up within the step lays for half of it on average.
        entering = [(p + lives_on(p, young, steps.deaths[n])) / 2 for p in (adult, hidden_adult)]
        exposed, hidden = back(
            steps,
            n,
            exposed,
            hidden,
            phi * ((1 - refuge) * entering[0] + refuge * entering[1]),
            open_to,
            refuge,
        )
        success = (
            steps.births[n]
            * (before + open_to[..., 0] * exposed[..., 0] + refuge * hidden[..., 0])
            / 2
        )
        adult, hidden_adult = (lives_on(p, success, steps.deaths[n]) for p in (adult, hidden_adult))
    return clears * _founders(
        case, steps.chain, min(mornings), exposed, hidden, adult, hidden_adult
    )


def _founders(
    case: Case,
    chain: Chain,
    on: date,
    exposed: Array,
    hidden: Array,
    adult: Array,
    hidden_adult: Array,
) -> Array:
    """The chance that the lines of everything found on a day die out: [schedules,
    scenarios].
    """
    out, refuge = np.ones_like(adult), case.refuge
    for group in case.found:
        if group.on != on:
            continue
        if group.stage == ADULT:
            lives = (
                case.pest.female_share * ((1 - refuge) * adult + refuge * hidden_adult)[..., None]
            )
        else:
            stage = case.pest.index(group.stage)
            part = slice(chain.first(stage), chain.first(stage + 1))
            lives = (1 - refuge) * exposed[..., part] + refuge * hidden[..., part]
        out *= np.exp(group.count * np.log1p(-np.minimum(lives, 1 - 1e-15)).mean(axis=-1))
    return out


def lives_on(later: Array, success: Array, deaths: Array) -> Array:
    """The chance at the start of a step that a laying female's line lives on: births
    that live on against her death, both at steady rates within the step.
    """
    total = np.maximum(success + deaths, 1e-300)
    settled = success / total
    return settled + (later - settled) * np.exp(-total)


def back(
    steps: Steps,
    n: int,
    exposed: Array,
    hidden: Array,
    entering: Array,
    open_to: Array,
    refuge: float,
) -> tuple[Array, Array]:
    """The chances of the sub-stages one step earlier, in both tracks at once: the
    exponential of the generator by uniformisation.
    """
    moves = steps.moves[n]
    most = float(moves.max(initial=0.0))
    if most <= 0:
        return exposed, hidden
    share, chain = moves / most, steps.chain
    p = np.stack((exposed, hidden))
    # Uniformisation: the exponential is a Poisson-weighted sum over jumps at the fastest rate.
    weight, tail = math.exp(-most), TAIL if p.dtype == np.float64 else SINGLE_TAIL
    out, k, seen = weight * p, 0, weight
    change, part = np.empty_like(p), np.empty_like(p)
    while seen < 1 - tail and k < 200:
        change[..., :-1] = p[..., 1:]
        change[..., -1] = entering
        # Leaving a stage draws the track anew: into the open, or into the refuge.
        change[..., chain.left] = (
            open_to[..., 1:-1] * p[0][..., chain.entered] + refuge * p[1][..., chain.entered]
        )
        change -= p
        change *= share
        p += change
        k += 1
        weight *= most / k
        out += np.multiply(p, weight, out=part)
        seen += weight
    return out[0], out[1]


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
    """Numbers by sub-stage [..., size + 1], summed by stage: [..., stages + 1]."""
    out: Array = np.add.reduceat(
        x, [chain.first(stage) for stage in range(len(chain.counts) + 1)], axis=-1
    )
    return out


def walk(
    case: Case, steps: Steps, survive: dict[date, Array], fresh: Array, schedules: int
) -> Iterator[tuple[int, Array]]:
    """The expected numbers at the end of every step, by track (in the open, in a
    refuge) and sub-stage: (step, [2, schedules, scenarios, size + 1]).
    """
    x = np.zeros((2, schedules, len(steps.weights), steps.chain.size + 1))
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
        elif end.date() in survive:
            x[0] *= survive[end.date()]
        yield n, x


def _found_on(x: Array, case: Case, chain: Chain, on: date) -> None:
    """Add, in place, what was found on a day."""
    for group in case.found:
        if group.on == on:
            spread = group.count * chain.spread(case.pest.index(group.stage))
            x[0] += (1 - case.refuge) * spread
            x[1] += case.refuge * spread


def _ahead(steps: Steps, n: int, x: Array, females: float, refuge: float, fresh: Array) -> Array:
    """The numbers one step later, in both tracks: the exponential of the generator with
    births and deaths.
    """
    moves, deaths, chain = steps.moves[n], steps.deaths[n], steps.chain
    most = max(float(moves.max(initial=0.0)), float(deaths.max()))
    share, dying = moves / most, deaths / most
    # Where an animal that enters a stage goes, by track; a residue takes its share of the open
    # ones.
    into = np.stack(np.broadcast_arrays((1 - refuge) * fresh, refuge))
    young = into[..., 0] * (steps.births[n] * females / most)
    left, entered = np.append(chain.left, chain.size - 1), np.append(chain.entered, chain.size)
    term, weight, k = x.copy(), math.exp(-most), 0
    out, seen = weight * x, weight
    leaving, part = np.empty_like(x[..., :-1]), np.empty_like(x)
    while seen < 1 - TAIL and k < 200:
        np.multiply(term[..., :-1], share, out=leaving)
        laying, crossing = term[..., -1].copy(), np.take(leaving, left, axis=-1)
        term[..., :-1] -= leaving
        term[..., 1:] += leaving
        # A moult empties both tracks into the next stage, and fills them anew.
        term[..., entered] += into[..., 1:] * crossing.sum(axis=0) - crossing
        term[..., -1] -= dying * laying
        term[..., 0] += young * laying.sum(axis=0)
        k += 1
        weight *= most / k
        out += np.multiply(term, weight, out=part)
        seen += weight
    return out
