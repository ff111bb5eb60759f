"""Home mixes by final strength, and what must never be mixed."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Literal

from pydantic import Field, model_validator

from brood.catalogue.schema import Grade, Id, Record, Text

Percent = Annotated[float, Field(gt=0, le=100)]


class Ingredient(Record):
    """Something a mix is made of. `of` says whether its share counts as active (it is
    sold by strength) or as the product bought.
    """

    name: Text
    of: Literal["active", "product"]
    usual_percent: list[Percent]


class RecipePart(Record):
    """A part of a recipe: the usual, least and greatest share of the final volume in
    percent, and what may replace it. `tough` is the greatest share on a plant that is
    marked as tough.
    """

    ingredient: Id
    instead: list[Id] = Field(default_factory=list)
    percent: Percent
    low: Percent
    most: Percent
    tough: Percent | None = None

    @model_validator(mode="after")
    def _ordered(self) -> RecipePart:
        if not self.low <= self.percent <= self.most:
            raise ValueError("the usual strength must lie between the least and the greatest")
        return self


class Recipe(Record):
    """A home mix: parts filled up with water, one or two orders of mixing, how long it keeps."""

    use: Literal["spray", "swab", "dip", "drench"]
    source: str
    grade: Grade
    keeps_days: Annotated[int, Field(ge=0, le=60)]
    keeps: Text
    shake: bool
    parts: Annotated[list[RecipePart], Field(min_length=1)]
    orders: Annotated[list[list[Text]], Field(min_length=1)]
    notes: list[Text] = Field(default_factory=list)


class Plain(Record):
    """What a treatment takes that is not mixed from strengths."""

    text: Text
    source: str
    grade: Grade


class Other(Record):
    """Something from the cupboard that no recipe calls for."""

    name: Text


class Ceiling(Record):
    """The greatest share of an ingredient, and where none is allowed."""

    of: Id
    most: Percent
    never_with: list[str]
    why: Text
    never_why: Text


class Forbidden(Record):
    """Things that are never used together (or one that is never used at all), why, and
    what to do instead.
    """

    of: Annotated[list[Id], Field(min_length=1, max_length=2)]
    why: Text
    instead: Text


class RecipeBook(Record):
    """Every recipe by treatment id, what treatments without one take, what goes into them,
    and what is refused.
    """

    ingredient: dict[Id, Ingredient]
    other: dict[Id, Other]
    recipe: dict[Id, Recipe]
    plain: dict[Id, Plain]
    ceiling: list[Ceiling]
    forbidden: list[Forbidden]

    def name(self, ingredient: str) -> str:
        """What an ingredient is called; its id where it is not known."""
        known = self.ingredient.get(ingredient) or self.other.get(ingredient)
        return known.name if known else ingredient

    def refused(self, things: Iterable[str]) -> Forbidden | None:
        """The most specific rule that forbids these things together, if any. Ethanol
        counts as the other alcohol, castile as soap.
        """
        same = {"ethanol": "isopropyl-alcohol", "castile-soap": "true-soap"}
        present = {same.get(t, t) for t in things}
        return max(
            (rule for rule in self.forbidden if set(rule.of) <= present),
            key=lambda rule: len(rule.of),
            default=None,
        )

    def faults(self) -> list[str]:
        """Names that lead nowhere."""
        known = {*self.ingredient, *self.other}
        named = [
            (f"recipe.{k}", i)
            for k, r in self.recipe.items()
            for p in r.parts
            for i in (p.ingredient, *p.instead)
        ]
        named += [("forbidden", i) for rule in self.forbidden for i in rule.of] + [
            ("ceiling", c.of) for c in self.ceiling
        ]
        return [f"{where}: there is no ingredient '{i}'" for where, i in named if i not in known]
