"""Hints of risk from what a place's own warmth, its plants and its air tell. Each is shown
until somebody has seen it, and then not again for two months.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from brood.core.biology.stage_times import rate_sum
from brood.services.cases.beside import House, beside_in
from brood.services.house import plants
from brood.services.house.neighbours import sources
from brood.services.season.rhythm import HOT, HOT_C, mean_of_week
from brood.services.voice import preferences
from brood.services.voice.desk import Desk
from brood.services.voice.speech import days, listed
from brood.store.place_tables import Place
from brood.store.queries import lasting
from brood.store.tables import Plant

AGO_DAYS, AGAIN_DAYS = 35, 60
"""How far back a cold spell may lie, and for how long a hint that was seen is not shown again."""
SLOW_DRY_C, REST_C = 16.0, 4.0
"""Soil dries slowly below the first mean; below the second nothing is watered (C)."""
WOKE_C, SLEPT_C = 12.0, 8.0
"""A place has woken where its week is over the first, and was under the second before (C)."""
FLUSH_FIRST, FLUSH_LAST = 10, 28
"""So many days after a cut new shoots are soft (our judgement, C)."""
MITE = "tetranychus-urticae"
DRIFTS = ("spider-mite", "broad-mite", "soil-thrips", "leaf-thrips", "whitefly", "aphid")
"""The groups whose animals drift or fly on moving air."""
INSIDE = ("indoor", "glasshouse")


@dataclass(frozen=True)
class Hint:
    """What is likely now, why, and what to do. `key` names it for good; `url` is where its
    ground can be read, `place_id` the place that it is about.
    """

    key: str
    title: str
    text: str
    url: str
    place_id: int


def standing(desk: Desk, house: House) -> list[Hint]:
    """The hints of the day that nobody has seen lately."""
    return [one for one in every(desk, house) if not _seen_lately(desk, one.key)]


def every(desk: Desk, house: House) -> list[Hint]:
    """All hints of the day, seen or not."""
    out: list[Hint] = []
    for some in house.by_place.values():
        place = some[0].stays[-1].place
        lately, before = (_mean(desk, place, n) for n in (0, AGO_DAYS))
        out += _hot(desk, place, lately)
        out += _wet(desk, place, some, lately)
        out += _woke(desk, place, some, lately, before)
    out += _flush(desk, house)
    out += _drift(desk, house)
    return out


def see(desk: Desk, key: str) -> None:
    """Note that a hint was seen."""
    preferences.put(desk.session, _setting(key), desk.today.isoformat())


def unsee(desk: Desk, key: str) -> None:
    """Show a hint again."""
    preferences.put(desk.session, _setting(key), "")


def _setting(key: str) -> str:
    return f"hint.{key}"


def _seen_lately(desk: Desk, key: str) -> bool:
    kept = preferences.get(desk.session, _setting(key))
    return bool(kept) and (desk.today - date.fromisoformat(str(kept))).days < AGAIN_DAYS


def _mean(desk: Desk, place: Place, ago: int) -> float | None:
    """The mean °C of a week that ended so many days ago, as it was measured. None where
    nothing is known, or only what the keeper says of the place.
    """
    return None if place.source in ("constant", "set-points") else mean_of_week(desk, place, ago)


def _hot(desk: Desk, place: Place, lately: float | None) -> Iterator[Hint]:
    """A hot week: mites breed fast."""
    if lately is None or lately < HOT_C:
        return
    models = [stage.rate for stage in desk.catalogue.pest(MITE).stages]
    took = rate_sum(models, np.array([lately]))[-1]
    if not math.isfinite(took):
        return
    yield Hint(
        f"hot-{place.id}",
        f"A hot week: {place.name.lower()}",
        f"At {desk.speech.warmth(lately)} spider mites need {days(round(took))} for a generation. "
        f"Look at undersides every {HOT} days, rinse dust off, and do not let plants dry out.",
        f"/places/{place.id}",
        place.id,
    )


def _wet(desk: Desk, place: Place, some: list[Plant], lately: float | None) -> Iterator[Hint]:
    """A cool week inside: soil stays wet, and gnats lay in it."""
    if lately is None or place.setting not in INSIDE or not REST_C <= lately < SLOW_DRY_C:
        return
    prone = [p for p in some if plants.prone_weights(desk.catalogue, p)["bradysia"] >= plants.PRONE]
    wet = [
        p
        for p in prone
        if not any(
            r.kind == "dry-surface" and lasting.last_day(r) >= desk.today
            for r in lasting.of_plant(desk.session, p.id)
        )
    ]
    if wet:
        yield Hint(
            f"wet-{place.id}",
            f"Soil dries slowly: {place.name.lower()}",
            f"At {desk.speech.warmth(lately)} soil stays wet for long, and fungus gnats lay in it. "
            f"Let the top 3 cm dry before you water: {_names(wet)}.",
            f"/places/{place.id}",
            place.id,
        )


def _woke(
    desk: Desk, place: Place, some: list[Plant], lately: float | None, before: float | None
) -> Iterator[Hint]:
    """A place that was cold is warm again: new growth draws aphids."""
    if lately is None or before is None or lately < WOKE_C or before >= SLEPT_C:
        return
    liked = [p for p in some if plants.susceptible_to(desk.catalogue, p, "aphid")]
    if liked:
        yield Hint(
            f"woke-{place.id}",
            f"It has grown warm: {place.name.lower()}",
            f"{desk.speech.warmth(lately)} in the last week, after {desk.speech.warmth(before)} a "
            f"month ago. New growth draws aphids: look at tips and buds once a week: "
            f"{_names(liked)}.",
            f"/places/{place.id}",
            place.id,
        )


def _flush(desk: Desk, house: House) -> Iterator[Hint]:
    """A plant that was cut back puts out soft shoots."""
    since = desk.today - timedelta(days=FLUSH_LAST)
    cuts = lasting.last_cuts(desk.session, since)
    for plant in house.here:
        cut = cuts.get(plant.id)
        if cut is None or (desk.today - cut).days < FLUSH_FIRST:
            continue
        if plants.susceptible_to(desk.catalogue, plant, "aphid"):
            yield Hint(
                f"flush-{plant.id}",
                f"Soft new shoots: {plant.name.lower()}",
                f"It was cut back on {desk.speech.day(cut)}. Aphids and thrips like the new "
                "shoots: look at the tips once a week.",
                f"/plants/{plant.id}",
                plant.stays[-1].place_id if plant.stays else 0,
            )


def _drift(desk: Desk, house: House) -> Iterator[Hint]:
    """Plants stand downwind of one whose pest drifts on the air."""
    for plant in house.here:
        drifting = [
            row
            for row in sources(plant, desk.today)
            if desk.catalogue.records[row.pest_id].group in DRIFTS
        ]
        down = (
            [n.plant for n in beside_in(house, plant) if "downwind" in n.ways] if drifting else []
        )
        if down:
            pests = listed([desk.catalogue.records[row.pest_id].plural.lower() for row in drifting])
            yield Hint(
                f"drift-{plant.id}",
                f"Downwind of the {plant.name.lower()}",
                f"Air moves from it to {_names(down)}, and {pests} drift on it. Shut the window on "
                "that side, or move them.",
                f"/places/{plant.stays[-1].place_id}/plan",
                plant.stays[-1].place_id,
            )


def _names(some: list[Plant]) -> str:
    names = [p.name.lower() for p in some]
    return (
        listed(names[:4])
        if len(names) <= 4
        else f"{', '.join(names[:3])} and {len(names) - 3} more"
    )
