"""The population: numbers against an adaptive solver, chances against a closed form and
against individuals simulated one by one.
"""

from dataclasses import replace
from datetime import date, datetime, time, timedelta

import numpy as np
import pytest
from conftest import MITE, THRIPS
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from brood.catalogue.loader import shipped
from brood.core.biology.case import Case, Evening, Found
from brood.core.biology.kill import effect
from brood.core.biology.pest import ADULT, PREOVIPOSITION
from brood.core.biology.substages import NODES, chain_of
from brood.core.climate.series import constant, daily, day_night
from brood.core.population.half_days import assess, expected
from brood.core.population.regrowth import regrowth
from brood.core.population.spread import spread_of
from brood.core.population.steps import SPEED_CV, steps_of

DAY = date(2026, 6, 1)
CATALOGUE = shipped()
USUAL = 4
"""The scenario without any offset of temperature or speed."""


def case(
    found,
    *,
    pest=MITE,
    acts=("wiping", "insecticidal-soap"),
    series=None,
    celsius=21.0,
    spread=0.0,
    **more,
):
    hours = series or constant(
        datetime.combine(DAY, time()) - timedelta(days=1), 24 * 160, celsius, spread_c=spread
    )
    groups = tuple(Found(DAY, stage, count) for stage, count in found)
    return Case(
        CATALOGUE.pest(pest),
        DAY,
        groups,
        hours,
        tuple(CATALOGUE.act(a, pest) for a in acts),
        **more,
    )


def evenings(one, days):
    return [Evening(DAY + timedelta(days=d), tuple(a.id for a in one.acts)) for d in days]


@pytest.mark.parametrize(
    ("kind", "celsius"), [(MITE, 18.0), (MITE, 25.0), ("bradysia", 22.0), ("pieris-rapae", 20.0)]
)
def test_numbers_agree_with_an_adaptive_solver(kind, celsius):
    one = case([("egg", 30.0), (ADULT, 4.0)], pest=kind, celsius=celsius)
    found = assess(one, [Evening(DAY + timedelta(days=14), ())])
    chain, pest = chain_of(one.pest), one.pest
    rates = np.array(
        [n * s.rate.days(celsius) ** -1 for n, s in zip(chain.counts, pest.stages, strict=True)]
    )[chain.stage_of]
    born, died = (
        float(np.interp(celsius, *np.array(t).T)) for t in (pest.fecundity, pest.longevity)
    )

    quicker = 1 + pest.laid_out * died

    def flow(_, x, speed):
        leaving = rates * speed * x[:-2]
        out = np.concatenate((-leaving, -x[-2:] / died))
        out[1:-1] += leaving * chain.lives
        out[0] += pest.female_share * born * quicker * x[-2]
        out[-2:] += np.array([-1, 1]) * pest.laid_out * x[-2]
        return out

    start = 30 * chain.met(0) + 4 * chain.met(len(chain.counts))
    until = 14 + 10 / 24
    expected = sum(
        weight
        * solve_ivp(flow, (0, until), start, rtol=1e-8, atol=1e-10, args=(1 + node * SPEED_CV,)).y[
            :, -1
        ]
        for node, weight in NODES
    )
    day = dict(found.by_day)[DAY + timedelta(days=14)]
    sums = np.bincount(chain.stage_of, expected[:-2])
    for stage, number in zip(pest.stages, sums, strict=True):
        assert day[stage.id] == pytest.approx(number, rel=0.01, abs=0.02), stage.id
    assert sum(day.values()) == pytest.approx(expected.sum(), rel=0.01)


def test_without_treatment_the_chance_is_that_of_a_birth_and_death_process():
    one = case([(ADULT, 1.0)])
    born, died = (
        float(np.interp(21.0, *np.array(t).T)) for t in (one.pest.fecundity, one.pest.longevity)
    )
    phi = one.pest.female_share
    expected = 1 - phi * (1 - 1 / (phi * born * died))
    assert assess(one, []).by_scenario[USUAL] == pytest.approx(expected, abs=0.003)


