"""The form of a treatment evening, and of test leaves."""

from __future__ import annotations

from collections.abc import Sequence

from brood.catalogue.holdings import Catalogue
from brood.services.treatment.evening_page import FinishCommand
from brood.web.forms.reader import Reader
from brood.web.forms.treatment.shelf import volume

MOST_SEEN = 100_000


def read(reader: Reader, catalogue: Catalogue, stages: Sequence[tuple[str, str]]) -> FinishCommand:
    """An evening as it was done; raises FieldErrors."""
    day = (
        reader.day("done_on", "The day it was done", back=180)
        if reader.raw("done_on")
        else reader.today
    )
    acts = tuple(key for key in catalogue.treatments if reader.raw(f"did-{key}"))
    if not acts:
        reader.fault("acts", "Say what was done: at least one.")
    parts = tuple(p for p in catalogue.evenings.part if reader.raw(f"part-{p}"))
    tally = tuple(row for stage, name in stages if (row := _seen(reader, stage, name)))
    note = reader.text("note", "The note", longest=400, needed=False)
    took = volume(reader, "took", "How much it took")
    minutes = reader.whole("minutes", "The minutes it took", 1, 600)
    reader.done()
    return FinishCommand(day, acts, parts, tally, note, took, reader.raw("sent_key")[:64], minutes)


def _seen(reader: Reader, stage: str, name: str) -> dict[str, object] | None:
    live, dead = (
        reader.whole(f"{side}-{stage}", f"The number of {name}, {side}", 0, MOST_SEEN)
        for side in ("live", "dead")
    )
    return (
        None
        if live is None and dead is None
        else {"stage": stage, "live": live or 0, "dead": dead or 0}
    )
