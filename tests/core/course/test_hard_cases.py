"""Every pest at every warmth, found early and again late, planned, drawn and ended: all
numbers are possible.
"""

from dataclasses import replace
from datetime import datetime, time, timedelta

import numpy as np
import pytest
from conftest import DAY, MITE
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from brood.catalogue.loader import shipped
from brood.core.biology.case import Case, Evening, Found, Inspection, Limits
from brood.core.biology.pest import ADULT
from brood.core.biology.unseen import infer_hidden
from brood.core.climate.series import constant, covering, day_night
from brood.core.course import planner
from brood.core.course.outcome import outcomes
from brood.core.followup.all_clear import clear_by, unseen_weights
from brood.core.population.projection import project
from brood.core.population.spread import spread_of
from brood.errors import InputError

CATALOGUE = shipped()
FULL_PLAN_DAYS = 40
"""In the property a plan looks so far ahead, to stay quick; the listed cases look as
far as they do by themselves.
"""


def case(pest_id, day, night, acts, found, *, late=0, **more):
    """A case found on a day and looked at `late` days after it, with a series that ends
    as the application's own do.
    """
    start = datetime.combine(DAY, time()) - timedelta(days=1)
    series = day_night(
        start, 24 * (181 + late), day=day, night=night, day_from=time(7), night_from=time(21)
    )
    groups = infer_hidden(
        CATALOGUE.pest(pest_id),
        tuple(Found(DAY + timedelta(days=n), s, float(c)) for n, s, c in found),
        series,
    )
    return Case(
        CATALOGUE.pest(pest_id),
        DAY + timedelta(days=late),
        groups,
        series,
        tuple(CATALOGUE.act(a, pest_id) for a in acts),
        **more,
    )


def lived_through(one, looks=()):
    """Plan a case, judge the plan and its rules, draw it and work out its end; what
    must hold of any.
    """
    try:
        problem = planner.problem_of(one)
        plan = planner.plan(problem)
    except InputError as error:
        said = error.message
        assert said.endswith("."), said
        return None
    schedule = plan.evenings
    until = max([one.start, *(e.on for e in schedule)]) + timedelta(days=220)
    drawn, spread = project(one, schedule, until), spread_of(one, schedule, until)
    assert all(
        np.isfinite(v).all() and (v > -1e-9).all()
        for v in (drawn.numbers, spread.low, spread.mean, spread.high)
    )
    for found in outcomes(problem, [schedule, ()]):
        assert 0 <= found.chance <= 1
        assert 0 <= found.in_90 <= 1
        assert np.isfinite(found.survivors)
    assert 0 <= plan.chance <= 1
    assert all(one.start <= a.earliest <= a.target <= a.latest for a in plan.applications)
    over = clear_by(one, schedule, looks, [], one.start, weigh=False)
    assert all(0 <= chance <= 1 for _, chance in (*over.curve, *over.if_clean))
    return plan, over


HARD = [
    ("brevipalpus", 19, 12, ("wiping", "paraffinic-oil"), [(0, "egg", 10), (0, ADULT, 36)]),
    ("armored-scale", 15, 9, ("alcohol-swab", "paraffinic-oil"), [(0, ADULT, 5)]),
    ("rhizoecus", 15, 9, ("azadirachtin",), [(0, ADULT, 5)]),
    (
        "saissetia-coffeae",
        14,
        14,
        ("alcohol-swab", "insecticidal-soap"),
        [(0, "egg", 40), (0, "nymph-1", 15), (0, ADULT, 6)],
    ),
]


