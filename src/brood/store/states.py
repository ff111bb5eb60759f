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
