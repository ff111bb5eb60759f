"""How a logger's table is written: separator, columns, unit, decimal mark, order of the
date, time zone.
"""

from __future__ import annotations

import csv
import itertools
import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta, tzinfo

from brood.errors import InputError

HEADER_ROWS = 40
SEPARATORS = (";", "\t", ",", "|")
TIME_NAME = re.compile(r"date|time|datum|zeit|fecha|hora|heure|tijd|tid|stamp|when", re.I)
DAY_NAME = re.compile(r"date|datum|fecha|dato|day", re.I)
CLOCK_NAME = re.compile(r"\btime\b|zeit|hora|heure|tijd|clock", re.I)
CELSIUS_NAME = re.compile(r"temp|celsius|°\s*c\b|\bdeg\s*c\b|^t$|^t[ _]?\(?c", re.I)
FAHRENHEIT = re.compile(r"fahrenheit|°\s*f\b|\bdeg\s*f\b|[_ (]f\)?$", re.I)
NOT_TEMPERATURE = re.compile(r"humid|rh|dew|batter|volt|press|lux|light|co2", re.I)
UTC_NAME = re.compile(r"\b(utc|gmt)\b", re.I)
NUMBER = re.compile(r"^[+\-−]?\d+(?:[.,]\d+)?$")
PARTS = re.compile(r"^(\d{1,4})[./-](\d{1,2})[./-](\d{1,4})(?:[T ,]+(.+))?$")
CLOCK = re.compile(
    r"^(\d{1,2})[:.h](\d{2})(?:[:.](\d{2})(?:[.,]\d+)?)?\s*([AaPp])?\.?[Mm]?\.?\s*(Z|UTC|GMT|[+-]\d{2}:?\d{2})?$"
)
EPOCH = re.compile(r"^\d{10}(?:\d{3})?$")


@dataclass(frozen=True)
class Dialect:
    """How a file is written, as detected from its head and rows.

    Columns are positions. `clock` is None when one column holds day and time. `width`
    is the number of columns that the heading names. `daily` says that the rows carry no
    time of day.
    """

    separator: str
    first_row: int
    when: int
    clock: int | None
    value: int
    fahrenheit: bool
    day_first: bool
    utc: bool
    width: int
    daily: bool
    notes: tuple[str, ...]


def cells_of(line: str, separator: str) -> list[str]:
    """The cells of a line, without the blanks around them."""
    return [
        cell.strip().strip('"').strip()
        for cell in next(csv.reader([line], delimiter=separator), [])
    ]


def detect(lines: Sequence[str], day_first: bool) -> Dialect:
    """Detect how a file is written. `day_first` is how this keeper reads 3/4 where the
    file does not tell.

    Raises InputError when no column of times or of temperatures can be found.
    """
    for number, line in enumerate(lines[:HEADER_ROWS]):
        for separator in SEPARATORS:
            columns = _columns(cells_of(line, separator)) if separator in line else None
            if columns is not None:
                return _with_rows(
                    lines, separator, number, columns, cells_of(line, separator), day_first
                )
    found = _without_header(lines, day_first)
    if found is not None:
        return found
    raise InputError(
        "No heading names a time and a temperature column. The first row should read: "
        "time,temperature_c.",
        field="file",
        value=lines[0][:60] if lines else "",
        allowed="a heading such as time,temperature_c",
    )


def _columns(names: Sequence[str]) -> tuple[int, int | None, int] | None:
    """(day or moment, clock time or None, temperature): the columns that a heading
    names. None when it is no heading.
    """
    if any(NUMBER.match(name) for name in names) or len(names) < 2:
        return None
    value = next(
        (
            i
            for i, n in enumerate(names)
            if CELSIUS_NAME.search(n) and not NOT_TEMPERATURE.search(n)
        ),
        None,
    )
    if value is None:
        value = next(
            (
                i
                for i, n in enumerate(names)
                if FAHRENHEIT.search(n) and not NOT_TEMPERATURE.search(n)
            ),
            None,
        )
    when = next((i for i, n in enumerate(names) if i != value and TIME_NAME.search(n)), None)
    if value is None or when is None:
        return None
    clock = next(
        (i for i, n in enumerate(names) if i not in (value, when) and CLOCK_NAME.search(n)), None
    )
    return (
        (when, clock, value)
        if clock is None or DAY_NAME.search(names[when])
        else (when, None, value)
    )


def _with_rows(
    lines: Sequence[str],
    separator: str,
    header: int,
    columns: tuple[int, int | None, int],
    names: Sequence[str],
    day_first: bool,
) -> Dialect:
    when, clock, value = columns
    rows = [cells_of(line, separator) for line in lines[header + 1 :] if line.strip()]
    order, notes = day_order([row[when] for row in rows if len(row) > when], day_first)
    fahrenheit = FAHRENHEIT.search(names[value]) is not None or _mostly_fahrenheit(
        [row[value] for row in rows if len(row) > value]
    )
    if fahrenheit:
        notes.append("The temperatures are in °F and were turned into °C.")
    others = [
        n
        for i, n in enumerate(names)
        if i != value and CELSIUS_NAME.search(n) and not NOT_TEMPERATURE.search(n)
    ]
    if others:
        notes.append(f"Of {len(others) + 1} temperature columns “{names[value][:40]}” was read.")
    return Dialect(
        separator,
        header + 1,
        when,
        clock,
        value,
        fahrenheit,
        order,
        UTC_NAME.search(names[when]) is not None,
        len(names),
        clock is None and not any(_has_clock(row[when]) for row in rows if len(row) > when),
        tuple(notes),
    )


