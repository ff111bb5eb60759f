"""The form of a case's means: ticks, and the figures of a label."""

from __future__ import annotations

from collections.abc import Mapping

from brood.catalogue.schema import TreatmentRecord
from brood.services.cases.commands import ActCommand
from brood.web.forms.reader import Reader


def acts(reader: Reader, treatments: Mapping[str, TreatmentRecord]) -> tuple[ActCommand, ...]:
    """The treatments that are ticked, with the label's figures where typed; faults are
    left in the reader.
    """
    found = tuple(
        _act(reader, record) for key, record in treatments.items() if reader.raw(f"act-{key}")
    )
    if not found:
        reader.fault("acts", "Choose at least one treatment.")
    return found


def _act(reader: Reader, record: TreatmentRecord) -> ActCommand:
    return ActCommand(
        record.id,
        reader.whole(f"gap-{record.id}", "The days between two uses", 1, 120),
        reader.whole(f"most-{record.id}", "The most uses", 1, 100),
    )
