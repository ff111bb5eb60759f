"""The whole household as one JSON document and as CSV tables. `importing` reads both back
without loss.
"""

from __future__ import annotations

import base64
import csv
import io
import json
import zipfile
from collections.abc import Iterator, Mapping
from datetime import date, datetime, time
from typing import IO, Any

from sqlalchemy import LargeBinary, func, select
from sqlalchemy import Table as SqlTable
from sqlalchemy.orm import Session

from brood.services.house.access import KEY
from brood.store.base import Table
from brood.store.migrate import newest
from brood.store.place_tables import Place
from brood.store.tables import Plant

KIND = "brood-household"
LARGEST = 500_000_000
"""The largest export that is read in, in bytes."""
ROWS_AT_ONCE, PHOTOS_AT_ONCE = 500, 5
VERSION, BEFORE_VERSION = "version.txt", "20261126_01"
"""The file in an archive that says which version kept the household, and the version of
archives without it.
"""
PRIVATE = (KEY,)
"""Settings that never leave the household: the hash of the passcode."""


DERIVED = ("kept", "sent")
"""Tables of what can be worked out again, or means nothing elsewhere."""


def tables() -> list[SqlTable]:
    """The tables in an order in which they can be filled."""
    return [t for t in Table.metadata.sorted_tables if t.name not in DERIVED]


def export(session: Session) -> Iterator[str]:
    """Everything but the passcode as one JSON document, piece by piece. The same
    household always gives the same bytes.
    """
    yield f'{{\n "kind": "{KIND}",\n "schema": 1,\n "tables": {{'
    for n, table in enumerate(sorted(tables(), key=lambda t: t.name)):
        yield f'{"," if n else ""}\n  "{table.name}": ['
        some = False
        for row in _rows(session, table):
            text = json.dumps(row, ensure_ascii=False, indent=1, sort_keys=True)
            yield ("," if some else "") + "\n   " + text.replace("\n", "\n   ")
            some = True
        yield "\n  ]" if some else "]"
    yield f'\n }},\n "version": "{newest()}"\n}}\n'


def _rows(session: Session, table: SqlTable) -> Iterator[dict[str, Any]]:
    large = any(isinstance(c.type, LargeBinary) for c in table.columns)
    found = session.execute(
        select(table)
        .order_by(*table.primary_key.columns)
        .execution_options(yield_per=PHOTOS_AT_ONCE if large else ROWS_AT_ONCE)
    )
    for row in found.mappings():
        if table.name != "setting" or row["key"] not in PRIVATE:
            yield _row(table, row)


def _row(table: SqlTable, found: Mapping[Any, Any]) -> dict[str, Any]:
    row = {column.name: _plain(found[column.name]) for column in table.columns}
    if "outlook_key" in row:
        # The figures stay behind: they are worked out again, for the dates that come along.
        row["outlook_key"] = ""
    return row


def _plain(value: Any) -> Any:
    if isinstance(value, datetime | date | time):
        return value.isoformat()
    return base64.b64encode(value).decode() if isinstance(value, bytes) else value


def write_csv(session: Session, table: SqlTable, out: IO[str]) -> None:
    """A table as CSV, photos in base64. It is as complete as the JSON document."""
    names = [c.name for c in table.columns]
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(names)
    for row in _rows(session, table):
        writer.writerow([_cell(row[name]) for name in names])


def _cell(value: Any) -> Any:
    """A cell that no spreadsheet takes for a formula; `_uncell` gives the value back."""
    if isinstance(value, list | dict | bool):
        value = json.dumps(value, ensure_ascii=False, sort_keys=True)
    return (
        f"'{value}" if isinstance(value, str) and value[:1] and value[0] in "=+-@\t\r'" else value
    )


def archive(session: Session, out: IO[bytes]) -> None:
    """Write every table as CSV into one archive file. The same household always gives
    the same bytes.
    """
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        made.writestr(zipfile.ZipInfo(VERSION), newest() + "\n")
        for table in tables():
            info = zipfile.ZipInfo(f"{table.name}.csv")
            info.compress_type = zipfile.ZIP_DEFLATED
            with io.TextIOWrapper(made.open(info, "w"), "utf-8", newline="") as text:
                write_csv(session, table, text)


def is_empty(session: Session) -> bool:
    """Whether nothing is kept yet that an import could mix with."""
    return not any(session.scalar(select(func.count()).select_from(t)) for t in (Plant, Place))


def clear(session: Session) -> None:
    """Delete everything but the passcode."""
    for table in reversed(Table.metadata.sorted_tables):
        session.execute(
            table.delete()
            if table.name != "setting"
            else table.delete().where(table.c.key.not_in(PRIVATE))
        )
