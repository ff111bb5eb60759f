"""The walk of a treatment evening: its acts in the order in which they follow each other,
how each is done on a plant that stands so, and the parts that it meets.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from brood.catalogue.care import EveningBook, Manner, Timer
from brood.catalogue.holdings import Catalogue
from brood.catalogue.schema import TreatmentRecord
from brood.services.treatment.permitted import Offer

LEAST_REACH = 0.05
IN_SOIL = {"soil": 0.85, "rim": 0.05, "drain": 0.1}
BARED, POTTED = ("collar", "roots"), ("soil", "rim", "drain", "pot")
"""What is in sight on a plant held bare, and what it does not have then."""
UNPOTTED = {"roots": 0.5, "soil": 0.35, "rim": 0.05, "drain": 0.1}
"""The parts of an evening that is entirely in the soil, with the shares that count there,
and those of one on which the roots are seen (C).
"""


@dataclass(frozen=True)
class PartRow:
    """A part of the plant: its id, its name, why it matters, and the share of the
    animals that sits there.
    """

    id: str
    name: str
    why: str
    share: float


@dataclass(frozen=True)
class EveningAct:
    """A treatment of the evening, how it is done here, its cautions, and the parts that
    no act before it has met. With `again` it meets others once more.
    """

    record: TreatmentRecord
    manner: Manner
    timers: tuple[Timer, ...]
    cautions: tuple[str, ...]
    needs_mix: bool
    parts: tuple[PartRow, ...]
    again: bool


def parts_of(
    book: EveningBook,
    build: str,
    group: str,
    techniques: Collection[str],
    *,
    in_soil: bool = False,
    bare: bool = False,
) -> tuple[PartRow, ...]:
    """The parts of a build in order that any of the techniques meets, with the share of a
    group's animals on each. The group's shares are scaled to the parts that there are. On
    a plant that is held `bare` the roots are in sight.
    """
    met = {p for t, how in book.technique.items() if t in techniques for p in how.meets}
    met = (met | {*BARED}) - {*POTTED} if bare else met
    order = [p for p in book.build[build] if p in met]
    sits = (UNPOTTED if "roots" in order else IN_SOIL) if in_soil else book.sits[group]
    shares = {p: s for p, s in sits.items() if p in order}
    total = sum(shares.values())
    return tuple(
        PartRow(
            p, book.part[p].name, book.part[p].why, shares.get(p, 0.0) / total if total else 0.0
        )
        for p in order
    )


def in_soil(catalogue: Catalogue, acts: Sequence[str]) -> bool:
    """Whether all acts are done in the soil."""
    return bool(acts) and all(catalogue.care[a].in_soil for a in acts)


def techniques_of(catalogue: Catalogue, acts: Sequence[str]) -> tuple[str, ...]:
    """The techniques of some acts in the order of the walk."""
    used = {catalogue.care[a].technique for a in acts}
    return tuple(t for t in catalogue.evenings.walk if t in used)


def reach_of(parts: Sequence[PartRow], done: Collection[str], usual: float) -> float | None:
    """The share that an evening touched, from the parts that were done. None where
    nothing is known or nothing was left out.
    """
    if not done:
        return None
    covered = sum(p.share for p in parts if p.id in done)
    return None if covered > 0.999 else max(LEAST_REACH, usual * covered)


def walk(
    catalogue: Catalogue,
    offers: Sequence[Offer],
    parts: Sequence[PartRow],
    *,
    large: bool,
    bed: bool,
) -> tuple[EveningAct, ...]:
    """The acts in their order. Each part stands with the first act that meets it, and one
    that is only looked at with the very first.
    """
    book = catalogue.evenings
    ordered = sorted(offers, key=lambda o: book.walk.index(o.care.technique))
    every = {p for o in offers for p in book.technique[o.care.technique].meets}
    out: list[EveningAct] = []
    for offer in ordered:
        how = book.technique[offer.care.technique]
        known = {p.id for act in out for p in act.parts}
        first = not out
        met = [p for p in parts if p.id in how.meets or (first and p.id not in every)]
        out.append(
            EveningAct(
                offer.record,
                how.manner(large=large, bed=bed),
                tuple(how.timers),
                (*offer.warnings, *offer.cautions),
                offer.record.id in catalogue.recipes.recipe or offer.care.supply == "product",
                tuple(p for p in met if p.id not in known),
                any(p.id in known for p in met),
            )
        )
    return tuple(out)
