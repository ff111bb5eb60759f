"""What an evening takes: minutes and millilitres, by the catalogue or as the keeper has
told of earlier evenings.
"""

from __future__ import annotations

from collections.abc import Sequence

from brood.catalogue.holdings import Catalogue
from brood.services.cases import history
from brood.store.tables import PestCase, Plant

MINUTES = {"neighbour": 2, "quarantine": 4, "look": 4, "card": 2, "care": 2, "patch": 1}
"""How long each takes, in minutes (our judgement, C)."""
BUILD_OF_KIND = {
    "rosette": "rosette",
    "orchid": "orchid",
    "cactus-succulent": "cactus",
    "cabbage-family": "head",
    "seedling-herb": "tray",
}


def build_of(plant: Plant) -> str:
    """The build of a plant: as the keeper says, or as usual for its kind."""
    return plant.build or BUILD_OF_KIND.get(plant.kind, "upright")


def evening(catalogue: Catalogue, row: PestCase, treatments: Sequence[str]) -> float:
    """The minutes that an evening of a case takes: as long as its evenings took so far,
    otherwise by the catalogue for each of its plants.
    """
    done = [(r.minutes, r.treatments) for r in history.evenings_done(row)]
    plants = [row.plant, *(m.plant for m in history.members(row))]
    load = sum(p.number * SIZE_MINUTES.get(p.size, 1.0) for p in plants)
    return by_what_was_told(catalogue, done, load, treatments)


def by_what_was_told(
    catalogue: Catalogue,
    done: Sequence[tuple[int | None, Sequence[str]]],
    plants: float,
    treatments: Sequence[str],
) -> float:
    """The minutes that treatments take on so many table plants, after evenings of which the
    minutes (where they were told) and the treatments are known.
    """
    told = [(m, catalogue.minutes(acts)) for m, acts in done if m is not None]
    usual = catalogue.minutes(treatments)
    if told and (thought := sum(t for _, t in told)):
        return usual * sum(m for m, _ in told) / thought
    return usual * plants


USUAL_ML = {
    "": 100.0,
    "upright": 100.0,
    "rosette": 30.0,
    "orchid": 60.0,
    "cactus": 30.0,
    "head": 60.0,
    "tray": 60.0,
}
"""Spray for one plant where nothing was measured, by its build (C)."""
SIZE_ML = {"small": 30.0, "table": 100.0, "floor": 350.0, "tree": 1000.0}
"""The same by its size: 30 ml for a plant on the windowsill, 100 ml for one on a table,
250 to 500 ml for one on the floor (C).
"""
SIZE_MINUTES = {"small": 0.6, "table": 1.0, "floor": 2.5, "tree": 4.0}
"""How many times longer an evening takes than on a table plant (our judgement, C)."""


SWAB_ML = 20.0


def spray_ml(plant: Plant) -> float:
    """How much one spraying of a plant takes, or of all that stand together: as last
    measured, or as usual for its build.
    """
    by_build = USUAL_ML.get(plant.build, USUAL_ML[""])
    return plant.mix_ml or plant.number * SIZE_ML.get(plant.size, by_build)


def mix_ml(catalogue: Catalogue, plant: Plant, treatment: str) -> float:
    """How much of a mix one evening takes on a plant: a little on swabs, otherwise as
    much as a spraying.
    """
    swabbed = catalogue.care[treatment].technique == "swab"
    return plant.number * SWAB_ML if swabbed else spray_ml(plant)
