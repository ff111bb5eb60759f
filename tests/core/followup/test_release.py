"""Looks that decide: which evenings are set, what a clean look releases and a find brings
back, and how a course will probably go.
"""

import itertools
from dataclasses import replace
from datetime import timedelta

import numpy as np
import pytest
from conftest import DAY, MITE
from hypothesis import given, settings
from hypothesis import strategies as st

from brood.catalogue.loader import shipped
from brood.core.biology.case import Evening, Found, Inspection
from brood.core.climate.series import constant
from brood.core.course.planner import plan, problem_of
from brood.core.followup.alive_odds import Ask
from brood.core.followup.course_ahead import course_ahead, seen, terms_of
from brood.core.followup.posterior import even_speed
from brood.core.followup.release import Lane, Lines, chance, guard_days
from brood.core.population.steps import steps_of

CATALOGUE = shipped()
APHID, THRIPS = "myzus-persicae", "frankliniella-occidentalis"


def planned(case, looks=(), today=None, **more):
    answer = plan(problem_of(case))
    return answer, course_ahead(case, answer, looks, today or case.start, **more)


def on(n):
    return DAY + timedelta(days=n)


def followed(case, looks, today):
    """A case on a later day, with everything alive that its looks saw."""
    live = [x.on for x in looks if x.live]
    return replace(case, start=today, seen_on=max([DAY, *live]))


@pytest.fixture
def aphids(make_case):
    young = [Found(DAY, f"nymph-{n}", 55 / 4) for n in range(1, 5)]
    return make_case(
        APHID, 20.0, ("shower", "insecticidal-soap"), found=(*young, Found(DAY, "adult", 6.0))
    )


def test_a_clean_look_releases_the_rest_and_one_aphid_brings_it_back_that_evening(aphids):
    first, ahead = planned(aphids, courses=0)
    assert 2 <= ahead.set < len(first.applications)
    done = tuple(Evening(a.target, a.acts) for a in first.applications[: ahead.set])
    after = first.applications[ahead.set].target
    clean = tuple(Inspection(e.on, thorough=0.5) for e in done[1:])
    known = followed(replace(aphids, done=done), (), after)
    waiting, unlooked = planned(known, clean, after, courses=0)
    assert waiting.applications[0].target == after
    assert not unlooked.released, "a look that was not made releases nothing"
    _, released = planned(known, (*clean, Inspection(after, thorough=0.5)), after, courses=0)
    assert released.released
    assert released.left <= 0.05
    one = (*clean, Inspection(after, {"adult": 1.0}, thorough=0.5))
    again, found = planned(followed(known, one, after), one, after, courses=0)
    assert not found.released
    assert found.set >= 1
    assert again.applications[0].target == after


def test_half_a_look_and_a_look_right_after_the_evening_release_nothing(aphids):
    first, ahead = planned(aphids, courses=0)
    done = tuple(Evening(a.target, a.acts) for a in first.applications[: ahead.set + 1])
    after = done[-1].on
    known = followed(replace(aphids, done=done), (), after + timedelta(days=1))
    early = (Inspection(after + timedelta(days=1), thorough=0.9),)
    _, soon = planned(known, early, after + timedelta(days=1), courses=0)
    assert not soon.released
    later = after + timedelta(days=first.gap_days)
    known = replace(known, start=later)
    _, half = planned(known, (Inspection(later, share=0.3, thorough=0.9),), later, courses=0)
    assert not half.released


def test_the_guard_is_the_slow_time_through_what_the_acts_spare(make_case):
    thrips = make_case(THRIPS, 22.0, ("wiping", "insecticidal-soap"))
    days = guard_days(thrips, DAY)
    spared = [s.rate.days(22.0) for s in thrips.pest.stages if s.id in ("propupa", "pupa", "egg")]
    assert max(spared) < days < 3 * sum(spared)
    assert guard_days(make_case(MITE, 22.0, ("wiping", "insecticidal-soap")), DAY) == 0
    _, ahead = planned(thrips, courses=0)
    assert abs((ahead.guard - on(days)).days) <= 2


