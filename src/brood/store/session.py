"""Engines and sessions: readers share, writers queue.

The driver's own transactions lose concurrent changes, so they are switched off and
every transaction begins explicitly: BEGIN for readers, BEGIN IMMEDIATE for writers,
with write-ahead logging, foreign keys and a busy timeout.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy import Engine, create_engine, event
from sqlalchemy.engine import Connection
from sqlalchemy.orm import Session

from brood.errors import SettingError

OWNER_ONLY = 0o600
"""Nobody else on the machine reads a household."""


def _engine(path: Path, begin: str, *, foreign_keys: bool = True) -> Engine:
    engine = create_engine(f"sqlite:///{path}")

    @event.listens_for(engine, "connect")
    def _connect(connection: sqlite3.Connection, _record: object) -> None:
        connection.isolation_level = None
        connection.execute("PRAGMA journal_mode = WAL")
        connection.execute("PRAGMA busy_timeout = 8000")
        connection.execute(f"PRAGMA foreign_keys = {'ON' if foreign_keys else 'OFF'}")

    @event.listens_for(engine, "begin")
    def _begin(connection: Connection) -> None:
        connection.exec_driver_sql(begin)

    return engine


class Store:
    """The database of one household."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._readers = _engine(path, "BEGIN")
        self._writers = _engine(path, "BEGIN IMMEDIATE")

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """A session for looking things up; it is rolled back at the end."""
        with Session(self._readers, expire_on_commit=False) as session:
            yield session

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """A session for one change: committed at the end, undone as a whole on any error."""
        with Session(self._writers, expire_on_commit=False) as session, session.begin():
            yield session

    def close(self) -> None:
        """Let go of the file, folding the write-ahead log into it."""
        self._readers.dispose()
        self._writers.dispose()


def open_store(path: Path) -> Store:
    """Open a household's database, making or migrating it first. Raises SettingError
    when the folder cannot be used.
    """
    from brood.store.migrate import upgrade

    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        upgrade(path)
        path.chmod(OWNER_ONLY)
    except (OSError, sqlite3.OperationalError) as error:
        raise SettingError(
            f"The household's folder {path.parent} cannot be used: {error}"
        ) from error
    return Store(path)


def migration_engine(path: Path) -> Engine:
    """An engine for migrations: foreign keys off, for rebuilding a parent table would
    empty its children.
    """
    return _engine(path, "BEGIN IMMEDIATE", foreign_keys=False)
