"""`brood defaults`."""

from __future__ import annotations

from typing import Any

import click

from brood.catalogue.loader import shipped
from brood.cli.output import emit, with_json


@click.command()
@click.argument("pest")
@click.option("--plant-kind", required=True, help="Such as foliage, flowering or orchid.")
@click.option("--build", default="", help="Such as upright, rosette, orchid, cactus, head or tray.")
@click.option("--place", default="indoor", help="indoor, glasshouse, balcony or outdoor.")
@with_json
def defaults(pest: str, plant_kind: str, build: str, place: str, as_json: bool) -> None:
    """The treatments that are ticked to begin with for PEST on such a plant.

    \b
    brood defaults tetranychus-urticae --plant-kind foliage --json
    """
    from brood.services.treatment.defaults import defaults_json

    answer = defaults_json(shipped(), pest, plant_kind, build, place)
    (emit if as_json else _say)(answer)


def _say(answer: dict[str, Any]) -> None:
    click.echo(", ".join(answer["treatments"]) or "no treatment suits")
    if likely := answer["likely"]:
        click.echo(
            f"likely {likely['evenings']} evenings ({likely['low']} to {likely['high']}), ends "
            f"clear {answer['policy_chance']:.2f}"
        )
    if answer["note"]:
        click.echo(answer["note"])
    for one in answer["left_out"]:
        click.echo(f"not {one['id']}: {one['why']}")