@pytest.mark.parametrize(
    ("pest_id", "day", "night", "acts", "found", "late"),
    [
        pytest.param(
            *hard,
            late,
            id=f"{hard[0]}-{late}",
            marks=[] if (hard[0], late) == ("brevipalpus", 120) else pytest.mark.long,
        )
        for hard in HARD
        for late in (0, 30, 120, 400)
    ],
)
def test_cold_places_and_long_silences_have_a_plan_and_an_end(
    pest_id, day, night, acts, found, late
):
    known = {s.id for s in CATALOGUE.pest(pest_id).stages}
    found = [
        (n, s if s in known or s == ADULT else CATALOGUE.pest(pest_id).stages[1].id, c)
        for n, s, c in found
    ]
    plan, over = lived_through(case(pest_id, day, night, acts, found, late=late))
    assert plan.generation.slow is None or plan.generation.slow > 30
    assert over.matured is not None, (
        "beyond the end of the series it goes on, and is not called too cold"
    )


@pytest.mark.parametrize("gap", [20, pytest.param(45, marks=pytest.mark.long)])
def test_eggs_found_weeks_after_the_first_are_in_the_plan(gap):
    """The plan's own dates may end before a later find; its first escape and its
    survivors are still worked out.
    """
    found = [(0, "egg", 30), (gap, "egg", 25), (gap + 6, ADULT, 4)]
    one = case("tetranychus-urticae", 24, 18, ("wiping", "insecticidal-soap"), found, late=gap + 7)
    problem = planner.problem_of(one)
    (nothing, early) = outcomes(
        problem, [(), (Evening(DAY + timedelta(days=gap + 7), problem.acts),)]
    )
    assert nothing.first_escape is not None
    assert nothing.survivors > early.survivors > 0
    lived_through(one)


def test_an_evening_from_long_before_the_count_takes_nothing_from_it():
    """Somebody comes back after months and counts anew: the numbers begin with the count,
    whatever is on record from before it.
    """
    found = [(0, "larva-2", 6), (0, ADULT, 2)]
    fresh = case("bradysia", 21, 17, ("bti-drench",), found)
    back = replace(fresh, done=(Evening(DAY - timedelta(days=122), ("bti-drench",)),))
    one, other = (outcomes(planner.problem_of(c), [()])[0] for c in (fresh, back))
    assert other.survivors == one.survivors > 0
    assert other.chance == one.chance
    plan, _ = lived_through(replace(back, limits=Limits(max_applications=1)))
    assert plan.applications == ()
    assert plan.last_hatch.slow.date() > DAY


def test_a_pause_from_before_the_count_is_no_evening_that_came_late():
    found = [(0, "larva-2", 6), (0, ADULT, 2)]
    done = tuple(Evening(DAY + timedelta(days=n), ("bti-drench",)) for n in (-122, -2, 3, 40))
    one = case("bradysia", 21, 17, ("bti-drench",), found, late=41, done=done)
    plan = planner.plan(planner.problem_of(one))
    assert [slip.done - DAY for slip in plan.slips] == [timedelta(days=40)]


def test_clean_looks_against_all_expectation_leave_weights_that_add_to_one():
    """What would least have been seen has no weight at all: the rest still does."""
    weights, unseen = (
        np.array([[0.0, 0.7], [0.3, 1e-300]]),
        np.array([[0.0, 2000.0], [2010.0, 900.0]]),
    )
    found = unseen_weights(weights, unseen)
    assert found.sum() == pytest.approx(1.0)
    assert found[0, 0] == 0.0
    assert found[1, 1] == pytest.approx(1.0)


WARMTH = st.tuples(st.integers(5, 35), st.integers(0, 10))
COUNTS = st.lists(
    st.tuples(st.sampled_from([0, 0, 0, 9, 24, 60]), st.floats(0.5, 400), st.integers(0, 20)),
    min_size=1,
    max_size=4,
)


def means_of(pest_id):
    return [key for key in CATALOGUE.treatments if any(CATALOGUE.kill(key, pest_id).values())]


AGO = st.sampled_from([None, 0, 9, 122])


