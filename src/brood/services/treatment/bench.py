"""The mixing bench: from a recipe or a label's rate, a volume and what stands in the
cupboard to amounts, an order and a keeping time.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from brood.catalogue.holdings import Catalogue
from brood.catalogue.recipes import Ceiling, Recipe, RecipePart
from brood.core.mixing.dilution import (
    ML,
    Mixed,
    by_label,
    from_ml,
    measured,
    mixed,
    spoons,
    to_ml,
)
from brood.errors import InputError

MOST_ML = 100_000.0
USUAL_RATES, MOST_RATE = (0.2, 60.0), 100.0
"""What labels of concentrates say, in ml in a litre, and from where on a rate is taken for
a slip of the pen (our judgement, C).
"""
LIVING = "Living animals are released as they come, as their packet says: nothing is mixed."
SHARE_MORE = 0.15
"""A shopping list asks for this share more than the sum of its mixes."""


@dataclass(frozen=True)
class MixCommand:
    """What is to be mixed.

    `stocks` is the percent of what stands in the cupboard, by ingredient. `instead`
    says what replaces an ingredient. `strengths` are strengths other than the usual
    ones. `extras` are further ingredients with their percent. `label_rate` is ml of
    product per litre. `use` is spray, swab or drench. `unit` is the measure in which the
    keeper asked, a key of ML. `sure` says that an unusual rate is meant, `tough` that
    the plant is marked as tough.
    """

    treatment: str
    volume_ml: float
    stocks: Mapping[str, float] = field(default_factory=dict)
    instead: Mapping[str, str] = field(default_factory=dict)
    strengths: Mapping[str, float] = field(default_factory=dict)
    extras: Mapping[str, float | None] = field(default_factory=dict)
    label_rate: float | None = None
    eaten: bool = False
    household: frozenset[str] = frozenset()
    use: str = ""
    unit: str = "ml"
    sure: bool = False
    tough: bool = False


@dataclass(frozen=True)
class Measured:
    """One ingredient as it is measured out, in the measures of `unit`."""

    ingredient: str
    name: str
    ml: float
    percent: float | None
    stock_percent: float | None
    unit: str = "ml"

    @property
    def said(self) -> str:
        """The amount in the measures that the keeper uses."""
        return measured(self.ml, self.unit)

    @property
    def spoons(self) -> str:
        """The amount in cups and spoons. Empty where it is too little."""
        return spoons(self.ml)


@dataclass(frozen=True)
class MixResult:
    """A mix to be made: the lines, the water, one or two orders, how long it keeps, and
    what to watch.
    """

    treatment: str
    name: str
    volume_ml: float
    lines: tuple[Measured, ...]
    water_ml: float
    orders: tuple[tuple[str, ...], ...]
    keeps: str
    keeps_days: int
    shake: bool
    notes: tuple[str, ...]
    cautions: tuple[str, ...]
    use: str
    by_label: bool
    unit: str = "ml"

    @property
    def said(self) -> str:
        """The whole volume in the measure that was asked for."""
        return f"{from_ml(self.volume_ml, self.unit):.4g} {self.unit}"

    @property
    def water_said(self) -> str:
        """The water in the measures that the keeper uses."""
        return measured(self.water_ml, self.unit)

    @property
    def strength(self) -> float | None:
        """The share of the first ingredient in the whole, in percent."""
        return self.lines[0].percent


def ml_of(amount: float, unit: str) -> float:
    """A volume as typed, in ml. Raises InputError for an unknown measure."""
    return to_ml(amount, unit)


def plain(catalogue: Catalogue, treatment: str) -> str:
    """What a treatment takes that is not mixed by strength. Empty where it has a mix."""
    known = catalogue.recipes.plain.get(treatment)
    if known is None and treatment in catalogue.care:
        return LIVING if catalogue.care[treatment].supply == "living" else ""
    return known.text if known else ""


def mix(catalogue: Catalogue, command: MixCommand) -> MixResult:
    """Work out a mix. Raises InputError with the reason when it is refused or cannot be
    reached.
    """
    _makes_sense(catalogue, command)
    recipe = catalogue.recipes.recipe.get(command.treatment)
    things = (
        [command.instead.get(p.ingredient, p.ingredient) for p in recipe.parts] if recipe else []
    )
    _refuse(catalogue, command, things)
    _fits(recipe, command, things)
    if recipe is None and (text := plain(catalogue, command.treatment)):
        raise InputError(text, field="treatment", value=command.treatment, allowed="no mix")
    if command.label_rate is not None:
        return _labelled(catalogue, command)
    if recipe is None:
        name = catalogue.treatments[command.treatment].name
        raise InputError(
            f"There is no home mix of {name}: follow the label of a product, and give its rate.",
            field="label-rate",
            allowed="ml of product per litre",
        )
    if command.eaten:
        raise InputError(
            "Parts of this plant are eaten: no home mix, because nobody has tested what stays on "
            "it. Take a product labelled for this crop, "
            "and give its rate.",
            field="label-rate",
            allowed="ml of product per litre",
        )
    return _result(
        catalogue, command, recipe, mixed(command.volume_ml, _wanted(catalogue, recipe, command))
    )


def _makes_sense(catalogue: Catalogue, command: MixCommand) -> None:
    """Raise InputError for a treatment that is not known, or no volume to mix."""
    if command.treatment not in catalogue.treatments:
        known = ", ".join(sorted(catalogue.recipes.recipe))
        raise InputError(
            f"There is no treatment '{command.treatment[:40]}'.",
            field="treatment",
            value=command.treatment[:40],
            allowed=known,
        )
    if not 0 < command.volume_ml <= MOST_ML:
        raise InputError(
            "A mix is more than 0 and at most 100 litres.",
            field="litres",
            value=command.volume_ml / 1000,
            allowed="0 to 100",
        )


def _wanted(
    catalogue: Catalogue, recipe: Recipe, command: MixCommand
) -> list[tuple[str, float, float | None]]:
    """(ingredient, percent, percent of the stock) of every part."""
    out = []
    for part in recipe.parts:
        taken = command.instead.get(part.ingredient, part.ingredient)
        if taken not in (part.ingredient, *part.instead):
            raise _not_that(catalogue, part, taken)
        percent = command.strengths.get(part.ingredient, part.percent)
        name = catalogue.recipes.name(taken)
        most = part.tough if command.tough and part.tough else part.most
        if not part.low - 1e-9 <= percent <= most + 1e-9:
            raise InputError(
                f"{percent:g} % of {name} lies outside what is usual here, {part.low:g} to "
                f"{most:g} %: more injures the plant and does "
                "not work faster, less does not work.",
                field="percent",
                value=percent,
                allowed=f"{part.low:g} to {most:g}",
            )
        usual = catalogue.recipes.ingredient[taken].usual_percent
        out.append((taken, percent, command.stocks.get(taken, usual[0] if usual else None)))
    return out


def _not_that(catalogue: Catalogue, part: RecipePart, taken: str) -> InputError:
    """Why something cannot replace a part."""
    rule = catalogue.recipes.refused([taken, part.ingredient])
    why = (
        f"{rule.why} {rule.instead}"
        if rule
        else f"{catalogue.recipes.name(taken).capitalize()} is not what this mix is made with."
    )
    allowed = ", ".join((part.ingredient, *part.instead))
    return InputError(why, field="stock", value=taken[:40], allowed=allowed)


def _refuse(catalogue: Catalogue, command: MixCommand, things: list[str]) -> None:
    """Raise InputError for what is never mixed, is too strong, or harms who lives here."""
    book = catalogue.recipes
    for extra in command.extras:
        if extra not in book.ingredient and extra not in book.other:
            raise InputError(
                f"'{extra[:40]}' is not known here.",
                field="with",
                value=extra[:40],
                allowed=", ".join([*book.ingredient, *book.other]),
            )
    rule = book.refused([*things, *command.extras])
    if rule:
        raise InputError(
            f"{rule.why} {rule.instead}",
            field="with",
            value=", ".join(command.extras) or things[0],
            allowed="without it",
        )
    limits = {ceiling.of: ceiling for ceiling in book.ceiling}
    for extra, percent in command.extras.items():
        if extra not in limits:
            raise InputError(
                f"No mix here is made with {book.name(extra)}: nobody knows what the two "
                "do together.",
                field="with",
                value=extra,
                allowed="without it",
            )
        _under(limits[extra], percent, command.household)


def _fits(recipe: Recipe | None, command: MixCommand, things: list[str]) -> None:
    """Raise InputError for a mix that is used for something other than its purpose."""
    if recipe is None or command.use in ("", recipe.use):
        return
    if command.use == "drench" and {"isopropyl-alcohol", "ethanol"} & set(things):
        raise InputError(
            "Alcohol kills roots, and its vapour stays in the pot. For the soil: new "
            "topsoil, nematodes or the gnat bacterium.",
            field="use",
            value=command.use,
            allowed=recipe.use,
        )
    raise InputError(
        f"This mix is a {recipe.use}: at this strength it is of no use as a "
        f"{command.use[:20]}, or does harm.",
        field="use",
        value=command.use[:20],
        allowed=recipe.use,
    )


def _under(ceiling: Ceiling, percent: float | None, household: frozenset[str]) -> None:
    if household & set(ceiling.never_with):
        raise InputError(ceiling.never_why, field="with", value=ceiling.of, allowed="none")
    if percent is None or percent > ceiling.most:
        raise InputError(
            f"{ceiling.why} {ceiling.most:g} % is the most.",
            field="with",
            value=percent,
            allowed=f"at most {ceiling.most:g}",
        )


def _result(catalogue: Catalogue, command: MixCommand, recipe: Recipe, made: Mixed) -> MixResult:
    record = catalogue.treatments[command.treatment]
    lines = [
        Measured(
            p.ingredient,
            catalogue.recipes.name(p.ingredient),
            p.ml,
            p.percent,
            p.stock_percent,
            command.unit,
        )
        for p in made.portions
    ]
    as_sold = [line.name for line in lines if line.stock_percent is None]
    water = made.water_ml
    for extra, percent in command.extras.items():
        ml = command.volume_ml * (percent or 0) / 100
        lines.append(
            Measured(extra, catalogue.recipes.name(extra), ml, percent, None, command.unit)
        )
        water -= ml
    return MixResult(
        record.id,
        record.name,
        command.volume_ml,
        tuple(lines),
        water,
        tuple(tuple(o) for o in recipe.orders),
        recipe.keeps,
        recipe.keeps_days,
        recipe.shake,
        (*(_counted_as_sold(name) for name in as_sold), *recipe.notes),
        tuple(record.cautions),
        recipe.use,
        by_label=False,
        unit=command.unit,
    )


def _counted_as_sold(name: str) -> str:
    return (
        f"{name.capitalize()} is counted as it is sold. Where the bottle says how strong it "
        "is, give that: of one of 40 % it takes two and a half times as much."
    )


def _labelled(catalogue: Catalogue, command: MixCommand) -> MixResult:
    """A product at its label's rate. The label overrides every recipe."""
    record, care = catalogue.treatments[command.treatment], catalogue.care[command.treatment]
    ml = by_label(command.volume_ml, command.label_rate or 0)
    _not_a_slip(command)
    if ml >= command.volume_ml:
        raise InputError(
            "More product than the whole volume: check the label's rate, in ml per litre.",
            field="label-rate",
            value=command.label_rate,
            allowed="under 1000",
        )
    name = next((catalogue.recipes.name(one) for one in command.instead.values()), record.name)
    percent = 100 * ml / command.volume_ml
    line = Measured("product", f"the product, {name}", ml, percent, None, command.unit)
    order = (
        "As the label says; where it is silent: half the water, the product, the rest of "
        "the water.",
    )
    return MixResult(
        record.id,
        name,
        command.volume_ml,
        (line,),
        command.volume_ml - ml,
        (order,),
        "as the label says; the same day where it is silent",
        0,
        care.technique == "spray",
        _label_notes(command),
        tuple(record.cautions),
        care.technique,
        by_label=True,
        unit=command.unit,
    )


