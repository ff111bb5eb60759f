"""The treatment evening: what to do to this plant for this pest, part by part, and what
follows once it is recorded.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.catalogue.schema import PestRecord, TreatmentRecord
from brood.core.climate.hours import EVENING
from brood.errors import InputError, NotFound
from brood.services.cases import aftercare, commands, effort, history, pictures, test_leaves
from brood.services.cases.assemble import limits_of
from brood.services.cases.commands import MarkCommand
from brood.services.cases.history import ROOTING_DAYS, repotted_on
from brood.services.cases.test_leaves import Patch
from brood.services.house import before_mixing, load
from brood.services.house.before_mixing import Asked
from brood.services.house.load import Load
from brood.services.house.plant_states import lines
from brood.services.house.plants import is_eaten
from brood.services.treatment import evening_walk, permitted
from brood.services.treatment.choose import setting_of
from brood.services.treatment.evening_walk import EveningAct, PartRow
from brood.services.voice import words
from brood.services.voice.desk import Desk
from brood.services.voice.speech import Speech
from brood.services.warmth.hourly import plant_series
from brood.store.queries import cases, lasting
from brood.store.states import EveningOutcome
from brood.store.tables import Application, ApplicationRecord, PestCase, Plant

FROST_C = 2.0
LARGE = ("floor", "tree")
"""Sizes of plants that are treated where they stand."""
LIGHT = {
    "evening": "evening, no sun on it",
    "shade": "shade",
    "lamps-off": "lamps off",
    "sun": "sun or lamps on it",
}
WEATHER = {
    "still": "dry and still",
    "wind": "windy",
    "after-rain": "after rain",
    "rain": "rain soon after",
}
"""How it was around an evening."""


@dataclass(frozen=True)
class Sight:
    """A pest of the evening with the stages that may be counted: (field, stage, name)."""

    case_id: int
    pest: PestRecord
    stages: tuple[tuple[str, str, str], ...]


@dataclass(frozen=True)
class EveningResult:
    """Everything that the evening's page shows. `gates` speak against treating tonight.
    `held_back` are sprays whose test leaves are not judged, `forbidden` what must not be
    used as things stand, with the reason.

    `places` are the parts on which something may have been seen. With `hold` the plant can
    be held unpotted afterwards, with `bare` it is. `bore_on` is the day of the last
    treatment, of which it is asked how the plant bore it, `pick_from` the first day of
    harvest after tonight, `before` what must be told before anything is mixed.
    """

    row: PestCase
    pest: PestRecord
    others: tuple[PestRecord, ...]
    slot: Application
    acts: tuple[EveningAct, ...]
    sights: tuple[Sight, ...]
    places: tuple[tuple[str, str], ...]
    gates: tuple[str, ...]
    held_back: tuple[Patch, ...]
    forbidden: tuple[tuple[str, str], ...]
    hygiene: tuple[str, ...]
    load: Load
    usual_ml: float
    measured: bool
    usual_minutes: int
    outdoors: bool
    hold: bool
    bare: bool
    bore_on: date | None
    pick_from: date | None
    before: Asked | None


@dataclass(frozen=True)
class FinishCommand:
    """What was done: the acts, the parts that were reached, what was seen (stage, live,
    dead, part) in each case, how much mix and how many minutes it took, and how it was
    around it.
    """

    done_on: date
    acts: tuple[str, ...]
    parts: tuple[str, ...]
    tally: Mapping[int, tuple[dict[str, object], ...]]
    note: str = ""
    mix_ml: float | None = None
    sent_key: str = ""
    minutes: int | None = None
    conditions: Mapping[str, object] = field(default_factory=dict)


def build(desk: Desk, case_id: int) -> EveningResult:
    """The page of a case's next evening. Raises NotFound when none is planned."""
    session, catalogue, now = desk.session, desk.catalogue, desk.moment
    row = cases.case(session, case_id)
    slot = _next(row)
    along = _along(row, slot, now.date())
    held = [p for p in test_leaves.states(catalogue, row, now) if p.state != "fine"]
    never = forbidden_tonight(desk, row, slot)
    back = {p.treatment_id for p in held} | {key for key, _ in never}
    wanted = dict.fromkeys(key for one in (slot, *(s for _, s in along)) for key in one.treatments)
    acts = [key for key in wanted if key not in back]
    here = setting_of(session, row.plant, today=now.date(), row=row)
    bare = _is_bare(desk, row.plant_id)
    parts = _parts(catalogue, [row, *(case for case, _ in along)], acts, bare=bare)
    kind = effort.kind_of_mix(catalogue, acts)
    used = effort.used_ml(catalogue, row.plant, kind)
    done = load.had(catalogue, row.plant)
    return EveningResult(
        row,
        catalogue.records[row.pest_id],
        tuple(catalogue.records[case.pest_id] for case, _ in along),
        slot,
        evening_walk.walk(
            catalogue,
            [permitted.offer(catalogue, key, here) for key in acts],
            parts,
            large=row.plant.size in LARGE,
            bed=row.plant.build == "head" or here.kind == "outdoor",
        ),
        sights(catalogue, row, [case for case, _ in along]),
        tuple((p.id, p.name) for p in parts),
        _gates(session, catalogue, row, slot, now, desk.speech),
        tuple(held),
        never,
        tuple(h.text for h in catalogue.evenings.hygiene),
        load.of_plant(catalogue, row.plant, now.date(), desk.speech),
        used or effort.usual_ml(row.plant, kind or "spray"),
        used is not None,
        round(effort.evening(catalogue, row, acts)),
        here.kind in permitted.OUTDOORS,
        not bare and _can_be_held(catalogue, row.plant, acts),
        bare,
        done[-1].on if done else None,
        _pick_from(catalogue, row, acts, now.date()),
        before_mixing.asked(
            session, catalogue, row.plant, [a for a in wanted if a not in dict(never)]
        ),
    )


