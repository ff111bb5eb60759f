"""Stage classes: what a keeper can tell apart by eye and counts together.

The one table of them: every place that groups stages asks here.
"""

from __future__ import annotations

from enum import StrEnum

from brood.core.biology.pest import ADULT, PREOVIPOSITION, Pest


class StageClass(StrEnum):
    """The four that are counted. Larvae and nymphs are both `young`."""

    EGG = "egg"
    YOUNG = "young"
    PUPA = "pupa"
    ADULT = "adult"


YOUNG_DISPLAYS = ("larva", "nymph")
BY_DISPLAY = {
    "egg": StageClass.EGG,
    **dict.fromkeys(YOUNG_DISPLAYS, StageClass.YOUNG),
    "pupa": StageClass.PUPA,
    "adult": StageClass.ADULT,
}
"""The class of a stage by its `display`."""
ROUGH_COUNTS = {"few": 4.0, "dozens": 30.0, "hundreds": 250.0}
"""Expected number behind a rough count; each is uncertain by a factor of two either way."""


def class_of(pest: Pest, stage: str) -> StageClass:
    """The class of a stage: a stage id, a class, or a word such as "larva" or "crawler".

    Adults that do not lay yet count as adults. Raises KeyError for an unknown stage.
    """
    if stage in list(StageClass):
        return StageClass(stage)
    if stage in (ADULT, PREOVIPOSITION):
        return StageClass.ADULT
    if stage in (*YOUNG_DISPLAYS, "crawler"):
        return StageClass.YOUNG
    return BY_DISPLAY[pest.stages[pest.index(stage)].display]


def classes(pest: Pest) -> tuple[StageClass, ...]:
    """The class of every stage and, last, of laying adults: `len(pest.stages) + 1`."""
    return (*(class_of(pest, stage.id) for stage in pest.stages), StageClass.ADULT)
