"""The states and outcomes that rows carry, as words of the database."""

from __future__ import annotations

from enum import StrEnum


class EveningState(StrEnum):
    """Where a treatment evening stands. `late`: done after its window. `dropped`: the
    plan no longer needs it; it is kept for calendars that hold it.
    """

    PLANNED = "planned"
    DONE = "done"
    LATE = "late"
    SKIPPED = "skipped"
    DROPPED = "dropped"


class EveningOutcome(StrEnum):
    """What a keeper said of an evening."""

    DONE = "done"
    SKIPPED = "skipped"


class LeafOutcome(StrEnum):
    """How the leaves look on which a spray was tested."""

    FINE = "fine"
    MARKED = "marked"


class PlanState(StrEnum):
    """How the last planning of a case went: not yet done; dates; must be counted again
    first; nothing develops; no find stands; the warmth is not known; cannot be planned.
    """

    NEVER = ""
    PLANNED = "planned"
    LEFT_ALONE = "left-alone"
    STILL = "still"
    NO_FIND = "no-find"
    NO_WARMTH = "no-warmth"
    TROUBLE = "trouble"
