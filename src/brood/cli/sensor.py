"""`brood sensor`: a stand-in for a thermometer that answers over HTTP."""

from __future__ import annotations

import sys

import click

from brood.cli.output import emit


@click.command()
@click.option(
    "--port",
    type=int,
    default=8011,
    show_default=True,
    help="Port to answer on, on this machine only.",
)
@click.option("--low", type=float, default=21.0, show_default=True, help="A usual night in °C.")
@click.option(
    "--high", type=float, default=25.0, show_default=True, help="A usual afternoon in °C."
)
@click.option(
    "--seed",
    type=click.IntRange(min=0),
    default=5,
    show_default=True,
    help="The same seed gives the same restlessness.",
)
@click.option(
    "--dropouts",
    type=click.FloatRange(0, 1),
    default=0.0,
    show_default=True,
    help="Share of askings that get no answer.",
)
@click.option("--json", "as_json", is_flag=True, help="Say where it answers as JSON.")
def sensor(port: int, low: float, high: float, seed: int, dropouts: float, as_json: bool) -> None:
    """Stand in for a live thermometer: GET /reading answers °C, POST /freeze makes it
    stick, POST /thaw frees it; Ctrl-C pulls the plug.

    \b
    brood sensor --port 8011
    curl http://127.0.0.1:8011/reading
    """
    from brood.services.warmth.sensor import Device, device_server

    try:
        server = device_server(Device(low, high, seed, dropouts), port)
    except OSError as error:
        click.echo(
            f"brood: port {port} cannot be used ({error.strerror}). Try --port {port + 1}.",
            err=True,
        )
        sys.exit(1)
    address = f"http://127.0.0.1:{server.server_port}/reading"
    if as_json:
        emit({"schema": 1, "address": address})
    else:
        click.echo(f"A thermometer answers on {address}")
    try:
        server.serve_forever()
    except KeyboardInterrupt:
        server.server_close()
