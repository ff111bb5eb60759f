"""Checks that take days: begun today, asked for again on their day."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.catalogue.sign_tables import Wait
from brood.errors import InputError
from brood.services.diagnosis.look_log import standing
from brood.store.queries import looks
from brood.store.tables import Look

ASKED_DAYS = 14
"""So long after its day a check is asked for; then it is let go."""


@dataclass(frozen=True)
class Waiting:
    """A check that waits: its day, its options, and what is looked at then."""

    look: Look
    due: date
    options: tuple[str, ...]
    wait: Wait

    @property
    def key(self) -> str:
        """What identifies the check."""
        return self.options[0]


def begin(
    session: Session, catalogue: Catalogue, look_id: int, options: Sequence[str], today: date
) -> Waiting:
    """Put a check off to its day. Raises InputError for one that can be done at once."""
    row = looks.look(session, look_id)
    wait = catalogue.evidence.waits.for_all(options)
    if wait is None or not set(options) <= set(catalogue.evidence.observations):
        raise InputError("This check can be done at once.")
    due = today + timedelta(days=wait.days)
    row.put_off = {**row.put_off, options[0]: [due.isoformat(), *options]}
    row.closed_at = None
    return Waiting(row, due, tuple(options), wait)


def give_up(session: Session, look_id: int, key: str) -> None:
    """Wait no longer for a check."""
    row = looks.look(session, look_id)
    row.put_off = {k: held for k, held in row.put_off.items() if k != key}


def of_look(catalogue: Catalogue, row: Look) -> list[Waiting]:
    """The checks of a look that wait and are not answered yet, the nearest first."""
    told = {a.observation for a in standing(row)} | set(row.passed)
    out = []
    for day, *options in row.put_off.values():
        wait = catalogue.evidence.waits.for_all(options)
        if wait is not None and told.isdisjoint(options):
            out.append(Waiting(row, date.fromisoformat(day), tuple(options), wait))
    return sorted(out, key=lambda one: (one.due, one.key))


def due(session: Session, catalogue: Catalogue, today: date) -> list[Waiting]:
    """The checks of the household that are asked for today."""
    return [
        one
        for row in looks.open_with_waits(session)
        for one in of_look(catalogue, row)
        if one.due <= today <= one.due + timedelta(days=ASKED_DAYS)
    ]
