"""Which cases a change reaches. The version of the facts of a case rises with everything
that its plan can depend on, in the transaction of the change itself.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import event, inspect, select, update
from sqlalchemy.orm import Session

from brood.store.base import Table
from brood.store.place_tables import (
    DiaryDay,
    Place,
    RainDay,
    Reading,
    SetPoint,
    Upload,
    WeatherReport,
)
from brood.store.records import PlantEvent
from brood.store.tables import (
    Application,
    ApplicationRecord,
    Card,
    CardCount,
    CaseAct,
    CasePlant,
    Finding,
    InspectionRecord,
    OwnFigure,
    PatchTest,
    PestCase,
    Plant,
    PlantState,
    Setting,
    Stay,
)

TOLD = (
    "start_on",
    "reach",
    "refuge",
    "test_patch",
    "own_dates",
    "keep_below",
    "pace",
    "limits",
    "course_from",
)
"""The columns of a case that its plan depends on."""
WARM = ("source", "offset_c", "warm_spot_c", "cool_spot_c", "sensor_url")
"""The columns of a place that the warmth of a plan depends on."""
SAID = ("outcome", "done_on", "treatments", "reach", "withdrawn_at")
"""The columns of the record of an evening that its plan depends on."""
BUILT = ("kind", "build", "number")
"""The columns of a plant that tell how much of a pest hides on it, and is on it."""
LASTS = ("kind", "since_on", "until_on", "ended_on", "withdrawn_at")
"""The columns of a state that its plan depends on."""
EVERYWHERE = ("hemisphere", "heating_from", "heating_to", "household")
"""The settings that every plan may depend on: for the warmth of places, and for what is
not allowed where the household lives.
"""


@dataclass
class Reached:
    """Whom the changes of one transaction reach."""

    cases: set[int] = field(default_factory=set)
    cards: set[int] = field(default_factory=set)
    evenings: set[int] = field(default_factory=set)
    plants: set[int] = field(default_factory=set)
    places: set[int] = field(default_factory=set)
    pests: set[str] = field(default_factory=set)
    everything: bool = False

    def take(self, row: Table) -> None:
        """Note whom a new, changed or deleted row reaches."""
        for kind, note in OF.items():
            if isinstance(row, kind):
                note(self, row)


def _case(into: Reached, row: Any) -> None:
    into.cases.add(row.case_id)


def _own_case(into: Reached, row: Any) -> None:
    if _changed(row, TOLD):
        into.cases.add(row.id)


def _record(into: Reached, row: Any) -> None:
    if _changed(row, SAID):
        into.evenings.add(row.application_id)


def _look(into: Reached, row: Any) -> None:
    if row.case_id is not None:
        into.cases.add(row.case_id)


def _place(into: Reached, row: Any) -> None:
    if _changed(row, WARM):
        into.places.add(row.id)


def _plant(into: Reached, row: Any) -> None:
    if _changed(row, BUILT):
        into.plants.add(row.id)


def _state(into: Reached, row: Any) -> None:
    if _changed(row, LASTS):
        into.plants.add(row.plant_id)


def _reading(into: Reached, row: Any) -> None:
    if row.corrects_id is not None or row.withdrawn_at is not None:
        into.places.add(row.place_id)


def _setting(into: Reached, row: Any) -> None:
    into.everything |= row.key in EVERYWHERE


def _changed(row: Table, columns: Iterable[str]) -> bool:
    """Whether one of these columns of a row is changed."""
    state = inspect(row)
    return any(state.attrs[name].history.has_changes() for name in columns)


OF: dict[type[Table], Callable[[Reached, Any], None]] = {
    PestCase: _own_case,
    Finding: _case,
    CaseAct: _case,
    PatchTest: _case,
    CasePlant: _case,
    Card: _case,
    InspectionRecord: _look,
    ApplicationRecord: _record,
    CardCount: lambda into, row: into.cards.add(row.card_id),
    PlantEvent: lambda into, row: into.plants.add(row.plant_id),
    PlantState: _state,
    Plant: _plant,
    Stay: lambda into, row: into.plants.add(row.plant_id),
    RainDay: lambda into, row: into.places.add(row.place_id),
    Place: _place,
    SetPoint: lambda into, row: into.places.add(row.place_id),
    Reading: _reading,
    DiaryDay: lambda into, row: into.places.add(row.place_id),
    Upload: lambda into, row: into.places.add(row.place_id),
    WeatherReport: lambda into, row: into.places.add(row.place_id),
    OwnFigure: lambda into, row: into.pests.add(row.pest_id),
    Setting: _setting,
}
"""What a row of each table reaches. The readings that a sensor adds hour by hour do not
count before their day is over.
"""


def watch(session: Session) -> Reached:
    """Note from now on whom the changes of a session reach."""
    reached = Reached()

    @event.listens_for(session, "before_flush")
    def _note(session: Session, _context: object, _some: object) -> None:
        for row in (*session.dirty, *session.deleted):
            if session.is_modified(row) or row in session.deleted:
                reached.take(row)

    @event.listens_for(session, "after_flush")
    def _note_new(session: Session, _context: object) -> None:
        # New rows know whom they belong to only once they are written.
        for row in session.new:
            reached.take(row)

    return reached


def raise_versions(session: Session, reached: Reached) -> list[int]:
    """Raise the version of the facts of every case that was reached; their ids."""
    ids = _ids(session, reached)
    if ids:
        session.execute(
            update(PestCase)
            .where(PestCase.id.in_(ids))
            .values(facts=PestCase.facts + 1)
            .execution_options(synchronize_session=False)
        )
    return sorted(ids)


def _ids(session: Session, reached: Reached) -> set[int]:
    ids = set(reached.cases)
    if reached.everything:
        return ids | set(session.scalars(select(PestCase.id)))
    plants = set(reached.plants)
    if reached.places:
        plants |= set(
            session.scalars(select(Stay.plant_id).where(Stay.place_id.in_(reached.places)))
        )
    for some, wanted in (
        (plants, select(PestCase.id).where(PestCase.plant_id.in_(plants))),
        (reached.pests, select(PestCase.id).where(PestCase.pest_id.in_(reached.pests))),
        (reached.cards, select(Card.case_id).where(Card.id.in_(reached.cards))),
        (
            reached.evenings,
            select(Application.case_id).where(Application.id.in_(reached.evenings)),
        ),
    ):
        if some:
            ids |= set(session.scalars(wanted))
    return ids
