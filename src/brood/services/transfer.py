"""The whole household as one JSON document and as CSV tables, and back without loss."""

from __future__ import annotations

import base64
import csv
import io
import json
from collections.abc import Iterator
from datetime import date, datetime, time
from typing import Any

from sqlalchemy import Column, Date, DateTime, LargeBinary, Time, func, insert, select
from sqlalchemy import Table as SqlTable
from sqlalchemy.orm import Session

from brood.errors import InputError
from brood.services.access import KEY, SECRET
from brood.store.migrate import newest
from brood.store.tables import Place, Plant, Table

KIND = "brood-household"
PRIVATE = (KEY, SECRET)
"""Settings that never leave the household: the passcode's hash and the key that signs sessions."""


def tables() -> list[SqlTable]:
    """The tables in an order in which they can be filled."""
    return list(Table.metadata.sorted_tables)


def export(session: Session) -> str:
    """Everything but the passcode as one JSON document; the same household always gives the same bytes."""
    held = {table.name: list(_rows(session, table)) for table in tables()}
    document = {"schema": 1, "kind": KIND, "version": newest(), "tables": held}
    return json.dumps(document, ensure_ascii=False, indent=1, sort_keys=True) + "\n"


def _rows(session: Session, table: SqlTable) -> Iterator[dict[str, Any]]:
    query = select(table).order_by(*table.primary_key.columns)
    for row in session.execute(query).mappings():
        if table.name == "setting" and row["key"] in PRIVATE:
            continue
        yield {column.name: _plain(row[column.name]) for column in table.columns}


def _plain(value: Any) -> Any:
    if isinstance(value, datetime | date | time):
        return value.isoformat()
    return base64.b64encode(value).decode() if isinstance(value, bytes) else value


def csv_tables(session: Session) -> Iterator[tuple[str, str]]:
    """(table name, CSV text) of every table; photos are left to the JSON document."""
    for table in tables():
        names = [c.name for c in table.columns if not isinstance(c.type, LargeBinary)]
        out = io.StringIO()
        writer = csv.writer(out, lineterminator="\n")
        writer.writerow(names)
        for row in _rows(session, table):
            writer.writerow([_cell(row[name]) for name in names])
        yield table.name, out.getvalue()


def _cell(value: Any) -> Any:
    """A cell that no spreadsheet takes for a formula."""
    if isinstance(value, list | dict):
        value = json.dumps(value, ensure_ascii=False, sort_keys=True)
    return f"'{value}" if isinstance(value, str) and value[:1] in "=+-@\t\r" else value


def is_empty(session: Session) -> bool:
    """Whether nothing has been kept yet that an import could mix with."""
    return not any(session.scalar(select(func.count()).select_from(t)) for t in (Plant, Place))


def read(text: str) -> dict[str, list[dict[str, Any]]]:
    """The tables of an exported document. Raises InputError in a sentence for anything else."""
    try:
        document = json.loads(text)
    except ValueError as error:
        raise InputError(f"This is no JSON document: {error}.", field="file", allowed="what `brood export` wrote") from None
    if not isinstance(document, dict) or document.get("kind") != KIND or not isinstance(document.get("tables"), dict):
        raise InputError("This is not a household that Brood has exported.", field="file", allowed="what `brood export` wrote")
    if document.get("version") != newest():
        raise InputError(f"This household was exported by another version ({str(document.get('version'))[:20]}); this one reads {newest()}.",
                         field="version", value=str(document.get("version"))[:20], allowed=newest())  # fmt: skip
    unknown = sorted(set(document["tables"]) - {t.name for t in tables()})
    if unknown:
        raise InputError(f"There is no table “{unknown[0][:40]}”.", field="tables", value=unknown[0][:40], allowed="the tables of an export")
    return document["tables"]  # type: ignore[no-any-return]


def clear(session: Session) -> None:
    """Take everything out but the passcode and the session key."""
    for table in reversed(tables()):
        session.execute(table.delete() if table.name != "setting" else table.delete().where(table.c.key.not_in(PRIVATE)))


def load(session: Session, held: dict[str, list[dict[str, Any]]]) -> int:
    """Fill an empty household; how many rows were taken. Raises InputError when it is not empty or a row does not fit, and nothing is kept."""
    if not is_empty(session):
        raise InputError("There is a household here already. Import into an empty one, or replace it: brood import --replace.", field="data",
                         allowed="an empty household")  # fmt: skip
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
        raise InputError(f"Row {n + 1} of {table.name} does not have the columns of that table.", field=f"tables.{table.name}.{n}",
                         allowed=", ".join(sorted(names)))  # fmt: skip
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
        return base64.b64decode(value, validate=True) if isinstance(column.type, LargeBinary) else value
    except (TypeError, ValueError):
        where = f"tables.{table}.{n}.{column.name}"
        raise InputError(f"“{str(value)[:40]}” in row {n + 1} of {table} cannot be read.", field=where, value=str(value)[:40]) from None
