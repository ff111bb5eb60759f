"""The growth from one treatment to the next: what tells treatments that can clear a plant."""

from dataclasses import replace
from datetime import timedelta

import numpy as np
import pytest
from conftest import MITE

from brood.catalogue.loader import shipped
from brood.core.biology.case import Arrival
from brood.core.course.growth import growth_per_cycle
from brood.core.course.planner import plan, problem_of
from brood.core.course.problem import MOST_SPRAYS, SPRAY_DAYS, SPRAYS_RUNNING, worn_out

CATALOGUE = shipped()


def test_without_acts_it_is_the_growth_of_the_untreated_pest(make_case):
    """By the equation of Euler and Lotka: births times survival, discounted, are 1."""
    case = make_case(MITE, 22.0)
    bare = replace(case, acts=(), refuge=0.0)
    week, fortnight = growth_per_cycle(bare, 7), growth_per_cycle(bare, 14)
    assert fortnight == pytest.approx(week**2, rel=0.02)
    rate, pest = np.log(week) / 7, case.pest
    chain = [(s.rate.days(22.0), s.survival) for s in pest.stages]
    counts = [max(1, round(d / sum(d for d, _ in chain[:-1]) / 0.14**2)) for d, _ in chain]
    delay = np.prod([s * (1 + rate * d / n) ** -n for (d, s), n in zip(chain, counts, strict=True)])
    born, lives = (np.interp(22.0, *np.array(t).T) for t in (pest.fecundity, pest.longevity))
    assert pest.female_share * born * delay / (rate + 1 / lives) == pytest.approx(1, rel=0.05)


def test_more_acts_and_shorter_gaps_leave_less_and_a_weak_one_never_clears(make_case):
    both, soap = make_case(MITE), make_case(MITE, acts=("insecticidal-soap",), reach=0.7)
    assert growth_per_cycle(both, 5) < 0.6 < 1 < growth_per_cycle(soap, 7)
    assert growth_per_cycle(both, 4) < growth_per_cycle(both, 7)
    answer = plan(problem_of(soap))
    assert answer.growth > 1
    assert any("never clear" in text for text in answer.warnings)


def test_an_act_counts_as_often_as_it_is_usual(make_case):
    oil = make_case(MITE, acts=("wiping", "paraffinic-oil"))
    often = replace(
        oil, acts=tuple(replace(a, usual_days=(1, 7), min_gap_days=1) for a in oil.acts)
    )
    assert growth_per_cycle(often, 4) < growth_per_cycle(oil, 4)
    assert growth_per_cycle(often, 7) == pytest.approx(growth_per_cycle(oil, 7), rel=1e-6)


def test_what_flies_in_from_elsewhere_is_no_growth_of_what_is_there(make_case):
    case = make_case(MITE)
    moths = Arrival(case.start, case.start + timedelta(days=60), 5.0)
    visited = replace(case, arrivals=(moths,))
    assert growth_per_cycle(visited, 7) == growth_per_cycle(case, 7)


def test_leaves_have_enough_after_five_sprays_in_three_weeks_and_rest_after_six():
    close = [0, 5, 10, 15, 20]
    assert len(close) == MOST_SPRAYS
    assert not worn_out(close[:4], 19)
    assert worn_out(close, 20)
    assert not worn_out(close, 21), "the first is three weeks ago"
    far = [0, 7, 14, 21, 28, 35]
    assert len(far) == SPRAYS_RUNNING
    assert not worn_out(far[:5], 35)
    assert worn_out(far, 42)
    assert not worn_out(far, 35 + SPRAY_DAYS)
    assert not worn_out([*far, 60], 67), "after a rest the count begins anew"


@pytest.mark.parametrize(
    "celsius", [35.0, *(pytest.param(c, marks=pytest.mark.long) for c in (5.0, 9.0, 15.0, 25.0))]
)
@pytest.mark.parametrize("pest", sorted(CATALOGUE.pests))
def test_it_is_a_number_for_every_pest_at_any_warmth(make_case, pest, celsius):
    case = make_case(pest, celsius, ())
    grown = growth_per_cycle(case, 7)
    assert np.isfinite(grown)
    assert 0 <= grown < 1e6