def _pick_from(
    catalogue: Catalogue, row: PestCase, acts: Sequence[str], today: date
) -> date | None:
    """The first day on which may be picked what is eaten, once the evening is done."""
    waits = [load.wait_days(catalogue, row, act) for act in acts]
    if not is_eaten(row.plant) or not any(waits):
        return None
    return max(today + timedelta(days=max(waits)), load.pick_from(catalogue, row.plant) or today)


def sights(
    catalogue: Catalogue, row: PestCase, others: Sequence[PestCase] | None = None
) -> tuple[Sight, ...]:
    """The pests of which something may be seen on a case's evening: its own first, then
    `others`, or all others of the plant.
    """
    out = []
    for case in (row, *(history.others_on(row) if others is None else others)):
        pest = catalogue.records[case.pest_id]
        tail = "" if case is row else f"-{case.id}"
        choices = commands.stage_choices(pest)
        out.append(
            Sight(case.id, pest, tuple((f"{key}{tail}", key, said) for key, said in choices))
        )
    return tuple(out)


def _along(row: PestCase, slot: Application, day: date) -> list[tuple[PestCase, Application]]:
    """The plant's other pests whose evening is due with a case's own."""
    cases = {c.id: c for c in (row, *history.others_on(row))}
    evenings = history.together(list(cases.values()), day)
    mine = next((some for some in evenings if slot in some), [])
    return [(cases[s.case_id], s) for s in mine if s is not slot]


def _can_be_held(catalogue: Catalogue, plant: Plant, acts: Sequence[str]) -> bool:
    """Whether the evening takes the plant out of its pot, or should: orchids hide scales
    on what the bark covers.
    """
    techniques = evening_walk.techniques_of(catalogue, acts)
    orchid = effort.build_of(plant) == "orchid"
    return "unpot" in techniques or (orchid and "strip" in techniques)


def _is_bare(desk: Desk, plant_id: int) -> bool:
    """Whether a plant is held unpotted, its roots in sight."""
    rows = lasting.of_plant(desk.session, plant_id)
    found = lines(desk.session, desk.catalogue, rows, desk.today)
    return any(one.row.kind == "bare" for one in found)


def _parts(
    catalogue: Catalogue, rows: Sequence[PestCase], acts: Sequence[str], *, bare: bool
) -> tuple[PartRow, ...]:
    """The parts that the evening meets, with the share of the pest that sits there most."""
    every = [p for row in rows for p in _parts_for(catalogue, row, acts, bare=bare)]
    best: dict[str, PartRow] = {}
    for part in every:
        if part.id not in best or part.share > best[part.id].share:
            best[part.id] = part
    return tuple(best.values())


