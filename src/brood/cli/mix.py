"""`brood mix` and `brood treatments`."""

from __future__ import annotations

import click

from brood.catalogue.loader import shipped
from brood.cli.output import emit, with_json
from brood.errors import InputError


@click.command()
@click.argument("treatment")
@click.option("--litres", type=float, required=True, help="How much is to be mixed.")
@click.option(
    "--stock-percent",
    type=float,
    help="Strength of the main ingredient as it stands in the cupboard.",
)
@click.option("--stock", help="What it is, such as ethanol, raw-neem or clarified-neem.")
@click.option(
    "--percent", type=float, help="Another strength than the usual one, within its limits."
)
@click.option(
    "--with",
    "extras",
    multiple=True,
    metavar="THING[=PERCENT]",
    help="What else you thought of adding.",
)
@click.option(
    "--label-rate",
    type=float,
    help="Millilitres of the product per litre, from its label; wins over the recipe.",
)
@click.option("--eaten", is_flag=True, help="Parts of the plant are eaten.")
@click.option(
    "--household", default="", help="Who lives there, by commas: cats, dogs, birds, fish, children."
)
@click.option(
    "--use",
    default="",
    type=click.Choice(["", "spray", "swab", "dip", "drench"]),
    help="What it is for, if not what it is made for.",
)
@with_json
def mix(
    treatment: str,
    litres: float,
    stock_percent: float | None,
    stock: str | None,
    percent: float | None,
    extras: tuple[str, ...],
    label_rate: float | None,
    eaten: bool,
    household: str,
    use: str,
    as_json: bool,
) -> None:
    """How to mix TREATMENT, or why not.

    \b
    brood mix alcohol-spray --litres 1.5 --stock-percent 70 --json
    """
    from brood.services.treatment import bench

    catalogue = shipped()
    recipe = catalogue.recipes.recipe.get(treatment)
    main = recipe.parts[0].ingredient if recipe else ""
    taken = stock or main
    made = bench.mix(
        catalogue,
        bench.MixCommand(
            treatment,
            litres * 1000,
            {taken: stock_percent} if stock_percent is not None else {},
            {main: stock} if stock else {},
            {main: percent} if percent is not None else {},
            dict(_extra(text) for text in extras),
            label_rate,
            eaten,
            frozenset(word.strip() for word in household.split(",") if word.strip()),
            use,
        ),
    )
    if as_json:
        emit(bench.as_json(made))
        return
    click.echo(f"{made.name}, {litres:g} l")
    for line in made.lines:
        strength = f"{line.percent:.3g} %" if line.percent else ""
        click.echo(f"  {line.ml:8.2f} ml  {line.name}  {strength}  {line.spoons}".rstrip())
    click.echo(f"  {made.water_ml:8.2f} ml  water")
    for order in made.orders:
        click.echo("Order: " + " ".join(order))
    click.echo(f"Keeps {made.keeps}.")
    for text in (*made.notes, *made.cautions):
        click.echo(text)


def _extra(text: str) -> tuple[str, float | None]:
    name, _, percent = text.partition("=")
    try:
        return name, float(percent) if percent else None
    except ValueError:
        raise InputError(
            f"'{text[:40]}' must read like essential-oil=0.05.",
            field="with",
            value=text[:40],
            allowed="THING=PERCENT",
        ) from None


@click.command()
@with_json
def treatments(as_json: bool) -> None:
    """Every treatment: kill by pest group and stage, limits, hazards, plants that bear it badly.

    \b
    brood treatments --json
    """
    from brood.services.documents import treatments as rows

    catalogue = shipped()
    if as_json:
        emit(rows.as_json(catalogue))
        return
    for key, record in catalogue.treatments.items():
        gap = f"{record.min_gap_days} days apart" + (
            f", at most {record.max_applications}" if record.max_applications else ""
        )
        click.echo(f"{key:24} {record.name:32} {gap:28} group {record.resistance_group}")
