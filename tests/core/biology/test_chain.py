"""Individuals differ: the chain keeps numbers, means and spreads, and agrees with other
ways of computing them.
"""

import itertools
from dataclasses import replace
from datetime import datetime, timedelta

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from scipy.stats import gamma

from brood.catalogue.loader import shipped
from brood.core.biology.stage_times import events, stage_times, time_between
from brood.core.biology.substages import advance, chain_of, clock, moves_per_hour
from brood.core.climate.series import constant, daily, from_readings
from brood.errors import ModelError

START = datetime(2026, 6, 1)
PESTS = list(shipped().pests.values())


@pytest.mark.parametrize("pest", PESTS, ids=lambda p: p.id)
@pytest.mark.parametrize(
    "celsius", [22.0, *(pytest.param(c, marks=pytest.mark.long) for c in (17.0, 26.0))]
)
def test_egg_to_adult_has_the_catalogues_mean_and_spread(pest, celsius):
    chain = chain_of(pest)
    adult = chain.first(len(pest.stages) - 1)
    rates = moves_per_hour(chain, np.array(celsius))[chain.stage_of][:adult]
    mean, sd = (1 / rates).sum() / 24, np.sqrt((1 / rates**2).sum()) / 24
    assert mean == pytest.approx(sum(s.rate.days(celsius) for s in pest.development), rel=1e-9)
    assert sd / mean == pytest.approx(pest.cv, rel=0.02)
    span = stage_times(pest, celsius).egg_to_adult
    exact = gamma(a=(mean / sd) ** 2, scale=sd**2 / mean).ppf([0.05, 0.5, 0.95])
    assert [span.fast, span.typical, span.slow] == pytest.approx(exact.tolist(), rel=0.01)


def test_numbers_are_kept_exactly_without_births_and_deaths():
    chain = chain_of(PESTS[0])
    x = chain.spread(0) * 1000
    for hour in range(24 * 40):
        x = advance(x, moves_per_hour(chain, np.array(20 + 8 * np.sin(hour / 4)))[chain.stage_of])
    assert x.sum() == pytest.approx(1000, rel=1e-9)
    assert (x > -1e-9).all()


def test_the_chain_agrees_with_an_adaptive_solver_under_a_swinging_temperature():
    pest = shipped().pests["tetranychus-urticae"]
    chain = chain_of(pest)
    series = daily(START.date(), [14] * 12, [29] * 12, spread_c=0.0)
    moves = moves_per_hour(chain, series.celsius)[:, chain.stage_of]

    def flow(t, x):
        out = moves[min(int(t), len(moves) - 1)] * x[:-1]
        return np.concatenate((-out, [0.0])) + np.concatenate(([0.0], out))

    x = chain.entering(0)
    solved = solve_ivp(flow, (0, 240), x, rtol=1e-7, atol=1e-10, max_step=1.0).y[:, -1]
    for hour in range(240):
        x = advance(x, moves[hour])
    for stage in range(len(pest.stages) + 1):
        a, b = x[chain.first(stage) :].sum(), solved[chain.first(stage) :].sum()
        assert a == pytest.approx(b, rel=0.01, abs=1e-4)


def test_more_than_one_move_an_hour_keeps_the_spread():
    chain = chain_of(shipped().pests["tetranychus-urticae"])
    x = advance(chain.entering(0), np.full(chain.size, 1.5))
    position = np.arange(chain.size + 1)
    mean = (x * position).sum()
    assert mean == pytest.approx(1.5, rel=1e-4)
    assert (x * (position - mean) ** 2).sum() == pytest.approx(1.5, rel=1e-3)


def test_dates_include_the_temperatures_spread_and_warmth_brings_them_forward():
    pest = shipped().pests["trialeurodes-vaporariorum"]
    spans = {}
    for celsius, spread in ((20, 0.0), (20, 2.0), (24, 0.0)):
        ticking = clock(chain_of(pest), constant(START, 24 * 120, celsius, spread_c=spread))
        spans[celsius, spread] = time_between(ticking, START, 0, 1)
    exact, unsure, warm = spans.values()
    assert unsure[0] < exact[0] < exact[2] < unsure[2]
    assert all(w < e for w, e in zip(warm, exact, strict=True))


def test_rate_summation_by_the_hour_differs_by_days_from_a_daily_mean():
    pest = shipped().pests["tetranychus-urticae"]
    hours = daily(START.date(), [6] * 90, [18] * 90, spread_c=0.0)
    mean = constant(START, 24 * 400, float(hours.celsius.mean()), spread_c=0.0)
    by_hour = time_between(clock(chain_of(pest), hours), START, 0, 1)[1]
    by_mean = time_between(clock(chain_of(pest), mean), START, 0, 1)[1]
    assert by_mean - by_hour > 3


def test_events_come_in_order_and_end_with_the_first_egg():
    pest = shipped().pests["frankliniella-occidentalis"]
    readings = from_readings(
        [(START + timedelta(hours=h), 22.0 + 3 * np.sin(h / 3.8)) for h in range(24 * 60)]
    )
    found = events(clock(chain_of(pest), readings), "egg", START + timedelta(hours=19))
    assert [(e.stage, e.event) for e in found] == [
        ("egg", "hatch"),
        ("larva-1", "moult"),
        ("larva-2", "enters-soil"),
        ("propupa", "moult"),
        ("pupa", "emergence"),
        ("preoviposition", "first-egg"),
    ]
    assert all(e.when.fast < e.when.typical < e.when.slow for e in found)
    assert all(a.when.typical < b.when.typical for a, b in itertools.pairwise(found))
    halfway = events(
        clock(chain_of(pest), readings), "egg", START + timedelta(hours=19), spread_over=True
    )
    assert halfway[0].when.typical < found[0].when.typical


def test_a_constant_under_the_threshold_has_no_dates_and_an_impossible_spread_is_refused():
    pest = shipped().pests["tetranychus-urticae"]
    assert stage_times(pest, 9.0).generation.typical is None
    with pytest.raises(ModelError, match="spread"):
        chain_of(replace(pest, cv=0.9))
