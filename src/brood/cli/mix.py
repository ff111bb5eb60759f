"""`brood mix` and `brood treatments`."""

from __future__ import annotations

import click

from brood.catalogue.loader import shipped
from brood.cli.output import emit, with_json
from brood.errors import InputError
from brood.services.voice.units import MEASURES


@click.command()
@click.argument("treatment")
@click.option("--litres", type=float, help="How much is to be mixed.")
@click.option("--amount", type=float, help="The same in another measure.")
@click.option(
    "--unit",
    type=click.Choice(MEASURES),
    help="The measure of --amount: US customary unless it says imp.",
)
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
@click.option("--sure", is_flag=True, help="An unusual label rate is meant.")
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
    litres: float | None,
    amount: float | None,
    unit: str | None,
    stock_percent: float | None,
    stock: str | None,
    percent: float | None,
    extras: tuple[str, ...],
    label_rate: float | None,
    sure: bool,
    eaten: bool,
    household: str,
    use: str,
    as_json: bool,
) -> None:
    """How to mix TREATMENT, or why not.

    \b
    brood mix alcohol-spray --litres 1.5 --stock-percent 70 --json
    brood mix insecticidal-soap --amount 1 --unit gallon --stock-percent 40
    """
    from brood.services.treatment import bench

    catalogue = shipped()
    recipe = catalogue.recipes.recipe.get(treatment)
    text = bench.plain(catalogue, treatment)
    if text:
        emit({"schema": 1, "treatment": treatment, "plain": text}) if as_json else click.echo(text)
        return
    main = recipe.parts[0].ingredient if recipe else ""
    taken = stock or main
    volume, measure = _volume(litres, amount, unit)
    made = bench.mix(
        catalogue,
        bench.MixCommand(
            treatment,
            volume,
            {taken: stock_percent} if stock_percent is not None else {},
            {main: stock} if stock else {},
            {main: percent} if percent is not None else {},
            dict(_extra(text) for text in extras),
            label_rate,
            eaten,
            frozenset(word.strip() for word in household.split(",") if word.strip()),
            use,
            measure,
            sure,
        ),
    )
    if as_json:
        emit(bench.as_json(made))
        return
    click.echo(f"{made.name}, {made.said}")
    for line in made.lines:
        share = f"{100 * line.ml / made.volume_ml:.3g} %"
        click.echo(f"  {line.said:>12}  {line.name}  {share}  {line.spoons}".rstrip())
    click.echo(f"  {made.water_said:>12}  water")
    for order in made.orders:
        click.echo("Order: " + " ".join(order))
    click.echo(f"Keeps {made.keeps}.")
    for text in (*made.notes, *made.cautions):
        click.echo(text)


def _volume(litres: float | None, amount: float | None, unit: str | None) -> tuple[float, str]:
    """The volume in ml, and the measure in which it was asked for. Raises InputError where
    it is given twice or not at all.
    """
    if (litres is None) == (amount is None) or (amount is None) != (unit is None):
        raise InputError(
            "Say how much: either --litres, or --amount with its --unit.",
            field="amount",
            allowed="--litres 1.5, or --amount 1 --unit gallon",
        )
    if amount is not None and unit is not None:
        from brood.services.treatment.bench import ml_of

        return ml_of(amount, unit), unit
    return (litres or 0.0) * 1000, "l"


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
