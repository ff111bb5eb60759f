"""Reads what an earlier version exported: its rows go through the migrations that its
database would go through.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterable, Iterator
from functools import cache
from pathlib import Path
from typing import Any

from sqlalchemy import MetaData, insert, select
from sqlalchemy import Table as SqlTable
from sqlalchemy.exc import SQLAlchemyError

from brood.errors import InputError
from brood.store.base import Table
from brood.store.engine import migration_engine
from brood.store.migrate import known, upgrade

ROWS_AT_ONCE = 20
"""Photos are among them."""


def is_known(version: object) -> bool:
    """Whether this version knows how a household of that version was kept."""
    return version in known()


@cache
def tables_at(version: str) -> list[SqlTable]:
    """The tables as a version kept them, in an order in which they can be filled."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "shape.sqlite"
        upgrade(path, version)
        engine, metadata = migration_engine(path), MetaData()
        metadata.reflect(engine)
        engine.dispose()
    return [t for t in metadata.sorted_tables if t.name != "alembic_version"]


def misfit() -> InputError:
    """The rows refer to what is not there, or contradict each other."""
    return InputError(
        "The rows of this household do not fit together.",
        field="tables",
        allowed="what `brood export` wrote",
    )


def bring_up(path: Path, version: str, batches: Iterable[tuple[str, list[dict[str, Any]]]]) -> None:
    """Make a database of an earlier version from its rows and migrate it. Raises
    InputError when they do not fit.
    """
    upgrade(path, version)
    by_name, engine = {t.name: t for t in tables_at(version)}, migration_engine(path)
    try:
        with engine.begin() as connection:
            for name, rows in batches:
                connection.execute(insert(by_name[name]), rows)
        upgrade(path)
    except (SQLAlchemyError, RuntimeError):
        raise misfit() from None
    finally:
        engine.dispose()


def rows_of(path: Path) -> Iterator[tuple[SqlTable, dict[str, Any]]]:
    """Every row of a migrated database, with its table."""
    engine = migration_engine(path)
    try:
        with engine.connect() as connection:
            for table in Table.metadata.sorted_tables:
                found = connection.execute(select(table).execution_options(yield_per=ROWS_AT_ONCE))
                for row in found.mappings():
                    yield table, dict(row)
    finally:
        engine.dispose()
