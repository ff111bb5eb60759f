"""Reads a temperature logger's table. Rows that cannot be used are refused, each with
its number and the reason.
"""

from __future__ import annotations

import csv
import math
import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta, tzinfo

from brood.core.climate.dialect import Dialect, cells_of, celsius, detect, moment
from brood.core.climate.series import HIGHEST_C, LOWEST_C
from brood.errors import InputError

EARLIEST, LATEST = datetime(2000, 1, 1), datetime(2100, 1, 1)
CLOCK_CHANGE = timedelta(hours=1)


@dataclass(frozen=True)
class LoggerReading:
    """One reading: the row of the file, the local moment and °C. `fold` is 1 for an
    hour that a clock change has repeated.
    """

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

    readings: tuple[LoggerReading, ...]
    refused: tuple[Refusal, ...]
    notes: tuple[str, ...]


def parse(data: bytes, *, day_first: bool = True, zone: tzinfo | None = None) -> LoggerFile:
    """Read a logger's table, however its device writes it (see `dialect`).

    `day_first` is how this keeper reads 3/4 where the file does not tell. `zone` is
    where the logger hangs, for files that write UTC or an offset.

    A repeated row is merged. An hour that is repeated because the clock was set back is
    kept twice (fold 1). Rows out of order are sorted. A note tells each of these. A row
    is refused with its number when it cannot be read, lies outside −30 to 60 °C, or
    contradicts another reading of the same moment. Raises InputError when the file is
    no such table.
    """
    lines = text_of(data).splitlines()
    dialect = detect(lines, day_first)
    readings, refused = _rows(lines, dialect, zone)
    if not readings:
        raise InputError(
            f"None of the {len(refused)} rows could be read. Row {refused[0].row}: "
            f"{refused[0].reason}."
            if refused
            else "The file has a heading and no rows.",
            field="file",
            allowed="rows such as 2026-05-01 08:00,19.5",
        )
    readings, notes = _clock_changes(readings)
    readings, again, more = _merged(readings)
    order = sorted(readings, key=lambda r: (r.at, r.fold))
    kept = (*dialect.notes, *notes, *more, *_zone_note(lines, dialect, zone))
    return LoggerFile(tuple(order), tuple(sorted((*refused, *again), key=lambda r: r.row)), kept)


def _zone_note(lines: Sequence[str], dialect: Dialect, zone: tzinfo | None) -> list[str]:
    """A note on moments that carried an offset or were in UTC."""
    away = dialect.utc or any(
        re.search(r"\d(Z|[+-]\d{2}:?\d{2})(?=[\"\s,;|]|$)", line)
        for line in lines[dialect.first_row : dialect.first_row + 20]
    )
    if not away:
        return []
    if zone is None:
        return [
            "The file writes UTC or an offset. No time zone is set in the settings, so "
            "clocks were taken as they are written."
        ]
    return [f"Times in UTC or with an offset were turned into {zone}."]


def text_of(data: bytes) -> str:
    """A file's text, whatever its encoding. Raises InputError for an empty file, a PDF,
    or what is no text.
    """
    if not data.strip():
        raise InputError("The file is empty.", field="file", allowed="a CSV file")
    if data.startswith(b"%PDF"):
        raise InputError(
            "This is a PDF, not a table. Export it as CSV and choose that file.",
            field="file",
            allowed="a CSV file",
        )
    if b"\x00" in data[:4096] and data[:2] not in (b"\xff\xfe", b"\xfe\xff"):
        raise InputError(
            "This is not a text file. Export it as CSV and choose that file.",
            field="file",
            allowed="a CSV file",
        )
    for encoding in (
        ("utf-8-sig", "utf-16") if data[:2] in (b"\xff\xfe", b"\xfe\xff") else ("utf-8-sig",)
    ):
        try:
            return data.decode(encoding)
        except UnicodeDecodeError:
            continue
    return data.decode("latin-1")


def _rows(
    lines: list[str], dialect: Dialect, zone: tzinfo | None
) -> tuple[list[LoggerReading], list[Refusal]]:
    readings: list[LoggerReading] = []
    refused: list[Refusal] = []
    for number, line in enumerate(lines[dialect.first_row :], start=dialect.first_row + 1):
        if not line.strip():
            continue
        try:
            readings.append(_reading(number, line, dialect, zone))
        except (ValueError, csv.Error) as error:
            refused.append(Refusal(number, line[:80], str(error)))
    return readings, refused


