"""How a household's database file is opened."""

from __future__ import annotations

import sqlite3
from pathlib import Path

from sqlalchemy import Engine, create_engine, event
from sqlalchemy.engine import Connection


def open_engine(path: Path, begin: str, *, foreign_keys: bool = True) -> Engine:
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


def migration_engine(path: Path) -> Engine:
    """An engine for migrations. Foreign keys are off, because rebuilding a parent table
    would empty its children.
    """
    return open_engine(path, "BEGIN IMMEDIATE", foreign_keys=False)
