"""The form of what came in."""

from __future__ import annotations

from collections.abc import Collection

from brood.catalogue.holdings import Catalogue
from brood.services.house.plants import KINDS
from brood.services.season.ways_in import BACK_DAYS, WayInCommand
from brood.web.forms.reader import Reader


def briefs(catalogue: Catalogue) -> dict[str, list[str]]:
    """The groups of pests by their brief names: two that a keeper does not tell apart are
    one.
    """
    out: dict[str, list[str]] = {}
    for key, group in catalogue.groups.items():
        out.setdefault(group.brief, []).append(key)
    return out


def read(reader: Reader, catalogue: Catalogue, places: Collection[int]) -> WayInCommand:
    """What came in; raises FieldErrors."""
    kind = reader.choice("what", catalogue.ways_in, "what came in")
    record = catalogue.ways_in.get(kind)
    place = reader.key("place", "where it stands now")
    if place not in places:
        reader.fault("place", "Choose where it stands now.")
    on = reader.day("on", "The day", back=BACK_DAYS) if reader.raw("on") else reader.today
    groups = tuple(
        g for keys in briefs(catalogue).values() if reader.raw(f"brings-{keys[0]}") for g in keys
    )
    note = reader.text("note", "The note", longest=80, needed=False)
    plant, name, plant_kind = None, "", ""
    if record is not None and record.what == "plant":
        name = reader.name("name", "The plant's name")
        plant_kind = reader.choice("kind", KINDS, "a kind of plant")
    elif record is not None and record.what == "back":
        plant = reader.key("plant", "the plant that is back")
    reader.done()
    return WayInCommand(kind, place, on, groups, note, plant, name, plant_kind)
