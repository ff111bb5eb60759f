"""The stage-structured population: expected numbers forward, and the chance that a line dies out backward.

Every stage is a chain of sub-stages (Erlang stage times), each in two tracks: exposed, and in a refuge that no act reaches while the
stage lasts; the track is drawn at every moult. Numbers are linear, x' = Qᵀx with births; the chance p that a line lives for ever obeys
the backward equation of the same generator (multi-type branching process, Athreya & Ney 1972, Branching Processes, ch. V). Steps run
from 19:00 to 09:00 and from 09:00 to 19:00, with hourly rates summed; the exponential of the generator is taken by uniformisation
(Jensen 1953, Skandinavisk Aktuarietidskrift 36:87-91).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

import numpy as np

from brood.core.chain import NODES, Array, Chain, chain_of, moves_per_hour
from brood.core.evening import EVENING, effect
from brood.core.temperature import shifted
from brood.core.types import ADULT, PREOVIPOSITION, Act, Case

SPEED_CV = 0.05
"""How much plants and strains differ in speed, beyond temperature (our judgement, C)."""
MORNING = time(9)
TAIL = 1e-9
RANK = 0.9
ALL, FOUND = 0, 1


@dataclass(frozen=True, eq=False)
class Steps:
    """Half-day steps of a case under weighted scenarios.

    `moves` [steps, scenarios, sub-stages] expected sub-stage moves, `births` [steps, scenarios] young per laying female, `deaths` the same
    for her death rate, `weights` [scenarios]; step n ends at `ends[n]`. `late` is (births, deaths) a day at the end of the series.
    """

    chain: Chain
    moves: Array
    births: Array
    deaths: Array
    weights: Array
    ends: tuple[datetime, ...]
    late: tuple[Array, Array]


def steps_of(case: Case, until: date) -> Steps:
    """Cut a case's series into half-day steps from 09:00 of the first find to 19:00 of a day: 3 temperature offsets × 3 speeds."""
    chain = chain_of(case.pest)
    start = datetime.combine(min(f.on for f in case.found), MORNING)
    ends = [datetime.combine(start.date() + timedelta(days=n), t) for n in range((until - start.date()).days + 1) for t in (MORNING, EVENING)][1:]
    first = case.series.hour_of(start)
    marks = [0, *(int((end - start) / timedelta(hours=1)) for end in ends)]
    moves, births, deaths, weights = [], [], [], []
    for sigma, weight in NODES:
        celsius = shifted(case.series, sigma).celsius[first : first + marks[-1]]
        summed = np.add.reduceat(moves_per_hour(chain, celsius), marks[:-1], axis=0)[:, chain.stage_of]
        laid = _summed(case.pest.fecundity, celsius, marks, invert=False)
        died = _summed(case.pest.longevity, celsius, marks, invert=True)
        for speed, share in NODES:
            moves.append(summed * (1 + speed * SPEED_CV))
            births.append(laid)
            deaths.append(died)
            weights.append(weight * share)
    late = tuple(np.array([v[-14:].sum() / max(len(v[-14:]) / 2, 1) for v in rates]) for rates in (births, deaths))
    return Steps(chain, np.stack(moves, 1), np.stack(births, 1), np.stack(deaths, 1), np.array(weights), tuple(ends), (late[0], late[1]))


def _summed(table: tuple[tuple[float, float], ...], celsius: Array, marks: list[int], *, invert: bool) -> Array:
    """A rate per day (or one over a duration in days) tabulated over °C, summed over every step."""
    values = np.interp(celsius, *np.array(table).T)
    summed: Array = np.add.reduceat((1 / values if invert else values) / 24, marks[:-1])
    return summed


@dataclass(frozen=True, eq=False)
class Assessment:
    """What a schedule does: chance of clearing by scenario with weights, its weighted mean, the chance that scenarios holding 90 % of the
    weight reach, expected numbers right after the last date, the day on which something that lives on was first let breed, and expected
    numbers by day and stage id (the last being laying adults)."""

    by_scenario: Array
    weights: Array
    survivors: float
    first_escape: date | None
    by_day: tuple[tuple[date, dict[str, float]], ...]

    @property
    def chance(self) -> float:
        """The weighted mean chance."""
        return float((self.by_scenario * self.weights).sum())

    @property
    def chance_in_90(self) -> float:
        """The chance reached by scenarios that hold at least 90 % of the weight."""
        return float(self.by_scenario[_rank(self.by_scenario, self.weights)])


def _rank(chances: Array, weights: Array) -> int:
    """The scenario at the 90 % rank: the worst of the best that hold 90 % of the weight together."""
    order = np.argsort(-chances)
    return int(order[int(np.searchsorted(np.cumsum(weights[order]), RANK - 1e-9))])


Schedule = Sequence[tuple[date, Sequence[Act]]]


def assess(case: Case, schedule: Schedule, steps: Steps | None = None) -> Assessment:
    """What some dates with their acts would do to a case; `steps` when they are at hand and reach to the day after the last date.

    Treatments are at 19:00, and what was found was there at 09:00 of its day. After the last date the line's fate follows from the rates at
    the end of the steps.
    """
    return assess_many(case, [schedule], steps)[0]


