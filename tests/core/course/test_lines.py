"""The day table compared with the half-day chain: two formulations of one model, in
chances and in numbers.
"""

import random
from dataclasses import replace
from datetime import timedelta

import numpy as np
import pytest
from test_planner import CATALOGUE, DAY, infested, random_case, swing

from brood.core.biology.case import Evening, Found
from brood.core.biology.pest import ADULT
from brood.core.course.effects import ActEffects
from brood.core.population.day_table import day_table
from brood.core.population.extinction import alive_after, clearing, untreated
from brood.core.population.half_days import assess_many
from brood.core.population.steps import steps_of
from brood.core.population.waiting_times import erlang

LAST = DAY + timedelta(days=40)


def both_ways(case, schedules):
    """(chance by the chain, by the table) [schedules, scenarios], and the same for the
    numbers left after the last date.
    """
    reach = {d.on: d.reach for d in case.done}
    dated = [
        [Evening(day := DAY + timedelta(days=d), tuple(ids), reach.get(day)) for d, ids in one]
        for one in schedules
    ]
    chain = assess_many(case, dated, steps_of(case, LAST))
    table = day_table(case, LAST)
    exposure = ActEffects(table, case).exposure(dated)
    lasts = [DAY + timedelta(days=max((d for d, _ in one), default=0)) for one in schedules]
    left = alive_after(table, exposure, [table.index(day) for day in lasts]) @ table.weights
    numbers = [sum(dict(a.by_day)[day].values()) for a, day in zip(chain, lasts, strict=True)]
    return (
        np.stack([a.by_scenario for a in chain]),
        np.exp(clearing(table, exposure)),
        np.array(numbers),
        left,
    )


def test_chances_agree_within_four_in_a_hundred_and_mostly_far_closer():
    rng, off, left = random.Random(5), [], []
    for _ in range(6):
        case = random_case(rng, small=False)
        ids = tuple(a.id for a in case.acts)
        regular = [
            [(d, ids) for d in range(0, gap * n, gap)] for gap, n in ((3, 5), (7, 4), (2, 10))
        ]
        drawn = [(d, tuple(rng.sample(ids, k=1))) for d in sorted(rng.sample(range(30), k=5))]
        chain, table, numbers, fast = both_ways(case, [*regular, drawn, []])
        off += list(np.abs(chain - table).ravel())
        left += list(np.abs(fast - numbers) / np.maximum(numbers, 1.0))
    assert np.median(off) < 0.005
    assert max(off) < 0.04
    assert np.median(left) < 0.01
    assert max(left) < 0.1


@pytest.mark.parametrize(
    ("pest", "acts"),
    [
        ("trialeurodes-vaporariorum", ("neem-oil", "sticky-cards")),
        ("frankliniella-occidentalis", ("spinosad", "steinernema-feltiae")),
        ("bradysia", ("steinernema-feltiae", "azadirachtin")),
        ("tetranychus-urticae", ("phytoseiulus", "neem-oil")),
    ],
)
def test_residues_and_traps_act_alike_in_both_models_and_help(pest, acts):
    stages = [s.id for s in CATALOGUE.pest(pest).stages]
    case = infested(pest, [(stages[0], 20.0), (stages[2], 10.0), (ADULT, 3.0)], swing(22, 2), acts)
    days = [(d, acts) for d in (0, 7, 14, 21)]
    chain, table, numbers, left = both_ways(case, [days])
    assert np.abs(chain - table).max() < 0.01
    assert left == pytest.approx(numbers, rel=0.02)
    bare = replace(case, acts=tuple(replace(a, residual_days=0.0, lasts_days=0) for a in case.acts))
    assert both_ways(bare, [days])[1].mean() < table.mean() - 0.05


def test_a_find_in_the_middle_of_the_course_is_counted_from_its_own_morning():
    case = infested("tetranychus-urticae", [("egg", 10.0)], swing(22), ("insecticidal-soap",))
    later = replace(
        case,
        found=(
            *case.found,
            Found(DAY + timedelta(days=6), ADULT, 2.0),
            Found(DAY + timedelta(days=8), "larva", 5.0),
        ),
    )
    chain, table, *_ = both_ways(later, [[(d, ("insecticidal-soap",)) for d in range(0, 24, 3)]])
    assert np.abs(chain - table).max() < 0.01


def test_what_comes_after_the_last_date_may_be_taken_from_the_untreated_pass():
    case = infested(
        "tetranychus-urticae",
        [("egg", 30.0), (ADULT, 4.0)],
        swing(22),
        ("insecticidal-soap", "wiping"),
    )
    table = day_table(case, LAST)
    exposure = ActEffects(table, replace(case, reach=0.9)).exposure(
        [[Evening(DAY + timedelta(days=d), ("wiping",)) for d in range(0, 20, 4)]]
    )
    assert clearing(table, exposure, untreated(table)) == pytest.approx(
        clearing(table, exposure), abs=1e-12
    )


def test_stage_times_keep_mean_and_spread_in_the_table():
    table = erlang(16.0)
    grid = np.arange(0, 60, 0.01)
    share = table.share(grid)
    density = np.diff(share)
    mean = float((density * (grid[1:] - 0.005)).sum())
    assert mean == pytest.approx(16, rel=1e-3)
    assert float((density * (grid[1:] - mean) ** 2).sum()) == pytest.approx(16, rel=0.01)
    assert table.total(np.array([40.0]))[0] == pytest.approx(
        np.trapezoid(table.share(np.arange(0, 40.001, 0.01)), dx=0.01), rel=1e-3
    )


def test_an_evening_that_reached_less_counts_for_less_in_both_models():
    """An evening done with a reach of its own is treated so by the chain and by the day
    table; as much as usual changes nothing.
    """
    case = infested(
        "tetranychus-urticae",
        [("egg", 20.0), (ADULT, 4.0)],
        swing(22),
        ("wiping", "insecticidal-soap"),
    )
    days = [(d, ("wiping", "insecticidal-soap")) for d in (0, 4, 8)]
    half = replace(
        case, done=(Evening(DAY + timedelta(days=4), ("wiping", "insecticidal-soap"), 0.4),)
    )
    chain, table, *_ = both_ways(half, [days])
    assert np.abs(chain - table).max() < 0.01
    assert table.mean() < both_ways(case, [days])[1].mean() - 0.01
    same = replace(
        case, done=(Evening(DAY + timedelta(days=4), ("wiping", "insecticidal-soap"), case.reach),)
    )
    assert both_ways(same, [days])[1] == pytest.approx(both_ways(case, [days])[1])
