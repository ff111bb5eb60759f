"""States that last on a plant: begun, looked after, lengthened, ended."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.catalogue.schema import StateRecord
from brood.errors import FieldErrors, NotFound
from brood.services.voice.speech import Speech
from brood.services.warmth import rain
from brood.store.queries import cases
from brood.store.queries.lasting import last_day, of_plant
from brood.store.tables import Plant, PlantState

BACK_DAYS = 400
OVER_DAYS = 14
"""A state that has run out is asked about for so many days, and then counts as over."""


@dataclass(frozen=True)
class StateCommand:
    """What the form of a state says. After a spray what is eaten waits for `harvest_wait`
    days.
    """

    kind: str
    since: date
    until: date | None
    note: str = ""
    harvest_wait: int | None = None


@dataclass(frozen=True)
class StateLine:
    """A state as it is shown: `due` is the next day on which it asks for something, which
    is `asks`.
    """

    row: PlantState
    record: StateRecord
    due: date
    asks: str
    ends: bool
    over: bool


def lines(
    session: Session, catalogue: Catalogue, rows: Sequence[PlantState], today: date
) -> list[StateLine]:
    """The states that last, or have run out without a word, with what each asks for."""
    out = []
    for row in rows:
        record = catalogue.states.get(row.kind)
        if record is None or row.ended_on is not None:
            continue
        washed = _washed_off(session, record, row, today)
        last = min(row.until_on, washed or row.until_on)
        if today - last <= timedelta(days=OVER_DAYS):
            out.append(_line(row, record, last, washed, today))
    return out


def _line(
    row: PlantState, record: StateRecord, last: date, washed: date | None, today: date
) -> StateLine:
    """What a state asks for: care while it lasts, or a word at its `last` day."""
    cared = max(row.since_on, row.cared_on or row.since_on)
    # What nobody ticked is asked for again at its next time, and not for ever.
    times = max(1, (today - cared).days // record.care_days)
    care = cared + timedelta(days=record.care_days * times)
    if care < last and today < last:
        return StateLine(row, record, care, record.care, False, False)
    rain = "Rain has taken it off. " if washed is not None and washed <= row.until_on else ""
    return StateLine(row, record, last, rain + record.ends, True, last < today)


def _washed_off(session: Session, record: StateRecord, row: PlantState, today: date) -> date | None:
    """The day on which rain had taken off what was put on. None where it stands."""
    place = row.plant.stays[-1].place if row.plant.stays else None
    if record.washes_off_mm is None or place is None or not rain.reaches(place):
        return None
    fell = 0.0
    for day in rain.rain_of(session, place, row.since_on + timedelta(days=1), today):
        fell += day.mm
        if fell >= record.washes_off_mm:
            return day.on
    return None


def usual_days(record: StateRecord, plant: Plant) -> int:
    """How long a state usually lasts on a plant: less where it soon grows out of it."""
    if record.fast_days is not None and plant.growth == "fast":
        return record.fast_days
    return record.days


def standing(session: Session, catalogue: Catalogue, today: date) -> list[StateLine]:
    """The states of all plants that are here."""
    query = select(PlantState).where(
        PlantState.withdrawn_at.is_(None),
        PlantState.ended_on.is_(None),
        PlantState.until_on >= today - timedelta(days=OVER_DAYS),
    )
    rows = [r for r in session.scalars(query.order_by(PlantState.id)) if r.plant.gone_on is None]
    return lines(session, catalogue, rows, today)


def begin(
    session: Session,
    catalogue: Catalogue,
    plant_id: int,
    said: StateCommand,
    speech: Speech,
    *,
    now: datetime,
) -> None:
    """Begin a state. One of the same kind that overlaps is taken to be the same, and gets
    the new days. Raises FieldErrors.
    """
    plant = cases.plant(session, plant_id)
    record = catalogue.states.get(said.kind)
    if record is None:
        raise FieldErrors({"state": "Choose what it is."})
    until = said.until or said.since + timedelta(days=usual_days(record, plant))
    faults: dict[str, str] = {}
    if until < said.since:
        faults["until"] = (
            f"It would end on {speech.day(until)}, before it begins on {speech.day(said.since)}."
        )
    elif (until - said.since).days > record.most_days:
        faults["until"] = f"Not longer than {record.most_days} days at a time; lengthen it later."
    if not now.date() - timedelta(days=BACK_DAYS) <= said.since <= now.date():
        faults["since"] = "It begins today, or began earlier."
    if plant.gone_on is not None:
        faults["state"] = f"{plant.name} is no longer here."
    if faults:
        raise FieldErrors(faults)
    _put(session, record, plant_id, replace(said, until=until), now)


def renews(record: StateRecord) -> bool:
    """Whether a state is put on afresh each time, so that each time is on record."""
    return record.washes_off_mm is not None or record.sprays is not None


def _put(
    session: Session, record: StateRecord, plant_id: int, said: StateCommand, now: datetime
) -> None:
    """Note a state, or give the one of its kind that it overlaps the days of both. What is
    put on afresh ends what was there.
    """
    until = said.until or said.since
    if renews(record):
        for old in of_plant(session, plant_id):
            if old.kind == said.kind and old.ended_on is None and old.since_on < said.since:
                old.ended_on = said.since
    same = next(
        (
            r
            for r in of_plant(session, plant_id)
            if r.kind == said.kind and r.since_on <= until and last_day(r) >= said.since
        ),
        None,
    )
    if same is not None and not (renews(record) and same.since_on < said.since):
        same.since_on, same.until_on = min(same.since_on, said.since), max(same.until_on, until)
        same.ended_on, same.note = None, said.note or same.note
        return
    cases.plant(session, plant_id).states.append(
        PlantState(
            kind=said.kind,
            since_on=said.since,
            until_on=until,
            harvest_wait=said.harvest_wait,
            note=said.note,
            recorded_at=now,
        )
    )


def follow_choice(
    session: Session,
    catalogue: Catalogue,
    plant_id: int,
    *,
    chosen: Collection[str],
    dropped: Collection[str] = (),
    now: datetime,
) -> None:
    """Begin the states that keep up the chosen treatments, and end those that keep up what
    was dropped.
    """
    today = now.date()
    standing = {
        r.kind: r for r in of_plant(session, plant_id) if r.ended_on is None and r.until_on >= today
    }
    for kind, record in catalogue.states.items():
        if record.act in chosen and kind not in standing:
            until = today + timedelta(days=record.days)
            _put(session, record, plant_id, StateCommand(kind, today, until), now)
        elif record.act in dropped and kind in standing:
            standing[kind].ended_on = max(today, standing[kind].since_on)


def care(session: Session, state_id: int, on: date) -> PlantState:
    """Note that a state was looked after."""
    row = state(session, state_id)
    row.cared_on = max(on, row.cared_on or on)
    return row


def lengthen(session: Session, catalogue: Catalogue, state_id: int, now: datetime) -> PlantState:
    """Let a state last for its usual time from now on; it counts as looked after. What is
    put on afresh is a new one.
    """
    on = now.date()
    row = state(session, state_id)
    record = catalogue.states[row.kind]
    until = on + timedelta(days=usual_days(record, row.plant))
    if renews(record) and row.since_on < on:
        _put(session, record, row.plant_id, StateCommand(row.kind, on, until, row.note), now)
        return row
    row.until_on, row.ended_on = max(row.until_on, until), None
    row.cared_on = on
    return row


def end(session: Session, state_id: int, on: date) -> PlantState:
    """End a state on a day. Ending it twice changes nothing."""
    row = state(session, state_id)
    row.ended_on = row.ended_on or max(on, row.since_on)
    return row


def take_back(session: Session, state_id: int, now: datetime) -> PlantState:
    """Withdraw a state that was recorded by mistake. One that it took the place of stands
    again.
    """
    row = state(session, state_id)
    for before in of_plant(session, row.plant_id):
        if before.kind == row.kind and before.ended_on == row.since_on and before is not row:
            before.ended_on = None
    row.withdrawn_at = now
    return row


def state(session: Session, state_id: int) -> PlantState:
    """One of them. Raises NotFound."""
    row = session.get(PlantState, state_id)
    if row is None or row.withdrawn_at is not None:
        raise NotFound("There is no such entry.")
    return row
