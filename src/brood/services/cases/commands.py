"""What a keeper records in a case: opening it, finds, evenings, closing."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta

from brood.catalogue.schema import PestRecord
from brood.core.biology.case import Pace
from brood.core.biology.pest import ADULT
from brood.core.biology.stage_classes import YOUNG_DISPLAYS
from brood.core.course import planner
from brood.errors import ChangedMeanwhile, FieldErrors, InputError, NotFound
from brood.services.cases import assemble, history
from brood.services.voice.desk import Desk
from brood.store.queries import cases
from brood.store.states import EveningOutcome, EveningState
from brood.store.tables import (
    Application,
    ApplicationRecord,
    Card,
    CaseAct,
    CasePlant,
    Finding,
    PestCase,
    Plant,
)


@dataclass(frozen=True)
class FindCommand:
    """A group found: stage id, a number or a rough class, where."""

    found_on: date
    stage: str
    number: float | None
    rough: str | None
    location: str
    plants: int = 0


@dataclass(frozen=True)
class ActCommand:
    """A chosen treatment with the keeper's own label figures and the product on the
    shelf that they come from.
    """

    treatment_id: str
    min_gap_days: int | None
    max_applications: int | None
    harvest_days: int | None = None
    stock_id: int | None = None


@dataclass(frozen=True)
class OpenCommand:
    """What the form for a new case says. `keep_below` is the number under which the
    pest is held instead of being cleared.
    """

    plant_id: int
    pest_id: str
    found: tuple[FindCommand, ...]
    acts: tuple[ActCommand, ...]
    start_on: date
    test_patch: bool
    keep_below: float | None = None


@dataclass(frozen=True)
class MarkCommand:
    """What a keeper says of an evening: done on a day, or skipped; and the acts that
    were done (empty: all that were planned).

    `parts` of the plant were done and `missed` were not reached; the share `reach`
    follows from them. `tally` is what was seen. `sent_key` is the sender's key where
    the evening was recorded without a connection. `minutes` is how long it took, where
    told. `for_all` says that all was done that is planned against every pest of the plant.
    `mix_ml` is how much mix it took, `conditions` how it was around it.
    """

    outcome: str
    done_on: date | None
    note: str = ""
    acts: tuple[str, ...] = ()
    parts: tuple[str, ...] = ()
    missed: tuple[str, ...] = ()
    tally: tuple[dict[str, object], ...] = ()
    reach: float | None = None
    sent_key: str = ""
    minutes: int | None = None
    for_all: bool = False
    mix_ml: float | None = None
    conditions: Mapping[str, object] = field(default_factory=dict)


def stage_choices(record: PestRecord) -> list[tuple[str, str]]:
    """The stages that a keeper may report: (id, name), adults last. Larvae or nymphs,
    and pupae, are one choice where nobody tells them apart.
    """
    shown: list[tuple[str, str]] = []
    for stage in record.stage[:-1]:
        choice = (stage.id, stage.plural)
        if stage.display in YOUNG_DISPLAYS:
            choice = (
                "young",
                "larvae"
                if stage.display == "larva"
                else "larvae and nymphs"
                if record.stage[1].id == "larva"
                else "nymphs",
            )
        elif stage.display == "pupa":
            choice = ("pupa", "pupae")
        if choice not in shown:
            shown.append(choice)
    return [*shown, (ADULT, "adults")]


def check_case(desk: Desk, command: OpenCommand) -> None:
    """Raise InputError for a case that cannot be opened or planned, before the household
    is locked for it. Where nothing develops it may be opened and waits for warmth.
    """
    desk.catalogue.pest(command.pest_id)
    plant = cases.plant(desk.session, command.plant_id)
    _none_open(desk, plant, command.pest_id)
    # The row is only looked at here, and never becomes part of the household.
    with desk.session.no_autoflush:
        planner.check(assemble.as_found(desk, _new_case(desk, plant, command), desk.today))


def open_case(desk: Desk, command: OpenCommand) -> int:
    """Open a case that `check_case` has found possible; its id. Its dates are worked out
    afterwards.
    """
    plant = cases.plant(desk.session, command.plant_id)
    _none_open(desk, plant, command.pest_id)
    row = _new_case(desk, plant, command)
    desk.session.add(row)
    desk.session.flush()
    return row.id


def _none_open(desk: Desk, plant: Plant, pest_id: str) -> None:
    if any(c.pest_id == pest_id and c.closed_at is None for c in plant.cases):
        raise FieldErrors(
            {
                "pest": f"{plant.name} already has an open case of "
                f"{desk.catalogue.records[pest_id].name}: add the find there."
            }
        )


def _new_case(desk: Desk, plant: Plant, command: OpenCommand) -> PestCase:
    """A case as its form says, not yet kept."""
    acts = [
        CaseAct(
            treatment_id=a.treatment_id,
            min_gap_days=a.min_gap_days,
            max_applications=a.max_applications,
            harvest_days=a.harvest_days,
            stock_id=a.stock_id,
        )
        for a in command.acts
    ]
    with desk.session.no_autoflush:
        row = PestCase(
            plant_id=plant.id,
            pest_id=command.pest_id,
            start_on=command.start_on,
            reach=0.9,
            test_patch=command.test_patch,
            keep_below=command.keep_below,
            pace=Pace.USUAL,
            created_at=desk.moment,
            own_dates=[],
            limits={},
            plan_state="",
            anew=False,
            every_act=acts,
            findings=[_finding(f, desk.moment) for f in command.found],
        )
        row.plant = plant
    return row


def _finding(command: FindCommand, now: datetime) -> Finding:
    return Finding(
        found_on=command.found_on,
        stage=command.stage,
        number=command.number,
        rough=command.rough,
        plants=command.plants,
        location=command.location,
        recorded_at=now,
    )


def mark(desk: Desk, application_id: int, said: MarkCommand) -> int:
    """Record an evening as done on a day or as skipped. What was done to the plant counts
    for its other pests too, where their evening is due. Returns the id of the case.
    """
    row, slot = cases.case_of_application(desk.session, application_id)
    if said.outcome == EveningOutcome.DONE and said.done_on is not None:
        acts = said.acts or tuple(slot.treatments)
        for other in history.due_with(row, said.done_on):
            took = other.treatments if said.for_all else [a for a in other.treatments if a in acts]
            if took:
                mark_one(desk, other.id, MarkCommand(said.outcome, said.done_on, acts=tuple(took)))
    return mark_one(desk, application_id, said)


def mark_one(desk: Desk, application_id: int, said: MarkCommand) -> int:
    """Record an evening of one case alone; the id of the case."""
    row, slot = cases.case_of_application(desk.session, application_id)
    now, today = desk.moment, desk.today
    if slot.status == EveningState.DROPPED and not (history.is_left_alone(row) and said.done_on):
        raise NotFound("This evening is no longer in the plan.")
    if said.done_on is not None:
        _check_day(row, slot, said.done_on, today)
    # The last word counts; what was said before is kept, withdrawn.
    for record in slot.records:
        record.withdrawn_at = record.withdrawn_at or now
    end, evenings = history.course_end(row)
    end, evenings = slot.missed_end_on or end, slot.missed_evenings or evenings
    _settle(slot, said, now)
    slot.records.append(_record(row, slot, said, now))
    slot.records[-1].told = {
        "promised": slot.target_on.isoformat(),
        "latest": slot.latest_on.isoformat(),
        "end_was": end.isoformat() if end else None,
        "evenings_was": evenings,
    }
    desk.session.flush()
    return row.id


def _record(
    row: PestCase, slot: Application, said: MarkCommand, now: datetime
) -> ApplicationRecord:
    """What was said of an evening, as a row."""
    chosen = [a.treatment_id for a in row.acts]
    planned = list(slot.treatments) or chosen
    return ApplicationRecord(
        outcome=said.outcome,
        done_on=said.done_on,
        treatments=[a for a in chosen if a in said.acts] or planned,
        note=said.note,
        recorded_at=now,
        cost="",
        parts=list(said.parts),
        missed=list(said.missed),
        tally=list(said.tally),
        reach=said.reach,
        sent_key=said.sent_key,
        minutes=said.minutes,
        mix_ml=said.mix_ml,
        conditions=dict(said.conditions),
    )


def _settle(slot: Application, said: MarkCommand, now: datetime) -> None:
    """Give a slot its state, judged by the day and window that it was promised for."""
    promised, latest = slot.missed_on or slot.target_on, slot.missed_latest_on or slot.latest_on
    if said.outcome == EveningOutcome.SKIPPED:
        slot.status = EveningState.SKIPPED
    else:
        late = said.done_on is not None and said.done_on > latest
        slot.status = EveningState.LATE if late else EveningState.DONE
    slot.target_on, slot.latest_on = promised, max(promised, latest)
    slot.sequence, slot.changed_at = slot.sequence + 1, now


def _check_day(row: PestCase, slot: Application, done_on: date, today: date) -> None:
    if done_on > today:
        raise FieldErrors({"done_on": "That day has not come yet. Record it when it is done."})
    first = min((f.found_on for f in history.standing(row.findings)), default=row.start_on)
    if done_on < first - timedelta(days=60):
        raise FieldErrors({"done_on": "That is more than two months before anything was found."})
    for other in row.applications:
        record = history.last_word(other)
        if other.id != slot.id and record and record.done_on == done_on:
            raise FieldErrors({"done_on": "Another evening is already recorded for that day."})


def unmark(desk: Desk, application_id: int) -> int:
    """Withdraw what was recorded of an evening; the id of the case. The record is kept.
    A second time changes nothing.
    """
    row, slot = cases.case_of_application(desk.session, application_id)
    record = history.last_word(slot)
    if record is None and slot.records:
        return row.id
    if record is None:
        raise NotFound("Nothing is recorded for this evening.")
    _withdraw(slot, record, desk.moment)
    told = (record.recorded_at, record.done_on)
    for other in (a for case in history.others_on(row) for a in case.applications):
        along = history.last_word(other)
        if along is not None and (along.recorded_at, along.done_on) == told:
            _withdraw(other, along, desk.moment)
    return row.id


def _withdraw(slot: Application, record: ApplicationRecord, now: datetime) -> None:
    """Take back what was recorded of an evening, which is planned again."""
    record.withdrawn_at = now
    slot.status, slot.sequence, slot.changed_at = EveningState.PLANNED, slot.sequence + 1, now


def add_find(desk: Desk, case_id: int, command: FindCommand) -> None:
    """Add a find to a case."""
    row = cases.case(desk.session, case_id)
    assemble.counted_again(desk, row, command.found_on, live=True)
    row.findings.append(_finding(command, desk.moment))


def correct_find(desk: Desk, finding_id: int, command: FindCommand | None) -> int:
    """Correct a find, or withdraw it with None; the id of the case. The old values are
    kept.
    """
    row, finding = cases.case_of_finding(desk.session, finding_id)
    if finding.withdrawn_at is not None:
        raise ChangedMeanwhile(_stands_now(row, finding))
    finding.withdrawn_at = desk.moment
    if command is not None:
        fresh = _finding(command, desk.moment)
        fresh.corrects_id = finding.id
        row.findings.append(fresh)
    return row.id


def _stands_now(row: PestCase, finding: Finding) -> str:
    """What has become of a find that was corrected or withdrawn."""
    after = next((f for f in row.findings if f.corrects_id == finding.id), None)
    if after is None:
        return "This find was withdrawn meanwhile"
    count = f"{after.number:g}" if after.number is not None else str(after.rough)
    where = f", {after.location}" if after.location else ""
    return f"This find was corrected meanwhile: {count} {after.stage}{where}"


def close(desk: Desk, case_id: int, *, closed: bool) -> None:
    """Close a case, or open it again. Doing it twice changes nothing."""
    row = cases.case(desk.session, case_id)
    if closed:
        row.closed_at = row.closed_at or desk.moment
    elif row.plant.gone_on is not None:
        raise InputError(
            f"{row.plant.name} is gone since {desk.speech.day(row.plant.gone_on)}: take that "
            "back first, on the page of the plant."
        )
    else:
        history.open_again(row)


ORIGINS = {
    "": "not known",
    "newcomer": "came with a new plant",
    "neighbour": "from a plant beside it",
    "outside": "from outdoors, a window or clothing",
    "produce": "with cut flowers or produce",
    "survived": "it never quite went",
}


def join(desk: Desk, case_id: int, plant_id: int) -> None:
    """Let a case stand for another plant too. The same plant counts once."""
    row, plant = cases.case(desk.session, case_id), cases.plant(desk.session, plant_id)
    if plant.id == row.plant_id or any(m.plant_id == plant.id for m in history.members(row)):
        return
    row.members.append(CasePlant(plant_id=plant.id, joined_on=desk.today))


def leave(desk: Desk, case_id: int, plant_id: int) -> None:
    """Take a plant out of a case."""
    for member in history.members(cases.case(desk.session, case_id)):
        if member.plant_id == plant_id:
            member.left_on = desk.today


def came_from(desk: Desk, case_id: int, kind: str, note: str) -> None:
    """Keep where a case came from."""
    row = cases.bare_case(desk.session, case_id)
    row.origin, row.origin_note = kind, note


def case_of_card(desk: Desk, card_id: int) -> int:
    """The id of the case that a card belongs to. Raises NotFound."""
    card = desk.session.get(Card, card_id)
    if card is None or card.withdrawn_at is not None:
        raise NotFound("There is no such card.")
    return card.case_id
