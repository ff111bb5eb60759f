"""Cases that were cleared in the cold: when to look again, because the silence may have
been rest.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from brood.core.biology.pest import Pest
from brood.core.biology.stage_times import rate_sum
from brood.core.season.heat_sums import Array
from brood.services.cases.beside import House
from brood.services.desk import Desk
from brood.services.warmth.hourly import known_series
from brood.store.tables import PestCase, Plant

BEFORE_DAYS, WARM_C, SLOWER = 21, 25.0, 3.0
"""A case is cleared in the cold where, at the warmth of its last weeks, a generation takes so
many times as long as in the warmth (our judgement, C).
"""
KEPT_DAYS, ASKED_DAYS, MOST_DAYS = 330, 60, 800.0
WINTER = {"north": (11, 12, 1, 2), "south": (5, 6, 7, 8)}
SPRING = {"north": 3, "south": 9}


@dataclass(frozen=True)
class Waking:
    """A plant to look at again for what it was cleared of in the cold, from a day on. `warmed`
    says that its place has had the warmth of a generation since.
    """

    case: PestCase
    plant: Plant
    since: date
    warmed: bool


def awake(desk: Desk, house: House) -> list[Waking]:
    """The plants to look at again today, each pest of a plant once."""
    found = {(w.plant.id, w.case.pest_id): w for p in house.here for w in _of_plant(desk, p)}
    return [
        one
        for one in found.values()
        if one.since <= desk.today <= one.since + timedelta(days=ASKED_DAYS)
        and house.looked.get(one.plant.id, date.min) < one.since
    ]


def _of_plant(desk: Desk, plant: Plant) -> Iterator[Waking]:
    for row in plant.cases:
        if row.closed_at is None or not plant.stays:
            continue
        closed = row.closed_at.date()
        if not timedelta(0) < desk.today - closed <= timedelta(days=KEPT_DAYS):
            continue
        if any(c.closed_at is None and c.pest_id == row.pest_id for c in plant.cases):
            continue
        since, warmed = _wakes(desk, plant, row, closed)
        if since is not None:
            yield Waking(row, plant, since, warmed)


def _wakes(desk: Desk, plant: Plant, row: PestCase, closed: date) -> tuple[date | None, bool]:
    """The day on which to look again, None where there is none yet, and whether warmth says
    so. Where it was warm all along, only the short days of winter can have been rest.
    """
    pest, place = desk.catalogue.pest(row.pest_id), plant.stays[-1].place
    before = known_series(desk.session, place, closed - timedelta(days=BEFORE_DAYS), closed)
    if before is None or not _rested(pest, float(before.celsius.mean())):
        return _spring(desk.prefs.hemisphere, closed), False
    since_then = known_series(desk.session, place, closed, desk.today)
    if since_then is None:
        return None, True
    hours = since_then.celsius
    took = _generation(pest, hours, len(hours) / 24)
    return (closed + timedelta(days=math.ceil(took)) if math.isfinite(took) else None), True


def _rested(pest: Pest, celsius: float) -> bool:
    """Whether a generation takes so long at a warmth that nothing seen says little."""
    there, warm = (_generation(pest, np.array([c]), MOST_DAYS) for c in (celsius, WARM_C))
    return there > SLOWER * warm


def _generation(pest: Pest, hours: Array, most_days: float) -> float:
    """The days of a generation of a mean individual, egg to egg, at hourly °C that are
    repeated as often as needed. Infinite where it takes more than `most_days`.
    """
    return rate_sum([stage.rate for stage in pest.stages], hours, most_days=most_days)[-1]


def _spring(hemisphere: str, closed: date) -> date | None:
    """The first day of spring after a winter's day; None after any other day."""
    if closed.month not in WINTER[hemisphere]:
        return None
    first = date(closed.year, SPRING[hemisphere], 1)
    return first if first > closed else first.replace(year=closed.year + 1)
