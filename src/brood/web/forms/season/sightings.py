"""The form of a first sighting."""

from __future__ import annotations

from collections.abc import Collection

from brood.services.season.notes import MOST_HEAT, OLDEST_YEARS, SightingCommand
from brood.web.forms.reader import Reader


def read(reader: Reader, pests: Collection[str], places: Collection[int]) -> SightingCommand:
    """A first sighting; raises FieldErrors."""
    pest = reader.choice("pest", pests, "the pest")
    place = reader.key("place", "the place")
    if place not in places:
        reader.fault("place", "Choose the place from the list.")
    on = reader.day("on", "The day", back=366 * OLDEST_YEARS)
    heat = reader.number("heat", "The degree-days", 0, MOST_HEAT)
    note = reader.text("note", "The note", longest=200, needed=False)
    reader.done()
    return SightingCommand(pest, place, on, heat, note)
