"""`brood demo` and `brood serve`: start the pages."""

from __future__ import annotations

import shutil
import socket
import sys
from pathlib import Path
from urllib.parse import urlsplit

import click

from brood.cli.demo_beside import DemoBeside
from brood.errors import BroodError
from brood.settings import Settings, from_environment

DEMO_SENSOR = "http://127.0.0.1:8011/reading"
DEMO_FILES = ("household.sqlite", "household.sqlite-wal", "household.sqlite-shm")


@click.command()
@click.option(
    "--data",
    type=click.Path(path_type=Path, file_okay=False),
    help="Folder for the demo household; laid out once a day.",
)
@click.option("--port", type=int, help="Port, 8000 by default.")
@click.option("--no-serve", is_flag=True, help="Only make the demo household.")
@click.option("--fresh", is_flag=True, help="Lay it out again, also when it was made today.")
@click.option("--json", "as_json", is_flag=True, help="Say where it is as JSON.")
def demo(data: Path | None, port: int | None, no_serve: bool, fresh: bool, as_json: bool) -> None:
    """Serve the demo household, laid out around today. What was changed in it stays until
    the next day.

    \b
    brood demo --data .demo
    """
    from brood.demo.tern_cottage import is_of_today, seed

    try:
        settings = from_environment(port=port, demo=True)
        folder = data or settings.data.parent / "brood-demo"
        settings = from_environment(port=port, demo=True, data=folder)
        if fresh or not is_of_today(settings.database):
            for name in DEMO_FILES:
                (folder / name).unlink(missing_ok=True)
            click.echo("Laying out the demo household takes about half a minute.", err=True)
            seed(settings.database, sensor_url=DEMO_SENSOR, arrive=no_serve)
        _announce(settings, "The demo household", as_json)
        if not no_serve:
            _demo_sensor()
            _run(settings)
    except BroodError as error:
        click.echo(f"brood: {error}", err=True)
        sys.exit(1)


@click.command()
@click.option(
    "--data",
    type=click.Path(path_type=Path, file_okay=False),
    help="Folder that holds your household.",
)
@click.option("--port", type=int, help="Port, 8000 by default.")
@click.option(
    "--lan",
    is_flag=True,
    help="Listen on the home network for the phone at the plant; asks for the household passcode.",
)
@click.option(
    "--new-passcode", is_flag=True, help="Make a new household passcode and end all sessions."
)
@click.option("--json", "as_json", is_flag=True, help="Say where it is as JSON.")
def serve(
    data: Path | None, port: int | None, lan: bool, new_passcode: bool, as_json: bool
) -> None:
    """Serve your own household on this machine, or with --lan on the home network.

    \b
    brood serve
    brood serve --lan
    """
    try:
        settings = from_environment(data=data, port=port)
        if lan:
            address = lan_address()
            settings = from_environment(
                data=data, port=port, lan=True, hosts=("127.0.0.1", "localhost", address)
            )
            _passcode(settings, new_passcode)
        _announce(settings, "Your household", as_json)
        _run(settings)
    except BroodError as error:
        click.echo(f"brood: {error}", err=True)
        sys.exit(1)


def lan_address() -> str:
    """This machine's address on the home network; the loopback address when it has
    none. Nothing is sent.
    """
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        try:
            probe.connect(("192.0.2.1", 9))
            return str(probe.getsockname()[0])
        except OSError:
            return "127.0.0.1"


def _passcode(settings: Settings, renew: bool) -> None:
    from brood.services.house import access
    from brood.store.session import open_store

    store = open_store(settings.database)
    with store.writing() as session:
        if renew or not access.has_passcode(session):
            passcode = access.new_passcode()
            access.set_passcode(session, passcode)
            access.new_secret(settings.data)
            click.echo(
                f"The household passcode is {passcode}. It is shown only now; "
                "--new-passcode makes another.",
                err=True,
            )
    store.close()


def _announce(settings: Settings, what: str, as_json: bool) -> None:
    from brood.cli.output import emit

    address = f"http://127.0.0.1:{settings.port}"
    home = f"http://{settings.hosts[-1]}:{settings.port}"
    if as_json:
        emit({"schema": 1, "address": address, "home_network": home if settings.lan else None})
    else:
        click.echo(f"{what} is on {address}")
    if settings.lan:
        import segno

        click.echo(f"On the home network: {home}", err=True)
        if sys.stderr.isatty() or shutil.get_terminal_size().columns >= 40:
            segno.make(home, error="m").terminal(out=sys.stderr, compact=True)


def _demo_sensor() -> None:
    """Let the stand-in thermometer of the demo's propagation shelf answer beside the
    pages, if its port is free.
    """
    from brood.demo.tern_cottage import SHELF
    from brood.services.warmth.sensor import device_server, in_background

    try:
        in_background(device_server(SHELF(), urlsplit(DEMO_SENSOR).port or 0))
    except OSError as error:
        click.echo(
            f"brood: the demo's thermometer cannot answer on {DEMO_SENSOR} "
            f"({error.strerror}); its place will say so.",
            err=True,
        )


def _run(settings: Settings) -> None:
    import waitress

    from brood.services.warmth.rounds import Rounds
    from brood.web.app import create_app

    app = create_app(settings)
    household = app.extensions["household"]
    Rounds(household.store, household.weather).start()
    household.planning.start(process=True)
    if not settings.demo and not settings.lan:
        app.extensions["demo"] = DemoBeside(settings.data.parent / "brood-demo", settings.port)
    host = "0.0.0.0" if settings.lan else "127.0.0.1"
    try:
        waitress.serve(app, host=host, port=settings.port, threads=6, ident="")
    except OSError as error:
        click.echo(
            f"brood: port {settings.port} cannot be used ({error.strerror}). Try --port "
            f"{settings.port + 1}.",
            err=True,
        )
        sys.exit(1)
