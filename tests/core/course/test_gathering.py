"""Evenings across plants: the number and the distance to the targets are those of an
integer program.
"""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import Bounds, LinearConstraint, milp

from brood.core.course.shared_evenings import DayRange, gather


def optimum(windows, free):
    """(fewest evenings, least days to the targets with so many) by an integer program:
    evenings, and which serves which window.
    """
    pairs = [
        (w, d)
        for w in range(len(windows))
        for d in range(len(free))
        if windows[w].first <= free[d] <= windows[w].last
    ]
    size = len(free) + len(pairs)
    served, opened = np.zeros((len(windows), size)), np.zeros((len(pairs), size))
    for n, (w, d) in enumerate(pairs):
        served[w, len(free) + n] = 1
        opened[n, [d, len(free) + n]] = 1, -1
    rules = [LinearConstraint(served, 1, 1), LinearConstraint(opened, 0, np.inf)]
    number = np.r_[np.ones(len(free)), np.zeros(len(pairs))]
    away = np.r_[np.zeros(len(free)), [abs(free[d] - windows[w].target) for w, d in pairs]]
    few = milp(number, integrality=np.ones(size), bounds=Bounds(0, 1), constraints=rules)
    least = round(few.fun)
    near = milp(
        away,
        integrality=np.ones(size),
        bounds=Bounds(0, 1),
        constraints=[*rules, LinearConstraint(number[None], 0, least)],
    )
    return least, round(near.fun)


def distance(windows, found):
    return sum(abs(found.serves[w.key] - w.target) for w in windows)


SIX = [  # six cases on eleven plants: a case stands for one to four plants, which share its window
    DayRange("mite on 4", 2, 4, 3),
    DayRange("whitefly on 2", 3, 16, 8),
    DayRange("scale on 1", 6, 15, 9),
    DayRange("thrips on 2", 4, 6, 4),
    DayRange("gnat on 1", 10, 14, 12),
    DayRange("aphid on 1", 9, 12, 10),
]


def test_six_cases_on_eleven_plants_are_served_by_the_optimum_of_an_integer_program():
    for free in (range(20), [d for d in range(20) if d % 7 not in (5, 6)], [1, 4, 6, 11, 12, 15]):
        found = gather(SIX, list(free))
        assert not found.unserved
        assert (len(found.evenings), distance(SIX, found)) == optimum(SIX, sorted(free))


@settings(max_examples=60, deadline=None)
@given(
    st.lists(
        st.tuples(st.integers(0, 18), st.integers(2, 13), st.floats(0, 1)), min_size=1, max_size=7
    ),
    st.sets(st.integers(0, 31), min_size=3),
)
def test_any_windows_and_free_evenings(raw, free):
    windows = [
        DayRange(str(n), first, first + length, first + round(length * part))
        for n, (first, length, part) in enumerate(raw)
    ]
    found = gather(windows, sorted(free))
    served = [w for w in windows if w.key not in found.unserved]
    assert all(
        not any(w.first <= d <= w.last for d in free) for w in windows if w.key in found.unserved
    )
    assert all(
        w.first <= found.serves[w.key] <= w.last and found.serves[w.key] in found.evenings
        for w in served
    )
    if served:
        assert (len(found.evenings), distance(served, found)) == optimum(served, sorted(free))


def test_with_no_free_evening_nothing_is_promised():
    assert gather(SIX, []).evenings == ()
    assert set(gather(SIX, []).unserved) == {w.key for w in SIX}


@pytest.mark.parametrize("n", [1, 25])
def test_the_same_window_many_times_takes_one_evening_at_its_target(n):
    found = gather([DayRange(str(i), 3, 9, 5) for i in range(n)], list(range(12)))
    assert found.evenings == (5,)
