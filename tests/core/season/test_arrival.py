"""The arrival forecast: bands from dates and from heat, and how they widen."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from brood.core.season import arrival, heat_sums
from brood.core.season.arrival import Sighting
from brood.core.season.biofix import DAYS, biofix, day_of, season_of
from brood.core.season.heat_sums import YearOfDays

FLAT = np.cumsum(np.full((1, DAYS), 5.0), axis=1)
"""Five degree-days every day, for certain."""


def test_a_single_year_gives_its_date_with_two_weeks_to_either_side():
    band = arrival.by_date([Sighting(150)])
    assert band.likely == pytest.approx(150.5)
    assert band.late - band.likely == pytest.approx(14.0)
    assert band.likely - band.early == pytest.approx(14.0)


def test_a_single_year_gives_its_heat_with_fifteen_in_a_hundred_to_either_side():
    band = arrival.by_heat([Sighting(0, 400.0)], FLAT)
    assert band.likely == pytest.approx(80.0, abs=0.1)
    assert band.late - band.likely == pytest.approx(12.0, abs=0.1)


def test_several_years_give_a_student_band_by_the_formulas_written_out():
    days = [150.0, 158.0, 149.0, 161.0]
    n, first = len(days), 14.0 / (stats.t.ppf(0.9, 4) * math.sqrt(2))
    mean = sum(days) / n
    variance = (4 * first**2 + sum((d - mean) ** 2 for d in days)) / (4 + n - 1)
    wide = stats.t.ppf(0.9, 4 + n - 1) * math.sqrt(variance * (1 + 1 / n))
    band = arrival.by_date([Sighting(d - 0.5) for d in days])
    assert band.late - mean == pytest.approx(wide)
    assert band.begin == pytest.approx(band.early - arrival.PREVENTION_DAYS)


def test_unknown_weather_widens_the_band():
    seen = [Sighting(0, 400.0), Sighting(0, 420.0)]
    rates = np.linspace(4.0, 6.0, 9)[:, None]
    unsure = np.cumsum(np.broadcast_to(rates, (9, DAYS)), axis=1)
    assert arrival.by_heat(seen, unsure).width > arrival.by_heat(seen, FLAT).width + 5


def test_where_the_heat_never_comes_the_dates_are_taken():
    cold = np.cumsum(np.full((9, DAYS), 0.5), axis=1)
    seen = [Sighting(150, 400.0)]
    assert arrival.by_heat(seen, cold) is None
    assert not arrival.forecast(seen, cold).by_heat
    assert arrival.forecast([], FLAT) is None


def test_a_few_dates_close_together_by_chance_do_not_beat_the_heat():
    seen = [Sighting(80, 400.0), Sighting(81, 405.0)]
    assert arrival.forecast(seen, FLAT).by_heat
    apart = [Sighting(80, 250.0), Sighting(81, 550.0)]
    assert not arrival.forecast(apart, FLAT).by_heat


def test_a_sighting_is_judged_by_whole_days():
    band = arrival.Band(100.4, 110.0, 120.2, True, 2)
    assert [arrival.held(band, d) for d in (99, 100, 120, 121)] == [
        "early",
        "right",
        "right",
        "late",
    ]


@given(
    st.lists(
        st.tuples(st.integers(0, 364), st.floats(0, 4000) | st.none()), min_size=1, max_size=8
    ),
    st.floats(0.0, 25.0),
)
def test_every_band_is_finite_and_in_order(rows, rate):
    sums = np.cumsum(np.full((arrival.SCENARIOS, DAYS), rate), axis=1)
    band = arrival.forecast([Sighting(d, h) for d, h in rows], sums)
    assert all(math.isfinite(x) for x in (band.begin, band.early, band.likely, band.late))
    assert band.early <= band.likely <= band.late


def test_years_that_differ_more_make_the_weather_to_come_less_certain():
    assert arrival.spread_between([]) == arrival.SEASON_C
    assert arrival.spread_between([10, 14, 8, 13]) > arrival.spread_between([11, 11.2, 10.9, 11.1])
    offsets = arrival.offsets(1.0)
    assert offsets.mean() == pytest.approx(0.0, abs=1e-9)
    assert np.all(np.diff(offsets) > 0)


def test_the_year_begins_at_the_biofix_of_each_hemisphere():
    assert season_of("north", biofix("north", 2026)) == 2026
    june, july = biofix("south", 2026).replace(month=6, day=30), biofix("south", 2026)
    assert (season_of("south", june), season_of("south", july)) == (2025, 2026)
    assert day_of("south", june) == 364


def test_known_days_are_alike_in_every_scenario_and_sums_never_fall():
    low, high = np.full(DAYS, 8.0), np.full(DAYS, 18.0)
    begun = np.arange(DAYS) < 100
    this = YearOfDays(np.where(begun, low + 2, np.nan), np.where(begun, high + 2, np.nan))
    sums = heat_sums.sums(this, heat_sums.smooth(low, high), 8.5, 30.0, 1.2)
    assert np.all(np.diff(sums, axis=1) >= 0)
    assert np.ptp(sums[:, 99]) == pytest.approx(0.0)
    assert np.ptp(sums[:, 300]) > 100


def test_heat_up_to_a_day_counts_half_of_it_and_needs_most_days():
    year = YearOfDays(np.full(DAYS, 15.0), np.full(DAYS, 15.0))
    assert heat_sums.heat_at(year, 9, 10.0, 30.0) == pytest.approx(47.5)
    gaps = YearOfDays(np.where(np.arange(DAYS) % 3, 15.0, np.nan), year.high)
    assert heat_sums.heat_at(gaps, 99, 10.0, 30.0) is None
    few = YearOfDays(np.where(np.arange(DAYS) == 5, np.nan, 15.0), year.high)
    assert heat_sums.heat_at(few, 99, 10.0, 30.0) == pytest.approx(497.5)
    assert heat_sums.heat_at(year, 365, 10.0, 30.0) is None
