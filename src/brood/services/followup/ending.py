"""When a recorded case is over."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from threading import Lock

from cachetools import LRUCache
from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.core.biology.case import Act, CardCatch, Case, Inspection
from brood.core.followup.all_clear import Clearing, clear_by
from brood.core.followup.posterior import Belief
from brood.errors import InputError, LeftAlone
from brood.services.cases import assemble, counts, history
from brood.services.voice import words
from brood.services.voice.speech import Speech
from brood.store.queries import cases
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


def cleared(
    case: Case,
    schedule: list[tuple[date, list[Act]]],
    row: object,
    looks: tuple[Inspection, ...],
    cards: tuple[CardCatch, ...],
    today: date,
    *,
    weigh: bool = True,
) -> Clearing:
    """When a case is over. It comes from memory when nothing has changed; `row`
    identifies the case.
    """
    key = (
        f"{assemble.fingerprint(case)} {[(d, [a.id for a in acts]) for d, acts in schedule]} "
        f"{looks} {cards} {today} {row} {weigh}"
    )
    with _lock:
        held = _kept.get(key)
    if held is None:
        held = clear_by(case, schedule, looks, cards, today, weigh=weigh)
        with _lock:
            _kept[key] = held
    return held


def clearing_of(
    session: Session, catalogue: Catalogue, row: PestCase, today: date, *, weigh: bool = False
) -> Clearing:
    """When a case is over, from what was done, planned and counted. Raises InputError
    where there is nothing to tell it from.
    """
    case = assemble.as_found(session, catalogue, row, today)
    acts = {a.id: a for a in case.acts}
    coming = [(a.target_on, tuple(a.treatments)) for a in history.planned(row)]
    evenings = sorted([*((d.on, d.acts) for d in case.done), *coming])
    schedule = [(on, [acts[i] for i in ids if i in acts]) for on, ids in evenings]
    return cleared(
        case, schedule, row.id, counts.looks_of(row), counts.catches_of(row), today, weigh=weigh
    )


def unsettled(session: Session, catalogue: Catalogue, row: PestCase, today: date) -> bool:
    """Whether the record of a case does not show that it is over. A case that nobody
    looked at is not over, nor one that is held. Only a case without a find is.
    """
    if row.keep_below is not None:
        return True
    try:
        return not clearing_of(session, catalogue, row, today).settled
    except LeftAlone:
        return True
    except InputError as error:
        return error.field != "found"


def of_case(
    session: Session,
    catalogue: Catalogue,
    case_id: int,
    today: date,
    speech: Speech,
    *,
    weigh: bool = False,
) -> OverResult:
    """When a case is over, in words."""
    row = cases.case(session, case_id)
    if row.keep_below is not None:
        return OverResult(
            None,
            "It is held, not cleared.",
            f"You hold it under {row.keep_below:g}; there is no all-clear to wait for.",
            (),
            None,
            "This pest is held under a number.",
        )
    try:
        found = clearing_of(session, catalogue, row, today, weigh=weigh)
    except InputError as error:
        return OverResult(None, "No day can be told yet.", error.message, (), None, error.message)
    more = history.planned(row)
    return said(found, today, speech, treatments_left=len(more))


def said(found: Clearing, today: date, speech: Speech, *, treatments_left: int = 0) -> OverResult:
    """A clearing in words."""
    needed = tuple(NeededLine(n.on, words.look_reason(n.why)) for n in found.needed)
    best = max(found.worth, key=lambda w: w[1])[0] if found.worth else None
    if found.matured is None or found.hatched is None:
        return OverResult(
            found,
            "Standing still: too cold to tell.",
            (
                "Nothing grows up in the warmth expected, so whatever was missed on "
                f"{speech.day(found.last_live)} would wait. This is a pause, not an "
                "all-clear; look again when it is warmer."
            ),
            needed,
            best,
        )
    since = (
        f"Last seen alive {speech.day(found.last_live)}; the slowest of that day is grown by "
        f"{speech.day(found.matured)} at the cool end"
    )
    if found.last_treatment and (found.hatched - found.last_treatment).days == 1:
        since += f"; the course runs to {speech.day(found.last_treatment)}"
    elif found.last_treatment and found.hatched > found.matured:
        since += (
            f", and the last egg that {speech.day(found.last_treatment)} passed has hatched by "
            f"{speech.day(found.hatched)}"
        )
    if found.settled and found.all_clear:
        return OverResult(
            found,
            f"All clear since {speech.day(found.all_clear)}."
            if found.all_clear < today
            else "All clear.",
            f"{since}. "
            f"{len(found.clean_looks)} clean looks leave less than 1 chance in 100 that "
            "anything lives.",
            (),
            None,
        )
    if found.all_clear is None:
        return OverResult(
            found,
            "No all-clear in sight.",
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
        f"All clear {speech.day(found.all_clear)}, if every look finds nothing.",
        f"{left}{looks}. {since}. One living find starts the clock again.",
        needed,
        best,
    )


def belief(session: Session, catalogue: Catalogue, row: PestCase, today: date) -> Belief | None:
    """What the counts of a case say. None where nothing was counted or there is no plan."""
    try:
        return assemble.belief_of(assemble.as_found(session, catalogue, row, today), row, today)
    except InputError:
        return None


def plants_of(row: PestCase) -> list[Plant]:
    """All plants that a case stands for."""
    return [row.plant, *(m.plant for m in history.members(row))]
