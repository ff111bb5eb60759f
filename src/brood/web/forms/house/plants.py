"""The plant form."""

from __future__ import annotations

from collections.abc import Collection

from brood.services.house.plants import (
    AGES,
    BUILDS,
    EATEN_CHOICES,
    GROWTHS,
    KINDS,
    SIZES,
    WORTHS,
    PlantCommand,
    PlantTraits,
)
from brood.web.forms.reader import Reader

MOST_PLANTS = 5000


def read(reader: Reader, place_ids: Collection[int], marks: Collection[str] = ()) -> PlantCommand:
    """A plant as typed; raises FieldErrors."""
    name = reader.name("name", "The plant's name")
    kind = reader.choice("kind", KINDS, "a kind of plant")
    note = reader.text("note", "The note", longest=400, needed=False)
    place = reader.key("place", "the place where it stands")
    if place not in place_ids:
        reader.fault("place", "Choose the place where it stands.")
    since = (
        reader.day("since", "The day it came there", back=3650)
        if reader.raw("since")
        else reader.today
    )
    traits = _traits(reader, marks)
    reader.done()
    return PlantCommand(name, kind, note, place, since, traits)


def _traits(reader: Reader, marks: Collection[str]) -> PlantTraits:
    return PlantTraits(
        reader.text("species", "The species", needed=False),
        reader.choice("build", BUILDS, "a build"),
        reader.choice("size", SIZES, "a size"),
        reader.choice("age", AGES, "an age"),
        reader.choice("growth", GROWTHS, "how fast it grows"),
        reader.choice("worth", WORTHS, "what it is worth to you"),
        reader.choice("eaten", EATEN_CHOICES, "whether it is eaten"),
        bool(reader.raw("sensitive")),
        tuple(m for m in marks if reader.raw(f"mark-{m}")),
        reader.whole("number", "How many plants", 1, MOST_PLANTS) or 1,
    )
