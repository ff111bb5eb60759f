"""Degree-days: closed forms against a sum by the minute, hours against closed forms,
files in and out.
"""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brood.core.climate.degree_days import (
    CUTOFFS,
    METHODS,
    from_extremes,
    from_hours,
    rate_above,
    vertical_error,
)
from brood.errors import InputError

DAYS = [(5, 12), (8, 26), (14, 29), (20, 20), (-4, 9), (28, 41), (10, 33)]
LIMITS = [(2, None), (10, None), (15, 30), (31, 34), (10, 20), (0, 8), (12, 26)]
MINUTES = (np.arange(1440) + 0.5) / 1440
SHAPES = {
    "single-sine": -np.cos(2 * np.pi * MINUTES),
    "single-triangle": 1 - 4 * np.abs(MINUTES - 0.5),
}


def waves(method, low, high):
    """Temperatures by the minute of two days with the same extremes."""
    shape = SHAPES["single-triangle" if method == "single-triangle" else "single-sine"]
    return (high + low) / 2 + (high - low) / 2 * shape


@pytest.mark.parametrize("cutoff", CUTOFFS)
@pytest.mark.parametrize("method", METHODS[:3])
def test_closed_forms_agree_with_a_sum_by_the_minute(method, cutoff):
    for low, high in DAYS:
        for lower, upper in LIMITS:
            by_minute = float(rate_above(waves(method, low, high), lower, upper, cutoff).mean())
            closed = from_extremes(
                [low, low], [high, high], lower, upper, method=method, cutoff=cutoff
            )
            assert closed == pytest.approx([by_minute, by_minute], rel=0.005, abs=0.01), (
                low,
                high,
                lower,
                upper,
            )


def test_a_double_sine_comes_down_to_the_next_days_minimum():
    closed = from_extremes([10, 4], [24, 20], 8, method="double-sine")
    up, down = waves("sine", 10, 24)[:720], waves("sine", 4, 24)[720:]
    assert closed[0] == pytest.approx(
        float(np.clip(np.concatenate((up, down)) - 8, 0, None).mean()), rel=0.005
    )


@pytest.mark.parametrize("cutoff", CUTOFFS)
def test_hours_agree_with_the_closed_form_and_state_the_error_of_a_vertical_cut_off(cutoff):
    for low, high in DAYS:
        for lower, upper in LIMITS:
            hours = waves("sine", low, high).reshape(24, 60).mean(axis=1)
            closed = float(from_extremes([low], [high], lower, upper, cutoff=cutoff)[0])
            allowed = (
                vertical_error(lower, upper) if cutoff == "vertical" and upper is not None else 0.1
            )
            assert float(from_hours(hours, lower, upper, cutoff=cutoff)[0]) == pytest.approx(
                closed, rel=0.01, abs=allowed
            ), (low, high, lower, upper)


@given(
    st.floats(-10, 30),
    st.floats(0, 20),
    st.floats(0, 15),
    st.floats(1, 20),
    st.sampled_from(METHODS[:3]),
)
def test_cut_offs_only_lower_the_sum_and_in_their_order(low, swing, lower, width, method):
    def total(upper, cutoff):
        return float(
            from_extremes([low], [low + swing], lower, upper, method=method, cutoff=cutoff)[0]
        )

    none, *limited = total(None, "horizontal"), *(total(lower + width, c) for c in CUTOFFS)
    assert none + 1e-9 >= limited[0] >= limited[1] - 1e-9
    assert limited[1] + 1e-9 >= limited[2] >= -1e-9


@pytest.mark.parametrize(
    "call",
    [
        lambda: from_extremes([10], [5], 2),
        lambda: from_extremes([5], [10], 20, 10),
        lambda: from_extremes([5], [10], 2, method="guess"),
        lambda: from_extremes([5], [10], 2, cutoff="soft"),
        lambda: from_extremes([5, 6], [10], 2),
        lambda: from_extremes([5], [10], 99),
    ],
)
def test_impossible_values_are_refused(call):
    with pytest.raises(InputError):
        call()
