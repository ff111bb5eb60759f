"""What has to be done after a treatment evening: written with its hours, shown when
due, ticked off.
"""

from __future__ import annotations

from datetime import datetime, timedelta

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.core.climate.hours import EVENING
from brood.errors import NotFound
from brood.store.tables import AfterTask, ApplicationRecord, PestCase

EXPIRES = timedelta(days=5)
"""After-care that nobody ticked counts as past so long after it was due."""


def write(catalogue: Catalogue, row: PestCase, record: ApplicationRecord) -> None:
    """Write the after-care of an evening that was done: for each technique, and for a
    treatment where it asks for more.
    """
    assert record.done_on is not None
    at = (
        max(EVENING, record.recorded_at.time())
        if record.recorded_at.date() == record.done_on
        else EVENING
    )
    evening = datetime.combine(record.done_on, at)
    book = catalogue.evenings
    coming = {
        (a.hours, a.text)
        for key in record.treatments
        for a in book.technique[catalogue.care[key].technique].after
    }
    coming |= {
        (book.care[key].hours, book.care[key].text) for key in record.treatments if key in book.care
    }
    for hours, text in sorted(coming):
        row.tasks.append(
            AfterTask(record_id=record.id, text=text, due_at=evening + timedelta(hours=hours))
        )


def open_tasks(row: PestCase, now: datetime) -> tuple[AfterTask, ...]:
    """The after-care still to be done, the soonest first: each thing once, from the
    last evening that asks for it, and no longer than makes sense.

    Tasks of withdrawn records are left out, and all tasks once the case is closed.
    """
    waiting = (
        [t for t in row.tasks if t.done_at is None and now - t.due_at < EXPIRES]
        if row.closed_at is None
        else []
    )
    gone = (
        {r.id for a in row.applications for r in a.records if r.withdrawn_at is not None}
        if waiting
        else set()
    )
    newest = {t.text: t for t in waiting if t.record_id not in gone}
    return tuple(sorted(newest.values(), key=lambda t: (t.due_at, t.id)))


def tick(session: Session, task_id: int, *, done: bool = True, now: datetime) -> tuple[int, str]:
    """Tick a task off, or take the tick back; the id of its case, and what was to be
    done. Doing it twice changes nothing.
    """
    task = session.get(AfterTask, task_id)
    if task is None:
        raise NotFound("There is no such task.")
    task.done_at = (task.done_at or now) if done else None
    return task.case_id, task.text
