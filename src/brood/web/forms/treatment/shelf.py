"""The form of a bottle on the shelf."""

from __future__ import annotations

from brood.catalogue.holdings import Catalogue
from brood.services.treatment.bench import ml_of
from brood.services.treatment.shelf import ALLOWED, StockCommand
from brood.web.forms.reader import Reader

VOLUME_UNITS = {
    "ml": "ml",
    "l": "litres",
    "tsp": "teaspoons",
    "tbsp": "tablespoons",
    "drop": "drops (about)",
    "fl oz": "fluid ounces",
    "cup": "cups",
    "quart": "quarts",
    "gallon": "gallons",
    "imp pint": "imperial pints",
    "imp gallon": "imperial gallons",
}
"""The measures to choose from with their names; keys of the core's table."""


def read(reader: Reader, catalogue: Catalogue) -> StockCommand:
    """A bottle as typed; raises FieldErrors. The label's figures count for a product only."""
    name = reader.name("name", "What it is called")
    holds = reader.raw("holds")
    labelled = holds.startswith("product:")
    inside = holds.partition(":")[2]
    if inside not in (
        catalogue.treatments
        if labelled
        else {**catalogue.recipes.ingredient, **catalogue.recipes.other}
    ):
        reader.fault("holds", "Choose what is in it from the list.")
    percent = reader.number("percent", "The strength", 0.01, 100)
    size = volume(reader, "size", "What it holds")
    opened = (
        reader.day("opened_on", "The day it was opened", back=3650)
        if reader.raw("opened_on")
        else None
    )
    expires = (
        reader.day("expires_on", "The date on it", back=3650, ahead=3650)
        if reader.raw("expires_on")
        else None
    )
    rate = _rate(reader, labelled=labelled)
    gap, most = (
        reader.whole("min_gap_days", "The days between two uses", 1, 120),
        reader.whole("max_applications", "The most uses", 1, 100),
    )
    harvest = reader.whole("harvest_days", "The days before harvest", 0, 120)
    note = reader.text("note", "The note", longest=300, needed=False)
    allowed = tuple(one for one in ALLOWED if reader.raw(f"allowed-{one}"))
    reader.done()
    if not labelled:
        return StockCommand(
            name, inside, False, percent, size, opened_on=opened, expires_on=expires, note=note
        )
    return StockCommand(
        name, inside, True, percent, size, rate, gap, most, harvest, allowed, opened, expires, note
    )


def _rate(reader: Reader, *, labelled: bool) -> float | None:
    """The label's rate; a fault where it is typed for what is no product."""
    rate = reader.rate("label_rate", "The label's rate")
    if rate is not None and not labelled:
        reader.fault(
            "label_rate",
            "A label's rate belongs to a product: choose it under “Products with a label for”, "
            "or leave the rate empty.",
        )
    return rate


def volume(reader: Reader, name: str, what: str, most_ml: float = 100_000.0) -> float | None:
    """A volume with the unit beside it, in ml; None when nothing was typed."""
    unit = reader.raw(f"{name}_unit") or "ml"
    if unit not in VOLUME_UNITS:
        reader.fault(f"{name}_unit", "Choose a measure from the list.")
        return None
    amount = reader.number(name, what, 0.0, most_ml)
    if amount is None:
        return None
    ml = ml_of(amount, unit)
    if not 0 < ml <= most_ml:
        reader.fault(name, f"{what} must be more than 0 and at most {most_ml / 1000:g} litres.")
        return None
    return ml
