"""The form of a rehearsal."""

from __future__ import annotations

from brood.catalogue.holdings import Catalogue
from brood.catalogue.schema import PestRecord
from brood.services.guide.rehearsal import LAST_DAY, RehearsalCommand, days_of
from brood.web.forms.reader import Reader

COLDEST_C, HOTTEST_C = -5.0, 45.0
NAMES = {"egg": "eggs", "young": "larvae or nymphs", "pupa": "pupae", "adult": "adults"}


def read(reader: Reader, catalogue: Catalogue) -> RehearsalCommand:
    """A rehearsal as typed; raises FieldErrors."""
    pest_id = reader.choice("pest", catalogue.records, "a pest")
    day, night = (
        reader.celsius("day", "The temperature by day"),
        reader.celsius("night", "The temperature at night"),
    )
    _livable(reader, {"day": day, "night": night})
    found = tuple(
        (stage, n)
        for stage in NAMES
        if (n := reader.number(stage, f"The number of {NAMES[stage]}", 0, 1_000_000))
    )
    reach = reader.number("reach", "The share touched", 1, 100) or 90.0
    refuge = reader.number("refuge", "The share in hiding", 0, 50)
    acts = tuple(
        key.removeprefix("act-")
        for key in reader.form
        if key.startswith("act-") and key.removeprefix("act-") in catalogue.treatments
    )
    if not acts:
        reader.fault("acts", "Choose at least one treatment.")
    first, second = _days(reader, "first"), _days(reader, "second")
    if pest_id in catalogue.records:
        _stages(reader, catalogue.records[pest_id], {stage for stage, _ in found})
    if not found:
        reader.fault(
            "egg", "Give at least one number: without any pest there is nothing to rehearse."
        )
    reader.done()
    return RehearsalCommand(
        pest_id,
        day,
        night,
        found,
        reach / 100,
        (2.0 if refuge is None else refuge) / 100,
        acts,
        first,
        second,
    )


def _livable(reader: Reader, warmth: dict[str, float]) -> None:
    """Refuse temperatures at which no plant lives."""
    span = f"{reader.speech.warmth(COLDEST_C)} and {reader.speech.warmth(HOTTEST_C)}"
    for name, celsius in warmth.items():
        if name not in reader.wrong and not COLDEST_C <= celsius <= HOTTEST_C:
            reader.fault(name, f"Plants with pests live between {span}; rehearse within that.")


def _stages(reader: Reader, record: PestRecord, given: set[str]) -> None:
    """Refuse stages that the pest does not have."""
    if "pupa" in given and not any(s.display == "pupa" for s in record.stage):
        reader.fault("pupa", f"{record.name.capitalize()} has no pupa. Leave it empty.")
    if "egg" in given and record.live_birth:
        reader.fault(
            "egg", f"{record.name.capitalize()} bears live young and lays no eggs. Leave it empty."
        )


def _days(reader: Reader, name: str) -> tuple[int, ...]:
    try:
        return days_of(reader.raw(name))
    except ValueError:
        reader.fault(
            name,
            f"Write days such as 0, 3, 6 (up to {LAST_DAY}), or every 3 days 5 times: at least a "
            "day apart, at least once.",
        )
        return ()
