"""`brood export`, `import`, `backup` and `restore`: a household's data, out and in."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from brood.cli.output import emit, opened, with_json
from brood.settings import Settings, from_environment

if TYPE_CHECKING:
    from brood.services.voice.desk import Desk

folder = click.option(
    "--data",
    type=click.Path(path_type=Path, file_okay=False),
    help="Folder that holds the household.",
)


def _settings(data: Path | None) -> Settings:
    return from_environment(data=data)


def seen_by(data: Path | None, look: Callable[[Desk], dict[str, Any]]) -> dict[str, Any]:
    """What a look at a household as it stands answers."""
    from brood.catalogue.loader import shipped
    from brood.services.guide import own_figures
    from brood.services.voice import preferences
    from brood.services.voice.desk import Desk
    from brood.store.session import open_store

    store = open_store(_settings(data).database)
    try:
        with store.reading() as session:
            catalogue = own_figures.adjusted(own_figures.standing(session), shipped())
            return look(Desk(session, catalogue, datetime.now(), preferences.load(session)))
    finally:
        store.close()


@click.command()
@folder
@click.option(
    "--csv",
    "csv_file",
    type=click.Path(path_type=Path, dir_okay=False),
    help="Write an archive of CSV tables to this file instead.",
)
@with_json
def export(data: Path | None, csv_file: Path | None, as_json: bool) -> None:
    """The whole household as one JSON document on standard output, photos too; only the
    passcode stays.

    \b
    brood export > household.json
    brood export --csv tables.zip
    """
    from brood.services.archive import transfer
    from brood.store.session import open_store

    store = open_store(_settings(data).database)
    try:
        with store.reading() as session:
            if csv_file is None:
                for piece in transfer.export(session):
                    click.echo(piece, nl=False)
                return
            with csv_file.open("wb") as out:
                transfer.archive(session, out)
    finally:
        store.close()
    if as_json:
        emit({"schema": 1, "file": str(csv_file), "tables": [t.name for t in transfer.tables()]})
    else:
        click.echo(f"{len(transfer.tables())} tables in {csv_file}", err=True)


@click.command("import")
@click.argument("file")
@folder
@click.option(
    "--replace",
    is_flag=True,
    help="Put it in the place of the household that is there; that one is kept beside it.",
)
@with_json
def import_(file: str, data: Path | None, replace: bool, as_json: bool) -> None:
    """Read a household that `brood export` wrote, or an archive of its CSV tables, into
    an empty one (- reads standard input).

    \b
    brood import household.json --data new-household
    """
    from brood.services.archive import importing, transfer
    from brood.services.archive.backup import backup
    from brood.store.session import open_store

    held = opened(file)
    database, kept = _settings(data).database, None
    if replace and database.is_file():
        kept = database.with_name(f"household-before-{datetime.now():%Y%m%d-%H%M%S}.sqlite")
        backup(database, kept)
    store = open_store(database)
    try:
        with store.writing() as session:
            if replace:
                transfer.clear(session)
            taken = importing.load(session, held)
    finally:
        store.close()
        held.close()
    if as_json:
        emit({"schema": 1, "rows": taken, "kept": str(kept) if kept else None})
    else:
        click.echo(
            f"{taken} rows taken" + (f"; what was there is kept in {kept}" if kept else ""),
            err=True,
        )


@click.command("backup")
@click.argument("file", type=click.Path(path_type=Path, dir_okay=False))
@folder
@with_json
def backup_(file: Path, data: Path | None, as_json: bool) -> None:
    """Copy the household's database into FILE, also while it is served and written to.

    \b
    brood backup household-backup.sqlite
    """
    from brood.services.archive.backup import backup

    size = backup(_settings(data).database, file)
    if as_json:
        emit({"schema": 1, "file": str(file), "bytes": size})
    else:
        click.echo(f"{size} bytes in {file}", err=True)


@click.command("restore")
@click.argument("file", type=click.Path(path_type=Path, dir_okay=False))
@folder
@with_json
def restore_(file: Path, data: Path | None, as_json: bool) -> None:
    """Put the backup in FILE in the household's place; what was there is kept beside it.

    \b
    brood restore household-backup.sqlite
    """
    from brood.services.archive.backup import restore

    kept = restore(file, _settings(data).database, now=datetime.now())
    if as_json:
        emit({"schema": 1, "kept": str(kept) if kept else None})
    else:
        click.echo("restored" + (f"; what was there is kept in {kept}" if kept else ""), err=True)
