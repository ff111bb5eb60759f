"""What the counts say of a course: working, stalled or rising, or too early to tell."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.core.followup.posterior import Belief
from brood.errors import InputError
from brood.services.cases import assemble
from brood.store.tables import PestCase

SURE_ENOUGH = 0.6


VERDICTS = {"working": "Working", "stalled": "Stalled", "rising": "Rising"}


def verdict_of(held: Belief, done: Sequence[date]) -> tuple[str, bool]:
    """The likeliest verdict, and whether it is sure enough to act on. Empty before the
    first count after an evening.
    """
    if not done or held.last <= min(done):
        return "", False
    return held.verdict, held.verdicts()[held.verdict] >= SURE_ENOUGH


def line(session: Session, catalogue: Catalogue, row: PestCase, today: date) -> str:
    """The verdict in a word, for a list. Empty where there is none."""
    try:
        case = assemble.as_found(session, catalogue, row, today)
        held = assemble.belief_of(case, row, today)
    except InputError:
        return ""
    if held is None:
        return ""
    verdict, sure = verdict_of(held, [d.on for d in case.done])
    return VERDICTS[verdict] if sure else ""
