"""Reading a temperature logger's table: what is good is kept, what is not is refused with its row and the reason."""

from __future__ import annotations

import csv
import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta

from brood.core.temperature import HIGHEST_C, LOWEST_C
from brood.errors import InputError

TIME_COLUMNS = ("time", "date-time", "datetime", "timestamp")
CELSIUS_COLUMNS = ("temperature_c", "temperature (°c)", "celsius", "temp_c")
EARLIEST, LATEST = datetime(2000, 1, 1), datetime(2100, 1, 1)
CLOCK_CHANGE = timedelta(hours=1)


@dataclass(frozen=True)
class Reading:
    """One reading: row of the file, local moment, °C, and `fold` 1 when a clock change has repeated the hour."""

    row: int
    at: datetime
    celsius: float
    fold: int = 0


@dataclass(frozen=True)
class Refusal:
    """A row that could not be used, as it stood, and why."""

    row: int
    text: str
    reason: str


@dataclass(frozen=True)
class LoggerFile:
    """What a file held: readings in order of time, refused rows, and notes on what was repaired."""

    readings: tuple[Reading, ...]
    refused: tuple[Refusal, ...]
    notes: tuple[str, ...]


def parse(data: bytes) -> LoggerFile:
    """Read a CSV with a header row that names a time column (ISO, local) and a temperature column in °C.

    A repeated row is merged, an hour repeated by a clock set back is kept twice (fold 1), rows out of order are put in
    their place; each of these is told in a note. A row that cannot be read, lies outside −30 to 60 °C, or contradicts
    another reading of the same moment is refused with its number. Raises InputError when the file is no such table.
    """
    lines = _text(data).splitlines()
    header, columns = _header(lines)
    readings, refused = _rows(lines, header, columns)
    if not readings:
        raise InputError(
            f"None of the {len(refused)} rows could be read. " + (f"Row {refused[0].row}: {refused[0].reason}" if refused else ""),
            field="file", allowed="rows such as 2026-05-01 08:00,19.5",
        )  # fmt: skip
    readings, notes = _clock_changes(readings)
    readings, again, more = _merged(readings)
    order = sorted(readings, key=lambda r: (r.at, r.fold))
    return LoggerFile(tuple(order), tuple(sorted((*refused, *again), key=lambda r: r.row)), (*notes, *more))


def _text(data: bytes) -> str:
    if not data.strip():
        raise InputError("The file is empty.", field="file", allowed="a logger's CSV file")
    if data.startswith(b"%PDF"):
        raise InputError("This is a PDF, not a logger's table. Export the readings as CSV and choose that file.", field="file", allowed="a CSV file")
    if b"\x00" in data[:4096]:
        raise InputError("This is not a text file. Export the readings as CSV and choose that file.", field="file", allowed="a CSV file")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("latin-1")


def _header(lines: list[str]) -> tuple[int, tuple[int, int]]:
    for number, line in enumerate(lines[:30]):
        cells = [cell.strip().lower() for cell in next(csv.reader([line]), [])]
        when = next((cells.index(name) for name in TIME_COLUMNS if name in cells), None)
        value = next((cells.index(name) for name in CELSIUS_COLUMNS if name in cells), None)
        if when is not None and value is not None:
            return number, (when, value)
    raise InputError(
        "No heading names a time and a temperature column. The first row should read: time,temperature_c",
        field="file", value=lines[0][:60] if lines else "", allowed="a heading such as time,temperature_c",
    )  # fmt: skip


def _rows(lines: list[str], header: int, columns: tuple[int, int]) -> tuple[list[Reading], list[Refusal]]:
    readings: list[Reading] = []
    refused: list[Refusal] = []
    for number, line in enumerate(lines[header + 1 :], start=header + 2):
        if not line.strip():
            continue
        try:
            readings.append(_reading(number, line, columns))
        except ValueError as error:
            refused.append(Refusal(number, line[:80], str(error)))
    return readings, refused


def _reading(number: int, line: str, columns: tuple[int, int]) -> Reading:
    cells = next(csv.reader([line]))
    if len(cells) <= max(columns):
        raise ValueError("a column is missing")
    when, value = (cells[c].strip() for c in columns)
    try:
        at = datetime.fromisoformat(when)
    except ValueError:
        raise ValueError(f"'{when[:30]}' is not a time such as 2026-05-01 08:00") from None
    if at.tzinfo is not None:
        at = at.replace(tzinfo=None)
    if not EARLIEST <= at < LATEST:
        raise ValueError(f"the year {at.year} cannot be right")
    try:
        celsius = float(value)
    except ValueError:
        raise ValueError(f"'{value[:20]}' is not a temperature" if value else "the temperature is missing") from None
    if not (math.isfinite(celsius) and LOWEST_C <= celsius <= HIGHEST_C):
        raise ValueError(f"{value[:20]} °C is outside −30 to 60 °C")
    return Reading(number, at, celsius)


def _pairs(readings: list[Reading]) -> Iterator[tuple[int, Reading, Reading]]:
    for position in range(1, len(readings)):
        yield position, readings[position - 1], readings[position]


def _clock_changes(readings: list[Reading]) -> tuple[list[Reading], list[str]]:
    """Mark the hour that a clock set back by an hour has recorded twice."""
    out, notes = list(readings), []
    step = _usual_step(readings)
    for position, earlier, later in _pairs(readings):
        back = earlier.at + step - later.at
        if step <= CLOCK_CHANGE and abs(back - CLOCK_CHANGE) <= step / 2 and step > timedelta():
            notes.append(f"Row {later.row}: the clock went back an hour. Both readings of that hour are kept.")
            for again in range(position, len(out)):
                if readings[again].at > earlier.at:
                    break
                out[again] = Reading(out[again].row, out[again].at, out[again].celsius, 1)
    return out, notes


def _usual_step(readings: list[Reading]) -> timedelta:
    steps = sorted(later.at - earlier.at for _, earlier, later in _pairs(readings) if later.at > earlier.at)
    return steps[len(steps) // 2] if steps else timedelta()


def _merged(readings: Iterable[Reading]) -> tuple[list[Reading], list[Refusal], list[str]]:
    """One reading a moment: equal repeats are merged, contradictions refused, disorder noted."""
    kept: dict[tuple[datetime, int], Reading] = {}
    refused, repeats, disorder, newest = [], 0, 0, datetime.min
    for reading in readings:
        key = (reading.at, reading.fold)
        if key in kept:
            if abs(kept[key].celsius - reading.celsius) < 0.05:
                repeats += 1
            else:
                text = f"{reading.at:%Y-%m-%d %H:%M},{reading.celsius:g}"
                refused.append(Refusal(reading.row, text, f"row {kept[key].row} gives {kept[key].celsius:g} °C for the same time"))
            continue
        disorder += reading.at < newest and not reading.fold
        newest = max(newest, reading.at)
        kept[key] = reading
    notes = [f"{repeats} repeated row{'s were' if repeats > 1 else ' was'} merged."] if repeats else []
    notes += [f"{disorder} row{'s were' if disorder > 1 else ' was'} out of order and put in place."] if disorder else []
    return list(kept.values()), refused, notes
