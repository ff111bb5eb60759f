"""Rain on what was sprayed: published figures do not exist, so these are the rules as they
are written down, by hand.
"""

from dataclasses import replace
from datetime import date, timedelta

import pytest

from brood.core.biology.case import Evening, Rain
from brood.core.biology.rain import (
    Exposure,
    left_of_film,
    rained_on,
    renewal_days,
    spoils,
    wets,
)

DAY = date(2026, 6, 1)


def rain(*days):
    return tuple(Rain(DAY + timedelta(days=n), mm, *hour) for n, mm, *hour in days)


@pytest.mark.parametrize(
    ("fell", "left"),
    [
        ((), 1.0),
        (((1, 1.9),), 1.0),
        (((1, 1.0), (3, 1.0)), 0.5),
        (((1, 10.0),), 0.5),
        (((1, 4.0), (2, 6.1)), 0.0),
        (((0, 30.0),), 1.0),
        (((0, 30.0, 21),), 0.0),
        (((6, 30.0),), 1.0),
    ],
)
def test_a_film_is_left_by_the_rain_since_its_evening(fell, left):
    assert left_of_film(rain(*fell), DAY, DAY + timedelta(days=5)) == left


@pytest.mark.parametrize(
    ("fell", "days"),
    [
        (((3, 12.0),), 7),
        (((9, 12.0),), 9),
        (((3, 4.0),), 10),
        (((12, 4.0),), 12),
        (tuple((n, 0.0) for n in range(15)), 14),
        (tuple((n, 0.0) for n in range(9)), 10),
    ],
)
def test_a_film_is_renewed_after_heavy_rain_after_light_rain_and_when_it_stays_dry(fell, days):
    """Seven, about ten, fourteen days; where nobody knows that it stays dry, ten."""
    assert renewal_days(rain(*fell), DAY) == days


def test_an_evening_is_wet_by_rain_in_the_hours_about_it_or_at_an_hour_not_known():
    assert wets(rain((0, 5.0)), DAY)
    assert wets(rain((0, 5.0, 16)), DAY)
    assert wets(rain((1, 5.0, 1)), DAY)
    assert not wets(rain((0, 5.0, 9), (1, 5.0, 9), (1, 5.0)), DAY)
    assert not wets(rain((0, 1.0)), DAY)


def test_only_rain_within_hours_spoils_a_contact_spray_and_hand_work_never(make_case):
    case = make_case(acts=("wiping", "insecticidal-soap"))
    both = Evening(DAY, ("wiping", "insecticidal-soap"))
    hand = Evening(DAY + timedelta(days=2), ("wiping",))
    for hour, spoilt in ((20, True), (22, True), (23, False), (9, False)):
        assert spoils(rain((0, 5.0, hour)), DAY) == spoilt
        fell = rain((0, 5.0, hour), (2, 5.0, 20))
        wet = rained_on(replace(case, done=(both, hand), rain=fell))
        assert [e.reach for e in wet.done] == [case.reach / 2 if spoilt else None, None]
    assert case.acts[0].rain == Exposure.NONE
    assert case.acts[1].rain == Exposure.CONTACT
