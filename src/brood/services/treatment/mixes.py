"""The sensible mixes of treatments for a pest, and how mild each is. What they lead to is
worked out beforehand (`make courses`), because it does not depend on a household.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator
from itertools import combinations, product

from brood.catalogue.holdings import Catalogue
from brood.catalogue.schema import TreatmentRecord
from brood.core.biology.pest import Pest

Mix = tuple[str, ...]

WORTH = 0.2
"""A treatment counts for a mix where it takes at least this share of some stage."""
ON_LEAF, ON_ROOT = ("wipe", "shower"), ("unpot",)
ONE_BY_ONE = ("swab", "brush")
"""Techniques that meet animals one by one: for pests whose adults hardly move."""
SLOW = 0.1
SPRAYED, IN_SOIL = ("spray", "bath"), ("drench", "soil")
CONTACT_RUNG, STRONG_RUNG = 2, 4
SAME = {"insecticidal-soap", "soap-dip"}
HARM = {"low": 0, "care": 1, "danger": 3}
"""How much each level of a hazard counts against a treatment (our judgement, C)."""


def candidates(catalogue: Catalogue, pest_id: str) -> list[Mix]:
    """The mixes worth working out: what always belongs to the group, with work by hand,
    up to two of the milder means, and what reaches a stage in the soil.
    """
    pest, group = catalogue.pest(pest_id), catalogue.groups[catalogue.records[pest_id].group]
    every = [t for t in catalogue.offered(pest_id) if _does_enough(catalogue, t, pest_id)]
    parts = (
        _hand(catalogue, every, pest),
        _sprays(catalogue, every, pest),
        _soil(catalogue, every, pest),
    )
    mixes = {tuple(sorted({*a, *b, *c})) for a, b, c in product(*parts)}
    return sorted(
        tuple(dict.fromkeys((*mix, *group.always))) for mix in mixes if mix or group.always
    )


def _does_enough(catalogue: Catalogue, record: TreatmentRecord, pest_id: str) -> bool:
    return max(catalogue.kill(record.id, pest_id).values()) >= WORTH


def _on_leaves(pest: Pest) -> bool:
    """Whether a stage before the adult lives on the plant and not in its soil."""
    return any(s.habitat != "in-soil" for s in pest.development)


def _of(
    catalogue: Catalogue, every: list[TreatmentRecord], techniques: Collection[str]
) -> list[str]:
    return [t.id for t in every if catalogue.care[t.id].technique in techniques]


def _hand(catalogue: Catalogue, every: list[TreatmentRecord], pest: Pest) -> list[Mix]:
    """Work by hand: none, or one kind."""
    techniques = ON_LEAF if _on_leaves(pest) else ON_ROOT
    if pest.switching <= SLOW:
        techniques = (*techniques, *ONE_BY_ONE)
    return [(), *((i,) for i in _of(catalogue, every, techniques))]


def _sprays(catalogue: Catalogue, every: list[TreatmentRecord], pest: Pest) -> list[Mix]:
    """What is sprayed over the leaves: none, one, or two contact products. Nothing where
    all the young live in the soil.
    """
    if not _on_leaves(pest):
        return [()]
    wet = _of(catalogue, every, SPRAYED)
    contact = [i for i in wet if catalogue.care[i].rung <= CONTACT_RUNG]
    return [(), *((i,) for i in wet), *_pairs(contact)]


def _pairs(ids: list[str]) -> Iterator[Mix]:
    """Two at a time, but not the same thing sprayed and dipped."""
    return (pair for pair in combinations(ids, 2) if {*pair} != SAME)


def _soil(catalogue: Catalogue, every: list[TreatmentRecord], pest: Pest) -> list[Mix]:
    """What reaches a stage in the soil: none, one, or two, where a stage lives there."""
    if all(s.habitat != "in-soil" for s in pest.development):
        return [()]
    inside = [i for i in _of(catalogue, every, IN_SOIL) if catalogue.care[i].in_soil]
    return [(), *((i,) for i in inside), *_pairs(inside)]


def harm(catalogue: Catalogue, mix: Mix) -> tuple[bool, int, int]:
    """What orders mixes from mild to strong: whether a nerve poison is among them, what
    they may do to whoever lives near, and how many have to be bought.
    """
    care = [catalogue.care[key] for key in mix]
    return (
        any(c.rung >= STRONG_RUNG for c in care),
        sum(HARM.get(h.level, 0) for c in care for h in c.hazards.values()),
        sum(c.supply == "product" for c in care),
    )