def _parts_for(
    catalogue: Catalogue, row: PestCase, acts: Sequence[str], *, bare: bool
) -> tuple[PartRow, ...]:
    return evening_walk.parts_of(
        catalogue.evenings,
        effort.build_of(row.plant),
        catalogue.records[row.pest_id].group,
        evening_walk.techniques_of(catalogue, acts),
        in_soil=evening_walk.in_soil(catalogue, acts),
        bare=bare,
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
        if record.limits_c and _beyond(record, tonight):
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
            along = replace(said, acts=acts, note="", minutes=None, mix_ml=None, sent_key="")
            commands.mark_one(desk, other.id, _marked(catalogue, case, other, along))
    commands.mark_one(desk, slot.id, _marked(catalogue, row, slot, _with_warmth(desk, row, said)))
    written = history.last_word(slot)
    assert written is not None
    aftercare.write(catalogue, row, written)
    desk.session.flush()
    return written.id


def add_photo(desk: Desk, record_id: int, filename: str, data: bytes) -> None:
    """Keep a photo with an evening. Raises FieldErrors when it is empty, too large or no
    picture.
    """
    record = desk.session.get(ApplicationRecord, record_id)
    if record is None:
        raise NotFound("There is no such evening.")
    record.photos.append(pictures.taken(filename, data, desk.moment))


def after(desk: Desk, record_id: int) -> tuple[int, str]:
    """The evening of a record, and what to say once it is kept: with how warm it was where
    that was beyond what was used.
    """
    record = desk.session.get(ApplicationRecord, record_id)
    if record is None:
        raise NotFound("There is no such evening.")
    row, _ = cases.case_of_application(desk.session, record.application_id)
    told = warmth_told(desk.catalogue, record.conditions, desk.speech)
    return record.application_id, f"{row.plant.name}: the evening. {told}".strip()


def _with_warmth(desk: Desk, row: PestCase, said: FinishCommand) -> FinishCommand:
    """An evening with how warm it was at seven, where that is known, and what of it was
    too warm or too cold for.
    """
    try:
        series = plant_series(desk.session, row.plant, said.done_on, said.done_on)
    except InputError:
        return said
    celsius = float(series.celsius[series.hour_of(datetime.combine(said.done_on, EVENING))])
    beyond = [key for key in said.acts if _beyond(desk.catalogue.treatments[key], celsius)]
    told = {**said.conditions, "warmth_c": round(celsius, 1), "beyond": beyond}
    return replace(said, conditions=told)


def _beyond(record: TreatmentRecord, celsius: float) -> bool:
    """Whether it is too warm or too cold for a treatment."""
    limits = record.limits_c
    return limits is not None and not limits[0] <= celsius <= limits[1]


def warmth_told(catalogue: Catalogue, conditions: Mapping[str, Any], speech: Speech) -> str:
    """What was said of an evening that was too warm or too cold for what was used. Empty
    where it was not.
    """
    beyond = [key for key in conditions.get("beyond", ()) if key in catalogue.treatments]
    if not beyond:
        return ""
    used = words.act_names(beyond, catalogue.treatments)
    return (
        f"It was about {speech.warmth(conditions['warmth_c'])}, outside what {used} is for: look "
        "at the leaves tomorrow, and rinse them where they look dull."
    )


def _marked(
    catalogue: Catalogue, row: PestCase, slot: Application, said: FinishCommand
) -> MarkCommand:
    """What was done, as it bears on the pest of a case: how well the parts that were done
    reach it.
    """
    acts = said.acts or slot.treatments
    unpotted = "unpot" in evening_walk.techniques_of(catalogue, acts)
    parts = _parts_for(catalogue, row, acts, bare="roots" in said.parts and not unpotted)
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
        said.tally.get(row.id, ()),
        evening_walk.reach_of(parts, done, row.reach),
        said.sent_key,
        said.minutes,
        mix_ml=said.mix_ml,
        conditions=said.conditions,
    )