class Individuals:
    """Animals simulated one by one at a constant temperature, with no matrix: gamma
    stage times, each stage lived through or not, hiding drawn at every moult and at
    every change of place.
    """

    def __init__(self, one, days, celsius, seed):
        self.pest, self.rng, self.refuge = one.pest, np.random.default_rng(seed), one.refuge
        chain = chain_of(one.pest)
        self.stages = [
            (
                n,
                s.rate.days(celsius) / n,
                1 - effect(one.acts, ADULT if s.id == PREOVIPOSITION else s.id, one.reach),
                s.survival,
                s.switching,
            )
            for n, s in zip(chain.counts, one.pest.stages, strict=True)
        ]
        self.adult = 1 - effect(one.acts, ADULT, one.reach)
        self.born, self.died = (
            float(np.interp(celsius, *np.array(t).T))
            for t in (one.pest.fecundity, one.pest.longevity)
        )
        self.evenings = np.array(sorted(days)) + 10 / 24
        self.found = one.found

    def killed_at(self, start, end, survive, switching):
        """The evening between two moments on which one in a stage dies, or None."""
        hidden, at = self.rng.random() < self.refuge, start
        for evening in self.evenings[(self.evenings > start) & (self.evenings <= end)]:
            if self.rng.random() < -np.expm1(-switching * (evening - at)):
                hidden = self.rng.random() < self.refuge
            at = evening
            if not hidden and self.rng.random() >= survive:
                return evening
        return None

    def young(self, at, stage, done):
        """Births of one that has `done` sub-stages of a stage at a moment."""
        for position in range(stage, len(self.stages)):
            n, length, survive, lives, switching = self.stages[position]
            left = n - (done if position == stage else 0)
            end = at + self.rng.gamma(left) * length
            if self.killed_at(at, end, survive, switching) is not None:
                return []
            if self.rng.random() >= lives ** (left / n):
                return []
            at = end
        return self.laid(at) if self.rng.random() < self.pest.female_share else []

    def laid(self, at, met=False):
        """Moments at which a female that lays from a moment on gives birth. One who was
        `met` may have laid out.
        """
        if met and self.rng.random() >= self.pest.still_laying:
            return []
        end = at + self.rng.exponential(self.died)
        killed = self.killed_at(at, end, self.adult, self.pest.switching)
        end = end if killed is None else killed
        if self.pest.laid_out:
            end = min(end, at + self.rng.exponential(1 / self.pest.laid_out))
        rate = self.born * (1 + self.pest.laid_out * self.died)
        return list(self.rng.uniform(at, end, self.rng.poisson(rate * (end - at))))

    def clears(self, most=250):
        """Whether everything dies out; so many young waiting after the last evening
        count as never.
        """
        waiting = []
        for group in self.found:
            for _ in range(int(group.count)):
                if group.stage == ADULT:
                    female = self.rng.random() < self.pest.female_share
                    waiting += self.laid(0.0, met=True) if female else []
                else:
                    stage = self.pest.index(group.stage)
                    waiting += self.young(0.0, stage, self.rng.integers(self.stages[stage][0]))
        while waiting:
            if len(waiting) > most and min(waiting) > self.evenings[-1]:
                return False
            waiting.sort(reverse=True)
            waiting += self.young(waiting.pop(), 0, 0)
            if len(waiting) > 20_000:
                return False
        return True


def hiding_for_life(one):
    """The case with animals that stay where they are while a stage lasts."""
    stages = tuple(replace(s, switching=0.0) for s in one.pest.stages)
    return replace(one, pest=replace(one.pest, stages=stages, switching=0.0))


INDIVIDUAL = [
    (
        MITE,
        21.0,
        [("egg", 20), ("protonymph", 10), (ADULT, 4)],
        ("wiping", "insecticidal-soap"),
        0.85,
        0.02,
        range(0, 15, 3),
    ),
    (MITE, 27.0, [("egg", 10), (ADULT, 3)], ("paraffinic-oil",), 0.9, 0.0, (0, 3, 6, 9)),
    (
        THRIPS,
        22.0,
        [("larva-1", 8), (ADULT, 2)],
        ("insecticidal-soap",),
        0.9,
        0.02,
        range(0, 27, 3),
    ),
    pytest.param(
        "bradysia",
        22.0,
        [("larva-2", 12), (ADULT, 4)],
        ("bti-drench",),
        0.9,
        0.02,
        (0, 5, 10, 15),
        marks=pytest.mark.long,
    ),
]


@pytest.mark.parametrize("reading", [lambda one: one, hiding_for_life])
@pytest.mark.parametrize(
    ("pest", "celsius", "found", "acts", "reach", "refuge", "days"), INDIVIDUAL
)
def test_the_chance_agrees_with_individuals_simulated_one_by_one(
    pest, celsius, found, acts, reach, refuge, days, reading
):
    one = case(found, pest=pest, acts=acts, celsius=celsius, reach=reach, refuge=refuge)
    # What an act leaves behind is compared elsewhere: the individuals do not meet it.
    one = reading(replace(one, acts=tuple(replace(a, residual_days=0.0) for a in one.acts)))
    chance = assess(one, evenings(one, days)).by_scenario[USUAL]
    crowd = Individuals(one, list(days), celsius, 8)
    seen = np.mean([crowd.clears() for _ in range(300)])
    error = (chance * (1 - chance) / 300) ** 0.5
    assert 0.02 < chance < 0.99, "a case that says something"
    assert abs(seen - chance) <= 3.2 * error + 0.005