def _has_clock(text: str) -> bool:
    match = PARTS.match(text)
    return EPOCH.match(text) is not None or (match is not None and match[4] is not None)


def _mostly_fahrenheit(values: Sequence[str]) -> bool:
    """Whether the cells themselves say °F."""
    return sum(v.upper().endswith("F") for v in values) * 2 > len(values) > 0


def _without_header(lines: Sequence[str], day_first: bool) -> Dialect | None:
    """How a file without a heading is written: a moment, then a number."""
    rows = [line for line in lines[:HEADER_ROWS] if line.strip()]
    for separator in SEPARATORS:
        split = [cells_of(line, separator) for line in rows if separator in line]
        for when, value in ((0, 1), (1, 2)):
            fits = [
                r
                for r in split
                if len(r) > value and PARTS.match(r[when]) and NUMBER.match(r[value])
            ]
            if len(fits) >= 3 and len(fits) * 2 > len(rows):
                order, notes = day_order([r[when] for r in fits], day_first)
                daily = not any(_has_clock(r[when]) for r in fits)
                said = ("The file has no heading: °C was assumed.", *notes)
                return Dialect(
                    separator, 0, when, None, value, False, order, False, value + 1, daily, said
                )
    return None


def day_order(values: Sequence[str], usual: bool) -> tuple[bool, list[str]]:
    """Whether the day comes before the month.

    A number above 12 decides; otherwise the order in which the days run evenly;
    otherwise what is usual for the keeper.
    """
    pairs = [(int(m[1]), int(m[2])) for v in values if (m := PARTS.match(v)) and len(m[1]) <= 2]
    if not pairs:
        return usual, []
    high_first, high_second = (sum(pair[i] > 12 for pair in pairs) for i in (0, 1))
    if high_first or high_second:
        return high_first > high_second, []
    months = {True: [second for _, second in pairs], False: [first for first, _ in pairs]}
    turns = {
        order: sum(a != b for a, b in itertools.pairwise(seen)) for order, seen in months.items()
    }
    if turns[True] != turns[False]:
        return turns[True] < turns[False], []
    words = "day before month" if usual else "month before day"
    return usual, [
        f"The dates could be read both ways; they were taken as {words}, as set in the settings."
    ]


def moment(text: str, dialect: Dialect, zone: tzinfo | None) -> tuple[datetime, int]:
    """(naive local moment, fold) of a cell. Moments with an offset or in UTC are turned
    into `zone` where it is known.

    Raises ValueError with a reason.
    """
    if EPOCH.match(text):
        return _local(datetime(1970, 1, 1, tzinfo=UTC) + timedelta(seconds=int(text[:10])), zone)
    match = PARTS.match(text.strip())
    if match is None:
        raise ValueError(f"'{text[:30]}' is not a time such as 2026-05-01 08:00")
    if match[4] is None and not dialect.daily:
        raise ValueError(f"'{text[:30]}' has no time of day")
    hour, minute, second, offset = _clock(match[4] or "0:00", text)
    try:
        at = datetime(*_day(match, dialect.day_first), hour, minute, second)
    except ValueError:
        raise ValueError(f"'{text[:30]}' is no day and time of the calendar") from None
    if offset is None and not dialect.utc:
        return at, 0
    return (
        _local((at - (offset or timedelta())).replace(tzinfo=UTC), zone)
        if zone is not None
        else (at, 0)
    )


def _day(match: re.Match[str], day_first: bool) -> tuple[int, int, int]:
    first, second, third = match[1], match[2], match[3]
    if len(first) == 4:
        return int(first), int(second), int(third)
    year = int(third) + (2000 if len(third) <= 2 else 0)
    return (year, int(second), int(first)) if day_first else (year, int(first), int(second))


def _clock(text: str, whole: str) -> tuple[int, int, int, timedelta | None]:
    match = CLOCK.match(text.strip())
    if match is None:
        raise ValueError(f"'{whole[:30]}' is not a time such as 2026-05-01 08:00")
    hour, half = int(match[1]), (match[4] or "").lower()
    if half:
        if not 1 <= hour <= 12:
            raise ValueError(f"'{whole[:30]}' has no such hour")
        hour = hour % 12 + (12 if half == "p" else 0)
    return hour, int(match[2]), int(match[3] or 0), _offset(match[5])


def _offset(text: str | None) -> timedelta | None:
    if text is None:
        return None
    if text in ("Z", "UTC", "GMT"):
        return timedelta()
    digits = text[1:].replace(":", "")
    away = timedelta(hours=int(digits[:2]), minutes=int(digits[2:]))
    return -away if text[0] == "-" else away


def _local(at: datetime, zone: tzinfo | None) -> tuple[datetime, int]:
    there = at if zone is None else at.astimezone(zone)
    return there.replace(tzinfo=None, fold=0), there.fold


def celsius(text: str, dialect: Dialect) -> float:
    """The temperature of a cell in °C. Raises ValueError with a reason."""
    bare = re.sub(r"\s*°?\s*[CF]$", "", text.strip(), flags=re.I).replace("−", "-")
    if not bare:
        raise ValueError("the temperature is missing")
    if "," in bare and "." not in bare:
        bare = bare.replace(",", ".")
    if not NUMBER.match(bare):
        raise ValueError(f"'{text[:20]}' is not a temperature")
    value = float(bare)
    return (value - 32) * 5 / 9 if dialect.fahrenheit else value
