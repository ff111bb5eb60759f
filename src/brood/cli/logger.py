"""`brood logger`: the simulated temperature logger."""

from __future__ import annotations

from datetime import datetime, timedelta

import click


@click.command()
@click.option(
    "--days",
    type=click.IntRange(1, 400),
    default=35,
    show_default=True,
    help="How many days to write.",
)
@click.option(
    "--seed",
    type=click.IntRange(0),
    default=3,
    show_default=True,
    help="The same seed gives the same weather.",
)
@click.option(
    "--start",
    type=click.DateTime(["%Y-%m-%d"]),
    help="First day; by default so that the last row is about now.",
)
@click.option("--low", type=float, default=15.0, show_default=True, help="A usual night in °C.")
@click.option(
    "--high", type=float, default=27.5, show_default=True, help="A sunny afternoon in °C."
)
@click.option(
    "--clean", is_flag=True, help="Without gaps, repeated rows, a loose sensor and a clock change."
)
def logger(
    days: int, seed: int, start: datetime | None, low: float, high: float, clean: bool
) -> None:
    """Write what a cheap temperature logger would, as CSV at 10-minute steps with the
    faults such devices have.

    \b
    brood logger --days 35 --seed 3 > balcony.csv
    """
    from brood.services.warmth.simulated_logger import LoggerPlan, csv_text

    now = datetime.now().replace(minute=0, second=0, microsecond=0)
    first = start or now - timedelta(days=days)
    click.echo(csv_text(LoggerPlan(first, days, seed, low, high, not clean)), nl=False)
