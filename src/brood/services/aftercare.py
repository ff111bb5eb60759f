"""What comes after a treatment evening: written with its hours, shown when due, ticked off."""

from __future__ import annotations

from datetime import datetime, timedelta

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.core.evening import EVENING
from brood.errors import NotFound
from brood.store.tables import AfterTask, ApplicationRecord, PestCase


def write(catalogue: Catalogue, row: PestCase, record: ApplicationRecord) -> None:
    """Write what comes after an evening that was done: for each technique, and for a treatment where it asks for more."""
    assert record.done_on is not None
    at = max(EVENING, record.recorded_at.time()) if record.recorded_at.date() == record.done_on else EVENING
    evening = datetime.combine(record.done_on, at)
    book = catalogue.evenings
    coming = {(a.hours, a.text) for key in record.treatments for a in book.technique[catalogue.care[key].technique].after}
    coming |= {(book.care[key].hours, book.care[key].text) for key in record.treatments if key in book.care}
    for hours, text in sorted(coming):
        row.tasks.append(AfterTask(record_id=record.id, text=text, due_at=evening + timedelta(hours=hours)))


def open_tasks(row: PestCase) -> tuple[AfterTask, ...]:
    """What is still to be done, soonest first; that of withdrawn records is left out."""
    waiting = [t for t in row.tasks if t.done_at is None]
    gone = {r.id for a in row.applications for r in a.records if r.withdrawn_at is not None} if waiting else set()
    return tuple(t for t in waiting if t.record_id not in gone)


def tick(session: Session, task_id: int, *, now: datetime) -> int:
    """Tick a task off, or take the tick back; its case's id."""
    task = session.get(AfterTask, task_id)
    if task is None:
        raise NotFound("There is no such task.")
    task.done_at = None if task.done_at else now
    return task.case_id
