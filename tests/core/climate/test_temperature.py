"""Temperatures by the hour, and degree-days."""

import math
from datetime import date, datetime, time, timedelta

import numpy as np
import pytest

from brood.core.climate.series import (
    EXPECTED,
    FILLED,
    MEASURED,
    SET,
    constant,
    daily,
    day_night,
    from_readings,
    joined,
    shifted,
    window,
)
from brood.errors import InputError

START = datetime(2026, 6, 1)


def test_a_daily_mean_is_not_good_enough_when_the_swing_crosses_the_threshold():
    swing = daily(date(2026, 6, 1), [6.0], [16.0])
    by_hour = float(np.clip(swing.celsius - 11, 0, None).sum() / 24)
    by_mean = max(0.0, float(swing.celsius.mean()) - 11)
    assert by_mean == pytest.approx(0, abs=1e-9)
    assert by_hour > 1.5


def test_set_points_change_at_their_clock_times_and_share_the_hour_between():
    series = day_night(START, 48, day=24, night=16, day_from=time(7, 30), night_from=time(21))
    assert [float(series.celsius[h]) for h in (0, 6, 7, 8, 20, 21, 31)] == [
        16,
        16,
        20,
        24,
        24,
        16,
        20,
    ]
    assert (series.origin == SET).all()


def test_night_may_begin_after_midnight():
    series = day_night(START, 24, day=24, night=16, day_from=time(9), night_from=time(1))
    assert [float(series.celsius[h]) for h in (0, 1, 8, 9, 23)] == [24, 16, 16, 24, 24]


def test_short_gaps_are_interpolated_and_long_ones_filled_from_the_days_around():
    readings = [
        (START + timedelta(minutes=30 * i), 20 + 5 * math.sin(2 * math.pi * i / 48))
        for i in range(48 * 4)
    ]
    holes = [
        r
        for r in readings
        if not (START + timedelta(hours=10) <= r[0] < START + timedelta(hours=12))
    ]
    holes = [
        r for r in holes if not (START + timedelta(hours=36) <= r[0] < START + timedelta(hours=46))
    ]
    series, whole = from_readings(holes), from_readings(readings)
    assert (series.origin[10:12] == MEASURED).all()
    assert (series.origin[36:46] == FILLED).all()
    assert np.abs(series.celsius - whole.celsius).max() < 0.4
    assert series.spread_c[40] > series.spread_c[0]


def test_readings_of_one_hour_are_averaged_in_any_order():
    assert from_readings(
        [(START + timedelta(minutes=50), 22.0), (START + timedelta(minutes=10), 20.0)]
    ).celsius.tolist() == [21.0]


@pytest.mark.parametrize("step", [1, 10, 60, 180, 1440])
def test_any_step_from_a_minute_to_a_day_gives_whole_hours(step):
    readings = [(START + timedelta(minutes=step * i), 18.0) for i in range(5 * 1440 // step + 1)]
    series = from_readings(readings)
    assert np.allclose(series.celsius, 18.0)
    assert (series.origin == MEASURED).all()


def test_a_series_is_continued_with_its_own_pattern_and_a_wider_spread():
    series = from_readings([(START + timedelta(hours=h), 15.0 + h % 24) for h in range(24 * 9)])
    longer = window(series, START - timedelta(days=2), START + timedelta(days=20), beyond_c=2.5)
    assert longer.celsius[48 : 48 + len(series)].tolist() == series.celsius.tolist()
    assert longer.celsius[-1] == 15.0 + longer.moment(len(longer) - 1).hour
    assert longer.origin[0] == longer.origin[-1] == EXPECTED
    assert longer.spread_c[-1] == 2.5


def test_set_points_stay_set_points_however_far_ahead():
    ahead = window(constant(START, 24, 20.0), START, START + timedelta(days=90))
    assert (ahead.origin == SET).all()


def test_a_move_joins_two_places_and_a_shift_moves_each_hour_by_its_spread():
    both = joined(constant(START, 48, 15.0), constant(START + timedelta(days=1), 48, 25.0))
    assert both.celsius[[0, 23, 24, 71]].tolist() == [15, 15, 25, 25]
    assert shifted(constant(START, 1, 20.0, spread_c=0.5), -2).celsius[0] == 19.0
    with pytest.raises(InputError, match="gap"):
        joined(constant(START, 24, 15.0), constant(START + timedelta(days=3), 24, 25.0))


@pytest.mark.parametrize(
    "make",
    [
        lambda: constant(START, 24, 61),
        lambda: constant(START, 0, 20),
        lambda: from_readings([]),
        lambda: from_readings([(START, -127.0)]),
        lambda: daily(START.date(), [10, 12], [20]),
        lambda: daily(START.date(), [22], [20]),
        lambda: day_night(START, 24, day=20, night=15, day_from=time(7), night_from=time(7)),
    ],
)
def test_impossible_temperatures_are_refused_in_a_sentence(make):
    with pytest.raises(InputError) as caught:
        make()
    assert caught.value.message.endswith(".")


@pytest.mark.parametrize("shape", ["single-sine", "double-sine", "single-triangle"])
def test_a_day_is_coldest_at_five_and_warmest_at_five(shape):
    celsius = daily(date(2026, 6, 1), [10.0], [20.0], shape=shape).celsius
    assert sorted(np.argsort(celsius)[:2]) == [4, 5]
    assert sorted(np.argsort(celsius)[-2:]) == [16, 17]
    assert celsius[11] == pytest.approx(celsius[22])