def _not_a_slip(command: MixCommand) -> None:
    """Raise InputError for a rate far above what labels say, unless it is meant."""
    if MOST_RATE < (command.label_rate or 0) < 1000 and not command.sure:
        raise InputError(
            f"{command.label_rate:g} ml in a litre is more than concentrates are thinned to. "
            "A product that is sold ready to use is sprayed as it is. Where the label really "
            "says so, say that you are sure.",
            field="label-rate",
            value=command.label_rate,
            allowed=f"at most {MOST_RATE:g}",
        )


def _label_notes(command: MixCommand) -> tuple[str, ...]:
    """What goes with a label's rate: that it counts, and what it leaves unused."""
    notes = ["The label's rate is what counts. Never take more “to be sure”."]
    if command.stocks or command.strengths:
        notes.append(
            "The strength given beside it is not used: a label's rate already reckons with it."
        )
    low, high = USUAL_RATES
    if not low <= (command.label_rate or 0) <= high:
        notes.append(
            f"{command.label_rate:g} ml in a litre is outside what most labels say, "
            f"{low:g} to {high:g}: read it again."
        )
    return tuple(notes)


def as_json(made: MixResult) -> dict[str, Any]:
    """A mix as JSON, by the contract: amounts in ml, US measures and spoons."""
    every = [*made.lines, Measured("water", "water", made.water_ml, None, None, made.unit)]
    return {
        "schema": 1,
        "treatment": made.treatment,
        "volume_ml": made.volume_ml,
        "strength_percent": made.strength,
        "by_label": made.by_label,
        "ingredients": [
            {
                "id": line.ingredient,
                "name": line.name,
                "ml": round(line.ml, 3),
                "percent": line.percent,
                "stock_percent": line.stock_percent,
                "spoons": line.spoons or None,
                "measures": {
                    u: float(f"{from_ml(line.ml, u):.6g}") for u in ML if u not in ("ml", "drop")
                },
            }
            for line in every
        ],
        "order": [list(order) for order in made.orders],
        "keeps": made.keeps,
        "keeps_days": made.keeps_days,
        "shake": made.shake,
        "notes": list(made.notes),
        "cautions": list(made.cautions),
    }
