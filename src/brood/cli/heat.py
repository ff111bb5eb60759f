"""`brood degree-days` and `brood forecast`: heat sums of a file, and when pests are to be expected
by them.
"""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import Any

import click

from brood.cli.household import folder, seen_by
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


@click.command("forecast")
@click.argument("sightings", metavar="[SIGHTINGS.csv]", required=False)
@click.option("--weather", metavar="FILE.csv", help="Lowest and highest of each day.")
@click.option("--lower", type=float, help="Lower threshold of the pest in °C.")
@click.option("--upper", type=float, help="Temperature above which it grows no faster, °C.")
@click.option("--year", type=click.IntRange(1950, 2200), help="The year to forecast.")
@click.option(
    "--hemisphere",
    type=click.Choice(["north", "south"]),
    default="north",
    show_default=True,
    help="Heat is summed from 1 January, in the south from 1 July.",
)
@folder
@with_json
def forecast(
    sightings: str | None,
    weather: str | None,
    lower: float | None,
    upper: float | None,
    year: int | None,
    hemisphere: str,
    data: Path | None,
    as_json: bool,
) -> None:
    """When first sightings of earlier years are likely to come again: those of a household,
    or of SIGHTINGS.csv with rows `date[,degree_days]`.

    \b
    brood forecast docs/examples/sightings.csv --weather docs/examples/years.csv \\
        --lower 8.5 --year 2026 --json
    """
    answer: dict[str, Any]
    if sightings is None:
        from brood.services.season import arrivals

        answer = seen_by(data, arrivals.as_json)
    else:
        from brood.services.documents.forecast import forecast_json

        if year is None or lower is None:
            raise click.UsageError("A table needs --year and --lower.")
        answer = forecast_json(
            read(sightings),
            read(weather) if weather else None,
            year=year,
            lower=lower,
            upper=upper,
            hemisphere=hemisphere,
        )
    if as_json:
        emit(answer)
        return
    for one in answer["forecasts"]:
        name = ", ".join(str(one[key]) for key in ("pest", "place") if key in one)
        click.echo(
            f"{name + ': ' if name else ''}likely {one['early']} to {one['late']}, "
            f"middle {one['likely']}, by {one['from']} of {one['years']} years; "
            f"begin prevention {one['begin_prevention']}"
        )
