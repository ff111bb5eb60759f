"""Bring a database file to the newest shape of the tables."""

from __future__ import annotations

import importlib.util
from functools import cache
from pathlib import Path

from sqlalchemy.engine import Connection

from brood.errors import SettingError
from brood.store.engine import migration_engine

VERSIONS = Path(__file__).parent / "migrations"


@cache
def known() -> tuple[str, ...]:
    """The ids of all migrations in order, read from the file names
    (YYYYMMDD_NN_what.py) without loading alembic.
    """
    return tuple(
        sorted(
            path.stem.rsplit("_", maxsplit=path.stem.count("_") - 1)[0]
            for path in (VERSIONS / "versions").glob("[0-9]*.py")
        )
    )


def newest() -> str:
    """The id of the newest migration."""
    return known()[-1]


def current(connection: Connection) -> str | None:
    """The migration a database stands at, or None when it is new."""
    known = connection.exec_driver_sql(
        "select name from sqlite_master where name = 'alembic_version'"
    ).first()
    row = (
        connection.exec_driver_sql("select version_num from alembic_version").first()
        if known
        else None
    )
    return str(row[0]) if row else None


def upgrade(path: Path, to: str | None = None) -> None:
    """Migrate the file to a version, the newest unless one is given, in one transaction
    for each step, with a check of all references.

    Raises SettingError for a newer file.
    """
    engine = migration_engine(path)
    try:
        with engine.connect() as connection:
            at = current(connection)
        if at == (to or newest()):
            return
        if at is not None and at > newest():
            raise SettingError(
                "This household was last used with a newer version of Brood. Start that "
                "version, or restore a backup."
            )
        _run(path, to or "head")
    finally:
        engine.dispose()


def _run(path: Path, to: str) -> None:
    assert importlib.util.find_spec("alembic")
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(VERSIONS))
    config.attributes["path"] = path
    command.upgrade(config, to)