@settings(max_examples=6, deadline=None)
@given(st.lists(st.integers(6, 40), min_size=1, max_size=3, unique=True), st.floats(0.2, 0.9))
def test_a_clean_look_never_makes_a_line_likelier(days, thorough):
    acts = tuple(CATALOGUE.act(a, MITE) for a in ("wiping", "insecticidal-soap"))
    series = constant(_morning(), 24 * 90, 21.0, spread_c=0.5)
    from brood.core.biology.case import Case

    case = Case(CATALOGUE.pest(MITE), DAY, (Found(DAY, "egg", 20.0),), series, acts)
    steps = even_speed(steps_of(case, on(45)))
    there = np.zeros((2, 3, steps.chain.size + 2))
    there[0] = 20 * steps.chain.met(0)
    lines = Lines(
        case, steps, [Evening(on(n), tuple(a.id for a in acts)) for n in (0, 5)], there, DAY
    )
    looks = tuple(Inspection(on(n), thorough=thorough) for n in sorted(days))
    left = [
        lines.chances([Lane(on(41), on(5), looks[:k])], Ask.LINE)[0] for k in range(len(looks) + 1)
    ]
    assert all(b <= a + 1e-6 for a, b in itertools.pairwise(left))


def _morning():
    from datetime import datetime, time

    return datetime.combine(DAY, time()) - timedelta(days=1)


def test_a_chance_given_that_nothing_was_seen_is_worked_out_by_scenario():
    weights = np.array([0.5, 0.5])
    either, unseen = np.array([3.0, 0.2]), np.array([2.5, 0.1])
    by_hand = np.exp(-unseen) * (1 - np.exp(-(either - unseen)))
    expected = by_hand.sum() / np.exp(-unseen).sum()
    assert chance(weights, either, unseen) == pytest.approx(expected)
    assert chance(weights, unseen, unseen) == 0.0


def test_a_count_moves_the_numbers_towards_what_was_seen(make_case):
    case = make_case(MITE, 21.0)
    steps = even_speed(steps_of(case, on(2)))
    x = np.zeros((2, 3, steps.chain.size + 2))
    x[0] = 10 * steps.chain.met(1) + 4 * steps.chain.met(len(steps.chain.counts))
    none = seen(case, steps, x, Inspection(DAY, thorough=0.5))
    many = seen(case, steps, x, Inspection(DAY, {"young": 30.0}, thorough=0.5))
    assert none.sum() < x.sum() < many.sum()
    unexpected = seen(case, steps, x, Inspection(DAY, {"egg": 5.0}, thorough=0.5))
    eggs = slice(0, steps.chain.counts[0])
    assert unexpected[..., eggs].sum(axis=(0, 2)) == pytest.approx([5.0] * 3)


@pytest.mark.parametrize(
    ("pest", "acts", "evenings", "last", "back"),
    [
        (MITE, ("wiping", "insecticidal-soap"), (4, 7), (14, 30), (25, 45)),
        (APHID, ("shower", "insecticidal-soap"), (2, 4), (7, 21), (18, 32)),
        ("planococcus-citri", ("alcohol-swab", "insecticidal-soap"), (3, 6), (14, 35), (45, 65)),
    ],
)
def test_a_course_takes_what_a_skilled_keeper_takes(make_case, pest, acts, evenings, last, back):
    """About 40 eggs, 15 young and 6 adults at 20 °C; `make bench` prints all rows."""
    record = CATALOGUE.pest(pest)
    young = [s.id for s in record.development if s.display in ("larva", "nymph")]
    number = 55.0 if record.live_birth else 15.0
    found = [Found(DAY, s, number / len(young)) for s in young] + [Found(DAY, "adult", 6.0)]
    found += [] if record.live_birth else [Found(DAY, "egg", 40.0)]
    _, ahead = planned(make_case(pest, 20.0, acts, found=tuple(found)), courses=60)
    likely = ahead.likely
    assert evenings[0] <= likely.evenings <= evenings[1]
    assert likely.low <= likely.evenings <= likely.high
    assert last[0] <= (likely.last - DAY).days <= last[1]
    assert back[0] <= (likely.back - DAY).days <= back[1]
    assert likely.chance > 0.97
    assert ahead.set <= likely.evenings


def test_going_back_waits_for_half_a_life_and_for_the_slow_hatch(make_case):
    mites, aphids = terms_of(make_case(MITE, 20.0), DAY), terms_of(make_case(APHID, 20.0), DAY)
    egg = CATALOGUE.pest(MITE).stages[0].rate.days(20.0)
    assert egg < mites.treated < 1.6 * egg
    assert aphids.treated == 7, "young are born alive: there is no hatch to wait for"
