"""What a look over a plant sees of each stage, and what it should have seen."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta

import numpy as np

from brood.core.biology.case import Found, Inspection
from brood.core.biology.pest import ADULT, Pest
from brood.core.biology.stage_classes import StageClass, class_of, classes
from brood.core.biology.substages import Array
from brood.core.biology.unseen import stage_days

GLANCE, USUAL, LENS = 0.3, 0.5, 0.75
"""The chance that a look sees an animal in the open on the part looked at: at a glance,
leaf by leaf, and leaf by leaf with a lens (our judgement, C). Looks see less than their
keepers think: what is believed here is on the safe side.
"""
THOROUGH = {"glance": GLANCE, "usual": USUAL, "lens": LENS}
SHOWN_BY_DISPLAY = {"egg": 0.3, "larva": 0.9, "nymph": 0.9, "pupa": 0.9, "adult": 1.0}
SHOWN_BY_HABITAT = {
    "exposed": 1.0,
    "in-wax": 1.0,
    "under-cover": 0.9,
    "in-furled-leaf": 0.3,
    "in-tissue": 0.0,
    "in-soil": 0.1,
}
"""How well a stage can be seen, by what it is and where it sits (our judgement, C)."""
HIDDEN_SEEN = 0.3
"""Of what it would see in the open, the share that a look sees in a refuge: eyes reach
further than a spray (our judgement, C).
"""
CLUMPS = 2.0
"""Numbers scatter about what is expected as a gamma of this shape (our judgement, C)."""
NOBODY = 1e-9
LEAST_SEEN = 0.05
"""However badly a class can be seen, a count stands for at most twenty times as many."""


def shown(pest: Pest) -> Array:
    """How well a perfect look sees every stage and, last, laying adults, 0 to 1:
    (stages + 1,).
    """
    own = [SHOWN_BY_DISPLAY[s.display] * SHOWN_BY_HABITAT[s.habitat] for s in pest.stages]
    return np.array([*own, SHOWN_BY_DISPLAY["adult"]])


def spread_class(
    pest: Pest, kind: str, count: float, on: date, celsius: float
) -> tuple[Found, ...]:
    """Animals of a class as groups by stage, in proportion to the stage times at °C.
    Adults count as laying.
    """
    if kind == StageClass.ADULT:
        return (Found(on, ADULT, count),)
    stages = [s for s in pest.development if class_of(pest, s.id) == kind]
    days = np.array([stage_days(s, celsius) for s in stages])
    return tuple(Found(on, s.id, count * d / days.sum()) for s, d in zip(stages, days, strict=True))


def seen_share(pest: Pest, look: Inspection) -> Array:
    """The chance that a look sees an animal in the open, by stage and, last, laying
    adults: (stages + 1,). Eggs only where it counted them, or found nothing at all.
    """
    chance = shown(pest) * look.share * look.thorough
    # Who counts adults does not report eggs: silence about them says nothing.
    if look.live and StageClass.EGG not in look.counts:
        chance = chance * np.array([kind != StageClass.EGG for kind in classes(pest)])
    return chance


def numbers(pest: Pest, look: Inspection) -> dict[str, float]:
    """How many of each class there must be for a look to have counted so many. Hidden
    animals are left out.
    """
    share, kinds = seen_share(pest, look), np.array(classes(pest))
    return {
        kind: count / max(float(share[kinds == kind].max(initial=0.0)), LEAST_SEEN)
        for kind, count in look.counts.items()
    }


def told(x: Array, seen: Array, counted: Sequence[tuple[Array, float]]) -> Array:
    """The numbers [2 tracks, scenarios, states] after a look that should have seen `seen`
    of them and counted so many animals of some states (masks).

    Each number is taken to be gamma about its mean, what is seen of it Poisson. Of states
    in which nobody was expected, as many are there as were counted.
    """
    there = x - seen
    if not counted:
        return np.asarray(there)
    total = sum(count for _, count in counted)
    there = there * (CLUMPS + total) / (CLUMPS + seen.sum(axis=(0, 2))[:, None])
    for mask, count in counted:
        part = seen * mask
        if float(part.sum(axis=(0, 2)).min()) < NOBODY:
            part = np.zeros_like(x) + np.array([1.0, 0.0])[:, None, None] * mask
        there = there + count * part / part.sum(axis=(0, 2))[:, None]
    return np.asarray(there)


def found_by(pest: Pest, look: Inspection, celsius: float) -> tuple[Found, ...]:
    """What a look counted, as groups found, at the warmth (°C) of its days."""
    return tuple(
        group
        for kind, number in numbers(pest, look).items()
        for group in spread_class(pest, kind, number, look.on, celsius)
    )


def clean(looks: Sequence[Inspection], after: date) -> tuple[Inspection, ...]:
    """The looks after a day that found nothing alive, in order. A look whose day is
    vague counts when it was surely later.
    """
    return tuple(
        sorted(
            (x for x in looks if not x.live and x.on - timedelta(days=x.spread_days) > after),
            key=lambda x: x.on,
        )
    )


def last_live(looks: Sequence[Inspection], found: date, today: date = date.max) -> date:
    """The last day on which anything was seen alive. Of a vague day the latest possible
    counts, but no day after today.
    """
    return max(
        [
            found,
            *(min(x.on + timedelta(days=x.spread_days), max(today, x.on)) for x in looks if x.live),
        ]
    )
