"""An exported household is read in row by row, so that its size does not matter: a JSON
document or an archive of CSV tables, of this version or of an earlier one.
"""

from __future__ import annotations

import base64
import csv
import io
import json
import tempfile
import zipfile
from collections.abc import Iterable, Iterator
from datetime import date, datetime, time
from itertools import groupby
from pathlib import Path
from typing import IO, Any

import ijson
from ijson.common import ObjectBuilder
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
    insert,
    text,
)
from sqlalchemy import Table as SqlTable
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from brood.errors import InputError
from brood.services.archive import old_exports
from brood.services.archive.transfer import (
    BEFORE_VERSION,
    KIND,
    LARGEST,
    PRIVATE,
    VERSION,
    is_empty,
    tables,
)
from brood.store.migrate import newest

ROWS_AT_ONCE, BYTES_AT_ONCE = 500, 4_000_000
DEEPEST, LONGEST_NUMBER, BYTES_READ = 40, 30, 4096
Row = dict[str, Any]
Rows = Iterator[tuple[str, int, Row]]
"""The name of a table, the place of a row in it, and the row in plain values."""


def load(session: Session, given: bytes | IO[bytes]) -> int:
    """Fill an empty household from an export; how many rows were read in. Raises
    InputError when it is not empty or something does not fit, and then nothing is kept.
    """
    file = io.BytesIO(given) if isinstance(given, bytes) else given
    if not is_empty(session):
        raise InputError(
            "There is a household here already. Import into an empty one, or replace it: "
            "brood import --replace.",
            field="data",
            allowed="an empty household",
        )
    zipped = file.read(2) == b"PK"
    file.seek(0)
    version = _version_of_archive(file) if zipped else _version_of_document(file)
    shape = {t.name: t for t in _shape(version)}
    rows = _of_archive(file, shape) if zipped else _of_document(file, shape)
    typed = ((shape[name], _typed(shape[name], row, n)) for name, n, row in rows)
    if version == newest():
        return _fill(session, typed)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "older.sqlite"
        old_exports.bring_up(path, version, _batches(typed))
        return _fill(session, old_exports.rows_of(path))


def _fill(session: Session, rows: Iterable[tuple[SqlTable, Row]]) -> int:
    """Write typed rows into an empty household."""
    known, taken, said = {t.name: t for t in tables()}, 0, set[str]()
    try:
        session.execute(text("PRAGMA defer_foreign_keys = ON"))
        for name, batch in _batches(rows):
            table = known.get(name)
            if table is None:
                continue
            if name == "setting":
                batch = [r for r in batch if r["key"] not in PRIVATE]
                keys = [r["key"] for r in batch if r["key"] not in said]
                said.update(keys)
                session.execute(table.delete().where(table.c.key.in_(keys)))
            if batch:
                session.execute(insert(table), batch)
            taken += len(batch)
        broken = session.execute(text("PRAGMA foreign_key_check")).first()
    except SQLAlchemyError:
        raise old_exports.misfit() from None
    if broken is not None:
        raise old_exports.misfit()
    session.flush()
    return taken


def _batches(rows: Iterable[tuple[SqlTable, Row]]) -> Iterator[tuple[str, list[Row]]]:
    """Rows of one table together, as many as fit into a little memory."""
    for name, group in groupby(rows, key=lambda pair: pair[0].name):
        batch, size = [], 0
        for _, row in group:
            batch.append(row)
            size += sum(len(v) for v in row.values() if isinstance(v, str | bytes))
            if len(batch) >= ROWS_AT_ONCE or size > BYTES_AT_ONCE:
                yield name, batch
                batch, size = [], 0
        if batch:
            yield name, batch


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


# -- JSON --


def _events(file: IO[bytes]) -> Iterator[tuple[str, str, Any]]:
    """The pieces of a JSON document. Raises InputError where it is none."""
    file.seek(0)
    start = file.read(3)
    file.seek(3 if start == b"\xef\xbb\xbf" else 0)
    depth = 0
    try:
        for prefix, event, value in ijson.parse(file, buf_size=BYTES_READ, use_float=True):
            depth += (event in ("start_map", "start_array")) - (event in ("end_map", "end_array"))
            if depth > DEEPEST:
                raise ValueError("it is nested too deep")
            yield prefix, event, value
    except UnicodeDecodeError:
        raise InputError(
            "This is not UTF-8 text.", field="file", allowed="what Brood exported"
        ) from None
    except (ValueError, ijson.JSONError, OverflowError) as error:
        what = str(error).splitlines()[0][:80] if str(error) else "it ends too soon"
        raise InputError(
            f"This is no JSON document: {what}.", field="file", allowed="what `brood export` wrote"
        ) from None


def _version_of_document(file: IO[bytes]) -> str:
    """Which version wrote a document."""
    kind = version = held = None
    for prefix, event, value in _events(file):
        if prefix == "kind":
            kind = value
        elif prefix == "version":
            version = value
        elif prefix == "tables" and event == "start_map":
            held = True
    if kind != KIND or held is None:
        raise InputError(
            "This is not a household that Brood has exported.",
            field="file",
            allowed="what `brood export` wrote",
        )
    return str(version)


