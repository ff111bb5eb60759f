"""What was counted in a case, in the form that the computation takes, and what it says
of the course.
"""

from __future__ import annotations

from datetime import date
from threading import Lock

from cachetools import LRUCache, cached

from brood.core.biology.case import CardCatch, Case, Inspection
from brood.core.followup.detection import THOROUGH
from brood.core.followup.posterior import Belief, learn
from brood.services.cases import history
from brood.services.cases.history import members
from brood.store.tables import InspectionRecord, PestCase

KEEP, TWO = 48, 2


def looks_of(row: PestCase) -> tuple[Inspection, ...]:
    """The looks at a case. A look at one of several plants has seen that much less of
    all of them.
    """
    plants = 1 + len(members(row))
    return tuple(as_look(i, plants) for i in history.looks(row))


def as_look(record: InspectionRecord, plants: int = 1) -> Inspection:
    """One look in the form that the computation takes. `plants` is how many the case
    stands for.
    """
    counts = {str(c["class"]): float(c["live"]) for c in record.counts if c["live"]}
    return Inspection(
        record.looked_on,
        counts,
        record.share / plants,
        THOROUGH[record.thorough],
        record.spread_days,
    )


def catches_of(row: PestCase) -> tuple[CardCatch, ...]:
    """What cards caught between their counts."""
    out = []
    for card in (c for c in row.cards if c.withdrawn_at is None):
        since = card.placed_on
        for count in (c for c in card.counts if c.withdrawn_at is None):
            if count.counted_on > since:
                out.append(CardCatch(since, count.counted_on, float(count.number)))
            since = count.counted_on
    return tuple(sorted(out, key=lambda c: c.until))


def belief(case: Case, row: PestCase, today: date, key: str) -> Belief | None:
    """What the counts say. None where nothing was counted since the first find, or only
    one card once. `key` identifies the figures of the case.
    """
    first = min(f.on for f in case.found)
    looks = tuple(x for x in looks_of(row) if first < x.on <= today)
    cards = tuple(c for c in catches_of(row) if first <= c.since and c.until <= today)
    if not looks and len(cards) < TWO:
        return None
    return _learnt(f"{key} {looks!r} {cards!r} {today}", case, looks, cards, today)


@cached(LRUCache(KEEP), key=lambda told, *_: told, lock=Lock())
def _learnt(
    told: str,
    case: Case,
    looks: tuple[Inspection, ...],
    cards: tuple[CardCatch, ...],
    until: date,
) -> Belief:
    """A posterior. It comes from memory where it was made from the same facts, which
    `told` identifies.
    """
    return learn(case, looks, cards, until)
