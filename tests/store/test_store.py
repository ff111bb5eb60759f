"""The database: migrations from nothing, one shape, no lost changes."""

from concurrent.futures import ThreadPoolExecutor
from datetime import datetime

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import select, text
from sqlalchemy.exc import IntegrityError

from brood.errors import SettingError
from brood.store.base import Table
from brood.store.engine import migration_engine
from brood.store.migrate import newest
from brood.store.place_tables import Place
from brood.store.session import open_store
from brood.store.tables import Plant, Setting, Stay

NOW = datetime(2026, 6, 8)


def test_migrating_from_nothing_gives_the_tables_as_they_are_described(tmp_path):
    path = tmp_path / "new" / "household.sqlite"
    open_store(path).close()
    engine = migration_engine(path)
    with engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Table.metadata) == []
        assert (
            connection.execute(text("select version_num from alembic_version")).scalar_one()
            == newest()
        )
        checks = connection.execute(
            text("select count(*) from sqlite_master where sql like '%CHECK%'")
        ).scalar_one()
        expected = sum(
            any("CheckConstraint" in type(c).__name__ for c in table.constraints)
            for table in Table.metadata.tables.values()
        )
        assert checks == expected
    engine.dispose()


def test_the_file_is_opened_with_foreign_keys_and_a_write_ahead_log(store):
    with store.reading() as session:
        assert session.execute(text("PRAGMA foreign_keys")).scalar_one() == 1
        assert session.execute(text("PRAGMA journal_mode")).scalar_one() == "wal"
    with pytest.raises(IntegrityError), store.writing() as session:
        session.add(Stay(plant_id=99, place_id=99, since_on=NOW.date(), recorded_at=NOW))


def test_no_change_is_lost_when_many_write_at_once(store):
    with store.writing() as session:
        session.add(Setting(key="n", value="0"))

    def add_one(_: int) -> None:
        with store.writing() as session:
            row = session.get(Setting, "n")
            row.value = str(int(row.value) + 1)

    with ThreadPoolExecutor(8) as pool:
        list(pool.map(add_one, range(80)))
    with store.reading() as session:
        assert session.get(Setting, "n").value == "80"


def _adds_and_fails(store):
    with store.writing() as session:
        session.add(Place(name="Kitchen sill", created_at=NOW))
        session.flush()
        raise ZeroDivisionError


def test_a_change_that_fails_is_undone_as_a_whole(store):
    with pytest.raises(ZeroDivisionError):
        _adds_and_fails(store)
    with store.reading() as session:
        assert session.scalars(select(Place)).all() == []


def test_a_household_of_a_newer_version_is_left_alone(tmp_path):
    path = tmp_path / "household.sqlite"
    store = open_store(path)
    with store.writing() as session:
        session.add(Plant(name="Lemon", created_at=NOW))
        session.execute(text("update alembic_version set version_num = '99991231_01'"))
    store.close()
    with pytest.raises(SettingError, match="newer version"):
        open_store(path)


def test_a_folder_that_cannot_be_used_is_reported_in_a_sentence(tmp_path):
    (tmp_path / "file").write_text("not a folder")
    with pytest.raises(SettingError, match="cannot be used"):
        open_store(tmp_path / "file" / "household.sqlite")
