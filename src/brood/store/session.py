"""Sessions: readers share, writers queue.

The driver's own transactions lose concurrent changes. So they are switched off and
every transaction begins explicitly: BEGIN for readers, BEGIN IMMEDIATE for writers,
with write-ahead logging, foreign keys and a busy timeout.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy.orm import Session

from brood.errors import SettingError
from brood.store import facts
from brood.store.engine import open_engine
from brood.store.migrate import upgrade

OWNER_ONLY = 0o600
"""Nobody else on the machine may read a household."""


class Store:
    """The database of one household."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._readers = open_engine(path, "BEGIN")
        self._writers = open_engine(path, "BEGIN IMMEDIATE")
        self.before_writing: list[Callable[[Session], None]] = []
        self.when_facts_change: list[Callable[[list[int]], None]] = []

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """A session for looking things up; it is rolled back at the end."""
        with Session(self._readers, expire_on_commit=False) as session:
            yield session

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """A session for one change: committed at the end, undone as a whole on any error.

        The facts of the cases that it reaches get a new version with it. Afterwards
        whoever waits for that is told which cases they are.
        """
        with Session(self._writers, expire_on_commit=False) as session, session.begin():
            reached = facts.watch(session)
            for look in self.before_writing:
                look(session)
            yield session
            session.flush()
            cases = facts.raise_versions(session, reached)
        if cases:
            for tell in self.when_facts_change:
                tell(cases)

    def close(self) -> None:
        """Let go of the file, folding the write-ahead log into it."""
        self._readers.dispose()
        self._writers.dispose()


def open_store(path: Path) -> Store:
    """Open a household's database, making or migrating it first. Raises SettingError
    when the folder cannot be used.
    """
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        upgrade(path)
        path.chmod(OWNER_ONLY)
    except (OSError, sqlite3.OperationalError) as error:
        raise SettingError(
            f"The household's folder {path.parent} cannot be used: {error}"
        ) from error
    return Store(path)
