"""A course in words: what is set, how many evenings it will probably take, and what
looks have taken back.
"""

from __future__ import annotations

from datetime import date

from brood.core.course.growth import LONG
from brood.core.course.plan import Likely
from brood.services.voice.odds import in_100
from brood.services.voice.speech import Speech, days

LOOK_FIRST = (
    "Look before you treat, leaf by leaf over at least half of the plant. If nothing lives, this "
    "evening and all after it may fall away."
)


def ahead(
    fixed: int, coming: int, likely: Likely | None, growth: float | None, first: date, *, more: bool
) -> str:
    """How many evenings are set, how many more or in all are likely, and over how many
    days from the first.
    """
    begun = f"set {fixed}" if fixed else "none set"
    if likely is None:
        return f"{begun}, at most {coming} to come"
    open_end = likely.open_end or (growth or 0.0) >= LONG
    spread = (
        f" ({likely.low} to {likely.high}{' or more' if open_end else ''})"
        if likely.high > likely.low or open_end
        else ""
    )
    span = (likely.last - first).days
    during = f", in about {days(span)}" if span > 0 else ""
    return f"{begun}, likely {likely.evenings}{' more' if more else ''}{spread}{during}"


def released(looked_on: date, left: float, speech: Speech) -> str:
    """Why looks have taken back the evenings to come."""
    return (
        f"The look of {speech.day(looked_on)} found nothing. The chance that enough is left "
        f"to start again is {in_100(left)}."
    )


def released_headline(
    looked_on: date, left: float, again: date | None, speech: Speech
) -> tuple[str, str]:
    """The headline where looks have taken back all evenings, and why."""
    following = f" Look again {speech.day(again)}." if again else ""
    return "No more treatments, unless a look finds life.", (
        f"{released(looked_on, left, speech)} One living find brings the evenings back that same "
        f"day.{following}"
    )