def any_case(pest_id, warmth, counts, picks, late, ago, **more):
    """A case from drawn numbers: finds of any stage on any day up to the present, one
    to three of the means that do something, and perhaps an evening so many days ago, which
    may lie before the first find.
    """
    stages = [*(s.id for s in CATALOGUE.pest(pest_id).development), ADULT]
    found = [(min(n, late), stages[k % len(stages)], count) for n, count, k in counts]
    means = means_of(pest_id)
    acts = tuple(dict.fromkeys(means[p % len(means)] for p in picks))
    if ago is not None:
        more["done"] = (Evening(DAY + timedelta(days=late - ago), acts[:1]),)
    return case(pest_id, warmth[0], max(warmth[0] - warmth[1], 0), acts, found, late=late, **more)


@pytest.mark.parametrize(
    "pest_id",
    [
        pytest.param(p, marks=pytest.mark.long if n % 2 else [])
        for n, p in enumerate(CATALOGUE.pests)
    ],
)
@settings(max_examples=1, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
@given(
    warmth=WARMTH,
    counts=COUNTS,
    picks=st.lists(st.integers(0, 40), min_size=1, max_size=3),
    late=st.sampled_from([0, 12, 70]),
    ago=AGO,
)
def test_any_pest_anywhere_gives_possible_numbers(pest_id, warmth, counts, picks, late, ago):
    lived_through(any_case(pest_id, warmth, counts, picks, late, ago, horizon_days=FULL_PLAN_DAYS))


@pytest.mark.long
@pytest.mark.parametrize("pest_id", CATALOGUE.pests)
@settings(max_examples=25, deadline=None, suppress_health_check=list(HealthCheck))
@given(
    warmth=WARMTH,
    counts=COUNTS,
    picks=st.lists(st.integers(0, 40), min_size=1, max_size=3),
    late=st.sampled_from([0, 12, 70, 200, 400]),
    ago=AGO,
    clean=st.booleans(),
)
def test_any_pest_anywhere_at_length(pest_id, warmth, counts, picks, late, ago, clean):
    one = any_case(pest_id, warmth, counts, picks, late, ago)
    lived_through(one, (Inspection(one.start),) if clean else ())


@pytest.mark.parametrize(
    ("begin", "hours"), [(-60, 24), (-60, 400), (100, 50), (230, 24), (400, 300)]
)
def test_a_series_is_continued_by_one_rule_on_both_sides(begin, hours):
    start = datetime(2026, 6, 1)
    series = day_night(start, 240, day=24, night=16, day_from=time(7), night_from=time(21))
    found = covering(series, start + timedelta(hours=begin), hours)
    assert (found.start, len(found)) == (start + timedelta(hours=begin), hours)
    clock = (np.arange(hours) + begin) % 24
    assert (found.celsius == np.where((clock >= 7) & (clock < 21), 24, 16)).all()
    inside = [h for h in range(hours) if 0 <= begin + h < 240]
    assert (found.celsius[inside] == series.celsius[[begin + h for h in inside]]).all()
    assert covering(replace(series, warm_spot_c=2.0), start, 10).warm_spot_c == 2.0
    assert (
        constant(start, 24, 20.0).mean(start + timedelta(days=9), start + timedelta(days=12))
        == 20.0
    )


@pytest.mark.parametrize(("later", "promised"), [(40, False), (100, False), (100, True)])
@pytest.mark.parametrize("pest", ["myzus-persicae", MITE])
def test_after_a_long_silence_that_no_evening_can_mend_the_dates_lie_within_a_generation(
    make_case, pest, later, promised
):
    """Either it died out by itself, or there are far too many: no date changes the chance."""
    found = (Found(DAY, "adult", 0.5),)
    case = make_case(pest, 24.0, found=found, start=DAY + timedelta(days=later), reach=0.2)
    if promised:
        # Whatever was promised for much later is as good, and no course.
        far = Evening(case.start + timedelta(days=48), ("wiping",))
        case = replace(case, promised=(far,))
    problem = planner.problem_of(case)
    dates = [one.day - problem.start for one in planner.chosen(problem)]
    idle, met = problem.in_90(problem.chances([(), planner.chosen(problem)]))
    assert met - idle < 0.02
    assert dates[0] == 0
    assert 2 <= len(dates) <= 8
    assert dates[-1] <= max(problem.generation_days, 14)
