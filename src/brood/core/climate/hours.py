"""The hours of a day at which things happen: looks and finds in the morning, treatments
in the evening.
"""

from __future__ import annotations

from datetime import date, datetime, time

EVENING = time(19, 0)


def evening(day: date) -> datetime:
    """The moment of a treatment on that day."""
    return datetime.combine(day, EVENING)


MORNING = time(9)
