"""The form of a treatment evening, and of test leaves."""

from __future__ import annotations

from collections.abc import Sequence

from brood.catalogue.holdings import Catalogue
from brood.services.house.load import REACTIONS
from brood.services.treatment.evening_page import LIGHT, WEATHER, FinishCommand, Sight
from brood.web.forms.reader import Reader
from brood.web.forms.treatment.shelf import volume

MOST_SEEN = 100_000


def read(reader: Reader, catalogue: Catalogue, sights: Sequence[Sight]) -> FinishCommand:
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
    tally = {
        sight.case_id: tuple(
            row
            for field, stage, name in sight.stages
            if (row := _seen(reader, catalogue, field, stage, name))
        )
        for sight in sights
    }
    note = reader.text("note", "The note", longest=400, needed=False)
    took = volume(reader, "took", "How much it took")
    minutes = reader.whole("minutes", "The minutes it took", 1, 600)
    around = _around(reader, catalogue)
    reader.done()
    return FinishCommand(
        day, acts, parts, tally, note, took, reader.raw("sent_key")[:64], minutes, around
    )


def _around(reader: Reader, catalogue: Catalogue) -> dict[str, object]:
    """How it was around an evening, as far as it was told."""
    out: dict[str, object] = {}
    for name, what, choices in (
        ("light", "the light", LIGHT),
        ("weather", "the weather", WEATHER),
        ("reaction", "how the plant bore the last treatment", REACTIONS),
    ):
        if reader.raw(name):
            out[name] = reader.choice(name, choices, f"{what} from the list")
    rules = [n for n, _ in enumerate(catalogue.evenings.hygiene) if reader.raw(f"between-{n}")]
    return {**out, "between": rules} if rules else out


def _seen(
    reader: Reader, catalogue: Catalogue, field: str, stage: str, name: str
) -> dict[str, object] | None:
    live, dead = (
        reader.whole(f"{side}-{field}", f"The number of {name}, {side}", 0, MOST_SEEN)
        for side in ("live", "dead")
    )
    part = reader.raw(f"at-{field}")
    if part:
        reader.choice(f"at-{field}", catalogue.evenings.part, "the part")
    if live is None and dead is None:
        return None
    told = {"stage": stage, "live": live or 0, "dead": dead or 0}
    return {**told, "part": part} if part else told
