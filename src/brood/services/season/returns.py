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
from brood.services.season.year_warmth import PlaceWarmth, Warmths
from brood.services.voice.desk import Desk
from brood.store.queries import cases
from brood.store.tables import PestCase, Plant

BEFORE_DAYS, WARM_C, SLOWER = 21, 25.0, 3.0
"""A case is cleared in the cold where, at the warmth of its last weeks, a generation takes so
many times as long as in the warmth (our judgement, C).
"""
KEPT_DAYS, ASKED_DAYS = 330, 60
HOURS, FROZEN_C = 24, -30.0
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
    warmths = Warmths(desk.session, {p.id: p for p in cases.places(desk.session)}, desk.today)
    found = {
        (w.plant.id, w.case.pest_id): w for p in house.here for w in _of_plant(desk, p, warmths)
    }
    return [
        one
        for one in found.values()
        if one.since <= desk.today <= one.since + timedelta(days=ASKED_DAYS)
        and house.looked.get(one.plant.id, date.min) < one.since
    ]


def _of_plant(desk: Desk, plant: Plant, warmths: Warmths) -> Iterator[Waking]:
    for row in plant.cases:
        if row.closed_at is None or not plant.stays:
            continue
        closed = row.closed_at.date()
        if not timedelta(0) < desk.today - closed <= timedelta(days=KEPT_DAYS):
            continue
        if any(c.closed_at is None and c.pest_id == row.pest_id for c in plant.cases):
            continue
        since, warmed = _wakes(desk, row, closed, warmths[plant.stays[-1].place_id])
        if since is not None:
            yield Waking(row, plant, since, warmed)


def _wakes(
    desk: Desk, row: PestCase, closed: date, warmth: PlaceWarmth
) -> tuple[date | None, bool]:
    """The day on which to look again, None where there is none yet, and whether warmth says
    so. Where it was warm all along, only the short days of winter can have been rest.
    """
    pest = desk.catalogue.pest(row.pest_id)
    before = _hours(warmth, closed - timedelta(days=BEFORE_DAYS), closed)
    known = before[~np.isnan(before)]
    if len(known) < len(before) / 2 or not _rested(pest, float(known.mean())):
        return _spring(desk.prefs.hemisphere, closed), False
    since_then = np.nan_to_num(_hours(warmth, closed, desk.today), nan=FROZEN_C)
    models = [stage.rate for stage in pest.stages]
    took = rate_sum(models, since_then, most_days=len(since_then) / HOURS)[-1]
    return (closed + timedelta(days=math.ceil(took)) if math.isfinite(took) else None), True


def _hours(warmth: PlaceWarmth, first: date, last: date) -> Array:
    """The °C of every hour from one day up to another, shape (24 a day,): a third of each day
    at its lowest, at its middle and at its highest. Not a number where nothing is known.
    """
    low, high = warmth.days(first, max((last - first).days, 1))
    return np.repeat(np.stack((low, (low + high) / 2, high), axis=1).ravel(), HOURS // 3)


def _rested(pest: Pest, celsius: float) -> bool:
    """Whether a generation of a mean individual takes so long at a warmth that nothing seen
    says little.
    """
    rates = [stage.rate.per_day(np.array([celsius, WARM_C])) for stage in pest.stages]
    if any(one[0] <= 0 for one in rates):
        return True
    there, warm = (sum(1 / float(one[n]) for one in rates) for n in (0, 1))
    return there > SLOWER * warm


def _spring(hemisphere: str, closed: date) -> date | None:
    """The first day of spring after a winter's day; None after any other day."""
    if closed.month not in WINTER[hemisphere]:
        return None
    first = date(closed.year, SPRING[hemisphere], 1)
    return first if first > closed else first.replace(year=closed.year + 1)