def _of_document(file: IO[bytes], shape: dict[str, SqlTable]) -> Rows:
    """The rows of a document, one at a time."""
    name, n, row = "", 0, None
    for prefix, event, value in _events(file):
        if prefix == "tables" and event == "map_key":
            name, n = value, 0
            if name not in shape:
                raise InputError(
                    f"There is no table “{name[:40]}”.",
                    field="tables",
                    value=name[:40],
                    allowed="the tables of an export",
                )
        elif prefix == f"tables.{name}" and event not in ("start_array", "end_array"):
            raise InputError(
                "Every table of an export is a list of rows.",
                field="tables",
                allowed="what `brood export` wrote",
            )
        elif name and prefix.startswith(f"tables.{name}.item"):
            row = row or ObjectBuilder()
            row.event(event, value)
            if prefix == f"tables.{name}.item" and event not in ("start_map", "map_key"):
                yield name, n, row.value
                row, n = None, n + 1


# -- CSV --


def _version_of_archive(file: IO[bytes]) -> str:
    with _archive(file) as archive:
        if VERSION not in archive.namelist():
            return BEFORE_VERSION
        return archive.read(VERSION).decode("ascii", "replace").strip()


def _archive(file: IO[bytes]) -> zipfile.ZipFile:
    try:
        return zipfile.ZipFile(file)
    except (zipfile.BadZipFile, OSError):
        raise _no_archive() from None


def _no_archive() -> InputError:
    return InputError(
        "This is no archive of CSV tables.", field="file", allowed="what Brood exported as CSV"
    )


def _of_archive(file: IO[bytes], shape: dict[str, SqlTable]) -> Rows:
    """The rows of an archive of CSV tables, one at a time."""
    csv.field_size_limit(LARGEST)
    with _archive(file) as archive:
        names = set(archive.namelist())
        size = sum(i.file_size for i in archive.infolist())
        if names - {VERSION} != {f"{name}.csv" for name in shape} or size > LARGEST:
            raise InputError(
                "This archive does not hold the tables of a household.",
                field="file",
                allowed="what Brood exported as CSV",
            )
        try:
            for table in shape.values():
                with archive.open(f"{table.name}.csv") as member:
                    lines = io.TextIOWrapper(member, "utf-8-sig", newline="")
                    yield from _csv_rows(table, lines)
        except (zipfile.BadZipFile, UnicodeDecodeError, csv.Error, RuntimeError, EOFError):
            raise _no_archive() from None


def _csv_rows(table: SqlTable, lines: IO[str]) -> Rows:
    columns = {c.name: c for c in table.columns}
    for n, row in enumerate(csv.DictReader(lines)):
        if set(row) != set(columns):
            raise InputError(
                f"Row {n + 1} of {table.name}.csv does not have the columns of that table.",
                field=f"{table.name}.{n}",
            )
        try:
            plain = {name: _uncell(columns[name], cell or "") for name, cell in row.items()}
        except (ValueError, RecursionError):
            raise InputError(
                f"A value in row {n + 1} of {table.name}.csv cannot be read.",
                field=f"{table.name}.{n}",
            ) from None
        yield table.name, n, plain


def _uncell(column: Column[Any], cell: str) -> Any:
    """What a cell stands for. An empty cell means no value where the column allows that."""
    if cell == "" and (column.nullable or not isinstance(column.type, String)):
        return None
    if isinstance(column.type, JSON | Boolean):
        return json.loads(cell)
    if isinstance(column.type, Integer):
        if len(cell) > LONGEST_NUMBER:
            raise ValueError(cell[:LONGEST_NUMBER])
        return int(cell)
    if isinstance(column.type, Float):
        return float(cell)
    return cell.removeprefix("'")


# -- values --


def _typed(table: SqlTable, row: Any, n: int) -> Row:
    names = {c.name for c in table.columns}
    if not isinstance(row, dict) or set(row) != names:
        raise InputError(
            f"Row {n + 1} of {table.name} does not have the columns of that table.",
            field=f"tables.{table.name}.{n}",
            allowed=", ".join(sorted(names)),
        )
    return {c.name: _read(c, row[c.name], table.name, n) for c in table.columns}


WRITTEN: tuple[tuple[type, type | tuple[type, ...]], ...] = (
    (DateTime, str),
    (Date, str),
    (Time, str),
    (LargeBinary, str),
    (JSON, (list, dict, str, int, float, bool)),
    (Boolean, (bool, int)),
    (Float, (int, float)),
    (Integer, int),
    (String, str),
)
"""How a value of each kind of column is written."""


def _read(column: Column[Any], value: Any, table: str, n: int) -> Any:
    if value is None:
        return None
    kind = column.type
    written = next((w for k, w in WRITTEN if isinstance(kind, k)), str)
    fits = isinstance(value, written)
    try:
        if not fits:
            raise TypeError(value)
        if isinstance(kind, DateTime):
            return datetime.fromisoformat(value)
        if isinstance(kind, Date):
            return date.fromisoformat(value)
        if isinstance(kind, Time):
            return time.fromisoformat(value)
        if isinstance(kind, LargeBinary):
            return base64.b64decode(value, validate=True)
        if isinstance(value, int) and abs(value) >= 2**63:
            raise ValueError(value)
        return value
    except (TypeError, ValueError):
        raise InputError(
            f"“{str(value)[:40]}” in row {n + 1} of {table} cannot be read.",
            field=f"tables.{table}.{n}.{column.name}",
            value=str(value)[:40],
        ) from None
