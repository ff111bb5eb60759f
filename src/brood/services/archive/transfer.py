"""The whole household as one JSON document and as CSV tables, and back without loss."""

from __future__ import annotations

import base64
import csv
import io
import json
import zipfile
from collections.abc import Iterator, Mapping
from datetime import date, datetime, time
from typing import IO, Any

from sqlalchemy import (
    JSON,
    Boolean,
    Column,
    Date,
    DateTime,
    Float,
    Integer,
    LargeBinary,
    String,
    Time,
    func,
    insert,
    select,
)
from sqlalchemy import Table as SqlTable
from sqlalchemy.orm import Session

from brood.errors import InputError
from brood.services.archive import old_exports
from brood.services.house.access import KEY
from brood.store.base import Table
from brood.store.migrate import newest
from brood.store.place_tables import Place
from brood.store.tables import Plant

KIND = "brood-household"
LARGEST = 500_000_000
"""The largest export that is read in, in bytes."""
ROWS_AT_ONCE = 500
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
    found = session.execute(
        select(table).order_by(*table.primary_key.columns).execution_options(yield_per=ROWS_AT_ONCE)
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


def _uncell(column: Column[Any], text: str) -> Any:
    """What a cell stands for. An empty cell means no value where the column allows that."""
    if text == "" and (column.nullable or not isinstance(column.type, String)):
        return None
    if isinstance(column.type, JSON | Boolean):
        return json.loads(text)
    if isinstance(column.type, Integer):
        return int(text)
    if isinstance(column.type, Float):
        return float(text)
    return text.removeprefix("'")


def read_csv(data: bytes) -> old_exports.Rows:
    """The tables of an archive of CSV files. Raises InputError in a sentence for anything else."""
    held: old_exports.Rows = {}
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            names = set(archive.namelist())
            version = (
                archive.read(VERSION).decode("ascii", "replace").strip()
                if VERSION in names
                else BEFORE_VERSION
            )
            shape = _shape(version)
            if (
                names - {VERSION} != {f"{t.name}.csv" for t in shape}
                or sum(i.file_size for i in archive.infolist()) > LARGEST
            ):
                raise InputError(
                    "This archive does not hold the tables of a household.",
                    field="file",
                    allowed="what Brood exported as CSV",
                )
            for table in shape:
                held[table.name] = list(
                    _csv_rows(table, archive.read(f"{table.name}.csv").decode("utf-8-sig"))
                )
    except (zipfile.BadZipFile, UnicodeDecodeError, csv.Error):
        raise InputError(
            "This is no archive of CSV tables.", field="file", allowed="what Brood exported as CSV"
        ) from None
    return _brought_up(version, held)


def _shape(version: object) -> list[SqlTable]:
    """The tables of a known version. Raises InputError for another."""
    if not old_exports.is_known(version):
        raise InputError(
            f"This household was exported by another version ({str(version)[:20]}); this "
            f"one reads up to {newest()}.",
            field="version",
            value=str(version)[:20],
            allowed=newest(),
        )
    return tables() if version == newest() else old_exports.tables_at(str(version))


def _brought_up(version: str, held: old_exports.Rows) -> old_exports.Rows:
    """The plain rows of a version as plain rows of this one."""
    if version == newest():
        return held
    typed = {
        t.name: [_typed(t, row, n) for n, row in enumerate(held.get(t.name, []))]
        for t in _shape(version)
    }
    return old_exports.brought_up(version, typed, _row)


def _csv_rows(table: SqlTable, text: str) -> Iterator[dict[str, Any]]:
    columns = {c.name: c for c in table.columns}
    csv.field_size_limit(LARGEST)
    for n, row in enumerate(csv.DictReader(io.StringIO(text, newline=""))):
        if set(row) != set(columns):
            raise InputError(
                f"Row {n + 1} of {table.name}.csv does not have the columns of that table.",
                field=f"{table.name}.{n}",
            )
        try:
            yield {name: _uncell(columns[name], cell or "") for name, cell in row.items()}
        except (ValueError, RecursionError):
            raise InputError(
                f"A value in row {n + 1} of {table.name}.csv cannot be read.",
                field=f"{table.name}.{n}",
            ) from None


def taken_in(data: bytes) -> old_exports.Rows:
    """The tables of a JSON document or of an archive of CSV files, whichever it is.
    Raises InputError.
    """
    if data.startswith(b"PK"):
        return read_csv(data)
    try:
        return read(data.decode("utf-8-sig"))
    except UnicodeDecodeError:
        raise InputError(
            "This is not UTF-8 text.", field="file", allowed="what Brood exported"
        ) from None


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


def read(text: str) -> old_exports.Rows:
    """The tables of an exported document. Raises InputError in a sentence for anything else."""
    try:
        document = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise InputError(
            f"This is no JSON document: {error}.", field="file", allowed="what `brood export` wrote"
        ) from None
    if (
        not isinstance(document, dict)
        or document.get("kind") != KIND
        or not isinstance(document.get("tables"), dict)
    ):
        raise InputError(
            "This is not a household that Brood has exported.",
            field="file",
            allowed="what `brood export` wrote",
        )
    names, version = {t.name for t in _shape(document.get("version"))}, str(document["version"])
    unknown = sorted(set(document["tables"]) - names)
    if unknown:
        raise InputError(
            f"There is no table “{unknown[0][:40]}”.",
            field="tables",
            value=unknown[0][:40],
            allowed="the tables of an export",
        )
    if any(not isinstance(rows, list) for rows in document["tables"].values()):
        raise InputError(
            "Every table of an export is a list of rows.",
            field="tables",
            allowed="what `brood export` wrote",
        )
    return _brought_up(version, document["tables"])


def clear(session: Session) -> None:
    """Delete everything but the passcode."""
    for table in reversed(Table.metadata.sorted_tables):
        session.execute(
            table.delete()
            if table.name != "setting"
            else table.delete().where(table.c.key.not_in(PRIVATE))
        )


def load(session: Session, held: old_exports.Rows) -> int:
    """Fill an empty household; how many rows were read in. Raises InputError when it is
    not empty or a row does not fit, and then nothing is kept.
    """
    if not is_empty(session):
        raise InputError(
            "There is a household here already. Import into an empty one, or replace it: "
            "brood import --replace.",
            field="data",
            allowed="an empty household",
        )
    taken = 0
    for table in tables():
        rows = [_typed(table, row, n) for n, row in enumerate(held.get(table.name, []))]
        if table.name == "setting":
            rows = [r for r in rows if r["key"] not in PRIVATE]
            keys = [r["key"] for r in rows]
            session.execute(table.delete().where(table.c.key.in_(keys)))
        if rows:
            session.execute(insert(table), rows)
        taken += len(rows)
    session.flush()
    return taken


def _typed(table: SqlTable, row: Any, n: int) -> dict[str, Any]:
    names = {c.name for c in table.columns}
    if not isinstance(row, dict) or set(row) != names:
        raise InputError(
            f"Row {n + 1} of {table.name} does not have the columns of that table.",
            field=f"tables.{table.name}.{n}",
            allowed=", ".join(sorted(names)),
        )
    return {c.name: _read(c, row[c.name], table.name, n) for c in table.columns}


def _read(column: Column[Any], value: Any, table: str, n: int) -> Any:
    if value is None:
        return None
    try:
        if isinstance(column.type, DateTime):
            return datetime.fromisoformat(value)
        if isinstance(column.type, Date):
            return date.fromisoformat(value)
        if isinstance(column.type, Time):
            return time.fromisoformat(value)
        return (
            base64.b64decode(value, validate=True)
            if isinstance(column.type, LargeBinary)
            else value
        )
    except (TypeError, ValueError):
        where = f"tables.{table}.{n}.{column.name}"
        raise InputError(
            f"“{str(value)[:40]}” in row {n + 1} of {table} cannot be read.",
            field=where,
            value=str(value)[:40],
        ) from None
