"""Dilution and measures: against the textbook figures, and as properties."""

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from brood.core.mixing.dilution import ML, by_label, dilute, from_ml, mixed, spoons, to_ml
from brood.errors import InputError

VOLUMES = st.floats(1.0, 50_000.0)
STRENGTHS = st.floats(0.01, 100.0)
NIST_ML = {
    "tsp": 4.92892,
    "tbsp": 14.7868,
    "cup": 236.588,
    "fl oz": 29.5735,
    "quart": 946.353,
    "gallon": 3785.41,
    "imp pint": 568.261,
    "imp gallon": 4546.09,
    "l": 1000.0,
    "ml": 1.0,
    "drop": 0.05,
}
"""US customary measures by NIST Handbook 44, appendix C; the imperial pint and gallon
by the UK's Weights and Measures Act 1985.
"""


def test_measures_are_those_of_the_handbooks():
    assert set(NIST_ML) == set(ML)
    for unit, ml in NIST_ML.items():
        assert to_ml(1, unit) == pytest.approx(ml, rel=1e-5)


@settings(deadline=None)
@given(VOLUMES, st.sampled_from(sorted(ML)))
def test_a_volume_comes_back_from_every_measure_as_written_on_the_page(ml, unit):
    written = float(f"{from_ml(ml, unit):.4g}")
    assert to_ml(written, unit) == pytest.approx(ml, rel=0.005)


@given(VOLUMES, STRENGTHS, STRENGTHS)
def test_the_active_in_the_stock_is_the_active_in_the_mix(volume, percent, stock):
    assume(percent <= stock)
    taken = dilute(volume, percent, stock)
    assert taken * stock == pytest.approx(volume * percent)
    assert taken <= volume * (1 + 1e-9)
    assert dilute(2 * volume, percent, stock) == pytest.approx(2 * taken)


@given(VOLUMES, STRENGTHS, STRENGTHS)
def test_a_strength_above_the_stock_names_what_can_be_reached(volume, percent, stock):
    assume(percent > stock + 1e-6)
    with pytest.raises(InputError) as error:
        dilute(volume, percent, stock)
    assert f"{stock:g} % undiluted is the most" in error.value.message


@given(
    VOLUMES,
    st.lists(st.tuples(st.floats(0.05, 60.0), st.floats(60.0, 100.0)), min_size=1, max_size=4),
)
def test_parts_and_water_make_up_the_volume_or_it_is_said_that_they_do_not_fit(volume, parts):
    wanted = [(f"part-{n}", percent, stock) for n, (percent, stock) in enumerate(parts)]
    if sum(percent / stock for percent, stock in parts) > 1 + 1e-6:
        with pytest.raises(InputError, match="do not fit"):
            mixed(volume, wanted)
        return
    made = mixed(volume, wanted)
    assert made.water_ml >= 0
    assert made.water_ml + sum(p.ml for p in made.portions) == pytest.approx(volume, rel=1e-5)


@pytest.mark.parametrize(
    "bad",
    [(0, 1, 70), (100, 0, 70), (100, 1, 0), (-5, 1, 70), (100, 1, 101), (float("nan"), 1, 70)],
)
def test_impossible_numbers_are_refused(bad):
    with pytest.raises(InputError):
        dilute(*bad)


@settings(deadline=None)
@given(st.floats(0.7, 5_000.0))
def test_spoons_are_right_within_a_sixteenth_of_a_teaspoon(ml):
    size = {"cup": 48, "cups": 48, "tbsp": 3, "tsp": 1}
    total = 0.0
    for part in spoons(ml).split(" + "):
        *numbers, unit = part.split()
        total += size[unit] * sum(
            float(n.split("/")[0]) / float(n.split("/")[1]) if "/" in n else float(n)
            for n in numbers
        )
    assert abs(total * NIST_ML["tsp"] - ml) <= NIST_ML["tsp"] / 16 + 1e-6 * ml


def test_too_little_for_a_spoon_is_not_given_in_spoons_and_a_label_rate_is_per_litre():
    assert spoons(0.3) == ""
    assert by_label(1500, 2.5) == pytest.approx(3.75)
    with pytest.raises(InputError):
        by_label(1500, 0)
