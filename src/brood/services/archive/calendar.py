"""The dates of a case as an iCalendar file. Entries keep their identity when they change."""

from __future__ import annotations

from datetime import datetime, timedelta

from icalendar import Alarm, Calendar, Event
from sqlalchemy.orm import Session

from brood import __version__
from brood.catalogue.holdings import Catalogue
from brood.core.climate.hours import evening
from brood.services.cases import history, plans
from brood.services.voice import words
from brood.services.voice.preferences import Preferences
from brood.store.queries import cases
from brood.store.states import EveningOutcome, EveningState
from brood.store.tables import Application, PestCase

LENGTH = timedelta(minutes=45)


def build(
    session: Session, catalogue: Catalogue, case_id: int, preferences: Preferences, *, now: datetime
) -> tuple[str, bytes]:
    """(file name, contents) for a case. Dropped and skipped evenings stay in as
    cancelled, so that calendars remove them; so do those to come of a closed case.
    """
    row = cases.case(session, case_id)
    calendar = _calendar(f"Brood: {row.plant.name}")
    for slot in sorted(row.applications, key=lambda a: a.number):
        calendar.add_component(_event(row, slot, catalogue, preferences))
    name = (
        "".join(c if c.isascii() and c.isalnum() else "-" for c in row.plant.name.lower()).strip(
            "-"
        )
        or "plant"
    )
    return f"brood-{name}.ics", calendar.to_ical()


def household(session: Session, catalogue: Catalogue, preferences: Preferences) -> bytes:
    """Every evening of every case as one calendar. Closed cases stay as they were."""
    calendar = _calendar("Brood: treatment evenings")
    for row in sorted(cases.every(session), key=lambda c: (c.plant.name, c.plant_id, c.id)):
        for slot in sorted(row.applications, key=lambda a: a.number):
            if row.closed_at is None or slot.status != EveningState.PLANNED:
                calendar.add_component(_event(row, slot, catalogue, preferences))
    out: bytes = calendar.to_ical()
    return out


def _calendar(name: str) -> Calendar:
    calendar = Calendar()
    calendar.add("prodid", f"-//Brood//Brood {__version__}//EN")
    calendar.add("version", "2.0")
    calendar.add("method", "PUBLISH")
    calendar.add("x-wr-calname", name)
    return calendar


def _event(
    row: PestCase, slot: Application, catalogue: Catalogue, preferences: Preferences
) -> Event:
    speech = preferences.speech
    record = history.last_word(slot)
    done = (
        record is not None and record.outcome == EveningOutcome.DONE and record.done_on is not None
    )
    day = record.done_on if record and record.done_on else slot.target_on
    verb = words.evening_verb(slot.treatments, catalogue.treatments)
    event = Event()
    event.add("uid", slot.uid)
    event.add("sequence", slot.sequence)
    to_come = slot.status == EveningState.PLANNED
    closed = row.closed_at if to_come else None
    changed = max(slot.changed_at, closed or slot.changed_at)
    event.add("dtstamp", changed)
    event.add("last-modified", changed)
    event.add("dtstart", evening(day))
    event.add("dtend", evening(day) + LENGTH)
    summary = (
        f"{'Done: ' if done else ''}{verb}: {row.plant.name} "
        f"({catalogue.records[row.pest_id].name})"
        f"{'' if done or not history.is_spare(slot) else ', if a look finds life'}"
    )
    event.add("summary", summary)
    why = plans.why_of(catalogue, row, slot, speech)
    window = f"Window: {speech.span(slot.earliest_on, slot.latest_on)}.\n" if not done else ""
    event.add(
        "description",
        f"{words.act_names(slot.treatments, catalogue.treatments)}.\n{window}{why}\nThe label and "
        f"local rules come first.",
    )
    off = slot.status in (EveningState.DROPPED, EveningState.SKIPPED) or closed is not None
    event.add("status", "CANCELLED" if off else "CONFIRMED")
    event.add("transp", "TRANSPARENT")
    if to_come and not off:
        event.add_component(_alarm(summary, int(preferences.alarm_hours)))
    return event


def _alarm(summary: str, hours: int) -> Alarm:
    alarm = Alarm()
    alarm.add("action", "DISPLAY")
    alarm.add("description", summary)
    alarm.add("trigger", timedelta(hours=-hours))
    return alarm
