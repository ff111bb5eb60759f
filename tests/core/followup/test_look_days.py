"""The days of looks once the evenings are done."""

from datetime import timedelta
from itertools import islice, pairwise

from conftest import DAY
from hypothesis import given
from hypothesis import strategies as st

from brood.core.followup.look_days import LEAST_GAP_DAYS, LOOK_GAP_DAYS, looks_after


def days_of_looks(early, number=30):
    return [
        (day - DAY).days for day in islice(looks_after(DAY, DAY + timedelta(days=early)), number)
    ]


@given(st.integers(-20, 150))
def test_a_plant_goes_back_no_later_and_after_no_more_looks_than_with_one_every_week(early):
    found = days_of_looks(early)
    needed = next(n for n, day in enumerate(found) if day >= early)
    weekly = next(n for n in range(30) if LOOK_GAP_DAYS * (n + 1) >= early)
    assert needed <= weekly
    assert found[needed] <= LOOK_GAP_DAYS * (weekly + 1)
    if early >= LEAST_GAP_DAYS:
        assert found[needed] - early in (0, 1)


@given(st.integers(-20, 150))
def test_looks_lie_about_a_week_apart(early):
    found = [0, *days_of_looks(early)]
    assert all(LEAST_GAP_DAYS <= b - a <= LOOK_GAP_DAYS + 3 for a, b in pairwise(found))


@given(st.integers(1, 150), st.integers(0, 10))
def test_a_look_that_was_made_leaves_the_days_of_the_others_where_they_were(early, made):
    found = days_of_looks(early)
    rest = looks_after(DAY + timedelta(days=found[made]), DAY + timedelta(days=early))
    assert [(day - DAY).days for day in islice(rest, 5)] == found[made + 1 : made + 6]
