"""The treatment evening: what to do to this plant for this pest, part by part, and what
follows once it is recorded.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta

import numpy as np
from sqlalchemy.orm import Session

from brood.catalogue.care import EveningBook, TechniqueRecord, Timer
from brood.catalogue.holdings import Catalogue
from brood.catalogue.schema import PestRecord, TreatmentRecord
from brood.core.climate.hours import EVENING
from brood.errors import InputError, NotFound
from brood.services.cases import aftercare, commands, effort, history, test_leaves
from brood.services.cases.assemble import limits_of
from brood.services.cases.commands import MarkCommand
from brood.services.cases.history import ROOTING_DAYS, repotted_on
from brood.services.cases.test_leaves import Patch
from brood.services.desk import Desk
from brood.services.treatment import permitted
from brood.services.treatment.choose import setting_of
from brood.services.voice.speech import Speech
from brood.services.warmth.hourly import plant_series
from brood.store.queries import cases
from brood.store.states import EveningOutcome
from brood.store.tables import Application, PestCase

LEAST_REACH = 0.05
FROST_C = 2.0
DRENCHED = {"soil": 0.85, "rim": 0.05, "drain": 0.1}
"""The parts of an evening that is entirely in the soil, with the shares that count
there (C).
"""


@dataclass(frozen=True)
class PartRow:
    """A part of the plant: its id, its name, why it matters, and the share of the
    animals that sits there.
    """

    id: str
    name: str
    why: str
    share: float


@dataclass(frozen=True)
class EveningAct:
    """A treatment of the evening, how it is done, and its cautions here."""

    record: TreatmentRecord
    technique: TechniqueRecord
    cautions: tuple[str, ...]
    needs_mix: bool


@dataclass(frozen=True)
class EveningResult:
    """Everything that the evening's page shows. `gates` speak against treating tonight.
    `held_back` are sprays whose test leaves are not judged, `forbidden` what must not be
    used as things stand, with the reason.
    """

    row: PestCase
    pest: PestRecord
    others: tuple[PestRecord, ...]
    slot: Application
    acts: tuple[EveningAct, ...]
    parts: tuple[PartRow, ...]
    stages: tuple[tuple[str, str], ...]
    gates: tuple[str, ...]
    held_back: tuple[Patch, ...]
    forbidden: tuple[tuple[str, str], ...]
    hygiene: tuple[str, ...]
    timers: tuple[Timer, ...]
    usual_ml: float
    measured: bool
    usual_minutes: int


@dataclass(frozen=True)
class FinishCommand:
    """What was done: the acts, the parts that were reached, what was seen (stage, live,
    dead), how much mix and how many minutes it took, and how it was around it.
    """

    done_on: date
    acts: tuple[str, ...]
    parts: tuple[str, ...]
    tally: tuple[dict[str, object], ...]
    note: str = ""
    mix_ml: float | None = None
    sent_key: str = ""
    minutes: int | None = None
    conditions: Mapping[str, object] = field(default_factory=dict)


def parts_of(
    book: EveningBook, build: str, group: str, *, in_soil: bool = False
) -> tuple[PartRow, ...]:
    """The parts of a build in order, with the share of a group's animals on each. The
    group's shares are scaled to the parts that there are.

    Only soil, rim and drain holes where all acts are `in_soil`.
    """
    order = [p for p in book.build[build] if not in_soil or p in DRENCHED]
    shares = {p: s for p, s in (DRENCHED if in_soil else book.sits[group]).items() if p in order}
    total = sum(shares.values())
    return tuple(
        PartRow(
            p, book.part[p].name, book.part[p].why, shares.get(p, 0.0) / total if total else 0.0
        )
        for p in order
    )


def _in_soil(catalogue: Catalogue, acts: Sequence[str]) -> bool:
    return bool(acts) and all(catalogue.care[a].in_soil for a in acts)


def reach_of(parts: tuple[PartRow, ...], done: tuple[str, ...], usual: float) -> float | None:
    """The share that an evening touched, from the parts that were done. None where
    nothing is known or nothing was left out.
    """
    if not done:
        return None
    covered = sum(p.share for p in parts if p.id in done)
    return None if covered > 0.999 else max(LEAST_REACH, usual * covered)


def build(desk: Desk, case_id: int) -> EveningResult:
    """The page of a case's next evening. Raises NotFound when none is planned."""
    session, catalogue, now, speech = desk.session, desk.catalogue, desk.moment, desk.speech
    row = cases.case(session, case_id)
    slot = _next(row)
    record, book = catalogue.records[row.pest_id], catalogue.evenings
    along = _along(row, slot, now.date())
    held = [p for p in test_leaves.states(catalogue, row, now) if p.state != "fine"]
    never = forbidden_tonight(desk, row, slot)
    back = {p.treatment_id for p in held} | {key for key, _ in never}
    wanted = dict.fromkeys(key for one in (slot, *(s for _, s in along)) for key in one.treatments)
    acts = [_act(session, catalogue, row, key, now.date()) for key in wanted if key not in back]
    others = [catalogue.records[other.pest_id] for other, _ in along]
    parts = _parts(book, row, [record, *others], _in_soil(catalogue, [a.record.id for a in acts]))
    timers = {t.text: t for a in acts for t in a.technique.timers}
    kind = effort.kind_of_mix(catalogue, [a.record.id for a in acts])
    used = effort.used_ml(catalogue, row.plant, kind)
    return EveningResult(
        row,
        record,
        tuple(others),
        slot,
        tuple(acts),
        parts,
        tuple(commands.stage_choices(record)),
        _gates(session, catalogue, row, slot, now, speech),
        tuple(held),
        never,
        tuple(h.text for h in book.hygiene),
        tuple(timers.values()),
        used or effort.usual_ml(row.plant, kind or "spray"),
        used is not None,
        round(effort.evening(catalogue, row, [a.record.id for a in acts])),
    )


