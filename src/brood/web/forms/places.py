"""The place form and the correction of a reading."""

from __future__ import annotations

from brood.services.places import PlaceCommand, Warmth
from brood.web.forms.reader import Reader

SOURCES = ("set-points", "logger")


def read(reader: Reader) -> PlaceCommand:
    """A place as typed; raises FieldErrors."""
    name = reader.name("name", "The place's name")
    note = reader.text("note", "The note", longest=400, needed=False)
    source = reader.choice("source", SOURCES, "where the temperature comes from") if reader.raw("source") else "set-points"
    warmth = Warmth(reader.celsius("day", "The temperature by day"), reader.celsius("night", "The temperature at night"),
                    reader.clock("day_from", "The hour when day begins"), reader.clock("night_from", "The hour when night begins"))  # fmt: skip
    if warmth.day_from == warmth.night_from and "day_from" not in reader.wrong:
        reader.fault("night_from", "Day and night must begin at different hours.")
    reader.done()
    return PlaceCommand(name, note, source, warmth)


def reading(reader: Reader) -> float | None:
    """The corrected temperature in °C, or None to withdraw the reading; raises FieldErrors."""
    if reader.raw("act") == "withdraw":
        return None
    celsius = reader.celsius("celsius", "The temperature")
    reader.done()
    return celsius
