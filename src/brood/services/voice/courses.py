"""A course in words: what is set, how many evenings it will probably take, and what
looks have taken back.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from brood.core.course.growth import LONG
from brood.core.course.plan import Likely
from brood.core.followup.ways import Aim
from brood.services.voice.odds import in_100
from brood.services.voice.speech import Speech, days, number

LOOK_FIRST = (
    "Look before you treat, leaf by leaf over at least half of the plant. If nothing lives, this "
    "evening and all after it may fall away."
)


def ahead(
    fixed: int, coming: int, likely: Likely | None, growth: float | None, first: date, *, more: bool
) -> str:
    """How many evenings are set, how many are likely still to come or in all, and over how many
    days from the first. How many are likely is worked out behind the dates; until then
    it says how many are planned.
    """
    begun = f"set {fixed}" if fixed else "no evening set"
    if likely is None:
        return f"{begun} of {coming} planned" if fixed else f"{begun}, {coming} planned"
    spread = around(likely, growth)
    span = (likely.last - first).days
    during = f", in about {days(span)}" if span > 0 else ""
    return f"{begun}, likely {likely.evenings}{' to come' if more else ''}{spread}{during}"


def around(likely: Likely, growth: float | None) -> str:
    """The range of the likely evenings, in brackets after their number. Empty where they
    are sure.
    """
    open_end = likely.open_end or (growth or 0.0) >= LONG
    if likely.high == likely.low and not open_end:
        return ""
    return f" ({likely.low} to {likely.high}{' or more' if open_end else ''})"


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


def after_look(
    likely: Likely | None,
    planned: int,
    fixed: int,
    back: date | None,
    released: Sequence[date],
    speech: Speech,
    *,
    alive: bool,
) -> str:
    """What follows from a look to come that finds something alive, or nothing."""
    if not alive and not planned:
        home = f" It may go back from {speech.day(back)}." if back else ""
        fallen = len(released)
        some = f"The {fallen} evenings after it fall away." if fallen > 1 else "No more evenings."
        return f"{some}{home}"
    if likely is None:
        return f"{planned} evenings are planned after it."
    many = f"{likely.evenings} more evening{'s' if likely.evenings != 1 else ''}"
    over = f", the last about {speech.day(likely.last)}" if likely.evenings else ""
    home = f"; back about {speech.day(likely.back)}" if likely.back else ""
    begun = "Treat that same evening. " if alive else ""
    return f"{begun}Likely {many}{around(likely, None)}{over}{home}."


TITLES = {
    Aim.FEWEST: "Fewest evenings",
    Aim.SOONEST: "Soonest over",
    Aim.GENTLEST: "Gentlest",
}


def apart(likely: Likely, own: Likely, *, gentle: bool) -> str:
    """How another way differs from the course as it is planned."""
    parts = ["work by hand alone"] if gentle else []
    fewer = own.evenings - likely.evenings
    if fewer:
        many = abs(fewer)
        side = "fewer" if fewer > 0 else "more"
        parts.append(f"{many} evening{'s' if many > 1 else ''} {side}")
    if likely.back is not None and own.back is not None and likely.back != own.back:
        sooner = (own.back - likely.back).days
        parts.append(f"back {days(abs(sooner))} {'sooner' if sooner > 0 else 'later'}")
    said = ", ".join(parts)
    return f"{said[0].upper()}{said[1:]}." if said else ""


UNMATED = {
    "parthenogenesis": "She needs no mate: one alone begins a new colony.",
    "thelytoky": "She needs no mate: one alone begins a new colony.",
    "sexual": "Unmated she bears nothing.",
}


def unmated(reproduction: str, son_days: float) -> str:
    """What a single female without a mate begins."""
    if reproduction in UNMATED:
        return UNMATED[reproduction]
    if son_days > FAR_DAYS:
        return "Unmated she bears only sons, and none of them grows up at this warmth."
    return (
        "Unmated she bears only sons. She can mate with one of them when he is grown, and then "
        f"begins a colony about {days(round(son_days))} later."
    )


def becomes(females: int, in_30: float, hundred: int | None, plural: str) -> str:
    """What some surviving females become without any treatment."""
    one = "One female" if females == 1 else f"{females} females"
    when = f", and 100 after {days(hundred)}" if hundred else ""
    return f"{one} that lays: about {number(in_30)} {plural} of all stages after 30 days{when}."


FAR_DAYS = 365