def _along(row: PestCase, slot: Application, day: date) -> list[tuple[PestCase, Application]]:
    """The plant's other pests whose evening is due with a case's own."""
    cases = {c.id: c for c in (row, *history.others_on(row))}
    evenings = history.together(list(cases.values()), day)
    mine = next((some for some in evenings if slot in some), [])
    return [(cases[s.case_id], s) for s in mine if s is not slot]


def _parts(
    book: EveningBook, row: PestCase, pests: Sequence[PestRecord], in_soil: bool
) -> tuple[PartRow, ...]:
    """The parts that any of the pests asks for, in the order of the first."""
    build = effort.build_of(row.plant)
    every = [p for pest in pests for p in parts_of(book, build, pest.group, in_soil=in_soil)]
    return tuple(
        {p.id: p for p in reversed(every)}[key] for key in dict.fromkeys(p.id for p in every)
    )


def forbidden_tonight(desk: Desk, row: PestCase, slot: Application) -> tuple[tuple[str, str], ...]:
    """The treatments of an evening that must not be used as things stand, each with the
    reason. The plan may be older than what forbids them.
    """
    if limits_of(row).harvest is None and not any(
        permitted.may_be_forbidden(desk.catalogue, key, row.plant) for key in slot.treatments
    ):
        return ()
    here = setting_of(desk.session, row.plant, today=desk.today, row=row)
    found = ((key, permitted.forbidden(desk.catalogue, key, here)) for key in slot.treatments)
    return tuple((key, why) for key, why in found if why)


def why_not_tonight(desk: Desk, row: PestCase, slot: Application) -> str:
    """Why an evening must not be begun at all as things stand. Empty where it may be."""
    if not limits_of(row).admits(desk.today):
        return "You said that you cannot treat today."
    never = forbidden_tonight(desk, row, slot)
    held = [p for p in test_leaves.states(desk.catalogue, row, desk.moment) if p.state != "fine"]
    back = {key for key, _ in never} | {p.treatment_id for p in held}
    if not set(slot.treatments) <= back:
        return ""
    return never[0][1] if never else "Everything planned for it waits for its test leaves."


def _next(row: PestCase) -> Application:
    planned = history.planned(row)
    if not planned or row.closed_at is not None:
        raise NotFound("No treatment evening is planned for this case.")
    return planned[0]


