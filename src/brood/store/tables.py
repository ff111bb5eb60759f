"""The tables. Nothing a person typed is deleted or overwritten: a correction adds a row
and marks the old one.

All temperatures are °C; `*_on` is a date, `*_at` a naive local moment.
"""

from __future__ import annotations

from datetime import date, datetime, time
from typing import TYPE_CHECKING, Any

from sqlalchemy import JSON, CheckConstraint, ForeignKey, Index, MetaData, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

if TYPE_CHECKING:
    from brood.store.records import Card, CasePlant, InspectionRecord

NAMES = {
    "ix": "ix_%(table_name)s_%(column_0_N_name)s",
    "uq": "uq_%(table_name)s_%(column_0_N_name)s",
    "ck": "ck_%(table_name)s_%(constraint_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s",
    "pk": "pk_%(table_name)s",
}


class Table(DeclarativeBase):
    """Base of all tables."""

    metadata = MetaData(naming_convention=NAMES)


class Setting(Table):
    """One household setting."""

    __tablename__ = "setting"
    key: Mapped[str] = mapped_column(primary_key=True)
    value: Mapped[str]


class OwnFigure(Table):
    """A keeper's own figure for a catalogue constant: pest id, figure (such as
    "stage.egg.k_dd"), value and its source in words.

    The newest row of a figure that is not withdrawn counts; restoring the shipped
    figure withdraws it.
    """

    __tablename__ = "own_figure"
    id: Mapped[int] = mapped_column(primary_key=True)
    pest_id: Mapped[str]
    figure: Mapped[str]
    value: Mapped[float]
    note: Mapped[str]
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class Place(Table):
    """Where plants stand. `source` says where the temperature comes from.

    `offset_c` shifts every hour (a shelf above a radiator); `warm_spot_c` and
    `cool_spot_c` say how much warmer and cooler than that its warmest and coolest plant
    stands, 0 or more. `sensor_url` is the address of a live sensor, `visitors` who goes
    there; `draught` is right or left where air moves along the shelves that way;
    `apart_room` how many plants can stand there to be kept apart, None where none do.
    """

    __tablename__ = "place"
    __table_args__ = (
        CheckConstraint(
            "source in ('constant', 'set-points', 'diary', 'logger', 'sensor', 'weather')",
            name="source",
        ),
        CheckConstraint(
            "setting in ('indoor', 'glasshouse', 'balcony', 'outdoor')", name="setting"
        ),
        CheckConstraint("offset_c between -15 and 15", name="offset"),
        CheckConstraint(
            "warm_spot_c between 0 and 15 and cool_spot_c between 0 and 15", name="spots"
        ),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    note: Mapped[str] = mapped_column(default="")
    setting: Mapped[str] = mapped_column(default="indoor", server_default="indoor")
    source: Mapped[str] = mapped_column(default="set-points")
    offset_c: Mapped[float] = mapped_column(default=0.0, server_default="0")
    warm_spot_c: Mapped[float] = mapped_column(default=0.0, server_default="0")
    cool_spot_c: Mapped[float] = mapped_column(default=0.0, server_default="0")
    sensor_url: Mapped[str] = mapped_column(default="", server_default="")
    visitors: Mapped[list[str]] = mapped_column(JSON, default=list, server_default="[]")
    draught: Mapped[str] = mapped_column(default="", server_default="")
    apart_room: Mapped[int | None]
    created_at: Mapped[datetime]


class SetPoint(Table):
    """What a keeper says of a place's warmth: day and night and when each begins. The
    newest row of a season counts.

    `season` is empty for the whole year, or heating for the months in which the house
    is heated.
    """

    __tablename__ = "set_point"
    __table_args__ = (
        CheckConstraint("day_c between -30 and 60 and night_c between -30 and 60", name="range"),
        CheckConstraint("season in ('', 'heating')", name="season"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    place_id: Mapped[int] = mapped_column(ForeignKey("place.id"), index=True)
    day_c: Mapped[float]
    night_c: Mapped[float]
    day_from: Mapped[time]
    night_from: Mapped[time]
    season: Mapped[str] = mapped_column(default="", server_default="")
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class DiaryDay(Table):
    """A day's lowest and highest °C as a keeper read them off, or as a file gave them.
    A correction withdraws the old row.
    """

    __tablename__ = "diary_day"
    __table_args__ = (
        Index("ix_diary_day_place_id_on", "place_id", "on"),
        CheckConstraint(
            "low_c between -30 and 60 and high_c between -30 and 60 and low_c <= high_c",
            name="range",
        ),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    place_id: Mapped[int] = mapped_column(ForeignKey("place.id"))
    upload_id: Mapped[int | None] = mapped_column(ForeignKey("upload.id"), index=True)
    on: Mapped[date]
    low_c: Mapped[float]
    high_c: Mapped[float]
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class Poll(Table):
    """One asking of a live sensor: its answer in °C, or in `trouble` why there was none."""

    __tablename__ = "poll"
    __table_args__ = (Index("ix_poll_place_id_at", "place_id", "at"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    place_id: Mapped[int] = mapped_column(ForeignKey("place.id"))
    at: Mapped[datetime]
    celsius: Mapped[float | None]
    trouble: Mapped[str] = mapped_column(default="")


class WeatherReport(Table):
    """What a weather service said for a place: observed, forecast and normal days, as
    it was fetched. The newest row counts.
    """

    __tablename__ = "weather_report"
    id: Mapped[int] = mapped_column(primary_key=True)
    place_id: Mapped[int] = mapped_column(ForeignKey("place.id"), index=True)
    service: Mapped[str]
    days: Mapped[list[dict[str, object]]] = mapped_column(JSON)
    normals: Mapped[list[list[float]]] = mapped_column(JSON)
    fetched_at: Mapped[datetime]


class Upload(Table):
    """A logger file that was read: what was taken, what was already known, what refused
    (row, text, reason), what repaired.
    """

    __tablename__ = "upload"
    id: Mapped[int] = mapped_column(primary_key=True)
    place_id: Mapped[int] = mapped_column(ForeignKey("place.id"), index=True)
    filename: Mapped[str]
    sha256: Mapped[str]
    taken: Mapped[int]
    known: Mapped[int] = mapped_column(default=0)
    refused: Mapped[list[dict[str, object]]] = mapped_column(JSON)
    notes: Mapped[list[str]] = mapped_column(JSON)
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class Reading(Table):
    """One temperature reading. `fold` is 1 in an hour that a clock change repeated."""

    __tablename__ = "reading"
    __table_args__ = (
        Index("ix_reading_place_id_at", "place_id", "at"),
        CheckConstraint("celsius between -30 and 60", name="range"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    place_id: Mapped[int] = mapped_column(ForeignKey("place.id"))
    upload_id: Mapped[int | None] = mapped_column(ForeignKey("upload.id"), index=True)
    at: Mapped[datetime]
    fold: Mapped[int] = mapped_column(default=0)
    celsius: Mapped[float]
    corrects_id: Mapped[int | None] = mapped_column(ForeignKey("reading.id"))
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class Plant(Table):
    """A plant of the household. `kind` is one of the plant kinds or empty; so are
    `build`, `age`, `growth`, `worth` and `eaten` (yes, no) of what is known of it;
    `sensitive` says that it is easily injured, `marks` which of the traits in the
    catalogue it has; `mix_ml` how much spray it took the last time it was measured;
    `gone_on` is set when it was lost or given away; `mother_id` is the plant that a
    cutting was taken from.
    """

    __tablename__ = "plant"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    kind: Mapped[str] = mapped_column(default="")
    species: Mapped[str] = mapped_column(default="", server_default="")
    build: Mapped[str] = mapped_column(default="", server_default="")
    age: Mapped[str] = mapped_column(default="", server_default="")
    growth: Mapped[str] = mapped_column(default="", server_default="")
    worth: Mapped[str] = mapped_column(default="", server_default="")
    eaten: Mapped[str] = mapped_column(default="", server_default="")
    sensitive: Mapped[bool] = mapped_column(default=False, server_default="0")
    marks: Mapped[list[str]] = mapped_column(JSON, default=list, server_default="[]")
    mix_ml: Mapped[float | None]
    note: Mapped[str] = mapped_column(default="")
    gone_on: Mapped[date | None]
    mother_id: Mapped[int | None] = mapped_column(ForeignKey("plant.id"), index=True)
    created_at: Mapped[datetime]
    stays: Mapped[list[Stay]] = relationship(order_by="Stay.since_on, Stay.id")
    cases: Mapped[list[PestCase]] = relationship(back_populates="plant", order_by="PestCase.id")


class Stay(Table):
    """Where a plant has stood since a day: on which shelf and at which place of it, in
    which shared tray, whether it touches the next one.
    """

    __tablename__ = "stay"
    id: Mapped[int] = mapped_column(primary_key=True)
    plant_id: Mapped[int] = mapped_column(ForeignKey("plant.id"), index=True)
    place_id: Mapped[int] = mapped_column(ForeignKey("place.id"), index=True)
    since_on: Mapped[date]
    recorded_at: Mapped[datetime]
    shelf: Mapped[int] = mapped_column(default=1, server_default="1")
    position: Mapped[int] = mapped_column(default=0, server_default="0")
    touches: Mapped[bool] = mapped_column(default=False, server_default="0")
    tray: Mapped[str] = mapped_column(default="", server_default="")
    place: Mapped[Place] = relationship()


class PestCase(Table):
    """A pest on a plant. `start_on` is the first evening on which a treatment may fall;
    `plan_key` what the plan was made from, `own_dates` ISO days that the keeper has set
    instead of the planner's (empty: the planner's). `keep_below` is the number to hold
    the pest under instead of clearing it; `limits` may hold `weekdays` (Monday 0),
    `away` (pairs of ISO days) and `harvest` (an ISO day). `origin` says where it came
    from, as far as is known; `course_from` is the day of the count with which the
    present course began, where an earlier one is history.
    """

    __tablename__ = "pest_case"
    __table_args__ = (CheckConstraint("reach > 0 and reach <= 1", name="reach"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    plant_id: Mapped[int] = mapped_column(ForeignKey("plant.id"), index=True)
    pest_id: Mapped[str]
    start_on: Mapped[date]
    reach: Mapped[float] = mapped_column(default=0.9)
    test_patch: Mapped[bool] = mapped_column(default=False)
    created_at: Mapped[datetime]
    closed_at: Mapped[datetime | None]
    plan_key: Mapped[str] = mapped_column(default="")
    own_dates: Mapped[list[str]] = mapped_column(JSON, default=list, server_default="[]")
    keep_below: Mapped[float | None]
    limits: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict, server_default="{}")
    origin: Mapped[str] = mapped_column(default="", server_default="")
    origin_note: Mapped[str] = mapped_column(default="", server_default="")
    course_from: Mapped[date | None]
    plant: Mapped[Plant] = relationship(back_populates="cases")
    every_act: Mapped[list[CaseAct]] = relationship(order_by="CaseAct.id")
    findings: Mapped[list[Finding]] = relationship(order_by="Finding.id")
    applications: Mapped[list[Application]] = relationship(order_by="Application.number")
    patches: Mapped[list[PatchTest]] = relationship(order_by="PatchTest.id")
    tasks: Mapped[list[AfterTask]] = relationship(order_by="AfterTask.due_at, AfterTask.id")
    inspections: Mapped[list[InspectionRecord]] = relationship(
        "InspectionRecord", order_by="InspectionRecord.looked_on, InspectionRecord.id"
    )
    cards: Mapped[list[Card]] = relationship("Card", order_by="Card.id")
    members: Mapped[list[CasePlant]] = relationship("CasePlant", order_by="CasePlant.id")

    @property
    def acts(self) -> list[CaseAct]:
        """The treatments that are chosen now."""
        return [a for a in self.every_act if a.dropped_at is None]


class StockItem(Table):
    """Something on the shelf. `holds` is an ingredient's id, or a treatment's for a
    product with a label (`labelled`).

    `percent` is its strength, `label_rate` the ml of it per litre; the label's gap,
    uses and waiting days to harvest rule where given; `allowed` holds indoor, outdoor,
    edible as far as the label allows it there. A change withdraws the row and adds
    another.
    """

    __tablename__ = "stock_item"
    __table_args__ = (
        CheckConstraint("percent is null or percent > 0 and percent <= 100", name="percent"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    holds: Mapped[str]
    labelled: Mapped[bool]
    percent: Mapped[float | None]
    size_ml: Mapped[float | None]
    label_rate: Mapped[float | None]
    min_gap_days: Mapped[int | None]
    max_applications: Mapped[int | None]
    harvest_days: Mapped[int | None]
    allowed: Mapped[list[str]] = mapped_column(JSON)
    opened_on: Mapped[date | None]
    expires_on: Mapped[date | None]
    note: Mapped[str]
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class CaseAct(Table):
    """A treatment chosen for a case, with the keeper's own label figures where given;
    `dropped_at` is set when it is no longer used.
    """

    __tablename__ = "case_act"
    __table_args__ = (UniqueConstraint("case_id", "treatment_id"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    case_id: Mapped[int] = mapped_column(ForeignKey("pest_case.id"))
    treatment_id: Mapped[str]
    min_gap_days: Mapped[int | None]
    max_applications: Mapped[int | None]
    harvest_days: Mapped[int | None]
    stock_id: Mapped[int | None] = mapped_column(ForeignKey("stock_item.id"))
    dropped_at: Mapped[datetime | None]
    stock: Mapped[StockItem | None] = relationship()


class Finding(Table):
    """A stage found on a day: a number or a rough class, and where. A correction points
    at what it corrects.
    """

    __tablename__ = "finding"
    __table_args__ = (
        CheckConstraint("number is null or number > 0", name="number"),
        CheckConstraint("(number is null) <> (rough is null)", name="one_count"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    case_id: Mapped[int] = mapped_column(ForeignKey("pest_case.id"), index=True)
    found_on: Mapped[date]
    stage: Mapped[str]
    number: Mapped[float | None]
    rough: Mapped[str | None]
    location: Mapped[str] = mapped_column(default="")
    corrects_id: Mapped[int | None] = mapped_column(ForeignKey("finding.id"))
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class Application(Table):
    """A treatment evening of a case: planned, done, late, skipped, or dropped from the
    plan.

    `uid` and `sequence` are those of its calendar entry; the sequence rises whenever
    the entry changes. `missed_on` and `missed_latest_on` are the evening that went by
    unmarked and the last day of its window, `missed_end_on` and `missed_evenings` when
    the course was to end then and how many evenings it had.
    """

    __tablename__ = "application"
    __table_args__ = (
        CheckConstraint(
            "status in ('planned', 'done', 'late', 'skipped', 'dropped')", name="status"
        ),
        UniqueConstraint("case_id", "number"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    case_id: Mapped[int] = mapped_column(ForeignKey("pest_case.id"))
    number: Mapped[int]
    uid: Mapped[str] = mapped_column(unique=True)
    sequence: Mapped[int] = mapped_column(default=0)
    status: Mapped[str] = mapped_column(default="planned")
    earliest_on: Mapped[date]
    target_on: Mapped[date]
    latest_on: Mapped[date]
    short_by_days: Mapped[int] = mapped_column(default=0)
    treatments: Mapped[list[str]] = mapped_column(JSON)
    why: Mapped[str] = mapped_column(default="")
    missed_on: Mapped[date | None]
    missed_latest_on: Mapped[date | None]
    missed_end_on: Mapped[date | None]
    missed_evenings: Mapped[int | None]
    changed_at: Mapped[datetime]
    records: Mapped[list[ApplicationRecord]] = relationship(order_by="ApplicationRecord.id")


class ApplicationRecord(Table):
    """What the keeper said of an evening: done on a day, or skipped. The newest that is
    not withdrawn counts.

    `cost` says what a slip has cost; `parts` which parts of the plant were done and
    `missed` which were not reached, `reach` the share that follows, `tally` what was
    seen, `minutes` how long it took; `sent_key` is the sender's own key of an evening
    recorded without a connection.
    """

    __tablename__ = "application_record"
    __table_args__ = (CheckConstraint("outcome in ('done', 'skipped')", name="outcome"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    application_id: Mapped[int] = mapped_column(ForeignKey("application.id"), index=True)
    outcome: Mapped[str]
    done_on: Mapped[date | None]
    treatments: Mapped[list[str]] = mapped_column(JSON)
    note: Mapped[str] = mapped_column(default="")
    cost: Mapped[str] = mapped_column(default="")
    parts: Mapped[list[str]] = mapped_column(JSON, default=list, server_default="[]")
    missed: Mapped[list[str]] = mapped_column(JSON, default=list, server_default="[]")
    tally: Mapped[list[dict[str, Any]]] = mapped_column(JSON, default=list, server_default="[]")
    reach: Mapped[float | None]
    minutes: Mapped[int | None]
    sent_key: Mapped[str] = mapped_column(default="", server_default="")
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class PatchTest(Table):
    """Leaves sprayed as a test: which, when, and after 48 hours whether they are fine or marked."""

    __tablename__ = "patch_test"
    __table_args__ = (CheckConstraint("outcome in ('', 'fine', 'marked')", name="outcome"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    case_id: Mapped[int] = mapped_column(ForeignKey("pest_case.id"), index=True)
    treatment_id: Mapped[str]
    leaf: Mapped[str]
    started_at: Mapped[datetime]
    outcome: Mapped[str] = mapped_column(default="", server_default="")
    judged_at: Mapped[datetime | None]
    note: Mapped[str] = mapped_column(default="", server_default="")
    withdrawn_at: Mapped[datetime | None]


class AfterTask(Table):
    """What is to be done some time after an evening, and when it was."""

    __tablename__ = "after_task"
    id: Mapped[int] = mapped_column(primary_key=True)
    case_id: Mapped[int] = mapped_column(ForeignKey("pest_case.id"), index=True)
    record_id: Mapped[int | None] = mapped_column(ForeignKey("application_record.id"))
    text: Mapped[str]
    due_at: Mapped[datetime]
    done_at: Mapped[datetime | None]


class Look(Table):
    """A plant looked over to find out what it has, as far as it has come; `case_id` is
    the case that it led to or asks again about.

    `looker` says who looked, `tools` what was at hand, `affected` which share of the
    leaves shows it (0 to 1); `closed_at` is set when nothing more is to be answered.
    """

    __tablename__ = "look"
    id: Mapped[int] = mapped_column(primary_key=True)
    plant_id: Mapped[int] = mapped_column(ForeignKey("plant.id"), index=True)
    case_id: Mapped[int | None] = mapped_column(ForeignKey("pest_case.id"))
    looker: Mapped[str] = mapped_column(default="", server_default="")
    tools: Mapped[list[str]] = mapped_column(JSON)
    affected: Mapped[float | None]
    started_at: Mapped[datetime]
    closed_at: Mapped[datetime | None]
    plant: Mapped[Plant] = relationship()
    answers: Mapped[list[LookAnswer]] = relationship(order_by="LookAnswer.id")
    stages: Mapped[list[StageSeen]] = relationship(order_by="StageSeen.id")
    photos: Mapped[list[Photo]] = relationship(order_by="Photo.id")


class LookAnswer(Table):
    """One answer: an observation is there (yes), was looked for and is not (no), or is
    old damage (old). The newest that stands counts.
    """

    __tablename__ = "look_answer"
    __table_args__ = (CheckConstraint("said in ('yes', 'no', 'old')", name="said"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    look_id: Mapped[int] = mapped_column(ForeignKey("look.id"), index=True)
    observation: Mapped[str]
    said: Mapped[str]
    sure: Mapped[bool] = mapped_column(default=True)
    how: Mapped[str] = mapped_column(default="", server_default="")
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class StageSeen(Table):
    """A stage seen while looking: a number (of the `share` of the plant that was looked
    at) or a rough class, alive or dead by a clue.
    """

    __tablename__ = "stage_seen"
    __table_args__ = (
        CheckConstraint("life in ('alive', 'dead', 'unsure')", name="life"),
        CheckConstraint("number is null or number > 0", name="number"),
        CheckConstraint("share is null or (share > 0 and share <= 1)", name="share"),
        CheckConstraint("(number is null) <> (rough is null)", name="one_count"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    look_id: Mapped[int] = mapped_column(ForeignKey("look.id"), index=True)
    pest_id: Mapped[str]
    stage: Mapped[str]
    number: Mapped[float | None]
    rough: Mapped[str | None]
    share: Mapped[float | None]
    life: Mapped[str]
    clue: Mapped[str] = mapped_column(default="", server_default="")
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class Photo(Table):
    """A photo of a look or an inspection, without the data that cameras add, made
    smaller; its scale once a known length was marked, and what was measured on it.
    """

    __tablename__ = "photo"
    __table_args__ = (CheckConstraint("px_per_mm is null or px_per_mm > 0", name="scale"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    look_id: Mapped[int | None] = mapped_column(ForeignKey("look.id"), index=True)
    inspection_id: Mapped[int | None] = mapped_column(ForeignKey("inspection.id"), index=True)
    filename: Mapped[str]
    jpeg: Mapped[bytes] = mapped_column(deferred=True)
    width: Mapped[int]
    height: Mapped[int]
    px_per_mm: Mapped[float | None]
    lengths_mm: Mapped[list[float]] = mapped_column(JSON)
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]
