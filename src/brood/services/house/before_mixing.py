"""What must be told before something mixed or bought is used on a plant: who lives there,
whether it is eaten, whether it flowers, and what the label says.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.services.house import who_lives_here as living
from brood.store.tables import Plant

IN_FLOWER = "in-flower"
MIXED = ("home", "product")
"""How a treatment is supplied that is mixed or bought."""


@dataclass(frozen=True)
class Asked:
    """What is still to be told of a plant. `residents` and `eaten` say whether that is
    asked; `flowers` is how the plant stands now; `labels` are the ids of the treatments
    whose labels were not read.
    """

    residents: bool
    eaten: bool
    flowers: bool
    labels: tuple[str, ...]


@dataclass(frozen=True)
class Told:
    """The answers. `living` and `eaten` are None where that was not asked."""

    living: frozenset[str] | None
    eaten: bool | None
    flowers: bool
    labels: tuple[str, ...]


def asked(
    session: Session, catalogue: Catalogue, plant: Plant, acts: Sequence[str]
) -> Asked | None:
    """What to ask before these acts. None where they are work by hand, or all is told."""
    bought = [act for act in acts if catalogue.care[act].supply in MIXED]
    unread = tuple(act for act in bought if act not in plant.labels_read)
    residents = not living.load(session).told
    if not bought or not (unread or residents or plant.eaten == ""):
        return None
    return Asked(residents, plant.eaten == "", IN_FLOWER in plant.marks, unread)


def for_mix(session: Session, catalogue: Catalogue, plant: Plant, act: str) -> Asked | None:
    """What to ask before an act is mixed for a plant. None where it is not a treatment."""
    return asked(session, catalogue, plant, [act]) if act in catalogue.treatments else None


def tell(session: Session, plant: Plant, told: Told) -> None:
    """Keep the answers with the household and the plant."""
    if told.living is not None:
        living.put(session, replace(living.load(session), living=told.living), {})
    if told.eaten is not None:
        plant.eaten = "yes" if told.eaten else "no"
    _flowers(plant, now=told.flowers)
    plant.labels_read = sorted({*plant.labels_read, *told.labels})


def _flowers(plant: Plant, *, now: bool) -> None:
    others = [mark for mark in plant.marks if mark != IN_FLOWER]
    plant.marks = [*others, IN_FLOWER] if now else others
