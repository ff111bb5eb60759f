"""Back after an absence: what was left open meanwhile, one question each, and what every
answer records.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from brood.services.cases import beside, history
from brood.services.voice import preferences
from brood.services.voice.desk import Desk
from brood.services.voice.speech import Speech, days, spelled
from brood.store.place_tables import DiaryDay, Place
from brood.store.queries import cases, readings
from brood.store.tables import ApplicationRecord, CardCount, Finding, InspectionRecord, PestCase

MOST_KEPT = 200
AWAY_DAYS = 14
"""After so many days without a word of the keeper the first page asks what went on."""
KEY = "caught-up"
WORDS = (ApplicationRecord, InspectionRecord, Finding, CardCount, DiaryDay)
"""What a keeper records. The newest of it is when they were last heard of."""
WEEK, EVENING = 7, "evening-"


@dataclass(frozen=True)
class Choice:
    """An answer: what is recorded (sent to `url`), or a page that is opened."""

    said: str
    url: str
    fields: dict[str, str] = field(default_factory=dict)
    opens: bool = False


@dataclass(frozen=True)
class CatchUp:
    """One thing that was left open, and what answering it changes."""

    key: str
    asks: str
    changes: str
    choices: tuple[Choice, ...]


@dataclass(frozen=True)
class AwayResult:
    """The page of somebody who comes back: since when nothing was heard, and what was
    left open.
    """

    headline: str
    since: date
    things: tuple[CatchUp, ...]

    @property
    def evenings(self) -> list[str]:
        """The questions about treatments, by their keys."""
        return [one.key for one in self.things if one.key.startswith(EVENING)]


def build(desk: Desk) -> AwayResult | None:
    """What was left open in an absence. None where there was none, or all is answered."""
    since = last_heard(desk.session, desk.today)
    if since is None or (desk.today - since.date()).days <= AWAY_DAYS:
        return None
    answered = _answered(desk)
    if answered is None:
        return None
    rows = beside.house_of(desk.session).open_cases
    every = [
        *(one for row in rows for one in _of_case(row, desk.today, desk.speech)),
        *_of_places(desk),
    ]
    things = tuple(one for one in every if one.key not in answered)
    if not things:
        return None
    gone = (desk.today - since.date()).days
    span = days(gone) if gone < 3 * WEEK else f"{spelled(gone // WEEK)} weeks"
    return AwayResult(f"You were away for {span}.", since.date(), things)


def last_heard(session: Session, today: date) -> datetime | None:
    """When the keeper last recorded anything before today."""
    begun = datetime.combine(today, time())
    found = [
        session.scalar(select(func.max(table.recorded_at)).where(table.recorded_at < begun))
        for table in WORDS
    ]
    return max((at for at in found if at is not None), default=None)


def _of_case(row: PestCase, today: date, speech: Speech) -> list[CatchUp]:
    """What a case asks: the evening that went by, or a count where nobody knows any more."""
    if history.is_left_alone(row):
        count = Choice("Count now", f"/cases/{row.id}/inspect", opens=True)
        return [
            CatchUp(
                f"count-{row.id}",
                f"{row.plant.name}: nobody knows how many live on it now.",
                "The old dates no longer hold. New ones follow from a count.",
                (count, _later()),
            )
        ]
    slot = history.went_by(row)
    if slot is None or slot.missed_on is None or slot.missed_on >= today:
        return []
    key = f"{EVENING}{slot.id}-{slot.missed_on.isoformat()}"
    done = {"outcome": "done", "done_on": slot.missed_on.isoformat(), "back": "/", "to": "done"}
    return [
        CatchUp(
            key,
            f"{row.plant.name}: was the treatment of {speech.day(slot.missed_on)} done?",
            "If it was, the dates to come move. If not, they stay as they are.",
            (
                Choice("It was done", f"/evenings/{slot.id}", done),
                Choice("Not done", "/today/caught-up", {"key": key}),
                Choice("On another day", f"/cases/{row.id}", opens=True),
            ),
        )
    ]


def _of_places(desk: Desk) -> list[CatchUp]:
    """The places that are read off by hand and were not."""
    out = []
    for place in cases.places(desk.session):
        silent = _silent_days(desk.session, place, desk.today)
        if silent is None or silent <= AWAY_DAYS or not cases.standing_at(desk.session, place.id):
            continue
        key = f"place-{place.id}-{desk.today - timedelta(days=silent)}"
        out.append(
            CatchUp(
                key,
                f"{place.name}: {days(silent)} without readings.",
                "Expected warmth stands in. Readings may move dates by some days.",
                (
                    Choice("Keep as expected", "/today/caught-up", {"key": key}),
                    Choice("Add readings", f"/places/{place.id}", opens=True),
                ),
            )
        )
    return out


def _silent_days(session: Session, place: Place, today: date) -> int | None:
    """For how many days a diary or a logger's files are silent. None for other sources."""
    if place.source == "diary":
        known = readings.diary(session, place.id)
        return (today - known[-1].on).days if known else None
    if place.source == "logger" and (bounds := readings.bounds(session, place.id)):
        return (today - bounds[1].date()).days
    return None


def _later() -> Choice:
    return Choice("Later", "/today/caught-up", {"key": "all"})


def _answered(desk: Desk) -> set[str] | None:
    """The questions that were answered in this absence. None where all are put off today."""
    told = json.loads(preferences.get(desk.session, KEY) or "{}")
    if told.get("off") == desk.today.isoformat():
        return None
    return set(told.get("keys", ()))


def answer(desk: Desk, given: Sequence[str]) -> None:
    """Keep that questions were answered; `all` puts the page off until tomorrow."""
    told = json.loads(preferences.get(desk.session, KEY) or "{}")
    off = desk.today.isoformat() if "all" in given else told.get("off")
    new = [key[:80] for key in given if key != "all"]
    keys = list(dict.fromkeys([*told.get("keys", ()), *new]))[-MOST_KEPT:]
    preferences.put(desk.session, KEY, json.dumps({"keys": keys, "off": off}))
