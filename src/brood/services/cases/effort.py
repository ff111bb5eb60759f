"""What an evening takes: minutes and millilitres, by the catalogue or as the keeper has
told of earlier evenings.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from brood.catalogue.holdings import Catalogue
from brood.services.cases import history
from brood.store.tables import PestCase, Plant

MINUTES = {"begin": 5, "neighbour": 2, "quarantine": 4, "look": 4, "card": 2, "care": 2, "patch": 1}
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
BATH_ML = {"small": 2000.0, "table": 5000.0, "floor": 10_000.0, "tree": 10_000.0}
DRENCH_ML = {"small": 100.0, "table": 300.0, "floor": 1500.0, "tree": 4000.0}
"""A bucket that the crown goes into, and a drench until some runs out of the pot, a fifth
of what the pot holds (our judgement, C).
"""
MEASURED = {"swab": "swab", "brush": "swab", "bath": "bath", "drench": "drench"}
"""Techniques of which a mix is measured by itself. All others take as much as a spray."""


def kind_of_mix(catalogue: Catalogue, treatments: Sequence[str]) -> str:
    """The kind of act that an evening's mix is measured for: the one that takes most."""
    kinds = [
        MEASURED.get(catalogue.care[key].technique, "spray")
        for key in treatments
        if catalogue.care[key].supply in ("home", "product")
    ]
    order = ("spray", "bath", "drench", "swab")
    return min(kinds, key=order.index, default="")


def used_ml(catalogue: Catalogue, plant: Plant, kind: str) -> float | None:
    """How much mix the last evening with a kind of act took on a plant. None where nobody
    has measured.
    """
    told = [
        record
        for row in plant.cases
        for record in history.evenings_done(row)
        if record.mix_ml and kind_of_mix(catalogue, record.treatments) == kind
    ]
    if told:
        return max(told, key=lambda r: (r.done_on or date.min, r.id)).mix_ml
    return plant.mix_ml if kind == "spray" else None


def usual_ml(plant: Plant, kind: str) -> float:
    """How much mix a kind of act takes on a plant, or on all that stand together, where
    nobody has measured: by its size, a spray by its build where no size is known.
    """
    by_build = USUAL_ML.get(plant.build, USUAL_ML[""])
    each = {
        "swab": SWAB_ML,
        "bath": BATH_ML.get(plant.size, BATH_ML["table"]),
        "drench": DRENCH_ML.get(plant.size, DRENCH_ML["table"]),
    }.get(kind, SIZE_ML.get(plant.size, by_build))
    return plant.number * each


def mix_ml(catalogue: Catalogue, plant: Plant, treatment: str) -> float:
    """How much of a mix one evening takes on a plant: as last measured for that kind of
    act, or as usual for its size.
    """
    kind = kind_of_mix(catalogue, [treatment]) or "spray"
    return used_ml(catalogue, plant, kind) or usual_ml(plant, kind)