def _reading(number: int, line: str, dialect: Dialect, zone: tzinfo | None) -> LoggerReading:
    cells = cells_of(line, dialect.separator)
    cells = _comma_decimals(cells, dialect)
    if len(cells) <= max(dialect.when, dialect.value, dialect.clock or 0):
        raise ValueError("a column is missing")
    text = (
        cells[dialect.when]
        if dialect.clock is None
        else f"{cells[dialect.when]} {cells[dialect.clock]}"
    )
    at, fold = moment(text, dialect, zone)
    if not EARLIEST <= at < LATEST:
        raise ValueError(f"the year {at.year} cannot be right")
    value = celsius(cells[dialect.value], dialect)
    if not (math.isfinite(value) and LOWEST_C <= value <= HIGHEST_C):
        raise ValueError(
            f"{cells[dialect.value][:20]} {'°F' if dialect.fahrenheit else '°C'} is "
            "outside −30 to 60 °C"
        )
    return LoggerReading(number, at, round(value, 2), fold)


def _comma_decimals(cells: list[str], dialect: Dialect) -> list[str]:
    """Join a decimal comma that a comma-separated line has torn apart, where no other
    reading is possible.
    """
    last = dialect.value
    torn = dialect.separator == "," and len(cells) == last + 2 and dialect.width == last + 1
    if torn and re.fullmatch(r"-?\d+", cells[last]) and re.fullmatch(r"\d{1,2}", cells[last + 1]):
        return [*cells[:last], f"{cells[last]}.{cells[last + 1]}"]
    return cells


def _pairs(readings: list[LoggerReading]) -> Iterator[tuple[int, LoggerReading, LoggerReading]]:
    for position in range(1, len(readings)):
        yield position, readings[position - 1], readings[position]


def _clock_changes(readings: list[LoggerReading]) -> tuple[list[LoggerReading], list[str]]:
    """Mark the hour that was recorded twice because the clock was set back."""
    out, notes = list(readings), []
    step = _usual_step(readings)
    for position, earlier, later in _pairs(readings):
        back = earlier.at + step - later.at
        if step <= CLOCK_CHANGE and abs(back - CLOCK_CHANGE) <= step / 2 and step > timedelta():
            notes.append(
                f"Row {later.row}: the clock went back an hour. Both readings of that hour "
                "are kept."
            )
            for again in range(position, len(out)):
                if readings[again].at > earlier.at:
                    break
                out[again] = LoggerReading(out[again].row, out[again].at, out[again].celsius, 1)
    return out, notes


def _usual_step(readings: list[LoggerReading]) -> timedelta:
    steps = sorted(
        later.at - earlier.at for _, earlier, later in _pairs(readings) if later.at > earlier.at
    )
    return steps[len(steps) // 2] if steps else timedelta()


def _merged(
    readings: Iterable[LoggerReading],
) -> tuple[list[LoggerReading], list[Refusal], list[str]]:
    """One reading a moment: equal repeats merged, contradictions refused, disorder noted."""
    kept: dict[tuple[datetime, int], LoggerReading] = {}
    refused, repeats, disorder, newest = [], 0, 0, datetime.min
    for reading in readings:
        key = (reading.at, reading.fold)
        if key in kept:
            if abs(kept[key].celsius - reading.celsius) < 0.05:
                repeats += 1
            else:
                text = f"{reading.at:%Y-%m-%d %H:%M},{reading.celsius:g}"
                refused.append(
                    Refusal(
                        reading.row,
                        text,
                        f"row {kept[key].row} gives {kept[key].celsius:g} °C for the same time",
                    )
                )
            continue
        disorder += reading.at < newest and not reading.fold
        newest = max(newest, reading.at)
        kept[key] = reading
    notes = (
        [f"{repeats} repeated row{'s were' if repeats > 1 else ' was'} merged."] if repeats else []
    )
    notes += (
        [f"{disorder} row{'s were' if disorder > 1 else ' was'} out of order and put in place."]
        if disorder
        else []
    )
    return list(kept.values()), refused, notes
