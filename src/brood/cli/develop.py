"""`brood develop`: stage times and dated events."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

import click

from brood.catalogue.loader import shipped
from brood.cli.output import emit, read, with_json


@click.command()
@click.argument("pest")
@click.option("--celsius", type=float, help="A constant temperature in °C.")
@click.option(
    "--sd",
    type=click.FloatRange(0, 10),
    default=0.0,
    show_default=True,
    help="Spread of that temperature in °C; 0 takes it as exact.",
)
@click.option(
    "--temperature", metavar="FILE.csv", help="A logger's CSV file, - for standard input."
)
@click.option("--from", "stage", metavar="STAGE", help="Stage that the group enters.")
@click.option(
    "--start", type=click.DateTime(["%Y-%m-%d"]), help="Day on which it enters the stage."
)
@with_json
def develop(
    pest: str,
    celsius: float | None,
    sd: float,
    temperature: str | None,
    stage: str | None,
    start: datetime | None,
    as_json: bool,
) -> None:
    """How long each stage of PEST takes, or when a group comes through.

    \b
    brood develop tetranychus-urticae --celsius 20 --json
    brood develop frankliniella-occidentalis --temperature balcony.csv --from egg --start 2026-06-01
    """
    from brood.services.documents.develop import at_celsius, from_logger

    if (celsius is None) == (temperature is None):
        raise click.UsageError("Give either --celsius, or --temperature with --from and --start.")
    if celsius is not None:
        answer = at_celsius(shipped(), pest, celsius, sd)
        (emit if as_json else _say_stages)(answer)
        return
    if stage is None or start is None:
        raise click.UsageError("--temperature needs --from and --start.")
    day: date = start.date()
    answer = from_logger(shipped(), pest, read(str(temperature)), stage, day)
    (emit if as_json else _say_events)(answer)


def _row(name: str, span: dict[str, float | None]) -> str:
    cells = ["–" if span[k] is None else f"{span[k]:.1f}" for k in ("fast", "typical", "slow")]
    return f"{name:24s}" + "".join(f"{c:>9s}" for c in cells)


def _say_stages(answer: dict[str, Any]) -> None:
    click.echo(
        f"{answer['pest']} at {answer['celsius']:g} °C, days" + " " * 8 + "fast  typical     slow"
    )
    for row in answer["stages"]:
        click.echo(_row(row["stage"], row["days"]))
    for key in ("egg_to_adult", "preoviposition", "generation"):
        click.echo(_row(key.replace("_", " "), answer[key]))
    if "note" in answer:
        click.echo(answer["note"], err=True)
    for source in answer["sources"]:
        click.echo(f"({source['confidence']}) {source['text']}", err=True)


def _say_events(answer: dict[str, Any]) -> None:
    for event in answer["events"]:
        when = [event["date"][span] or "–" for span in ("fast", "typical", "slow")]
        dates = "".join(f"{day:12s}" for day in when)
        click.echo(f"{event['stage']:16s}{event['event']:14s}{dates}")
    for row in answer["refused"]:
        click.echo(f"row {row['row']} refused: {row['reason']}", err=True)
