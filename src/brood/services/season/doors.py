"""When pots may go out and must come in, and when a place rests."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from brood.core.season.heat_sums import Array
from brood.services.season.year_warmth import PlaceWarmth
from brood.services.voice.speech import Speech
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

    def said(self, speech: Speech) -> str:
        """What it is, in words."""
        where, warm = self.place.name.lower(), speech.warmth(MOVING_C)
        if self.out:
            return f"Nights over {warm} at the {where}: check pots, then move them out"
        return f"Nights near {warm} at the {where}: check pots and bring them in"


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
    for n, night in enumerate(_around(warmth, first, last, nights=True)):
        warm = None if np.isnan(night) else bool(night >= MOVING_C)
        if before is not None and warm is not None and warm != before:
            out.append(Door(place, first + timedelta(days=n), warm))
        before = warm
    return _lasting(out)


def _around(warmth: PlaceWarmth, first: date, last: date, *, nights: bool) -> Array:
    """The mean of the days (or nights) around each day of a stretch, half of them before it."""
    count = (last - first).days + 1 + 2 * AROUND
    low, high = warmth.days(first - timedelta(days=AROUND), count)
    each = low if nights else (low + high) / 2
    known, weights = ~np.isnan(each), np.ones(2 * AROUND + 1)
    total = np.convolve(np.where(known, each, 0.0), weights, "valid")
    days = np.convolve(known.astype(float), weights, "valid")
    return np.where(days > 0, total / np.maximum(days, 1), np.nan)


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
    cold = _around(warmth, first, last, nights=False) < REST_C
    edges = np.flatnonzero(np.diff(np.concatenate(([False], cold, [False])).astype(int)))
    return [
        Sleep(place, first + timedelta(days=int(a)), first + timedelta(days=int(b)))
        for a, b in zip(edges[::2], edges[1::2], strict=True)
        if b - a >= SHORTEST_REST
    ]
