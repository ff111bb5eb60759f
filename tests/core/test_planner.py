"""The first planner: two bounds, kept in every case."""

import itertools
from dataclasses import replace
from datetime import date, datetime, time, timedelta

import pytest
from conftest import DAY, MITE, THRIPS, WHITEFLY
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from brood.core.evening import effect, evening
from brood.core.planner import first_planner, guard_stage, spared_stages
from brood.core.temperature import constant, daily
from brood.core.types import ADULT, Done, Found, Limits
from brood.errors import InputError, NothingDevelops

FUNCTION = [HealthCheck.function_scoped_fixture]


def gaps(plan):
    targets = [a.target for a in plan.applications]
    return [(b - a).days for a, b in itertools.pairwise(targets)]


def test_the_gap_is_half_the_fastest_time_from_leaving_the_guard_to_the_first_egg(make_case):
    plan = first_planner(make_case())
    second = plan.applications[1]
    fastest = (second.reason.breeds - evening(DAY)) / timedelta(days=1)
    assert plan.guard == "egg"
    assert gaps(plan)[0] == int(fastest / 2)
    assert second.latest == DAY + timedelta(days=int(fastest))


def test_the_course_meets_the_slowest_hatchling_twice(make_case):
    plan = first_planner(make_case())
    after = [a for a in plan.applications if evening(a.target) >= plan.last_hatch.slow]
    assert len(after) == 2
    assert plan.complete


def test_warm_means_closer_and_more_a_week_and_cool_means_longer(make_case):
    cool, warm = (first_planner(make_case(celsius=c, acts=("insecticidal-soap",))) for c in (20, 27))
    length = [(p.applications[-1].target - DAY).days for p in (cool, warm)]
    assert max(gaps(warm)) < min(gaps(cool))
    assert length[0] > length[1]
    assert len(warm.applications) / (length[1] / 7) > len(cool.applications) / (length[0] / 7)


def test_thrips_need_closer_evenings_than_mites_with_leaf_acts_alone(make_case):
    mite, thrips = (first_planner(make_case(pest, 22.0, ("insecticidal-soap",))) for pest in (MITE, THRIPS))
    assert max(gaps(thrips)) < min(gaps(mite))
    assert thrips.guard == "pupa"
    assert {"egg", "propupa", "pupa"} <= set(thrips.spared)


def test_where_the_label_is_slower_than_the_pest_the_window_shuts_and_says_by_how_much(make_case):
    plan = first_planner(make_case(THRIPS, 24.0, ("insecticidal-soap",), min_gap_days=5))
    for a in plan.applications[1:]:
        assert a.earliest == a.target == a.latest
        assert a.short_by_days == 4
        assert (a.reason.kind, a.reason.stage) == ("short", "pupa")
    assert any("closely" in w or "close together" in w for w in plan.warnings)


def test_a_late_evening_says_what_escaped_and_lengthens_the_course(make_case):
    on_time = first_planner(make_case(done=(Done(DAY, ("wiping", "insecticidal-soap")),)))
    latest = on_time.applications[0].latest
    late = latest + timedelta(days=3)
    acts = ("wiping", "insecticidal-soap")
    plan = first_planner(make_case(done=(Done(DAY, acts), Done(late, acts)), start=late))
    assert [(s.done, s.latest) for s in plan.slips] == [(late, latest)]
    assert plan.last_hatch.slow > on_time.last_hatch.slow
    in_time = first_planner(make_case(done=(Done(DAY, acts), Done(latest, acts)), start=latest))
    assert not in_time.slips


def test_adults_seen_after_the_first_evening_start_the_clock_again(make_case):
    acts = ("wiping", "insecticidal-soap")
    case = make_case(done=(Done(DAY, acts),), start=DAY + timedelta(days=5))
    again = replace(case, found=(*case.found, Found(DAY + timedelta(days=5), ADULT, 2.0)))
    assert first_planner(again).last_hatch.slow > first_planner(case).last_hatch.slow


def test_a_test_patch_holds_sprays_back_for_two_days_and_lets_hands_work(make_case):
    plan = first_planner(make_case(test_patch=True))
    assert [(a.target, a.acts) for a in plan.applications[:2]] == [
        (DAY, ("wiping",)), (DAY + timedelta(days=2), ("wiping", "insecticidal-soap"))
    ]  # fmt: skip
    sprays_only = first_planner(make_case(test_patch=True, acts=("insecticidal-soap",)))
    assert sprays_only.applications[0].target == DAY + timedelta(days=2)


def test_only_eggs_found_are_hidden_and_only_nymphs_may_wait_a_little(make_case):
    eggs = first_planner(make_case(found=(Found(DAY, "egg", 30.0),), acts=("shower",)))
    assert eggs.applications[0].reason.kind == "first-hidden"
    nymphs = first_planner(make_case(found=(Found(DAY, "larva", 30.0),)))
    first = nymphs.applications[0]
    assert first.reason.kind == "first-immature"
    assert DAY < first.latest < nymphs.first_breeding.fast.date()


