"""Reads what an earlier version exported: its rows go through the migrations that its
database would go through.
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any

from sqlalchemy import MetaData, insert
from sqlalchemy import Table as SqlTable
from sqlalchemy.exc import SQLAlchemyError

from brood.errors import InputError
from brood.store.engine import migration_engine
from brood.store.migrate import known, upgrade

Rows = dict[str, list[dict[str, Any]]]


def is_known(version: object) -> bool:
    """Whether this version knows how a household of that version was kept."""
    return version in known()


@cache
def tables_at(version: str) -> list[SqlTable]:
    """The tables as a version kept them, in an order in which they can be filled."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "shape.sqlite"
        upgrade(path, version)
        return _reflected(path)


def _reflected(path: Path) -> list[SqlTable]:
    engine, metadata = migration_engine(path), MetaData()
    metadata.reflect(engine)
    engine.dispose()
    return [t for t in metadata.sorted_tables if t.name != "alembic_version"]


def brought_up(
    version: str, typed: Rows, row_of: Callable[[SqlTable, Any], dict[str, Any]]
) -> Rows:
    """The rows of an earlier version as this one keeps them. `row_of` makes a plain row
    of a row that was found. Raises InputError when they do not fit.
    """
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "older.sqlite"
        upgrade(path, version)
        try:
            _fill(path, tables_at(version), typed)
            upgrade(path)
        except (SQLAlchemyError, RuntimeError):
            raise InputError(
                "The rows of this household do not fit together.",
                field="tables",
                allowed="what `brood export` wrote",
            ) from None
        return _found(path, row_of)


def _fill(path: Path, tables: list[SqlTable], typed: Rows) -> None:
    engine = migration_engine(path)
    with engine.begin() as connection:
        for table in tables:
            if rows := typed.get(table.name):
                connection.execute(insert(table), rows)
    engine.dispose()


def _found(path: Path, row_of: Callable[[SqlTable, Any], dict[str, Any]]) -> Rows:
    engine = migration_engine(path)
    with engine.connect() as connection:
        found = {
            t.name: [row_of(t, row) for row in connection.execute(t.select()).mappings()]
            for t in _reflected(path)
        }
    engine.dispose()
    return found
