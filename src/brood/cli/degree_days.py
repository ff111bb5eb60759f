"""`brood degree-days`: heat sums of a file."""

from __future__ import annotations

from datetime import datetime

import click

from brood.cli.output import emit, read, with_json
from brood.core.climate.degree_days import CUTOFFS, METHODS


@click.command("degree-days")
@click.argument("file", metavar="FILE.csv")
@click.option("--lower", type=float, required=True, help="Lower threshold in °C.")
@click.option("--upper", type=float, help="Upper threshold in °C.")
@click.option(
    "--cutoff",
    type=click.Choice(CUTOFFS),
    default="horizontal",
    show_default=True,
    help="What happens above the upper threshold.",
)
@click.option(
    "--method",
    type=click.Choice(METHODS),
    default="single-sine",
    show_default=True,
    help="How a day is drawn between its extremes.",
)
@click.option(
    "--biofix",
    type=click.DateTime(["%Y-%m-%d"]),
    help="Day from which the sum counts; the first day of the file otherwise.",
)
@click.option("--csv", "as_csv", is_flag=True, help="Print a table.")
@with_json
def degree_days(
    file: str,
    lower: float,
    upper: float | None,
    cutoff: str,
    method: str,
    biofix: datetime | None,
    as_csv: bool,
    as_json: bool,
) -> None:
    """Degree-days of FILE.csv, which holds daily minima and maxima or a logger's series
    (- reads standard input).

    \b
    brood degree-days docs/examples/balcony-logger.csv --lower 11.3 --upper 32 --json
    """
    from brood.services.warmth import degree_days as bench

    result = bench.of_file(
        read(file), bench.Bench(lower, upper, method, cutoff, biofix.date() if biofix else None)
    )
    if as_json:
        emit(bench.as_json(result))
        return
    if as_csv:
        click.echo(bench.as_csv(result), nl=False)
    else:
        for line in result.days:
            click.echo(f"{line.day.isoformat()}  {line.degree_days:7.2f}  {line.total:9.2f}")
        click.echo(f"total {result.total:.2f} °C·d, {result.filled_hours} hours filled")
    for warning in result.warnings:
        click.echo(warning, err=True)
