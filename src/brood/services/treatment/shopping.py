"""What a course takes in all: mixes over its dates and a bit more, and the things
needed beside them.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from brood.catalogue.holdings import Catalogue
from brood.errors import InputError
from brood.services.cases import history
from brood.services.cases.effort import mix_ml
from brood.services.house.plants import is_eaten
from brood.services.treatment import bench
from brood.store.tables import Application, PestCase, StockItem

KIT = {
    "wipe": "clean cloths, one a plant and evening",
    "swab": "cotton swabs, about 20 an evening",
    "trap": "sticky cards",
    "soil": "fresh potting mix and a closed bag",
    "dust": "a dust mask",
    "cut": "scissors and a closed bag",
    "dip": "a thermometer for 43 to 46 °C",
    "heat": "a thermometer for 49 °C",
    "bath": "a bucket, a bag and string for the pot",
    "unpot": "fresh potting mix, a clean pot and a closed bag",
    "strip": "a closed bag",
    "brush": "a small soft brush",
    "spray": "a sprayer with a fine nozzle, gloves",
    "drench": "a measuring jug",
}


@dataclass(frozen=True)
class Wanted:
    """One mix of a course: on how many evenings, how much each time, and what goes into
    all of them with a bit more; `note` where no recipe is.
    """

    name: str
    evenings: int
    each_ml: float
    lines: tuple[bench.Measured, ...]
    note: str


@dataclass(frozen=True)
class Shopping:
    """A course's list: its mixes and the kit."""

    mixes: tuple[Wanted, ...]
    kit: tuple[str, ...]


def of_case(catalogue: Catalogue, row: PestCase, shelf: Sequence[StockItem]) -> Shopping:
    """What the planned evenings of a case take."""
    planned: list[Application] = history.planned(row)
    uses = Counter(act for evening in planned for act in evening.treatments)
    techniques = dict.fromkeys(catalogue.care[key].technique for key in uses)
    mixes = [
        _wanted(catalogue, row, key, count, shelf)
        for key, count in uses.items()
        if catalogue.care[key].supply in ("home", "product")
    ]
    return Shopping(tuple(mixes), tuple(KIT[t] for t in techniques if t in KIT))


def _wanted(
    catalogue: Catalogue, row: PestCase, key: str, evenings: int, shelf: Sequence[StockItem]
) -> Wanted:
    name, each = catalogue.treatments[key].name, mix_ml(catalogue, row.plant, key)
    product = next((a.stock for a in row.acts if a.treatment_id == key and a.stock), None)
    total = each * evenings * (1 + bench.SHARE_MORE)
    command = bench.MixCommand(
        key,
        total,
        stocks={s.holds: s.percent for s in shelf if not s.labelled and s.percent},
        label_rate=product.label_rate if product else None,
        eaten=is_eaten(row.plant),
    )
    try:
        return Wanted(
            name,
            evenings,
            each,
            bench.mix(catalogue, command).lines,
            product.name if product else "",
        )
    except InputError as error:
        return Wanted(name, evenings, each, (), error.message)
