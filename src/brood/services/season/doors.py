"""When pots may go out and must come in, and when a place rests."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from brood.services.season.year_warmth import PlaceWarmth
from brood.store.place_tables import Place

MOVING_C = 10.0
"""Tender plants stand outdoors while nights stay above this (C)."""
REST_C = 8.0
"""Under this mean nearly nothing grows and most pests rest (C)."""
AROUND, SHORTEST_REST = 5, 21
OUTSIDE = ("outdoor", "balcony")


@dataclass(frozen=True)
class Door:
    """A day on which pots go out to a place, or come in from it."""

    place: Place
    on: date
    out: bool

    @property
    def text(self) -> str:
        """What it is, in words."""
        where = self.place.name.lower()
        if self.out:
            return f"Nights over {MOVING_C:g} °C at the {where}: check pots, then move them out"
        return f"Nights near {MOVING_C:g} °C at the {where}: check pots and bring them in"


@dataclass(frozen=True)
class Sleep:
    """A stretch in which it is too cold at a place for most pests to grow."""

    place: Place
    since: date
    until: date


def of_place(place: Place, warmth: PlaceWarmth, first: date, last: date) -> list[Door]:
    """The days in a stretch on which nights at a place outside cross the temperature for
    moving. None of a place inside, or where nothing is known.
    """
    if place.setting not in OUTSIDE:
        return []
    out, before = [], None
    for n in range((last - first).days + 1):
        day = first + timedelta(days=n)
        night = _around(warmth, day)
        if night is None:
            before = None
            continue
        warm = night >= MOVING_C
        if before is not None and warm != before:
            out.append(Door(place, day, warm))
        before = warm
    return _lasting(out)


def _around(warmth: PlaceWarmth, day: date) -> float | None:
    """The mean of the nights around a day, half of them before it."""
    nights = [warmth.night_of(day + timedelta(days=n)) for n in range(-AROUND, AROUND + 1)]
    known = [night for night in nights if night is not None]
    return sum(known) / len(known) if known else None


def _lasting(found: list[Door]) -> list[Door]:
    """The crossings that last: of several within three weeks the last out, the first in."""
    out: list[Door] = []
    for one in found:
        if out and (one.on - out[-1].on).days <= SHORTEST_REST:
            out.pop()
            continue
        out.append(one)
    return out


def sleeps(place: Place, warmth: PlaceWarmth, first: date, last: date) -> list[Sleep]:
    """The stretches of a window in which a place is too cold for most pests to grow."""
    out: list[Sleep] = []
    since = None
    for n in range((last - first).days + 2):
        day = first + timedelta(days=n)
        cold = n <= (last - first).days and _cold(warmth, day)
        if cold and since is None:
            since = day
        if not cold and since is not None:
            if (day - since).days >= SHORTEST_REST:
                out.append(Sleep(place, since, day))
            since = None
    return out


def _cold(warmth: PlaceWarmth, day: date) -> bool:
    found = [warmth.mean_of(day + timedelta(days=n)) for n in range(-AROUND, AROUND + 1)]
    known = [one[0] for one in found if one is not None]
    return bool(known) and sum(known) / len(known) < REST_C
