"""What is done to a plant beside its treatment evenings: cutting, repotting."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

from brood.core.biology.case import ASIDE, Act, Case, Evening
from brood.core.biology.pest import ADULT, Pest

CROWDING = 2.0
"""The worst leaves carry more than their share (our judgement, C)."""
FLIES_UP = 0.5
"""Of the adults that sit on what is cut, so many are taken with it (our judgement, C)."""
MOST_AT_ONCE = 1 / 3
"""No more of the leaves is cut at once without a second thought (label practice, C)."""


def share_on_worst(worst: int, leaves: int) -> float:
    """The share of the animals on the worst leaves, 0 to 1: 1 − (1 − n/N)² (our
    judgement, C).
    """
    return float(1 - (1 - worst / leaves) ** CROWDING)


def cut_act(pest: Pest, worst: int, leaves: int, act_id: str) -> Act:
    """The cutting of so many of so many leaves, the worst first, as an act: it takes what
    sits on and in them, also where nothing else would reach it, and leaves the soil alone.
    """
    share = share_on_worst(worst, leaves)
    kill = {s.id: share for s in pest.stages if s.habitat != "in-soil"}
    moves = pest.switching >= 1
    return Act(
        act_id,
        "cutting",
        "cut",
        {**kill, ADULT: share * (FLIES_UP if moves else 1.0)},
        by_hand=True,
        misses=0.0,
        when="first",
    )


def handled(case: Case, act: Act, day: date) -> Case:
    """The case with something that was done to the plant once, on a day. What takes
    nothing of the pest changes nothing.
    """
    if not any(act.kill.values()):
        return case
    known = any(a.id == act.id for a in (*case.acts, *case.past))
    evenings = sorted((*case.done, Evening(day, (act.id,))), key=lambda e: e.on)
    past = case.past if known else (*case.past, replace(act, when=ASIDE))
    return replace(case, past=past, done=tuple(evenings))
