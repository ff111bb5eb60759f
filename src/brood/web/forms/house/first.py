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
    low_high = _low_high(reader)
    setting = reader.choice("setting", WHERE, "indoors or outdoors")
    how_many = "few"
    if pest != UNSURE:
        how_many = reader.choice("how_many", HOW_MANY, "roughly how many")
    stages = tuple(stages_of(reader))
    reader.done()
    pest = "" if pest == UNSURE else pest
    return FirstCommand(name, kind, setting, celsius, place, pest, how_many, stages, low_high)


def plant_of(reader: Reader, plants: Collection[int]) -> int | None:
    """The plant that is there already, by its id. None for a new one; raises FieldErrors."""
    if not reader.raw("plant"):
        return None
    plant = reader.key("plant", "a plant from the list")
    if plant not in plants:
        reader.fault("plant", "Choose a plant from the list.")
    reader.done()
    return plant


def _low_high(reader: Reader) -> tuple[float, float] | None:
    """Yesterday's lowest and highest, where they were told."""
    if not reader.raw("low") and not reader.raw("high"):
        return None
    low, high = reader.celsius("low", "The lowest"), reader.celsius("high", "The highest")
    if low > high and not reader.wrong:
        reader.fault("high", "The highest lies below the lowest. Are they the wrong way round?")
    return low, high


def of_plant(reader: Reader, pests: Collection[str]) -> tuple[str, str, tuple[str, ...]]:
    """The pest of a plant that is there, roughly how many, and the stages; raises FieldErrors."""
    pest = reader.choice("pest", pests, "the pest")
    how_many = reader.choice("how_many", HOW_MANY, "roughly how many")
    reader.done()
    return pest, how_many, tuple(stages_of(reader))


def stages_of(reader: Reader) -> Sequence[str]:
    """The stages that were ticked."""
    return [key.removeprefix("stage-") for key in reader.form if key.startswith("stage-")]
