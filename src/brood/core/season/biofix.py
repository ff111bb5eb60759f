"""The year as pests count it: from the biofix on, the day from which heat is summed."""

from __future__ import annotations

from datetime import date

DAYS = 365
FIRST = {"north": (1, 1), "south": (7, 1)}
"""The day and month of the biofix, by hemisphere."""


def biofix(hemisphere: str, year: int) -> date:
    """The biofix of a season. A season is named after the year in which it begins."""
    return date(year, *FIRST[hemisphere])


def season_of(hemisphere: str, day: date) -> int:
    """The season in which a day lies."""
    return day.year if day >= biofix(hemisphere, day.year) else day.year - 1


def day_of(hemisphere: str, day: date) -> int:
    """The number of a day in its season; 0 is the biofix."""
    return (day - biofix(hemisphere, season_of(hemisphere, day))).days
