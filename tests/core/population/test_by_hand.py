"""Numbers worked out by hand, for functions that both engines of the population share: an error in
them would change both alike, and no comparison of the two would show it.
"""

from dataclasses import replace
from datetime import datetime, time, timedelta

import numpy as np
import pytest
from conftest import DAY, MITE

from brood.catalogue.loader import shipped
from brood.core.biology.case import Act, Case, Evening, Found, Inspection
from brood.core.biology.kill import effect, newly_exposed, residue
from brood.core.biology.substages import chain_of
from brood.core.climate.series import HourlySeries, constant, daily
from brood.core.course.planner import problem_of
from brood.core.course.problem import Problem
from brood.core.diagnosis.evidence import reported
from brood.core.followup.detection import numbers, seen_share, shown
from brood.core.followup.posterior import REACHES, SCALES, at_reach, learn
from brood.core.population.day_table import day_table
from brood.core.population.extinction import Exposure, Happens, LivesOn, rank, untreated
from brood.core.population.first_escape import first_escapes
from brood.core.population.half_days import evenings, residues, walk
from brood.core.population.steps import steps_of

CATALOGUE = shipped()
APHID, SCALE = "aphis-gossypii", "coccus-hesperidum"


def act(**more):
    return Act("x", "x", "x", {"egg": 0.5, "larva": 0.8, "adult": 0.4}, **more)


def case_of(pest, celsius=25.0, found=("adult", 10.0), **more):
    series = constant(datetime.combine(DAY, time()), 24 * 90, celsius, spread_c=0.0)
    return Case(CATALOGUE.pest(pest), DAY, (Found(DAY, *found),), series, (), **more)


@pytest.mark.parametrize(
    ("halves", "days", "left"),
    [
        (7, 7, 0.5),
        (7, 14, 0.25),
        (3, 3, 0.5),
        (2.9, 1, 0.0),
        (7, 0, 0.0),
        (7, 46, 0.0105),
        (7, 47, 0),
    ],
)
def test_a_residue_halves_and_ends_under_a_hundredth(halves, days, left):
    assert residue(act(residual_days=halves), days) == pytest.approx(left, abs=5e-5)


def test_acts_of_one_evening_take_one_after_the_other():
    assert effect([act(), act()], "egg", 0.8) == pytest.approx(1 - 0.6 * 0.6)
    assert effect([act()], "pupa", 0.8) == 0.0


def test_a_hatched_mite_is_newly_exposed_and_a_moulted_one_is_not():
    pest = CATALOGUE.pest(MITE)
    assert newly_exposed(pest)[:3] == (False, True, False)
    assert newly_exposed(pest)[-1] is False
    assert newly_exposed(CATALOGUE.pest(APHID))[0] is True


def test_a_residue_meets_the_hatched_once_at_the_strength_of_the_middle_of_the_step():
    pest = CATALOGUE.pest(MITE)
    oil = Act("oil", "oil", "oil", {"larva": 0.8}, residual_days=6.0)
    case = Case(pest, DAY, (Found(DAY, "egg", 1.0),), case_of(MITE).series, (oil,), reach=0.5)
    steps = steps_of(case, DAY + timedelta(days=4))
    left = residues(case, steps, [[Evening(DAY, ("oil",))]])[:, 0, 0, pest.index("larva")]
    # The step that ends at 09:00 of the next day: six hours before it are 8 hours after 19:00.
    assert left[0] == 1.0
    assert left[1] == pytest.approx(1 - 0.5 * 0.8 * 2 ** (-(8 / 24) / 6))
    assert left[2] == pytest.approx(1 - 0.5 * 0.8 * 2 ** (-(18 / 24) / 6))


def test_what_lasts_acts_every_evening_and_touches_all():
    trap = Act("trap", "trap", "trap", {"adult": 0.3}, lasts_days=3)
    case = replace(case_of(MITE, reach=0.5), acts=(trap,))
    found = evenings(case, chain_of(case.pest), [[Evening(DAY, ("trap",))]])
    assert sorted(found) == [DAY + timedelta(days=n) for n in range(3)]
    assert all(share[0, 0, -1] == pytest.approx(0.7) for share in found.values())


def test_of_what_is_laid_and_of_what_moults_the_refuge_takes_its_share():
    case = case_of(MITE, refuge=0.2)
    steps = steps_of(case, DAY + timedelta(days=9))
    x = [x for _, x in walk(case, steps, {}, residues(case, steps, [[]]), 1)]
    eggs = x[0][:, 0, 0, 0]
    assert eggs[1] / eggs.sum() == pytest.approx(0.2)
    larvae = slice(chain_of(case.pest).first(1), chain_of(case.pest).first(2))
    assert x[-1][1, 0, 4, larvae].sum() / x[-1][:, 0, 4, larvae].sum() == pytest.approx(0.2)


def test_the_rank_is_the_worst_of_the_best_that_hold_nine_tenths():
    weights = np.array([0.5, 0.41, 0.09])
    assert rank(np.array([[0.9, 0.8, 0.2], [0.1, 0.7, 0.6]]), weights).tolist() == [1, 0]
    assert rank(np.array([0.9, 0.8, 0.2]), weights, share=0.95) == 2


def test_a_quick_pest_has_its_days_cut_in_two():
    quick = day_table(case_of(APHID, 27.0), DAY + timedelta(days=9))
    slow = day_table(case_of(SCALE, 22.0), DAY + timedelta(days=9))
    assert sum(s.rate.days(27.0) for s in CATALOGUE.pest(APHID).stages) < 10
    between = day_table(case_of(MITE, 24.0), DAY + timedelta(days=9))
    assert 10 < sum(s.rate.days(24.0) for s in CATALOGUE.pest(MITE).stages) < 15
    assert quick.intervals == 19
    assert between.intervals == 10
    assert slow.intervals == 10
    assert slow.evenings.tolist() == list(range(10))


