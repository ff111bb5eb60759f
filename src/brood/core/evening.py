"""A treatment evening: when it is, and what its acts do to a stage."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date, datetime, time

from brood.core.types import Act

EVENING = time(19, 0)


def evening(day: date) -> datetime:
    """The moment of a treatment on that day."""
    return datetime.combine(day, EVENING)


def effect(acts: Iterable[Act], stage: str, reach: float) -> float:
    """Share of a stage (id, or "adult") that one evening's acts kill or remove: 1 − Π(1 − reach·kill), 0 to 1."""
    survive = 1.0
    for act in acts:
        survive *= 1 - reach * act.kill.get(stage, 0.0)
    return 1 - survive
