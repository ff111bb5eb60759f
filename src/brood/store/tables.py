"""The tables. Nothing a person typed is deleted or overwritten: a correction adds a row
and marks the old one.

All temperatures are °C; `*_on` is a date, `*_at` a naive local moment.
"""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from sqlalchemy import JSON, CheckConstraint, ForeignKey, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from brood.store.base import Table
from brood.store.place_tables import Place


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


class Plant(Table):
    """A plant of the household, or a `number` of them that stand and are treated together.
    `kind` is one of the plant kinds or empty; so are
    `build`, `age`, `growth`, `worth` and `eaten` (yes, no) of what is known of it;
    `sensitive` says that it is easily injured, `marks` which of the traits in the
    catalogue it has, `labels_read` the treatments whose labels allow them on it, as the
    keeper says; `mix_ml` how much spray it took, as versions before 0.15 kept it;
    `gone_on` is set when it was lost or given away; `mother_id` is the plant that a
    cutting was taken from.
    """

    __tablename__ = "plant"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    number: Mapped[int] = mapped_column(default=1, server_default="1")
    kind: Mapped[str] = mapped_column(default="")
    species: Mapped[str] = mapped_column(default="", server_default="")
    build: Mapped[str] = mapped_column(default="", server_default="")
    size: Mapped[str] = mapped_column(default="", server_default="")
    age: Mapped[str] = mapped_column(default="", server_default="")
    growth: Mapped[str] = mapped_column(default="", server_default="")
    worth: Mapped[str] = mapped_column(default="", server_default="")
    eaten: Mapped[str] = mapped_column(default="", server_default="")
    sensitive: Mapped[bool] = mapped_column(default=False, server_default="0")
    marks: Mapped[list[str]] = mapped_column(JSON, default=list, server_default="[]")
    labels_read: Mapped[list[str]] = mapped_column(JSON, default=list, server_default="[]")
    mix_ml: Mapped[float | None]
    note: Mapped[str] = mapped_column(default="")
    gone_on: Mapped[date | None]
    mother_id: Mapped[int | None] = mapped_column(ForeignKey("plant.id"), index=True)
    created_at: Mapped[datetime]
    stays: Mapped[list[Stay]] = relationship(order_by="Stay.since_on, Stay.id")
    cases: Mapped[list[PestCase]] = relationship(back_populates="plant", order_by="PestCase.id")
    states: Mapped[list[PlantState]] = relationship(
        back_populates="plant", order_by="PlantState.since_on, PlantState.id"
    )


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


