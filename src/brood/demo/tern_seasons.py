"""Two earlier years at Tern Cottage: how warm it was, and what came when."""

from __future__ import annotations

import math
from collections.abc import Mapping
from datetime import datetime, timedelta

import numpy as np
from sqlalchemy.orm import Session

from brood.services.house import places
from brood.services.season import notes, ways_in
from brood.services.season.notes import SightingCommand
from brood.services.season.ways_in import WayInCommand
from brood.services.voice.desk import Desk
from brood.services.warmth.weather import SimulatedWeather
from brood.services.warmth.weather import keep as keep_report

YEARS, REPORT_DAYS, PEAK = 2, 55, 45
"""How many earlier years are told, how far apart weather reports were fetched, and after how
many days from the present one it is warmest.
"""
SEEN = (
    ("tetranychus-urticae", "Glazed balcony", ((1, -12), (2, -4))),
    ("macrosiphum-euphorbiae", "Lean-to", ((1, 21), (2, 27))),
    ("frankliniella-occidentalis", "Glazed balcony", ((1, 46), (2, 54))),
    ("bradysia", "Kitchen sill", ((1, 134), (2, 148))),
    ("coccus-hesperidum", "North stairwell", ((1, 256), (2, 262))),
)
"""Pest, place, and when it was first seen: years ago, and days from the present day on."""

CAME_IN: tuple[tuple[str, str, int, tuple[str, ...], str], ...] = (
    ("flowers", "Propagation shelf", 6, (), ""),
    ("outside", "Raised bed", 40, ("aphid", "whitefly"), "the elder hedge"),
)
"""What came in, beside what, how many days ago, what it has, and its name."""


def tell(session: Session, place_ids: Mapping[str, int], moment: datetime, month: int) -> None:
    """Keep two years of the lean-to's diary and of the weather, and what was first seen.
    `month` is the one as which the present one counts.
    """
    _diary(session, place_ids["Lean-to"], moment)
    for n in range(YEARS * 365 // REPORT_DAYS, 0, -1):
        then = moment - timedelta(days=n * REPORT_DAYS)
        service = SimulatedWeather(as_if_month=month, today=moment.date())
        keep_report(session, place_ids["Raised bed"], service, then)
    for pest, place, days in SEEN:
        for years, offset in days:
            on = moment.date() - timedelta(days=365 * years - offset)
            if on <= moment.date():
                said = SightingCommand(pest, place_ids[place], on)
                notes.add(session, said, now=moment)


def comes_in(desk: Desk, place_ids: Mapping[str, int]) -> None:
    """What came into the house lately, and a hedge outside that nobody treats."""
    for kind, place, ago, groups, note in CAME_IN:
        on = desk.today - timedelta(days=ago)
        ways_in.keep(desk, WayInCommand(kind, place_ids[place], on, groups, note))


def _diary(session: Session, place_id: int, moment: datetime) -> None:
    """The lean-to day by day, up to where its diary of the last weeks begins."""
    rng = np.random.default_rng(29)
    rows, slow = [], 0.0
    for n in range(YEARS * 365, 15, -1):
        turn = math.cos(2 * math.pi * (-n - PEAK) / 365)
        slow = 0.8 * slow + float(rng.normal(0, 0.9))
        low = 6.5 + 6.5 * turn + slow + float(rng.normal(0, 0.5))
        high = 14.0 + 9.0 * turn + 1.4 * slow + float(rng.normal(0, 0.9))
        day = moment.date() - timedelta(days=n)
        rows.append(places.DiaryEntry(day, round(low, 1), round(max(high, low + 2), 1)))
    places.keep_diary(session, place_id, rows, now=moment)
