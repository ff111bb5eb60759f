"""The shelf: ingredients with their strength, and products, whose labels decide."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import date, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.errors import NotFound
from brood.services.cases.commands import ActCommand
from brood.services.house.plants import is_eaten
from brood.store.tables import PestCase, StockItem

ALLOWED = {"indoor": "indoors", "outdoor": "outdoors", "edible": "on plants that are eaten"}


@dataclass(frozen=True)
class StockCommand:
    """What the form for a bottle says. `holds` is an ingredient's id, or a treatment's
    for a product with a label.
    """

    name: str
    holds: str
    labelled: bool
    percent: float | None = None
    size_ml: float | None = None
    label_rate: float | None = None
    min_gap_days: int | None = None
    max_applications: int | None = None
    harvest_days: int | None = None
    allowed: tuple[str, ...] = ()
    opened_on: date | None = None
    expires_on: date | None = None
    note: str = ""


@dataclass(frozen=True)
class Bottle:
    """A row of the shelf, what it holds in words, and what is wrong with it today."""

    item: StockItem
    holds: str
    trouble: str


def put(
    session: Session, command: StockCommand, *, now: datetime, instead_of: int | None = None
) -> int:
    """Put a bottle on the shelf, or correct one; its id. The old row is kept, withdrawn."""
    if instead_of is not None:
        take_away(session, instead_of, now=now)
    item = StockItem(**{**asdict(command), "allowed": list(command.allowed)}, recorded_at=now)
    session.add(item)
    session.flush()
    return item.id


def take_away(session: Session, item_id: int, *, now: datetime) -> None:
    """Take a bottle off the shelf. It is kept as withdrawn."""
    item(session, item_id).withdrawn_at = now


def item(session: Session, item_id: int) -> StockItem:
    """A bottle on the shelf. Raises NotFound."""
    found = session.get(StockItem, item_id)
    if found is None or found.withdrawn_at is not None:
        raise NotFound("There is no such bottle on the shelf.")
    return found


def items(session: Session) -> list[StockItem]:
    """What stands on the shelf, by name."""
    return list(
        session.scalars(
            select(StockItem)
            .where(StockItem.withdrawn_at.is_(None))
            .order_by(StockItem.name, StockItem.id)
        )
    )


def bottles(session: Session, catalogue: Catalogue, today: date) -> list[Bottle]:
    """The shelf, with what each bottle holds and what is wrong with it."""
    return [Bottle(one, holding(catalogue, one), _trouble(one, today)) for one in items(session)]


def holding(catalogue: Catalogue, one: StockItem) -> str:
    """What a bottle holds."""
    return (
        catalogue.treatments[one.holds].name
        if one.labelled and one.holds in catalogue.treatments
        else catalogue.recipes.name(one.holds)
    )


def _trouble(one: StockItem, today: date) -> str:
    if one.expires_on is not None and one.expires_on < today:
        return "past its date: do not use it"
    if one.labelled and not one.allowed:
        return "its label's places are not filled in"
    return ""


def usable(items: list[StockItem], today: date) -> list[StockItem]:
    """The bottles that are not past their date."""
    return [one for one in items if one.expires_on is None or one.expires_on >= today]


def product_for(
    stock: list[StockItem], treatment: str, setting: str, *, eaten: bool
) -> StockItem | None:
    """A product whose label allows this treatment at such a place and, where asked, on
    what is eaten.
    """
    place = "indoor" if setting in ("indoor", "glasshouse") else "outdoor"
    fitting = [
        s
        for s in stock
        if s.labelled
        and s.holds == treatment
        and place in s.allowed
        and (not eaten or "edible" in s.allowed)
    ]
    return fitting[0] if fitting else None


def bottle_for(
    catalogue: Catalogue, row: PestCase, treatment: str, usable_items: list[StockItem]
) -> StockItem | None:
    """The bottle for a treatment of a case: the product that it takes, one whose label
    allows it there, or what the recipe is made of.
    """
    taken = next((a.stock for a in row.acts if a.treatment_id == treatment and a.stock), None)
    if taken is not None and taken in usable_items:
        return taken
    place = row.plant.stays[-1].place.setting if row.plant.stays else "indoor"
    product = product_for(usable_items, treatment, place, eaten=is_eaten(row.plant))
    return product or ingredient_for(catalogue, treatment, usable_items)


def ingredient_for(
    catalogue: Catalogue, treatment: str, usable_items: list[StockItem]
) -> StockItem | None:
    """The bottle with the main ingredient of a treatment's recipe."""
    recipe = catalogue.recipes.recipe.get(treatment)
    main = recipe.parts[0].ingredient if recipe else ""
    return next((b for b in usable_items if not b.labelled and b.holds == main), None)


def act_of(treatment: str, product: StockItem | None) -> ActCommand:
    """A treatment as chosen, with the figures of the product's label where there is one."""
    if product is None:
        return ActCommand(treatment, None, None)
    return ActCommand(
        treatment, product.min_gap_days, product.max_applications, product.harvest_days, product.id
    )