class PlantState(Table):
    """A state that lasts on a plant, from `since_on` to `until_on` or until it `ended_on`
    sooner; `cared_on` is when it was last looked after. Where it was sprayed on, what is
    eaten waits for `harvest_wait` days.
    """

    __tablename__ = "plant_state"
    __table_args__ = (CheckConstraint("until_on >= since_on", name="span"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    plant_id: Mapped[int] = mapped_column(ForeignKey("plant.id"), index=True)
    kind: Mapped[str]
    since_on: Mapped[date]
    until_on: Mapped[date]
    cared_on: Mapped[date | None]
    ended_on: Mapped[date | None]
    harvest_wait: Mapped[int | None]
    note: Mapped[str] = mapped_column(default="")
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]
    plant: Mapped[Plant] = relationship(back_populates="states")


class PestCase(Table):
    """A pest on a plant. `start_on` is the first evening on which a treatment may fall;
    `own_dates` are ISO days that the keeper has set instead of the planner's (empty: the
    planner's). `keep_below` is the number to hold the pest under instead of clearing it;
    `refuge` is the share that nothing reaches, where the keeper knows it better than the
    build of the plant tells; `limits` may hold `weekdays` (Monday 0), `away` (pairs of ISO
    days) and `harvest` (an ISO day). `pace` is how far apart the evenings lie (see
    case.Pace). `origin` says where it came from, as far as is known;
    `course_from` is the day of the count with which the present course began, where an
    earlier one is history or went on for long.

    `facts` rises with everything that a plan can depend on. The evenings were worked out
    from `planned_facts` on the day `planned_on`; time alone changes nothing up to
    `good_until`. `plan_state` says how that went (see states.PlanState), `outlook_key`
    which kept figures belong to them. `anew` asks for dates that need not keep to those
    promised before.
    """

    __tablename__ = "pest_case"
    __table_args__ = (CheckConstraint("reach > 0 and reach <= 1", name="reach"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    plant_id: Mapped[int] = mapped_column(ForeignKey("plant.id"), index=True)
    pest_id: Mapped[str]
    start_on: Mapped[date]
    reach: Mapped[float] = mapped_column(default=0.9)
    refuge: Mapped[float | None]
    test_patch: Mapped[bool] = mapped_column(default=False)
    created_at: Mapped[datetime]
    closed_at: Mapped[datetime | None]
    facts: Mapped[int] = mapped_column(default=1, server_default="1")
    planned_facts: Mapped[int] = mapped_column(default=0, server_default="0")
    planned_on: Mapped[date | None]
    good_until: Mapped[date | None]
    plan_state: Mapped[str] = mapped_column(default="", server_default="")
    outlook_key: Mapped[str] = mapped_column(default="", server_default="")
    anew: Mapped[bool] = mapped_column(default=False, server_default="0")
    own_dates: Mapped[list[str]] = mapped_column(JSON, default=list, server_default="[]")
    keep_below: Mapped[float | None]
    pace: Mapped[str] = mapped_column(default="usual", server_default="usual")
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
    changes: Mapped[list[PlanChange]] = relationship("PlanChange", order_by="PlanChange.id")

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
    plants: Mapped[int] = mapped_column(default=0, server_default="0")
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
    the course was to end then and how many evenings it had. `reason` holds the facts why
    it stands where it stands; `why` is the sentence of an earlier version.
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
    reason: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict, server_default="{}")
    missed_on: Mapped[date | None]
    missed_latest_on: Mapped[date | None]
    missed_end_on: Mapped[date | None]
    missed_evenings: Mapped[int | None]
    changed_at: Mapped[datetime]
    records: Mapped[list[ApplicationRecord]] = relationship(order_by="ApplicationRecord.id")


class ApplicationRecord(Table):
    """What the keeper said of an evening: done on a day, or skipped. The newest that is
    not withdrawn counts.

    `told` holds the facts of what being late or early has changed, `cost` is the sentence
    of an earlier version; `parts` which parts of the plant were done and
    `missed` which were not reached, `reach` the share that follows, `tally` what was
    seen, `minutes` how long it took and `mix_ml` how much mix; `conditions` holds the
    weather, the light, the warmth and the steps between plants; `sent_key` is the
    sender's own key of an evening recorded without a connection.
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
    told: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict, server_default="{}")
    parts: Mapped[list[str]] = mapped_column(JSON, default=list, server_default="[]")
    missed: Mapped[list[str]] = mapped_column(JSON, default=list, server_default="[]")
    tally: Mapped[list[dict[str, Any]]] = mapped_column(JSON, default=list, server_default="[]")
    reach: Mapped[float | None]
    minutes: Mapped[int | None]
    mix_ml: Mapped[float | None]
    conditions: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict, server_default="{}")
    sent_key: Mapped[str] = mapped_column(default="", server_default="")
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]
    photos: Mapped[list[Photo]] = relationship(order_by="Photo.id")


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

    `looker` says who looked, `tools` what was at hand, `passed` are the observations of
    which the keeper could not tell, `put_off` the checks that wait for a day (ISO day and
    options, by the first option), `affected` which share of the leaves shows it (0 to 1);
    `closed_at` is set when nothing more is to be answered.
    """

    __tablename__ = "look"
    id: Mapped[int] = mapped_column(primary_key=True)
    plant_id: Mapped[int] = mapped_column(ForeignKey("plant.id"), index=True)
    case_id: Mapped[int | None] = mapped_column(ForeignKey("pest_case.id"))
    looker: Mapped[str] = mapped_column(default="", server_default="")
    tools: Mapped[list[str]] = mapped_column(JSON)
    passed: Mapped[list[str]] = mapped_column(JSON, default=list, server_default="[]")
    put_off: Mapped[dict[str, list[str]]] = mapped_column(JSON, default=dict, server_default="{}")
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
    """A photo of a look, an inspection or a treatment evening, without the data that
    cameras add, made smaller; its scale once a known length was marked, and what was
    measured on it.
    """

    __tablename__ = "photo"
    __table_args__ = (CheckConstraint("px_per_mm is null or px_per_mm > 0", name="scale"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    look_id: Mapped[int | None] = mapped_column(ForeignKey("look.id"), index=True)
    inspection_id: Mapped[int | None] = mapped_column(ForeignKey("inspection.id"), index=True)
    record_id: Mapped[int | None] = mapped_column(ForeignKey("application_record.id"), index=True)
    filename: Mapped[str]
    jpeg: Mapped[bytes] = mapped_column(deferred=True)
    width: Mapped[int]
    height: Mapped[int]
    px_per_mm: Mapped[float | None]
    lengths_mm: Mapped[list[float]] = mapped_column(JSON)
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class InspectionRecord(Table):
    """A plant looked over for a pest that is known, or while it is kept apart (no
    case): what was seen alive and dead by class.

    `counts` holds {class, live, dead, clue}; an empty list means looked and found none.
    Of several plants so many `plants` were counted (0: all of them). `share` of each was
    looked at, `thorough` says how; the day is known to within `spread_days`. `growth` is
    clean or marked, `honeydew` fresh or none, empty where nobody looked; `smear` a colour;
    `spot` where most of the living sat.
    """

    __tablename__ = "inspection"
    __table_args__ = (
        CheckConstraint("share > 0 and share <= 1", name="share"),
        CheckConstraint("thorough in ('glance', 'usual', 'lens')", name="thorough"),
        CheckConstraint("spread_days between 0 and 60", name="spread"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    plant_id: Mapped[int] = mapped_column(ForeignKey("plant.id"), index=True)
    case_id: Mapped[int | None] = mapped_column(ForeignKey("pest_case.id"), index=True)
    looked_on: Mapped[date]
    spread_days: Mapped[int] = mapped_column(default=0)
    share: Mapped[float]
    plants: Mapped[int] = mapped_column(default=0, server_default="0")
    thorough: Mapped[str]
    counts: Mapped[list[dict[str, Any]]] = mapped_column(JSON)
    growth: Mapped[str] = mapped_column(default="")
    honeydew: Mapped[str] = mapped_column(default="")
    smear: Mapped[str] = mapped_column(default="")
    spot: Mapped[str] = mapped_column(default="")
    note: Mapped[str] = mapped_column(default="")
    sent_key: Mapped[str] = mapped_column(default="")
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]
    plant: Mapped[Plant] = relationship()
    photos: Mapped[list[Photo]] = relationship(order_by="Photo.id")

    @property
    def live(self) -> float:
        """All that was seen alive."""
        return float(sum(c["live"] for c in self.counts))


class Card(Table):
    """A sticky card or trap of a case: its colour, the spot where it hangs, when it was
    placed and taken away.
    """

    __tablename__ = "card"
    id: Mapped[int] = mapped_column(primary_key=True)
    case_id: Mapped[int] = mapped_column(ForeignKey("pest_case.id"), index=True)
    colour: Mapped[str]
    spot: Mapped[str] = mapped_column(default="", server_default="")
    placed_on: Mapped[date]
    removed_on: Mapped[date | None]
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]
    counts: Mapped[list[CardCount]] = relationship(order_by="CardCount.counted_on, CardCount.id")


class CardCount(Table):
    """What had been caught on a card since it was last counted; `replaced` when a fresh
    one was hung.
    """

    __tablename__ = "card_count"
    __table_args__ = (CheckConstraint("number >= 0", name="number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    card_id: Mapped[int] = mapped_column(ForeignKey("card.id"), index=True)
    counted_on: Mapped[date]
    number: Mapped[int]
    replaced: Mapped[bool] = mapped_column(default=False)
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class CasePlant(Table):
    """A further plant that a case stands for."""

    __tablename__ = "case_plant"
    id: Mapped[int] = mapped_column(primary_key=True)
    case_id: Mapped[int] = mapped_column(ForeignKey("pest_case.id"), index=True)
    plant_id: Mapped[int] = mapped_column(ForeignKey("plant.id"), index=True)
    joined_on: Mapped[date]
    left_on: Mapped[date | None]
    plant: Mapped[Plant] = relationship()


class PlanChange(Table):
    """The dates of a case moved: what had changed (the fields of the case by name), and
    the facts before and after (dates, the last evening, the chance, the warmth).
    """

    __tablename__ = "plan_change"
    id: Mapped[int] = mapped_column(primary_key=True)
    case_id: Mapped[int] = mapped_column(ForeignKey("pest_case.id"), index=True)
    parts: Mapped[list[str]] = mapped_column(JSON)
    before: Mapped[dict[str, Any]] = mapped_column(JSON)
    after: Mapped[dict[str, Any]] = mapped_column(JSON)
    at: Mapped[datetime]


class Kept(Table):
    """Something worked out, under the digest of what it was worked out from. It can be
    made again, so it is not exported.
    """

    __tablename__ = "kept"
    key: Mapped[str] = mapped_column(primary_key=True)
    case_id: Mapped[int | None] = mapped_column(ForeignKey("pest_case.id"), index=True)
    kind: Mapped[str]
    body: Mapped[bytes]
    made_at: Mapped[datetime]


class Sent(Table):
    """A form that was taken, by the key that it carries, and the page that followed. A
    second one with the same key does nothing.
    """

    __tablename__ = "sent"
    key: Mapped[str] = mapped_column(primary_key=True)
    url: Mapped[str] = mapped_column(default="")
    at: Mapped[datetime]
