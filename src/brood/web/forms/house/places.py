"""The forms of a place: the place itself, its diary, the correction of a reading."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, time

from brood.errors import InputError
from brood.services.house.places import SETTINGS, DiaryEntry, PlaceCommand, Warmth
from brood.services.house.warmth_facts import SOURCES
from brood.services.warmth import sensor
from brood.services.warmth.rain import MOST_MM
from brood.web.forms.reader import Reader

DAY, NIGHT = time(7), time(21)


def read(reader: Reader) -> PlaceCommand:
    """A place as typed; raises FieldErrors."""
    name = reader.name("name", "The place's name")
    note = reader.text("note", "The note", longest=400, needed=False)
    source = (
        reader.choice("source", SOURCES, "a source of the temperature")
        if reader.raw("source")
        else "set-points"
    )
    url = _sensor(reader) if source == "sensor" else reader.raw("sensor_url")[:200]
    command = PlaceCommand(
        name,
        note,
        source,
        _warmth(reader, source),
        _heating(reader, source),
        reader.difference("offset", "The shift", -15),
        reader.difference("warm_spot", "The warmest spot"),
        reader.difference("cool_spot", "The coolest spot"),
        url,
        reader.choice("setting", SETTINGS, "what kind of place it is")
        if reader.raw("setting")
        else "indoor",
        reader.whole(
            "apart_room", "How many plants can be kept away from the others there", 1, 500
        ),
    )
    reader.done()
    return command


def _warmth(reader: Reader, source: str) -> Warmth | None:
    if source == "constant":
        celsius = reader.celsius("constant", "The temperature")
        return Warmth(celsius, celsius, DAY, NIGHT)
    if source != "set-points" and not (reader.raw("day") or reader.raw("night")):
        return None
    return _pair(reader, "", "The temperature")


def _heating(reader: Reader, source: str) -> Warmth | None:
    if source == "constant" and reader.raw("heating_constant"):
        celsius = reader.celsius("heating_constant", "The temperature while heated")
        return Warmth(celsius, celsius, DAY, NIGHT)
    if source != "set-points" or not (reader.raw("heating_day") or reader.raw("heating_night")):
        return None
    return _pair(reader, "heating_", "The heated temperature")


def _pair(reader: Reader, prefix: str, what: str) -> Warmth:
    warmth = Warmth(
        reader.celsius(f"{prefix}day", f"{what} by day"),
        reader.celsius(f"{prefix}night", f"{what} at night"),
        reader.clock("day_from", "The hour when day begins"),
        reader.clock("night_from", "The hour when night begins"),
    )
    if warmth.day_from == warmth.night_from and "day_from" not in reader.wrong:
        reader.fault("night_from", "Day and night must begin at different hours.")
    return warmth


def _sensor(reader: Reader) -> str:
    try:
        return sensor.check_address(reader.raw("sensor_url")[:200])
    except InputError as error:
        reader.fault("sensor_url", error.message)
        return ""


def diary(reader: Reader, days: Sequence[date]) -> tuple[DiaryEntry, ...]:
    """The days of a diary as typed, empty ones without figures; raises FieldErrors."""
    entries = []
    for day in days:
        low_name, high_name = f"low-{day.isoformat()}", f"high-{day.isoformat()}"
        if low_name not in reader.form:
            continue
        mm = rain(reader, f"rain-{day.isoformat()}", f"The rain of {reader.speech.day(day)}")
        if not reader.raw(low_name) and not reader.raw(high_name):
            entries.append(DiaryEntry(day, None, None, mm))
            continue
        low, high = (
            reader.celsius(name, f"The {word} of {reader.speech.day(day)}")
            for name, word in ((low_name, "lowest"), (high_name, "highest"))
        )
        if low > high and low_name not in reader.wrong and high_name not in reader.wrong:
            reader.fault(low_name, f"On {reader.speech.day(day)} the lowest is above the highest.")
        entries.append(DiaryEntry(day, low, high, mm))
    reader.done()
    return tuple(entries)


def rain(reader: Reader, name: str, what: str) -> float | None:
    """An amount of rain as typed in the keeper's unit, in mm; None where nothing was."""
    most = MOST_MM if reader.speech.measure == "metric" else 20
    amount = reader.number(name, what, 0, most)
    return None if amount is None else reader.speech.mm(amount)


def reading(reader: Reader) -> float | None:
    """The corrected temperature in °C, or None to withdraw the reading; raises FieldErrors."""
    if reader.raw("act") == "withdraw":
        return None
    celsius = reader.celsius("celsius", "The temperature")
    reader.done()
    return celsius
