"""Backup and restore of a household's database while it is in use."""

from __future__ import annotations

import shutil
import sqlite3
import tempfile
from contextlib import closing
from datetime import datetime
from pathlib import Path

from brood.errors import InputError
from brood.store.migrate import upgrade
from brood.store.session import OWNER_ONLY

PAGES_AT_ONCE = 200
WAIT_SECONDS = 20.0


def backup(database: Path, target: Path) -> int:
    """Copy a database as it is at one moment, whoever is writing; its size in bytes.
    Raises InputError where that is impossible.
    """
    if not database.is_file():
        raise InputError(
            f"There is no household in {database.parent}.", field="data", value=str(database.parent)
        )
    if target.exists() and target.samefile(database):
        raise InputError(
            "A backup cannot take the place of the household itself.",
            field="file",
            value=str(target),
        )
    part = target.with_name(target.name + ".part")
    try:
        part.unlink(missing_ok=True)
        with (
            closing(sqlite3.connect(database, timeout=WAIT_SECONDS)) as source,
            closing(sqlite3.connect(part)) as copy,
        ):
            source.backup(copy, pages=PAGES_AT_ONCE, sleep=0.005)
            copy.execute("PRAGMA journal_mode = DELETE")
        part.chmod(OWNER_ONLY)
        part.replace(target)
    except (OSError, sqlite3.Error) as error:
        part.unlink(missing_ok=True)
        raise InputError(
            f"The backup could not be written to {target}: {error}.",
            field="file",
            value=str(target),
        ) from None
    return target.stat().st_size


def restore(source: Path, database: Path, *, now: datetime) -> Path | None:
    """Replace a household with a backup, even while pages are served from it.

    Returns where the previous household was kept; None when there was none. Raises
    InputError for a file that is no sound household, and then nothing changes.
    """
    if not source.is_file():
        raise InputError(
            f"There is no file {source}.",
            field="file",
            value=str(source),
            allowed="what `brood backup` wrote",
        )
    with tempfile.TemporaryDirectory() as folder:
        sound = Path(folder) / "household.sqlite"
        shutil.copy(source, sound)
        _check(sound, source)
        upgrade(sound)
        database.parent.mkdir(parents=True, exist_ok=True)
        kept = None
        if database.is_file():
            kept = database.with_name(f"household-before-{now:%Y%m%d-%H%M%S}.sqlite")
            backup(database, kept)
        with (
            closing(sqlite3.connect(sound)) as copy,
            closing(sqlite3.connect(database, timeout=WAIT_SECONDS)) as target,
        ):
            try:
                copy.backup(target)
            except sqlite3.Error as error:
                raise InputError(
                    f"The household could not be replaced: {error}. Nothing was changed.",
                    field="data",
                ) from None
    return kept


def _check(path: Path, named: Path) -> None:
    """Raise InputError for a file that is no sound database of a household."""
    try:
        with closing(sqlite3.connect(path)) as db:
            sound = db.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
            known = (
                db.execute(
                    "select count(*) from sqlite_master where name in ('plant', "
                    "'pest_case', 'alembic_version')"
                ).fetchone()[0]
                == 3
            )
    except sqlite3.Error:
        sound = known = False
    if not sound or not known:
        raise InputError(
            f"{named.name} is not a sound backup of a household.",
            field="file",
            value=str(named),
            allowed="what `brood backup` wrote",
        )
