"""`brood fit`: development models from a table of stage times."""

from __future__ import annotations

from typing import Any

import click

from brood.cli.output import emit, read, with_json


@click.command()
@click.argument("table", metavar="TABLE.csv")
@click.option("--upper", type=float, help="°C at which development stops, if known.")
@with_json
def fit(table: str, upper: float | None, as_json: bool) -> None:
    """Fit the development models to TABLE.csv (columns temperature, days and, if there,
    stage and n; - reads standard input).

    \b
    brood fit docs/examples/mite-stage-times.csv --json
    """
    from brood.services.documents.fit import of_file

    answer = of_file(read(table), upper)
    (emit if as_json else _say)(answer)


def _say(answer: dict[str, Any]) -> None:
    for stage in answer["stages"]:
        click.echo(f"{stage['stage']}: best is {stage['best']}")
        for model in stage["models"]:
            figures = ", ".join(_figure(p) for p in model["parameters"])
            click.echo(
                f"  {model['model']}: R² {model['r_squared']:.4f}, AICc {model['aicc']}; {figures}"
            )
            click.echo(
                "    off by "
                + ", ".join(
                    f"{r['residual_days']:+.2f} d at {r['celsius']:g} °C"
                    for r in model["residuals"]
                )
            )


def _figure(p: dict[str, Any]) -> str:
    error = "" if p["standard_error"] is None else f" ± {p['standard_error']:g}"
    return f"{p['name']} {p['value']:g}{error} {p['unit']}".rstrip()
