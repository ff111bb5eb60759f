"""The form of the mixing bench."""

from __future__ import annotations

from brood.catalogue.holdings import Catalogue
from brood.services.treatment import shelf
from brood.services.treatment.bench import MixCommand
from brood.store.tables import StockItem
from brood.web.forms.reader import Reader, key_of
from brood.web.forms.treatment.shelf import volume


def read(
    reader: Reader,
    catalogue: Catalogue,
    bottles: dict[int, StockItem],
    household: frozenset[str],
    *,
    eaten: bool,
    tough: bool = False,
) -> MixCommand:
    """What is to be mixed; raises FieldErrors. Bottles of the shelf give their strength,
    a product its label's rate. One past its date is refused unless the keeper is sure.
    """
    treatment = reader.raw("treatment")
    ml = volume(reader, "amount", "How much", 100_000) or 0.0
    if not ml:
        reader.fault("amount", "Say how much is to be mixed.")
    recipe = catalogue.recipes.recipe.get(treatment)
    main = recipe.parts[0].ingredient if recipe else ""
    taken, percent, rate = _bottle(reader, bottles, main)
    strength = reader.number("strength", "The strength", 0.01, 100)
    extra = reader.raw("extra")
    if extra and extra not in catalogue.recipes.other:
        reader.fault("extra", "Choose what is added from the list.")
    share = reader.number("extra_percent", "Its share", 0.001, 100)
    reader.done()
    usable = shelf.usable(list(bottles.values()), reader.today)
    known = {b.holds: b.percent for b in usable if b.percent and not b.labelled and not rate}
    return MixCommand(
        treatment,
        ml,
        {**known, taken: percent} if percent else known,
        {main: taken} if main and taken != main else {},
        {main: strength} if strength else {},
        {extra: share} if extra else {},
        rate,
        eaten,
        household,
        reader.raw("use"),
        reader.raw("amount_unit") or "ml",
        bool(reader.raw("sure")),
        tough,
    )


def _bottle(
    reader: Reader, bottles: dict[int, StockItem], main: str
) -> tuple[str, float | None, float | None]:
    """(ingredient, percent, label's rate) of what is taken from the cupboard."""
    percent, rate = (
        reader.number("percent", "The strength of the stock", 0.01, 100),
        reader.rate("label_rate", "The label's rate"),
    )
    said = reader.raw("stock")
    number = key_of(said.removeprefix("shelf:")) if said.startswith("shelf:") else None
    if number is not None:
        bottle = bottles.get(number)
        if bottle is None:
            reader.fault("stock", "That bottle no longer stands on the shelf.")
            return main, percent, rate
        if bottle not in shelf.usable([bottle], reader.today) and not reader.raw("sure"):
            until = reader.speech.day_year(bottle.expires_on or reader.today)
            reader.fault(
                "stock",
                f"“{bottle.name}” is past its date, {until}: what is in it may be weaker, or "
                "harm the leaves. Take another bottle, or say that you are sure.",
            )
        if bottle.labelled:
            return main, percent, rate or bottle.label_rate
        return bottle.holds, percent or bottle.percent, rate
    return said or main, percent, rate
