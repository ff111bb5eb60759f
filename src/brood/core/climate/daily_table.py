"""Reads a table of daily minima and maxima. Rows that cannot be used are refused, each
with its number and the reason.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from brood.core.climate.dialect import (
    FAHRENHEIT,
    HEADER_ROWS,
    SEPARATORS,
    TIME_NAME,
    Dialect,
    cells_of,
    celsius,
    day_order,
    moment,
)
from brood.core.climate.logger_table import Refusal, text_of
from brood.core.climate.series import HIGHEST_C, LOWEST_C

LOW_NAME = re.compile(r"\bmin|low|tmin|_min", re.I)
LIMIT_NAME = re.compile(r"alarm|limit|set ?point|thresh", re.I)
HIGH_NAME = re.compile(r"\bmax|high|tmax|_max", re.I)


@dataclass(frozen=True)
class DailyFile:
    """The days of a file in order, with their lowest and highest °C; the refused rows;
    and notes on what was repaired.
    """

    days: tuple[tuple[date, float, float], ...]
    refused: tuple[Refusal, ...]
    notes: tuple[str, ...]


def parse(data: bytes, *, day_first: bool = True) -> DailyFile | None:
    """Read a table of days with a minimum and a maximum. None when the file is no such
    table.

    Separators, decimal commas, °F and the order of the date are detected as in a
    logger's file. Raises InputError for a file that is no text at all.
    """
    lines = text_of(data).splitlines()
    for number, line in enumerate(lines[:HEADER_ROWS]):
        for separator in SEPARATORS:
            names = cells_of(line, separator) if separator in line else []
            columns = _columns(names)
            if columns is not None:
                return _read(
                    lines,
                    separator,
                    number,
                    columns,
                    FAHRENHEIT.search(names[columns[1]]) is not None,
                    day_first,
                )
    return None


def _columns(names: Sequence[str]) -> tuple[int, int, int] | None:
    """(day, minimum, maximum): the columns that a heading names."""
    low = next(
        (i for i, n in enumerate(names) if LOW_NAME.search(n) and not LIMIT_NAME.search(n)), None
    )
    high = next(
        (
            i
            for i, n in enumerate(names)
            if HIGH_NAME.search(n) and not LIMIT_NAME.search(n) and i != low
        ),
        None,
    )
    when = next(
        (
            i
            for i, n in enumerate(names)
            if i not in (low, high) and (TIME_NAME.search(n) or n.lower() == "day")
        ),
        None,
    )
    return None if low is None or high is None or when is None else (when, low, high)


def _read(
    lines: Sequence[str],
    separator: str,
    header: int,
    columns: tuple[int, int, int],
    fahrenheit: bool,
    day_first: bool,
) -> DailyFile:
    rows = [
        (n, cells_of(line, separator))
        for n, line in enumerate(lines[header + 1 :], start=header + 2)
        if line.strip()
    ]
    order, notes = day_order(
        [cells[columns[0]] for _, cells in rows if len(cells) > columns[0]], day_first
    )
    dialect = Dialect(
        separator,
        header + 1,
        columns[0],
        None,
        columns[1],
        fahrenheit,
        order,
        False,
        max(columns) + 1,
        True,
        tuple(notes),
    )
    kept: dict[date, tuple[float, float]] = {}
    refused = []
    for number, cells in rows:
        try:
            day, low, high = _day(cells, columns, dialect)
            if day in kept and kept[day] != (low, high):
                raise ValueError(f"{day.isoformat()} stands twice with other temperatures")
            kept[day] = (low, high)
        except ValueError as error:
            refused.append(Refusal(number, separator.join(cells)[:80], str(error)))
    return DailyFile(tuple((day, *kept[day]) for day in sorted(kept)), tuple(refused), tuple(notes))


def _day(
    cells: Sequence[str], columns: tuple[int, int, int], dialect: Dialect
) -> tuple[date, float, float]:
    if len(cells) <= max(columns):
        raise ValueError("a column is missing")
    day = moment(cells[columns[0]], dialect, None)[0].date()
    low, high = (celsius(cells[c], dialect) for c in columns[1:])
    if not (LOWEST_C <= low <= HIGHEST_C and LOWEST_C <= high <= HIGHEST_C):
        raise ValueError("a temperature is outside −30 to 60 °C")
    if low > high:
        raise ValueError("the minimum is above the maximum")
    return day, low, high
