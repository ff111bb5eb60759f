"""A list of plants as somebody typed or copied it: lines, cells, headings, numbers."""

from __future__ import annotations

import csv
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

MARKS = "\t;,"
"""What may stand between two cells, the surest sign first."""
HEADINGS = {
    "name": ("name", "plant", "plants", "what"),
    "place": ("place", "room", "where", "location", "stands at"),
    "kind": ("kind", "type", "sort"),
    "number": ("number", "count", "how many", "pieces"),
}
ORDER = ("name", "place", "kind", "number")
"""The columns of a list without a heading."""
BEFORE = re.compile(r"(\d{1,4})\s*[x×*]\s*(\D.*)", re.IGNORECASE)
AFTER = re.compile(r"(.*\D)\s+[x×*]\s*(\d{1,4})", re.IGNORECASE)


@dataclass(frozen=True)
class ListedLine:
    """One line: its number in the list, and its cells as typed. `many` is how many
    plants it stands for; None where what stands there is no number.
    """

    n: int
    name: str
    place: str
    kind: str
    many: int | None


def lines_of(text: str) -> Iterator[ListedLine]:
    """The lines of a list without its heading and without empty ones. Each line may have
    its own mark between the cells.
    """
    columns: Mapping[str, int] = {column: k for k, column in enumerate(ORDER)}
    usual, first = "", True
    for n, line in enumerate(re.split(r"\r\n?|\n", text.lstrip("\ufeff")), 1):
        if not line.strip():
            continue
        mark = usual if usual and usual in line else _mark(line)
        cells = [cell.strip() for cell in _cells(line, mark)]
        heading = _heading(cells) if first else None
        first = False
        if heading:
            columns, usual = heading, mark
        elif any(cells):
            yield _line(n, cells, columns)


def _cells(line: str, mark: str) -> list[str]:
    """The cells of a line. One that no table can hold is taken as a single cell."""
    try:
        return next(csv.reader([line], delimiter=mark))
    except csv.Error:
        return [line]


def _mark(line: str) -> str:
    return next((mark for mark in MARKS if mark in line), "\t")


def _heading(cells: Sequence[str]) -> dict[str, int] | None:
    """Which column is which, where a line only names columns."""
    found: dict[str, int] = {}
    for k, cell in enumerate(cells):
        named = next((c for c, words in HEADINGS.items() if cell.casefold() in words), None)
        if named is not None:
            found.setdefault(named, k)
        elif cell:
            return None
    return found if "name" in found else None


def _line(n: int, cells: Sequence[str], columns: Mapping[str, int]) -> ListedLine:
    def cell(column: str) -> str:
        k = columns.get(column, len(cells))
        return cells[k] if k < len(cells) else ""

    name, said = cell("name"), cell("number")
    before, after = BEFORE.fullmatch(name), AFTER.fullmatch(name)
    if not said and before:
        said, name = before[1], before[2].strip()
    elif not said and after:
        name, said = after[1].strip(), after[2]
    many = 1 if not said else int(said) if said.isascii() and said.isdigit() else None
    return ListedLine(n, name, cell("place"), cell("kind"), many)
