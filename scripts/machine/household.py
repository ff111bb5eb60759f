"""A household made from a seed: places of every kind, plants of every build, and the
pests that will come.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from brood.catalogue.holdings import Catalogue

from .truth import Climate

SOURCES = ("set-points", "constant", "diary", "logger", "sensor", "weather")
SETTINGS = ("indoor", "glasshouse", "balcony", "outdoor")
KINDS = (
    "foliage",
    "flowering",
    "rosette",
    "woody-citrus",
    "seedling-herb",
    "fruiting-vegetable",
    "orchid",
    "cactus-succulent",
    "cabbage-family",
)
BUILDS = ("", "upright", "rosette", "orchid", "cactus", "head", "tray")
NAMES = (
    "Aubergine",
    "Sweet pepper",
    "Fuchsia",
    "Pelargonium",
    "Bay laurel",
    "Maidenhair fern",
    "Coffee plant",
    "Calamondin",
    "Streptocarpus",
    "Basil",
    "Pak choi",
    "Kohlrabi",
)
ROOMS = (
    "Kitchen sill",
    "North stairwell",
    "Lean-to",
    "Glazed balcony",
    "Raised bed",
    "Propagation shelf",
)
DAYS_C = ((24, 18), (19, 12), (15, 9), (14, 14), (20, 14), (23, 18), (27, 21), (21, 21), (9, 7))
"""Set points, °C by day and night, from warm rooms to where almost nothing develops."""


@dataclass
class Place:
    """A place as its keeper knows it, and as it is. `id` is its number in the application."""

    name: str
    setting: str
    source: str
    points: tuple[float, float]
    climate: Climate
    id: int = 0


@dataclass
class Plant:
    """A plant; `gone` once it is lost or given away."""

    name: str
    kind: str
    build: str
    place: Place
    id: int = 0
    gone: bool = False


@dataclass
class Nature:
    """How a keeper is: how likely they treat, mark, look, and how well they see; how
    often they go away.
    """

    treats: float
    marks: float
    looks: float
    sees: float
    reach: float
    away_a_year: float


NATURES = {
    False: ((0.4, 0.98), (0.5, 0.95), (0.2, 0.9), (0.35, 0.85), (0.6, 0.95), (0.5, 2.5)),
    True: ((0.95, 1.0), (0.95, 1.0), (0.9, 1.0), (0.8, 0.95), (0.88, 0.97), (0.2, 0.8)),
}
"""From what to what each of these goes, of most keepers and of careful ones."""
CAREFUL = 0.4


@dataclass
class Household:
    """All that a seed says of a household before anything happens."""

    seed: tuple[int, int]
    rng: np.random.Generator
    unit: str
    locale: str
    hemisphere: str
    nature: Nature
    places: list[Place]
    plants: list[Plant]
    pests: list[str] = field(default_factory=list)
    most_cases: int = 1


def made(seed: int, n: int, catalogue: Catalogue) -> Household:
    """Household `n` of a seed. Over the households of a seed every pest, kind of place
    and source comes up in turn.
    """
    rng = np.random.default_rng([seed, n])
    hemisphere = str(rng.choice(["north", "south"]))
    order = np.random.default_rng(seed)
    pests = [list(catalogue.pests)[i] for i in order.permutation(len(catalogue.pests))]
    places = [
        _place(rng, seed + n, (n + k) % len(SOURCES), k, hemisphere)
        for k in range(int(rng.integers(2, 4)))
    ]
    names = [NAMES[i] for i in rng.permutation(len(NAMES))[: int(rng.integers(4, 7))]]
    plants = [
        Plant(
            name,
            KINDS[(seed + 3 * n + k) % len(KINDS)],
            str(rng.choice(BUILDS)),
            places[int(rng.integers(len(places)))],
        )
        for k, name in enumerate(names)
    ]
    careful = np.random.default_rng([seed, n, 1]).random() < CAREFUL
    nature = Nature(*(float(rng.uniform(a, b)) for a, b in NATURES[bool(careful)]))
    mine = [pests[(5 * n + k) % len(pests)] for k in range(5)]
    unit, locale = str(rng.choice(["C", "F"])), str(rng.choice(["en-GB", "en-US", "en-CA"]))
    return Household(
        (seed, n), rng, unit, locale, hemisphere, nature, places, plants, mine, (1, 2, 1, 3)[n % 4]
    )


def _place(rng: np.random.Generator, seed: int, source: int, k: int, hemisphere: str) -> Place:
    kind = SOURCES[source]
    setting = (
        SETTINGS[int(rng.integers(len(SETTINGS)))]
        if kind in ("diary", "logger", "sensor")
        else "outdoor"
        if kind == "weather"
        else "indoor"
    )
    day, night = DAYS_C[int(rng.integers(len(DAYS_C)))]
    points = (float(day), float(day if kind == "constant" else night))
    climate = Climate(
        setting,
        seed,
        hemisphere,
        points if kind in ("set-points", "constant") else None,
        float(rng.normal(0, 0.7)),
    )
    return Place(ROOMS[k], setting, kind, points, climate)