@settings(max_examples=8, deadline=None)
@given(
    st.sets(st.integers(0, 24), min_size=1, max_size=5),
    st.integers(0, 24),
    st.floats(0.4, 0.95),
    st.sampled_from([0.0, 0.05]),
)
def test_another_evening_or_a_better_reach_never_lowers_the_chance(days, extra, reach, refuge):
    one = case([("egg", 6.0), ("larva", 3.0), (ADULT, 1.0)], reach=reach, refuge=refuge)
    steps = steps_of(one, DAY + timedelta(days=26))
    plain = assess(one, evenings(one, days), steps).by_scenario
    assert (assess(one, evenings(one, days | {extra}), steps).by_scenario >= plain - 1e-9).all()
    assert (
        assess(replace(one, reach=reach + 0.04), evenings(one, days), steps).by_scenario
        >= plain - 1e-9
    ).all()
    assert ((plain >= 0) & (plain <= 1)).all()


MITES = [("egg", 120.0), ("protonymph", 60.0), (ADULT, 20.0)]


def test_known_orderings_of_treatments_follow_from_the_model():
    swing = daily(DAY - timedelta(days=1), [17.0] * 150, [25.0] * 150, spread_c=0.5)

    def chance(acts, reach, days, refuge=0.0):
        one = case(MITES, acts=acts, series=swing, reach=reach, refuge=refuge)
        return assess(one, evenings(one, days)).chance

    assert chance(("insecticidal-soap",), 0.95, range(0, 30, 2)) > 0.95
    assert chance(("wiping", "insecticidal-soap"), 0.9, range(0, 21, 3)) > 0.95
    assert chance(("wiping", "paraffinic-oil"), 0.85, range(0, 18, 3)) > 0.95
    assert chance(("insecticidal-soap",), 0.9, range(0, 28, 7)) < 0.01
    night = day_night(
        datetime.combine(DAY, time()) - timedelta(days=1),
        24 * 150,
        day=25,
        night=17,
        day_from=time(7),
        night_from=time(21),
    )
    one = case(MITES, acts=("wiping", "paraffinic-oil"), series=night, reach=0.85, refuge=0.02)
    running, spaced = (
        assess(one, evenings(one, days)).chance for days in ((0, 1, 2, 3), range(0, 21, 3))
    )
    assert running < 0.2, "four evenings running never look like a cure"
    assert spaced > 0.75


def test_the_spread_holds_the_mean_and_closes_where_nothing_is_uncertain():
    """At one scenario's warmth the courses part by speed alone; the mean is that of the
    table of expected numbers, the edges lie about it.
    """
    sown = case([("egg", 60.0), (ADULT, 8.0)], spread=1.5)
    schedule = evenings(sown, (0, 4, 8))
    until = DAY + timedelta(days=14)
    wide = spread_of(sown, schedule, until)
    totals = [sum(stages.values()) for _, stages in expected(sown, schedule, until)]
    assert wide.mean == pytest.approx(totals, rel=1e-9)
    assert (wide.low <= wide.high).all()
    assert (wide.low[:3] <= wide.mean[:3] * 1.001).all()
    assert (wide.high >= wide.mean * 0.999).sum() >= len(totals) - 2
    even = spread_of(
        replace(
            sown,
            series=constant(
                datetime.combine(DAY, time()) - timedelta(days=1), 24 * 160, 21.0, spread_c=0.0
            ),
        ),
        schedule,
        until,
    )
    assert (even.high - even.low).sum() < (wide.high - wide.low).sum()


@pytest.mark.parametrize(
    ("pest", "acts", "low", "high"),
    [
        (MITE, ("wiping", "insecticidal-soap"), 0.35, 0.48),
        ("myzus-persicae", ("shower", "insecticidal-soap"), 0.85, 0.995),
    ],
)
@pytest.mark.parametrize("often", [0.25, 1.0, 4.0])
def test_four_evenings_running_are_no_cure_however_often_animals_change_their_place(
    pest, acts, low, high, often
):
    """Eggs never move; for a pest without eggs it is right that they do well."""
    young = [s.id for s in CATALOGUE.pest(pest).development if s.display == "nymph"]
    number = 15.0 if pest == MITE else 55.0
    found = [(s, number / len(young)) for s in young] + [(ADULT, 6.0)]
    found += [("egg", 40.0)] if pest == MITE else []
    one = case(found, pest=pest, acts=acts, celsius=20.0, spread=0.5, reach=0.9, refuge=0.02)
    moved = tuple(replace(s, switching=s.switching * often) for s in one.pest.stages)
    one = replace(one, pest=replace(one.pest, stages=moved, switching=one.pest.switching * often))
    assert low <= assess(one, evenings(one, (0, 1, 2, 3))).chance <= high


def test_a_few_survivors_grow_as_the_untreated_pest_does():
    one = case([(ADULT, 1.0)], celsius=21.0)
    grown = regrowth(one)
    assert grown.until(100, 10) < grown.until(100, 1) < 30
    assert grown.until(1e12, 1) is None
    alone = case([(ADULT, 1 / one.pest.female_share)], celsius=21.0, refuge=0.0)
    every = dict(expected(alone, [], DAY + timedelta(days=40)))[DAY + timedelta(days=40)]
    assert grown.numbers[40] == pytest.approx(sum(every.values()), rel=0.02)
