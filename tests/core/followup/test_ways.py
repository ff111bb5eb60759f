"""Several ways to clear a plant: each is said to be best only at what it is best at."""

from dataclasses import replace
from datetime import date, datetime, timedelta

import pytest

from brood.catalogue.loader import shipped
from brood.core.biology.case import Case, Found, Pace
from brood.core.climate.series import constant
from brood.core.course.planner import plan, problem_of
from brood.core.followup.ways import Aim, by_hand, own_way, ways

DAY = date(2026, 6, 1)


def case(pest, *acts, young="larva"):
    record = shipped().pest(pest)
    found = [Found(DAY, young, 15.0), Found(DAY, "adult", 6.0)]
    found += [] if record.live_birth else [Found(DAY, "egg", 40.0)]
    series = constant(datetime(2026, 5, 31), 24 * 400, 20.0, spread_c=0.5)
    return Case(record, DAY, tuple(found), series, tuple(shipped().act(a, pest) for a in acts))


def found_for(one, **more):
    return ways(own_way(one, plan(problem_of(one)), (), DAY, 40), (), DAY, courses=40, **more)


CASES = {
    "mites": case("tetranychus-urticae", "wiping", "insecticidal-soap"),
    "soft scale": case("coccus-hesperidum", "alcohol-swab", "paraffinic-oil", young="nymph-1"),
    "aphids": case("myzus-persicae", "shower", "insecticidal-soap", young="nymph-2"),
}


@pytest.mark.parametrize(
    "name",
    ["aphids", *(pytest.param(name, marks=pytest.mark.long) for name in ("mites", "soft scale"))],
)
def test_no_way_shown_is_better_at_what_another_is_said_to_be_best_at(name):
    shown = found_for(CASES[name], gentle=by_hand(CASES[name]))
    best = {aim: way for way in shown for aim in way.aims}
    assert 1 <= len(shown) <= 4
    assert shown[0].case.pace == Pace.USUAL
    fast = [w for w in shown if not w.gentle]
    assert best[Aim.FEWEST].likely.evenings == min(w.likely.evenings for w in fast)
    assert (best[Aim.SOONEST].likely.back - min(w.likely.back for w in fast)).days <= 3
    assert all(w.likely.chance >= 0.94 for w in fast)
    # Every way beside the case's own is there because it is best at something.
    assert all(w.aims for w in shown[1:])


def test_evenings_lie_close_or_far_apart_as_the_pace_says_and_a_look_releases_by_it():
    one = CASES["soft scale"]
    gaps = {pace: plan(problem_of(one.at_pace(pace))).gap_days for pace in Pace}
    assert gaps[Pace.CLOSE] < gaps[Pace.USUAL] < gaps[Pace.FAR]


@pytest.mark.long
def test_hand_work_alone_is_shown_for_aphids_and_not_where_it_hardly_holds_them():
    aphids = found_for(CASES["aphids"], gentle=by_hand(CASES["aphids"]))
    soft = [w for w in aphids if Aim.GENTLEST in w.aims]
    assert [[a.id for a in w.case.acts] for w in soft] == [["shower"]]
    mites = CASES["mites"]
    assert not [w for w in found_for(mites, gentle=by_hand(mites)) if w.gentle]
    assert by_hand(case("tetranychus-urticae", "insecticidal-soap")) is None


def test_a_course_that_is_all_hand_work_is_the_gentlest_itself():
    only = case("myzus-persicae", "shower", young="nymph-2")
    assert Aim.GENTLEST in found_for(only, gentle=by_hand(only))[0].aims


def test_dates_that_lie_near_an_evening_of_another_pest_are_moved_to_it():
    one = CASES["soft scale"]
    free = [a.target for a in plan(problem_of(one)).applications]
    near = tuple(day + timedelta(days=2) for day in free[1:3])
    shared = [a.target for a in plan(problem_of(replace(one, beside=near))).applications]
    assert {*near} <= {*shared}
    far = tuple(day + timedelta(days=5) for day in free)
    assert [a.target for a in plan(problem_of(replace(one, beside=far))).applications] == free
