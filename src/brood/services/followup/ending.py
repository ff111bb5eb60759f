"""When a recorded case is over."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from threading import Lock

from cachetools import LRUCache

from brood.core.biology.case import Case, Inspection
from brood.core.biology.digest import digest_of
from brood.core.followup.all_clear import Clearing, clear_by
from brood.errors import NotWorkedOut
from brood.services.cases import history, plans
from brood.services.cases.outlook import Outlook
from brood.services.voice import words
from brood.services.voice.desk import Desk
from brood.services.voice.speech import Speech
from brood.store.states import PlanState
from brood.store.tables import PestCase, Plant

KEEP = 40


@dataclass(frozen=True)
class NeededLine:
    """A look to come, with its reason."""

    on: date
    why: str


@dataclass(frozen=True)
class OverResult:
    """When a case is over. `problem` says in a sentence why that cannot be told. `pest`
    is the slowest of those thought of.
    """

    clearing: Clearing | None
    headline: str
    why: str
    needed: tuple[NeededLine, ...]
    best: date | None
    problem: str = ""
    pest: str = ""


_kept: LRUCache[str, Clearing] = LRUCache(KEEP)
_lock = Lock()


def cleared(case: Case, looks: tuple[Inspection, ...], today: date) -> Clearing:
    """When a plant that was not treated is over a pest. It comes from memory when
    nothing has changed.
    """
    key = f"{case.digest()} {digest_of(looks)} {today}"
    with _lock:
        held = _kept.get(key)
    if held is None:
        held = clear_by(case, [], looks, [], today, weigh=False)
        with _lock:
            _kept[key] = held
    return held


def unsettled(row: PestCase, found: Outlook | None, today: date) -> bool:
    """Whether the record of a case does not show that it is over. A case that nobody
    looked at is not over, nor one that is held. Only a case without a find is.
    """
    if row.keep_below is not None or found is None or history.plan_is_due(row, today):
        return True
    if found.clearing is None:
        return found.trouble is None or found.trouble.state != PlanState.NO_FIND
    return not found.clearing.settled


def of_case(desk: Desk, row: PestCase) -> OverResult:
    """When a case is over, in words."""
    if row.keep_below is not None:
        return OverResult(
            None,
            "It is held, not cleared.",
            f"You hold it under {row.keep_below:g}; there is no all-clear to wait for.",
            (),
            None,
            "This pest is held under a number.",
        )
    found = plans.outlook_of(desk, row)
    if found is None or found.clearing is None:
        why = NotWorkedOut().message
        if found is not None and found.trouble is not None:
            why = words.trouble(
                found.trouble.message,
                found.trouble.limit_c,
                too_hot=found.trouble.too_hot,
                speech=desk.speech,
            )
        return OverResult(None, "No day can be given yet.", why, (), None, why)
    return said(
        found.clearing,
        desk.today,
        desk.speech,
        treatments_left=found.fixed,
        live_birth=found.live_birth,
    )


def said(
    found: Clearing,
    today: date,
    speech: Speech,
    *,
    treatments_left: int = 0,
    live_birth: bool = False,
) -> OverResult:
    """A clearing in words."""
    needed = tuple(NeededLine(n.on, words.look_reason(n.why)) for n in found.needed)
    best = max(found.worth, key=lambda w: w[1])[0] if found.worth else None
    if found.matured is None or found.hatched is None:
        return OverResult(
            found,
            "Too cold to tell: nothing develops.",
            (
                "Nothing grows up in the warmth expected, so whatever was missed on "
                f"{speech.day(found.last_live)} would wait. This is a pause, not an all-clear. "
                f"Look again when it is warmer."
            ),
            needed,
            best,
        )
    since = (
        f"Last seen alive {speech.day(found.last_live)}; the slowest of that day is grown up by "
        f"{speech.day(found.matured)}, even if it stays cool"
    )
    if found.last_treatment and found.hatched > found.matured:
        last, by = speech.day(found.last_treatment), speech.day(found.hatched)
        since += (
            f". What {last} missed has borne young that can be seen by {by}"
            if live_birth
            else f". The last egg that outlived {last} has hatched by {by}"
        )
    if found.settled and found.closed:
        return OverResult(
            found,
            f"All clear since {speech.day(found.closed)}."
            if found.closed < today
            else "All clear.",
            f"{since}. "
            f"{len(found.clean_looks)} clean looks leave less than 1 chance in 100 that "
            "anything lives.",
            (),
            None,
        )
    if found.closed is None:
        return OverResult(
            found,
            "No all-clear can be foreseen.",
            f"{since}. Clean looks alone do not bring the chance under 1 in 100 in the "
            "time that can "
            "be foreseen. More evenings would.",
            needed,
            best,
        )
    left = (
        f"After {treatments_left} more evening{'s' if treatments_left > 1 else ''}, "
        if treatments_left
        else "No more treatments are needed; "
    )
    looks = (
        "one look that finds nothing"
        if len(needed) == 1
        else f"{len(needed)} looks that find nothing"
    )
    return OverResult(
        found,
        _headline(found, speech),
        f"{left}{looks}. {since}. One living find starts the clock again.",
        needed,
        best,
    )


def _headline(found: Clearing, speech: Speech) -> str:
    """When the plant may go back, and when its case closes."""
    assert found.closed is not None
    if found.may_go_back:
        return f"It may go back. The case closes {speech.day(found.closed)}."
    if found.back == found.closed:
        day = speech.day(found.closed)
        return f"Back among the others and closed {day}, if every look finds nothing."
    if found.back is None:
        return f"The case closes {speech.day(found.closed)}, if every look finds nothing."
    return (
        f"Back among the others {speech.day(found.back)}, closed {speech.day(found.closed)}, if "
        "every look finds nothing."
    )


def plants_of(row: PestCase) -> list[Plant]:
    """All plants that a case stands for."""
    return [row.plant, *(m.plant for m in history.members(row))]
