"""The one form of the first plan."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from brood.services.house.plants import KINDS
from brood.services.treatment.first_plan import HOW_MANY, WHERE, FirstCommand
from brood.web.forms.reader import Reader

UNSURE = "unsure"


def read(reader: Reader, places: Collection[int], pests: Collection[str]) -> FirstCommand:
    """What the form says; raises FieldErrors."""
    name = reader.name("name", "The plant's name")
    kind = reader.choice("kind", KINDS, "a kind of plant")
    pest = reader.raw("pest")
    if pest != UNSURE and pest not in pests:
        reader.fault("pest", "Choose the pest, or say that you are not sure.")
    place = reader.key("place", "a place from the list") if reader.raw("place") else None
    if place is not None and place not in places:
        reader.fault("place", "Choose a place from the list.")
    celsius = 20.0 if place is not None else reader.celsius("warmth", "How warm it stands")
    setting = reader.choice("setting", WHERE, "indoors or outdoors")
    how_many = "few"
    if pest != UNSURE:
        how_many = reader.choice("how_many", HOW_MANY, "roughly how many")
    stages = stages_of(reader)
    reader.done()
    known = "" if pest == UNSURE else pest
    return FirstCommand(name, kind, setting, celsius, place, known, how_many, tuple(stages))


def stages_of(reader: Reader) -> Sequence[str]:
    """The stages that were ticked."""
    return [key.removeprefix("stage-") for key in reader.form if key.startswith("stage-")]
