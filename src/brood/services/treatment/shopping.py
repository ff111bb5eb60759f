"""What a course takes in all: mixes over its dates and a bit more, and the things
needed beside them.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from brood.catalogue.holdings import Catalogue
from brood.errors import InputError
from brood.services.cases import effort, history, plans
from brood.services.cases.outlook import Outlook
from brood.services.house.plants import is_eaten
from brood.services.treatment import bench, shelf
from brood.services.voice.desk import Desk
from brood.store.tables import Application, PestCase, Plant, StockItem

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
    """One mix of a course: on how many evenings, how much each time (as `measured` the
    last time, or as usual), and what goes into all of them with a bit more; `note` where
    no recipe is.
    """

    treatment: str
    name: str
    evenings: int
    each_ml: float
    lines: tuple[bench.Measured, ...]
    note: str
    measured: bool = False


@dataclass(frozen=True)
class Shopping:
    """A course's list: its mixes over the evenings that are likely, and the kit."""

    plant: Plant
    evenings: int
    mixes: tuple[Wanted, ...]
    kit: tuple[str, ...]


@dataclass(frozen=True)
class Together:
    """What all courses under way take: (thing, ml, for which plants), and the kit."""

    courses: tuple[Shopping, ...]
    things: tuple[tuple[str, float, tuple[str, ...]], ...]
    kit: tuple[str, ...]


def of_case(
    catalogue: Catalogue, row: PestCase, usable: Sequence[StockItem], likely: int | None = None
) -> Shopping:
    """What the evenings to come of a case take: as many as are likely, or all that are
    planned where that is not known.
    """
    planned: list[Application] = history.planned(row)
    planned = planned[: likely if likely is not None else len(planned)]
    uses = Counter(act for evening in planned for act in evening.treatments)
    techniques = dict.fromkeys(catalogue.care[key].technique for key in uses)
    mixes = [
        _wanted(catalogue, row, key, count, usable)
        for key, count in uses.items()
        if catalogue.care[key].supply in ("home", "product")
    ]
    return Shopping(
        row.plant, len(planned), tuple(mixes), tuple(KIT[t] for t in techniques if t in KIT)
    )


def together(desk: Desk, rows: Sequence[PestCase], usable: Sequence[StockItem]) -> Together:
    """The lists of several cases, and what they take in all."""
    held = plans.outlooks_of(desk, rows)
    found = [of_case(desk.catalogue, row, usable, likely_of(held.get(row.id))) for row in rows]
    needed: dict[str, list[tuple[float, str]]] = {}
    for course in found:
        for wanted in course.mixes:
            for line in wanted.lines:
                strength = f" of {line.stock_percent:g} %" if line.stock_percent else ""
                needed.setdefault(line.name + strength, []).append((line.ml, course.plant.name))
    things = tuple(
        (name, sum(ml for ml, _ in parts), tuple(dict.fromkeys(plant for _, plant in parts)))
        for name, parts in needed.items()
    )
    kit = tuple(dict.fromkeys(one for course in found for one in course.kit))
    return Together(tuple(c for c in found if c.mixes or c.kit), things, kit)


def likely_of(held: Outlook | None) -> int | None:
    """How many evenings of a case are likely. None where that is not worked out."""
    return held.likely.evenings if held is not None and held.likely is not None else None


def _wanted(
    catalogue: Catalogue, row: PestCase, key: str, evenings: int, usable: Sequence[StockItem]
) -> Wanted:
    name, each = catalogue.treatments[key].name, effort.mix_ml(catalogue, row.plant, key)
    told = effort.used_ml(catalogue, row.plant, effort.kind_of_mix(catalogue, [key])) is not None
    bottle = shelf.bottle_for(catalogue, row, key, list(usable))
    product = bottle if bottle is not None and bottle.labelled else None
    total = each * evenings * (1 + bench.SHARE_MORE)
    text = bench.plain(catalogue, key)
    if text:
        return Wanted(key, name, evenings, each, (), text, told)
    command = bench.MixCommand(
        key,
        total,
        stocks={s.holds: s.percent for s in usable if not s.labelled and s.percent},
        label_rate=product.label_rate if product else None,
        eaten=is_eaten(row.plant),
    )
    try:
        lines = bench.mix(catalogue, command).lines
    except InputError as error:
        return Wanted(key, name, evenings, each, (), error.message, told)
    return Wanted(key, name, evenings, each, lines, product.name if product else "", told)