def assess_many(case: Case, schedules: Sequence[Schedule], steps: Steps | None = None) -> list[Assessment]:
    """Several schedules at once, in their order."""
    lasts = [max([on for on, _ in schedule], default=case.start) for schedule in schedules]
    held = steps or steps_of(case, max(*lasts, *(f.on for f in case.found)) + timedelta(days=1))
    survive = _evenings(case, held.chain, schedules)
    newborn = np.zeros((len(held.ends), len(schedules), len(held.weights)))
    chances = _chances(case, held, survive, newborn)
    numbers, escaping = _forward(case, held, survive, newborn)
    return [_assessment(held, chances[b], numbers[:, b], escaping[:, b], last) for b, last in enumerate(lasts)]


def _assessment(steps: Steps, chances: Array, numbers: Array, escaping: Array, last: date) -> Assessment:
    rank = _rank(chances, steps.weights)
    evenings = [n for n, end in enumerate(steps.ends) if end.time() == EVENING]
    mean = np.einsum("s,tsk->tk", steps.weights, numbers[evenings])
    names = [*(s.id for s in steps.chain.pest.stages), ADULT]
    days = tuple((steps.ends[n].date(), dict(zip(names, map(float, row), strict=True))) for n, row in zip(evenings, mean, strict=True))
    survivors = next((float(row.sum()) for n, row in zip(evenings, mean, strict=True) if steps.ends[n].date() == last), 0.0)
    return Assessment(chances, steps.weights, survivors, _first_escape(chances[rank], escaping[:, rank], steps.ends), days)


def _evenings(case: Case, chain: Chain, schedules: Sequence[Schedule]) -> dict[date, Array]:
    """Survivals by evening, [schedules, 1, size + 1]; 1 where a schedule has none."""
    out: dict[date, Array] = {}
    for b, schedule in enumerate(schedules):
        for on, acts in schedule:
            out.setdefault(on, np.ones((len(schedules), 1, chain.size + 1)))[b, 0] *= _survivals(chain, acts, case.reach)
    return out


def _survivals(chain: Chain, acts: Sequence[Act], reach: float) -> Array:
    """Share of the exposed that survives one evening, by sub-stage and, last, among laying adults; [size + 1]."""
    by_stage = [1 - effect(acts, ADULT if s.id == PREOVIPOSITION else s.id, reach) for s in chain.pest.stages]
    return np.array([*np.array(by_stage)[chain.stage_of], 1 - effect(acts, ADULT, reach)])


def _chances(case: Case, steps: Steps, survive: dict[date, Array], newborn: Array) -> Array:
    """The chance of clearing [schedules, scenarios]; fills `newborn` with the chance that one born in a step lives on. Backward in time."""
    phi, refuge = case.pest.female_share, case.refuge
    born, died = steps.late
    adult = np.tile(np.maximum(0.0, 1 - died / np.maximum(phi * born, 1e-12)), (newborn.shape[1], 1))
    exposed = np.repeat((phi * adult)[..., None], steps.chain.size, -1)
    hidden, hidden_adult, clears = exposed.copy(), adult.copy(), np.ones_like(adult)
    mornings = {f.on for f in case.found}
    for n in range(len(steps.ends) - 1, -1, -1):
        end = steps.ends[n]
        if end.time() == EVENING and end.date() in survive:
            exposed, adult = exposed * survive[end.date()][..., :-1], adult * survive[end.date()][..., -1]
        if end.time() == MORNING and end.date() in mornings:
            clears *= _founders(case, steps.chain, end.date(), exposed, hidden, adult, hidden_adult)
        before = (1 - refuge) * exposed[..., 0] + refuge * hidden[..., 0]
        exposed, hidden = _back(steps, n, exposed, hidden, phi * ((1 - refuge) * adult + refuge * hidden_adult), refuge)
        newborn[n] = (before + (1 - refuge) * exposed[..., 0] + refuge * hidden[..., 0]) / 2
        success = steps.births[n] * newborn[n]
        adult, hidden_adult = (_lives_on(p, success, steps.deaths[n]) for p in (adult, hidden_adult))
    return clears * _founders(case, steps.chain, min(mornings), exposed, hidden, adult, hidden_adult)


def _founders(case: Case, chain: Chain, on: date, exposed: Array, hidden: Array, adult: Array, hidden_adult: Array) -> Array:
    """The chance that the lines of all that was found on a day die out, [schedules, scenarios]."""
    out, refuge = np.ones_like(adult), case.refuge
    for group in case.found:
        if group.on != on:
            continue
        if group.stage == ADULT:
            lives = case.pest.female_share * ((1 - refuge) * adult + refuge * hidden_adult)[..., None]
        else:
            stage = case.pest.index(group.stage)
            part = slice(chain.first(stage), chain.first(stage + 1))
            lives = (1 - refuge) * exposed[..., part] + refuge * hidden[..., part]
        out *= np.exp(group.count * np.log1p(-np.minimum(lives, 1 - 1e-15)).mean(axis=-1))
    return out


