"""Addresses that need no passcode: a calendar feed to read, and a sitter's sheet whose
tasks can be ticked on its days.
"""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.errors import FieldErrors, NotFound
from brood.services.cases import aftercare, beside, commands, history
from brood.services.cases.aftercare import open_tasks
from brood.services.followup.follow_page import due_for_look
from brood.services.followup.inspections import InspectCommand, record
from brood.services.today.today import open_cases
from brood.services.voice import words
from brood.services.voice.desk import Desk
from brood.services.voice.speech import Speech
from brood.store.records import SecretAddress, SitterTick
from brood.store.states import EveningOutcome, EveningState
from brood.store.tables import PestCase

BYTES = 24
LONGEST_DAYS = 60
LOOK_EVERY = 7


def digest(token: str) -> str:
    """What is stored of a secret."""
    return hashlib.sha256(token.encode()).hexdigest()


def make(
    session: Session,
    kind: str,
    label: str,
    *,
    now: datetime,
    from_on: date | None = None,
    until_on: date | None = None,
) -> str:
    """Make an address and return its secret, which is shown once and not kept."""
    if kind == "sitter":
        if from_on is None or until_on is None or until_on < from_on:
            raise FieldErrors({"until_on": "The last day comes before the first."})
        if (until_on - from_on).days > LONGEST_DAYS:
            raise FieldErrors({"until_on": f"A sheet holds for {LONGEST_DAYS} days at most."})
    token = secrets.token_urlsafe(BYTES)
    session.add(
        SecretAddress(
            kind=kind,
            label=label,
            digest=digest(token),
            from_on=from_on,
            until_on=until_on,
            made_at=now,
        )
    )
    return token


def every(session: Session) -> list[SecretAddress]:
    """All addresses that are valid, the newest first."""
    return list(
        session.scalars(
            select(SecretAddress)
            .where(SecretAddress.revoked_at.is_(None))
            .order_by(SecretAddress.id.desc())
        )
    )


def revoke(session: Session, address_id: int, *, now: datetime) -> None:
    """End an address at once."""
    found = session.get(SecretAddress, address_id)
    if found is None:
        raise NotFound("There is no such address.")
    found.revoked_at = found.revoked_at or now


def address(session: Session, kind: str, token: str, today: date) -> SecretAddress:
    """The address behind a secret. Raises NotFound in the same way whether it is
    unknown, revoked, of another kind, or out of its days.
    """
    found = session.scalars(
        select(SecretAddress).where(
            SecretAddress.digest == digest(token), SecretAddress.kind == kind
        )
    ).first()
    if found is None or found.revoked_at is not None:
        raise NotFound("There is nothing at this address.")
    if kind == "sitter" and not (
        found.from_on and found.until_on and found.from_on <= today <= found.until_on
    ):
        raise NotFound("There is nothing at this address.")
    return found


@dataclass(frozen=True)
class SheetTask:
    """One task of a sitter's sheet."""

    key: str
    on: date
    plant: str
    place: str
    text: str
    how: tuple[str, ...]
    cautions: tuple[str, ...]


@dataclass(frozen=True)
class Sheet:
    """A sitter's sheet: its days, what to do on each, and what was ticked."""

    label: str
    from_on: date
    until_on: date
    days: tuple[tuple[date, tuple[SheetTask, ...]], ...]
    ticked: tuple[SitterTick, ...]


def sheet(
    session: Session, catalogue: Catalogue, row: SecretAddress, *, today: date, speech: Speech
) -> Sheet:
    """The sheet of an address. What was ticked is left out of the days."""
    assert row.from_on is not None
    assert row.until_on is not None
    ticks = tuple(
        session.scalars(
            select(SitterTick).where(
                SitterTick.address_id == row.id, SitterTick.withdrawn_at.is_(None)
            )
        )
    )
    done = {t.task for t in ticks}
    tasks = [
        t
        for case in open_cases(session)
        for t in _of_case(catalogue, case, row.from_on, row.until_on, today, speech)
        if t.key not in done
    ]
    days = sorted({t.on for t in tasks})
    grouped = tuple(
        (day, tuple(sorted((t for t in tasks if t.on == day), key=lambda t: (t.place, t.plant))))
        for day in days
    )
    return Sheet(row.label, row.from_on, row.until_on, grouped, ticks)


def _of_case(
    catalogue: Catalogue, row: PestCase, first: date, last: date, today: date, speech: Speech
) -> list[SheetTask]:
    """A case's tasks between two days."""
    stay = beside.stay_of(row.plant)
    where = (row.plant.name, stay.place.name if stay else "")
    out = []
    for slot in (
        a
        for a in row.applications
        if a.status == EveningState.PLANNED and first <= max(a.target_on, today) <= last
    ):
        how = tuple(
            s
            for key in slot.treatments
            for s in catalogue.evenings.technique[catalogue.care[key].technique].steps
        )
        cautions = tuple(c for key in slot.treatments for c in catalogue.treatments[key].cautions)
        verb = words.evening_verb(slot.treatments, catalogue.treatments)
        out.append(
            SheetTask(
                f"treat-{slot.id}",
                max(slot.target_on, today),
                *where,
                words.task(
                    f"{verb} in the evening: "
                    f"{words.act_names(slot.treatments, catalogue.treatments)}",
                    spare=history.is_spare(slot),
                ),
                how,
                cautions,
            )
        )
    out += [
        SheetTask(f"care-{t.id}", max(t.due_at.date(), today), *where, t.text, (), ())
        for t in open_tasks(row, datetime.combine(today, time()))
        if first <= max(t.due_at.date(), today) <= last
    ]
    look = max(due_for_look(row, today), first)
    pest = catalogue.records[row.pest_id].name
    while look <= last:
        text = f"Look at the undersides for {pest}; tick when nothing is alive"
        out.append(SheetTask(f"look-{row.id}-{look.isoformat()}", look, *where, text, (), ()))
        look += timedelta(days=LOOK_EVERY)
    return out


def tick(desk: Desk, row: SecretAddress, key: str) -> None:
    """Tick a task of a sheet: it is recorded as done by the sitter. Raises NotFound for
    anything that is not on the sheet today or before.
    """
    session, now, today = desk.session, desk.moment, desk.today
    shown = sheet(session, desk.catalogue, row, today=today, speech=desk.speech)
    task = next(
        (t for _, tasks in shown.days for t in tasks if t.key == key and t.on <= today), None
    )
    if task is None:
        raise NotFound("This task is not on the sheet for today.")
    kind, _, rest = key.partition("-")
    number = int(rest.split("-")[0])
    if kind == "treat":
        said = commands.MarkCommand(EveningOutcome.DONE, today, "ticked by the sitter")
        commands.mark(desk, number, said)
    elif kind == "care":
        aftercare.tick(session, number, now=now)
    else:
        record(desk, number, InspectCommand(today, (), 1.0, "glance", note="by the sitter"))
    session.add(
        SitterTick(address_id=row.id, task=key, text=f"{task.plant}: {task.text}", ticked_at=now)
    )
