"""The treatments that are ticked to begin with: the mildest mix that clears a moderate
infestation in no more evenings than skilled keepers need, of those that suit the plant.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from brood.catalogue.holdings import Catalogue
from brood.catalogue.schema import MixRecord
from brood.errors import InputError
from brood.services.house.places import SETTINGS
from brood.services.house.who_lives_here import Residents
from brood.services.treatment.mixes import harm
from brood.services.treatment.permitted import Offer, UseSetting, offer
from brood.services.voice.odds import in_100
from brood.services.voice.speech import listed
from brood.store.place_tables import Place
from brood.store.tables import Plant

SURE, POOR = 0.95, 0.6
"""A mix is enough from SURE on. Under POOR it is said what would help first."""
TURNED, EASILY_TURNED = ("bath", "dip"), ("small",)
"""Only plants of these sizes are turned over into a bucket unless the keeper says so."""
LIFTED, NEVER_LIFTED = ("shower",), ("floor", "tree")
BRUSHED, TIGHT = ("brush",), ("rosette", "cactus", "cactus-succulent")
"""A brush is for plants whose leaves or ribs sit tight together."""


@dataclass(frozen=True)
class Default:
    """The treatments that are ticked to begin with, and what they lead to for a moderate
    infestation (None where nothing suits). `left_out` are treatments that do not suit this
    plant, each with why. `note` says what would help first where they hardly do.
    """

    acts: tuple[str, ...]
    course: MixRecord | None
    left_out: tuple[tuple[str, str], ...]
    note: str


def of_plant(
    catalogue: Catalogue, pest_id: str, here: UseSetting, *, by_hand: bool = False
) -> Default:
    """The treatments for a pest on a plant as it stands; `by_hand` of hand work alone."""

    def suits(act: str) -> str:
        if by_hand and not catalogue.treatments[act].by_hand:
            return "It is not work by hand."
        return why_not(offer(catalogue, act, here), here)

    return chosen(catalogue, pest_id, here.plant.build or here.plant.kind, suits)


def chosen(catalogue: Catalogue, pest_id: str, build: str, suits: Callable[[str], str]) -> Default:
    """The mildest mix that is enough; where none suits, the one that comes closest.
    `suits` gives why a treatment does not suit the plant, empty where it does.
    """
    group = catalogue.groups[catalogue.records[pest_id].group]
    rows, own = catalogue.mixes[pest_id], group.on_build.get(build, [])
    why = {a: suits(a) for a in {*group.always, *own, *(a for row in rows for a in row.acts)}}
    fitting = [r for r in rows if not any(why[a] for a in r.acts if a not in group.always)]
    if own:
        fitting = [r for r in fitting if {*r.acts} <= {*own}] or fitting
    best = _best(catalogue, fitting, group.most_evenings.value, few=bool(own))
    acts = [a for a in (*own, *(best.acts if best else ())) if not why[a]]
    return Default(
        tuple(dict.fromkeys(acts)),
        best,
        tuple((act, text) for act, text in sorted(why.items()) if text),
        _what_helps(catalogue, best, _best(catalogue, rows, group.most_evenings.value), why),
    )


def _best(
    catalogue: Catalogue, rows: Sequence[MixRecord], most: float, *, few: bool = False
) -> MixRecord | None:
    """The mildest mix that is enough, or the one that comes closest. With `few` the one
    with the fewest evenings: what belongs to a build is used together.
    """
    enough = [r for r in rows if r.chance >= SURE and r.evenings <= most]
    if enough and not few:
        return min(enough, key=lambda r: _cost(catalogue, r))
    return max(rows, key=lambda r: (min(r.chance, SURE), -r.evenings), default=None)


def _cost(catalogue: Catalogue, row: MixRecord) -> tuple[tuple[bool, int, int], float]:
    """How mild a mix is, and the minutes of its course."""
    return harm(catalogue, tuple(row.acts)), row.evenings * catalogue.minutes(row.acts)


def _what_helps(
    catalogue: Catalogue, best: MixRecord | None, ideal: MixRecord | None, why: dict[str, str]
) -> str:
    """What would help first, where the treatments that suit hardly clear a plant."""
    if best is not None and best.chance >= POOR:
        return ""
    if ideal is None or ideal.chance < POOR:
        return "No treatment in the catalogue clears it reliably: ask for a labelled product."
    names = listed([catalogue.treatments[a].name for a in ideal.acts])
    against = next((why[a] for a in ideal.acts if why[a]), "")
    return (
        f"What would help: {names}, which ends clear with {in_100(ideal.chance)} in about "
        f"{ideal.evenings} evenings. Against it: {against}"
    )


def nobodys(kind: str = "", build: str = "", place: str = "indoor") -> UseSetting:
    """A plant of a kind in a household of which nothing is known."""
    plant = Plant(
        name="", species="", kind=kind, build=build, size="", eaten="", marks=[], sensitive=False
    )
    spot = Place(name="", setting=place, visitors=[])
    return UseSetting(plant, spot, Residents(), (), date.min)


def why_not(found: Offer, here: UseSetting) -> str:
    """Why an offer is not ticked to begin with. Empty where it may be."""
    against = [*found.refused, *found.warnings]
    if against:
        return against[0]
    technique, size = found.care.technique, here.plant.size
    if technique in TURNED and size not in EASILY_TURNED:
        return "Only a small plant is easily turned over into a bucket."
    if technique in LIFTED and size in NEVER_LIFTED and here.kind in ("indoor", "glasshouse"):
        return "It is too big to carry to the shower."
    if technique in BRUSHED and (here.plant.build or here.plant.kind) not in TIGHT:
        return "Meant for plants whose leaves sit tight together."
    return ""


def defaults_json(
    catalogue: Catalogue, pest_id: str, kind: str, build: str, place: str
) -> dict[str, Any]:
    """The treatments for a pest on a plant of a kind, in a household of which nothing is
    known, by the contract. Raises InputError.
    """
    catalogue.pest(pest_id)
    if place not in SETTINGS:
        raise InputError(
            "There is no such place.", field="place", value=place[:60], allowed=", ".join(SETTINGS)
        )
    found = of_plant(catalogue, pest_id, nobodys(kind, build, place))
    return {
        "schema": 1,
        "pest": pest_id,
        "treatments": list(found.acts),
        "growth": found.course and found.course.growth,
        "policy_chance": found.course and found.course.chance,
        "likely": found.course
        and {
            "evenings": found.course.evenings,
            "low": found.course.low,
            "high": found.course.high,
            "last_days": found.course.last,
            "all_clear_days": found.course.back,
        },
        "left_out": [{"id": act, "why": text} for act, text in found.left_out],
        "note": found.note,
    }