def _lives_on(later: Array, success: Array, deaths: Array) -> Array:
    """A laying female's chance at a step's start: births that live on against her death, both at steady rates in the step."""
    total = np.maximum(success + deaths, 1e-300)
    settled = success / total
    return settled + (later - settled) * np.exp(-total)


def _back(steps: Steps, n: int, exposed: Array, hidden: Array, entering: Array, refuge: float) -> tuple[Array, Array]:
    """Chances of the sub-stages a step earlier: the generator's exponential on both tracks at once, by uniformisation."""
    moves = steps.moves[n]
    most = float(moves.max(initial=0.0))
    if most <= 0:
        return exposed, hidden
    share = moves / most
    ends = np.flatnonzero(np.diff(steps.chain.stage_of)) + 1
    p = np.stack((exposed, hidden))
    weight = math.exp(-most)
    out, k, seen = weight * p, 0, weight
    following = np.empty_like(p)
    while seen < 1 - TAIL and k < 200:
        following[..., :-1] = p[..., 1:]
        following[..., -1] = entering
        mixed = (1 - refuge) * p[0][..., ends] + refuge * p[1][..., ends]
        following[..., ends - 1] = mixed
        p = p + share * (following - p)
        k += 1
        weight *= most / k
        out += weight * p
        seen += weight
    return out[0], out[1]


def _forward(case: Case, steps: Steps, survive: dict[date, Array], newborn: Array) -> tuple[Array, Array]:
    """Expected numbers at every step's end by stage [steps, schedules, scenarios, stages + 1], and births by found ones that live on
    [steps, schedules, scenarios].

    The numbers are held twice: everything, and the found individuals alone, for an escape is a birth by one of those.
    """
    chain, shape = steps.chain, newborn.shape
    x = np.zeros((2, 2, *shape[1:], chain.size + 1))
    numbers, escaping = np.zeros((*shape, len(chain.counts) + 1)), np.zeros(shape)
    starts = [chain.first(stage) for stage in range(len(chain.counts) + 1)]
    _found_on(x, case, chain, min(f.on for f in case.found))
    for n, end in enumerate(steps.ends):
        escaping[n] = x[FOUND, ..., -1].sum(axis=0) * case.pest.female_share * steps.births[n] * newborn[n]
        x = _ahead(steps, n, x, case.pest.female_share, case.refuge)
        if end.time() == MORNING:
            _found_on(x, case, chain, end.date())
        elif end.date() in survive:
            x[:, 0] *= survive[end.date()]
        numbers[n] = np.add.reduceat(x[ALL].sum(axis=0), starts, axis=-1)
    return numbers, escaping


def _found_on(x: Array, case: Case, chain: Chain, on: date) -> None:
    """Add, in place, what was found on a day."""
    for group in case.found:
        if group.on == on:
            spread = group.count * chain.spread(case.pest.index(group.stage))
            x[:, 0] += (1 - case.refuge) * spread
            x[:, 1] += case.refuge * spread


def _ahead(steps: Steps, n: int, x: Array, females: float, refuge: float) -> Array:
    """Numbers a step later: the exponential of the generator with births and deaths. The found individuals by themselves have no young."""
    moves, deaths = steps.moves[n], steps.deaths[n]
    most = max(float(moves.max(initial=0.0)), float(deaths.max()))
    share, dying = moves / most, deaths / most
    young = np.array([1 - refuge, refuge])[:, None, None] * steps.births[n] * females / most
    ends = np.append(np.flatnonzero(np.diff(steps.chain.stage_of)) + 1, steps.chain.size)
    term, weight, k = x, math.exp(-most), 0
    out, seen = weight * term, weight
    while seen < 1 - TAIL and k < 200:
        leaving, laying = term[..., :-1] * share, term[..., -1]
        term = term.copy()
        term[..., :-1] -= leaving
        term[..., 1:] += leaving
        crossing = leaving[..., ends - 1]
        total = crossing.sum(axis=1)
        term[..., ends] -= crossing
        term[:, 0][..., ends] += (1 - refuge) * total
        term[:, 1][..., ends] += refuge * total
        term[..., -1] -= dying * laying
        term[ALL, ..., 0] += young * laying[ALL].sum(axis=0)
        k += 1
        weight *= most / k
        out = out + weight * term
        seen += weight
    return out


def _first_escape(chance: float, escaping: Array, ends: Sequence[datetime]) -> date | None:
    """The first day by which half of what escapes has been let breed; None where next to nothing escapes.

    The chance of an escape up to a step is taken as 1 − chance^(share of the births that live on, up to it).
    """
    if chance >= 0.95 or escaping.sum() <= 0:
        return None
    share = np.cumsum(escaping) / escaping.sum()
    reached = 1 - max(chance, 1e-300) ** share >= (1 - chance) / 2
    return ends[int(np.argmax(reached))].date()
