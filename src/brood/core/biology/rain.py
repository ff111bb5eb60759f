"""What rain does to treatments outdoors: films and residues wash off, and a contact spray
is spoiled where it rains within hours.

How much rain washes off what, and the days between renewals, are our judgement from
label practice (grade C).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import date, timedelta
from enum import StrEnum

from brood.core.biology.case import Case, Evening, Rain
from brood.core.climate.hours import EVENING

HEAVY_MM, LIGHT_MM = 10.0, 2.0
"""From LIGHT_MM in all since a treatment half of a film is gone, over HEAVY_MM all of it."""
LEFT_BY_LIGHT = 0.5
SOON_HOURS = 4
"""A contact spray has dried after so many hours."""
NIGHT_HOUR = 1
SPOILED = 0.5
"""What rain within hours leaves of what a spray touches."""
RENEW_HEAVY, RENEW_LIGHT, RENEW_DRY = 7, 10, 14
"""Days after which a film is renewed: after heavy rain, after light rain, and dry."""


class Exposure(StrEnum):
    """How rain meets an act: a film stays on the leaf, a contact spray works while it is
    wet, and the others rain does not touch.
    """

    NONE = "none"
    CONTACT = "contact"
    FILM = "film"


def fallen(rain: Sequence[Rain], after: date, until: date) -> float:
    """The rain after an evening up to a day, in mm."""
    return sum(r.mm for r in rain if after < r.on <= until or (r.on == after and _late(r)))


def left_of_film(rain: Sequence[Rain], after: date, until: date) -> float:
    """The share of a film of an evening that rain has left by a day, 0 to 1."""
    mm = fallen(rain, after, until)
    return 1.0 if mm < LIGHT_MM else LEFT_BY_LIGHT if mm <= HEAVY_MM else 0.0


def _late(rain: Rain) -> bool:
    """Whether it came after the evening of its day."""
    return rain.hour is not None and rain.hour >= EVENING.hour


def spoils(rain: Sequence[Rain], on: date) -> bool:
    """Whether it rained within hours of an evening."""
    soon = (EVENING.hour, EVENING.hour + SOON_HOURS)
    return any(
        r.on == on and r.mm >= LIGHT_MM and r.hour is not None and soon[0] <= r.hour < soon[1]
        for r in rain
    )


def wets(rain: Sequence[Rain], on: date) -> bool:
    """Whether an evening is wet: it rains in the hours before or after it, or at some
    hour of its day that is not known.
    """
    night = on + timedelta(days=1)
    return any(
        r.mm >= LIGHT_MM
        and (
            (r.on == on and (r.hour is None or r.hour >= EVENING.hour - SOON_HOURS))
            or (r.on == night and r.hour is not None and r.hour <= NIGHT_HOUR)
        )
        for r in rain
    )


def renewal_days(rain: Sequence[Rain], on: date) -> int:
    """After how many days a film of an evening is renewed, by the rain that is known.
    Where it is not known that the time stays dry, light rain is to be expected.
    """
    for days in range(1, RENEW_DRY + 1):
        mm = fallen(rain, on, on + timedelta(days=days))
        if mm > HEAVY_MM:
            return max(RENEW_HEAVY, days)
        if mm >= LIGHT_MM and days >= RENEW_LIGHT:
            return days
    known = max((r.on for r in rain), default=on)
    return RENEW_DRY if on + timedelta(days=RENEW_DRY) <= known else RENEW_LIGHT


def rained_on(case: Case) -> Case:
    """The case with what rain spoiled: an evening of contact sprays that were washed off
    within hours touched half of what it would have.
    """
    sprays = {a.id for a in case.acts if a.rain == Exposure.CONTACT}
    if not case.rain or not sprays:
        return case
    return replace(case, done=tuple(_spoiled(case, one, sprays) for one in case.done))


def _spoiled(case: Case, one: Evening, sprays: set[str]) -> Evening:
    if not sprays.intersection(one.acts) or not spoils(case.rain, one.on):
        return one
    return replace(one, reach=case.reach_of(one) * SPOILED)