def test_weekdays_and_days_away_are_kept(make_case):
    away = (DAY + timedelta(days=5), DAY + timedelta(days=9))
    plan = first_planner(make_case(WHITEFLY, limits=Limits(weekdays=frozenset({2, 5}), away=(away,))))
    for a in plan.applications:
        assert a.target.weekday() in (2, 5)
        assert not away[0] <= a.target <= away[1]


def test_a_limit_on_evenings_ends_the_course_early_and_says_so(make_case):
    plan = first_planner(make_case(limits=Limits(max_applications=2)))
    assert len(plan.applications) == 2
    assert not plan.complete
    assert any("limit" in w for w in plan.warnings)


def test_oil_keeps_its_seven_days_while_wiping_fills_the_gap(make_case):
    plan = first_planner(make_case(celsius=26.0, acts=("wiping", "paraffinic-oil")))
    oil = [a.target for a in plan.applications if "paraffinic-oil" in a.acts]
    assert all((b - a).days >= 7 for a, b in itertools.pairwise(oil))
    assert all("wiping" in a.acts for a in plan.applications)
    assert len(oil) < len(plan.applications)


def test_spared_means_that_an_evening_reaches_less_than_a_quarter(make_case):
    case = make_case(THRIPS, acts=("insecticidal-soap",))
    assert spared_stages(case) == ("egg", "propupa", "pupa")
    assert guard_stage(make_case(MITE, acts=("wiping",))) == "egg"
    assert effect(case.acts, "larva-1", 0.9) == pytest.approx(0.9 * 0.65)


@pytest.mark.parametrize(
    ("more", "field"),
    [({"found": ()}, "found"), ({"acts": ()}, "treatments"), ({"reach": 0.0}, "reach"), ({"reach": 0.02}, "treatments")],
)
def test_a_case_that_cannot_be_planned_names_its_field(make_case, more, field):
    with pytest.raises(InputError) as caught:
        first_planner(make_case(**more))
    assert caught.value.field == field


def test_in_the_cold_nothing_develops_and_the_keeper_is_told(make_case):
    with pytest.raises(NothingDevelops, match="warmer"):
        first_planner(make_case(celsius=6.0))


def test_a_plan_under_swinging_temperatures_has_windows_in_order(make_case):
    series = daily(DAY, [14] * 200, [29] * 200, spread_c=2.5)
    plan = first_planner(make_case(series=series))
    assert plan.complete
    assert all(a.earliest <= a.target <= a.latest for a in plan.applications)


cases = st.fixed_dictionaries(
    {
        "pest": st.sampled_from([MITE, THRIPS, WHITEFLY]),
        "celsius": st.floats(15.5, 27),
        "acts": st.sampled_from([("insecticidal-soap",), ("wiping",), ("shower", "paraffinic-oil"), ("wiping", "insecticidal-soap")]),
        "reach": st.floats(0.6, 1.0),
        "min_gap_days": st.none() | st.integers(1, 9),
    }
)


@settings(max_examples=40, deadline=None, suppress_health_check=FUNCTION)
@given(cases)
def test_windows_are_in_order_and_no_label_gap_is_broken(make_case, values):
    case = make_case(**values)
    try:
        plan = first_planner(case)
    except InputError:
        return
    for a in plan.applications:
        assert a.earliest <= a.target <= a.latest
        assert a.acts
    for act in case.acts:
        uses = [a.target for a in plan.applications if act.id in a.acts]
        assert all((b - a).days >= act.min_gap_days for a, b in itertools.pairwise(uses))
        assert act.max_applications is None or len(uses) <= act.max_applications
        soonest = [a.earliest for a in plan.applications if act.id in a.acts]
        assert all((soon - before).days >= act.min_gap_days for before, soon in zip(uses, soonest[1:], strict=False) if len(case.acts) == 1)


@settings(max_examples=25, deadline=None, suppress_health_check=FUNCTION)
@given(st.sampled_from([MITE, THRIPS, WHITEFLY]), st.floats(15, 24), st.floats(0.5, 3))
def test_warmer_is_never_later_below_the_optimum(make_case, pest, celsius, warmer):
    cool, warm = (first_planner(make_case(pest, c)) for c in (celsius, celsius + warmer))
    assert warm.first_breeding.fast <= cool.first_breeding.fast
    assert warm.last_hatch.slow <= cool.last_hatch.slow
    assert warm.generation.typical < cool.generation.typical


def test_a_series_that_starts_after_the_find_is_continued_backwards(make_case):
    series = constant(datetime.combine(DAY + timedelta(days=3), time()), 24 * 30, 22.0)
    assert first_planner(make_case(series=series)).complete


def test_what_is_done_twice_after_the_last_hatch_needs_nothing_more(make_case):
    acts = ("wiping", "insecticidal-soap")
    plan = first_planner(make_case())
    done = tuple(Done(a.target, acts) for a in plan.applications)
    assert first_planner(make_case(done=done, start=date(2026, 6, 30))).applications == ()
