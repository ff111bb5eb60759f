"""The forms of a case: opening it, a find, an evening that was done or skipped."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import date

from brood.catalogue.schema import TreatmentRecord
from brood.services.cases.commands import FindCommand, MarkCommand, OpenCommand
from brood.web.forms.house.plants import MOST_PLANTS
from brood.web.forms.reader import Reader
from brood.web.forms.treatment import means

ROUGH = {"few": "a few", "dozens": "dozens", "hundreds": "hundreds"}


def open_case(
    reader: Reader,
    plant_id: int,
    pest_id: str,
    stages: Sequence[tuple[str, str]],
    treatments: Mapping[str, TreatmentRecord],
) -> OpenCommand:
    """A new case as typed; raises FieldErrors."""
    found_on = reader.day("found_on", "The day it was found", back=120)
    plants = reader.whole("plants", "On how many plants", 1, MOST_PLANTS) or 0
    found = tuple(
        replace(f, plants=plants)
        for stage, name in stages
        if (f := _find(reader, stage, name, found_on, f"-{stage}"))
    )
    if not found and not reader.wrong:
        reader.fault(
            "found", "Say what was seen: a number or a rough count for at least one stage."
        )
    acts = means.acts(reader, treatments)
    start = reader.day("start_on", "The first evening", back=120, ahead=60)
    if start < found_on and "start_on" not in reader.wrong:
        reader.fault("start_on", "The first evening cannot come before the find.")
    reader.done()
    return OpenCommand(plant_id, pest_id, found, acts, start, bool(reader.raw("test_patch")))


def _find(reader: Reader, stage: str, name: str, found_on: date, suffix: str) -> FindCommand | None:
    number = reader.count(f"number{suffix}", f"The number of {name}")
    rough = reader.raw(f"rough{suffix}")
    if rough and rough not in ROUGH:
        reader.fault(f"rough{suffix}", "Choose a rough count from the list.")
    location = reader.text(f"where{suffix}", "Where it was", longest=120, needed=False)
    if number is None and not rough:
        return None
    return FindCommand(found_on, stage, number, None if number is not None else rough, location)


def find(reader: Reader, stages: Sequence[tuple[str, str]]) -> FindCommand:
    """One find as typed; raises FieldErrors."""
    names = dict(stages)
    stage = reader.choice("stage", names, "a stage")
    found_on = reader.day("found_on", "The day it was found", back=120)
    found = _find(reader, stage, names.get(stage, "animals"), found_on, "")
    if found is None:
        reader.fault("number", "Give a number, or a rough count.")
    reader.done()
    assert found is not None
    return found


def mark(reader: Reader, treatments: Mapping[str, TreatmentRecord]) -> MarkCommand:
    """What is said of an evening; done today when no day is given. Raises FieldErrors."""
    if reader.raw("outcome") == "skipped":
        return MarkCommand("skipped", None)
    day = (
        reader.day("done_on", "The day it was done", back=180)
        if reader.raw("done_on")
        else reader.today
    )
    note = reader.text("note", "The note", longest=400, needed=False)
    reader.done()
    return MarkCommand(
        "done",
        day,
        note,
        tuple(key for key in treatments if reader.raw(f"did-{key}")),
        for_all=bool(reader.raw("for_all")),
    )