def _act(
    session: Session, catalogue: Catalogue, row: PestCase, key: str, today: date
) -> EveningAct:
    care = catalogue.care[key]
    offer = permitted.offer(catalogue, key, setting_of(session, row.plant, today=today, row=row))
    return EveningAct(
        offer.record,
        catalogue.evenings.technique[care.technique],
        (*offer.warnings, *offer.cautions),
        key in catalogue.recipes.recipe,
    )


def _gates(
    session: Session,
    catalogue: Catalogue,
    row: PestCase,
    slot: Application,
    now: datetime,
    speech: Speech,
) -> tuple[str, ...]:
    """What speaks against treating tonight: warmth outside a treatment's limits, frost
    to come, a limp plant.
    """
    out = []
    evening = datetime.combine(now.date(), EVENING)
    try:
        series = plant_series(session, row.plant, now.date(), now.date() + timedelta(days=2))
    except InputError:
        return ()
    tonight = float(series.celsius[series.hour_of(evening)])
    night = float(np.min(series.celsius[series.hour_of(evening) : series.hour_of(evening) + 12]))
    for key in slot.treatments:
        record, care = catalogue.treatments[key], catalogue.care[key]
        if record.limits_c and not record.limits_c[0] <= tonight <= record.limits_c[1]:
            low, high = record.limits_c
            side = "cooler" if tonight > high else "warmer"
            out.append(
                f"About {speech.warmth(tonight)} at seven: {record.name} is for "
                f"{speech.warmth(low)} to {speech.warmth(high)}. "
                f"Wait for a {side} hour, or leave it out tonight."
            )
        if care.technique == "spray" and night < FROST_C:
            out.append(
                f"Down to {speech.warmth(night)} in the night: no {record.name} before frost."
            )
    potted = repotted_on(session, row.plant_id)
    if potted is not None and (now.date() - potted).days < ROOTING_DAYS:
        out.append(
            f"Repotted {speech.day(potted)}: by hand only for {ROOTING_DAYS} days, until "
            "it has rooted."
        )
    elif "weak" in row.plant.marks:
        out.append(
            "You marked this plant as dry, wilted or just repotted: by hand only until it "
            "stands upright."
        )
    return tuple(dict.fromkeys(out))


def _sent(row: PestCase, key: str) -> int | None:
    """The record of an evening that was sent before with the same key."""
    records = (r for a in row.applications for r in a.records)
    return next((r.id for r in records if key and r.sent_key == key), None)


def finish(desk: Desk, case_id: int, said: FinishCommand) -> int:
    """Record the next evening as done and write its after-care; the id of the record.
    The same `sent_key` is taken once.
    """
    row, catalogue = cases.case(desk.session, case_id), desk.catalogue
    sent = _sent(row, said.sent_key)
    if sent is not None:
        return sent
    slot = _next(row)
    for other in history.due_with(row, said.done_on):
        case, _ = cases.case_of_application(desk.session, other.id)
        acts = tuple(a for a in other.treatments if a in said.acts)
        if acts:
            along = replace(
                said, acts=acts, tally=(), note="", minutes=None, mix_ml=None, sent_key=""
            )
            commands.mark_one(desk, other.id, _marked(catalogue, case, other, along))
    commands.mark_one(desk, slot.id, _marked(catalogue, row, slot, said))
    written = history.last_word(slot)
    assert written is not None
    aftercare.write(catalogue, row, written)
    desk.session.flush()
    return written.id


def _marked(
    catalogue: Catalogue, row: PestCase, slot: Application, said: FinishCommand
) -> MarkCommand:
    """What was done, as it bears on the pest of a case: how well the parts that were done
    reach it.
    """
    parts = parts_of(
        catalogue.evenings,
        effort.build_of(row.plant),
        catalogue.records[row.pest_id].group,
        in_soil=_in_soil(catalogue, said.acts or slot.treatments),
    )
    known = {p.id for p in parts}
    done = tuple(p for p in said.parts if p in known)
    missed = tuple(p.id for p in parts if p.id not in done and p.share > 0) if done else ()
    return MarkCommand(
        EveningOutcome.DONE,
        said.done_on,
        said.note,
        said.acts,
        done,
        missed,
        said.tally,
        reach_of(parts, done, row.reach),
        said.sent_key,
        said.minutes,
        mix_ml=said.mix_ml,
        conditions=said.conditions,
    )
