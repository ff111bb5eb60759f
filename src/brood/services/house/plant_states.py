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
from brood.store.queries import cases
from brood.store.queries.lasting import last_day, of_plant
from brood.store.records import PlantState

BACK_DAYS = 400
OVER_DAYS = 14
"""A state that has run out is asked about for so many days, and then counts as over."""


@dataclass(frozen=True)
class StateCommand:
    """What the form of a state says."""

    kind: str
    since: date
    until: date | None
    note: str = ""


@dataclass(frozen=True)
class StateLine:
    """A state as it is shown: `due` is the next day on which it asks for something, which
    is `asks`.
    """

    row: PlantState
    record: StateRecord
    due: date
    asks: str
    over: bool

    @property
    def ends(self) -> bool:
        """Whether what it asks for comes at its end."""
        return self.due >= self.row.until_on


def lines(catalogue: Catalogue, rows: Sequence[PlantState], today: date) -> list[StateLine]:
    """The states that last, or have run out without a word, with what each asks for."""
    out = []
    for row in rows:
        record = catalogue.states.get(row.kind)
        lately = today - row.until_on <= timedelta(days=OVER_DAYS)
        if record is None or row.ended_on is not None or not lately:
            continue
        cared = max(row.since_on, row.cared_on or row.since_on)
        # What nobody ticked is asked for again at its next time, and not for ever.
        times = max(1, (today - cared).days // record.care_days)
        care = cared + timedelta(days=record.care_days * times)
        ends = care >= row.until_on
        due, asks = (row.until_on, record.ends) if ends else (care, record.care)
        out.append(StateLine(row, record, due, asks, row.until_on < today))
    return out


def standing(session: Session, catalogue: Catalogue, today: date) -> list[StateLine]:
    """The states of all plants that are here."""
    query = select(PlantState).where(
        PlantState.withdrawn_at.is_(None),
        PlantState.ended_on.is_(None),
        PlantState.until_on >= today - timedelta(days=OVER_DAYS),
    )
    rows = [r for r in session.scalars(query.order_by(PlantState.id)) if r.plant.gone_on is None]
    return lines(catalogue, rows, today)


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
    until = said.until or said.since + timedelta(days=record.days)
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
    _put(session, plant_id, replace(said, until=until), now)


def _put(session: Session, plant_id: int, said: StateCommand, now: datetime) -> None:
    """Note a state, or give the one of its kind that it overlaps the days of both."""
    until = said.until or said.since
    same = next(
        (
            r
            for r in of_plant(session, plant_id)
            if r.kind == said.kind and r.since_on <= until and last_day(r) >= said.since
        ),
        None,
    )
    if same is not None:
        same.since_on, same.until_on = min(same.since_on, said.since), max(same.until_on, until)
        same.ended_on, same.note = None, said.note or same.note
        return
    session.add(
        PlantState(
            plant_id=plant_id,
            kind=said.kind,
            since_on=said.since,
            until_on=until,
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
            _put(session, plant_id, StateCommand(kind, today, until), now)
        elif record.act in dropped and kind in standing:
            standing[kind].ended_on = max(today, standing[kind].since_on)


def care(session: Session, state_id: int, on: date) -> PlantState:
    """Note that a state was looked after."""
    row = _row(session, state_id)
    row.cared_on = max(on, row.cared_on or on)
    return row


def lengthen(session: Session, catalogue: Catalogue, state_id: int, on: date) -> PlantState:
    """Let a state last for its usual time from a day on; it counts as looked after."""
    row = _row(session, state_id)
    days = catalogue.states[row.kind].days
    row.until_on, row.ended_on = max(row.until_on, on + timedelta(days=days)), None
    row.cared_on = on
    return row


def end(session: Session, state_id: int, on: date) -> PlantState:
    """End a state on a day. Ending it twice changes nothing."""
    row = _row(session, state_id)
    row.ended_on = row.ended_on or max(on, row.since_on)
    return row


def take_back(session: Session, state_id: int, now: datetime) -> PlantState:
    """Withdraw a state that was recorded by mistake."""
    row = _row(session, state_id)
    row.withdrawn_at = now
    return row


def _row(session: Session, state_id: int) -> PlantState:
    row = session.get(PlantState, state_id)
    if row is None or row.withdrawn_at is not None:
        raise NotFound("There is no such entry.")
    return row