@pytest.mark.parametrize(("cool_days", "settled"), [(8, True), (7, False)])
def test_the_last_week_tells_what_comes_after_the_table(cool_days, settled):
    days, pest = 31, CATALOGUE.pest(SCALE)
    celsius = [27.0] * (days - cool_days) + [18.0] * cool_days
    series = daily(DAY, celsius, celsius, spread_c=0.0)
    case = Case(pest, DAY, (Found(DAY, "adult", 1.0),), series, ())
    late = day_table(case, DAY + timedelta(days=days - 1)).late
    born, lives = (np.interp(18.0, *np.array(t).T) for t in (pest.fecundity, pest.longevity))
    by_hand = 1 - 1 / (pest.female_share * pest.lives_from(0) * born * lives)
    assert bool(np.allclose(late, by_hand, rtol=0, atol=1e-6)) is settled


def test_the_first_escape_is_the_day_on_which_half_the_risk_has_come_about():
    case = case_of(MITE, 24.0, ("egg", 3.0))
    table = day_table(case, DAY + timedelta(days=60)).only(4)
    after = untreated(table)
    survive = np.ones((2, table.intervals, len(table.leave) + 1))
    survive[1, table.evenings[5]] = 0.2
    exposure = Exposure(survive)
    full = LivesOn(table, exposure, after)
    ahead = np.repeat(after.values[0][:, :, : table.intervals], 2, axis=0)
    ahead[:, :, : full.days] = full.values[0][:, :, : full.days]
    goal = -np.expm1(full.nothing()[:, 0]) / 2
    by_day = []
    for until in range(table.intervals):
        born = ahead * table.births * (np.arange(table.intervals) <= until)
        by_day.append(-np.expm1(Happens(table, exposure, born).nothing()[:, 0]))
    reached = (np.array(by_day) >= goal).argmax(axis=0)
    days = np.searchsorted(table.evenings, reached)
    expected = [table.first + timedelta(days=int(d)) for d in days]
    assert first_escapes(table, exposure, after) == expected
    assert expected[0] < expected[1]


def test_one_sign_in_ten_is_missed_and_one_answer_in_twenty_is_false():
    alone = reported(np.array([1.0, 0.0, 0.5]), np.array([1, 1, 1]))
    assert alone == pytest.approx([0.9, 0.05, 0.475])
    of_five, of_forty = reported(np.array([0.0, 0.0]), np.array([5, 40]))
    assert of_five == of_forty == pytest.approx(0.01)


def test_a_look_sees_by_thoroughness_and_by_what_shows_itself():
    pest = CATALOGUE.pest("frankliniella-occidentalis")
    names = [s.id for s in pest.stages]
    assert shown(pest)[names.index("egg")] == 0.0
    assert shown(pest)[names.index("larva-2")] == pytest.approx(0.9)
    assert shown(pest)[names.index("pupa")] == pytest.approx(0.09)
    look = Inspection(DAY, {"adult": 7.0}, share=0.5, thorough=0.7)
    assert seen_share(pest, look)[-1] == pytest.approx(0.35)
    assert numbers(pest, look) == {"adult": pytest.approx(20.0)}
    soil = Inspection(DAY, {"pupa": 1.0}, share=0.5, thorough=0.4)
    assert numbers(pest, soil) == {"pupa": pytest.approx(20.0)}


def test_evenings_known_to_have_missed_parts_keep_their_proportion():
    done = (Evening(DAY, ("wiping",), 0.45), Evening(DAY + timedelta(days=3), ("wiping",)))
    moved = at_reach(case_of(MITE, reach=0.9, done=done), 0.6)
    assert [e.reach for e in moved.done] == [pytest.approx(0.3), None]
    assert moved.reach == 0.6


def test_the_prior_is_normal_in_reach_and_lognormal_in_number():
    belief = learn(case_of(MITE, reach=0.83), [], [], DAY + timedelta(days=3))
    scales = belief.prior.sum(axis=(0, 2))
    assert np.log(scales[8] / scales[6]) == pytest.approx(-0.5 * (np.log(2) / 0.7) ** 2)
    reaches = belief.by_reach / np.gradient(REACHES)
    assert np.log(reaches[5] / reaches[9]) == pytest.approx(-0.5 * ((0.55 - 0.83) / 0.2) ** 2)
    assert SCALES[8] == pytest.approx(2.0)


def test_gaps_most_uses_and_the_first_day_of_a_problem():
    acts = (
        CATALOGUE.act("wiping", MITE),
        CATALOGUE.act("insecticidal-soap", MITE, min_gap_days=5, max_applications=3),
    )
    start = datetime.combine(DAY - timedelta(days=1), time())
    series = HourlySeries(start, np.full(4800, 22.0), np.full(4800, 0.5), np.zeros(4800, np.uint8))
    done = (Evening(DAY, ("insecticidal-soap",)),)
    case = Case(
        CATALOGUE.pest(MITE),
        DAY + timedelta(days=1),
        (Found(DAY, "egg", 9.0),),
        series,
        acts,
        done=done,
    )
    problem: Problem = problem_of(case)
    assert problem.gap("insecticidal-soap") == 5
    assert problem.most("insecticidal-soap") == 3
    assert not problem.allowed("insecticidal-soap", DAY.toordinal() + 4, [DAY.toordinal()])
    assert problem.allowed("insecticidal-soap", DAY.toordinal() + 5, [DAY.toordinal()])
    assert problem.least_gap == 1
