"""The tables of what surrounds cases: plants kept apart, events, expenses, addresses
given away.
"""

from __future__ import annotations

from datetime import date, datetime

from sqlalchemy import JSON, CheckConstraint, ForeignKey
from sqlalchemy.orm import Mapped, mapped_column, relationship

from brood.store.base import Table
from brood.store.tables import Plant


class Quarantine(Table):
    """A plant kept apart: why (newcomer, given, outdoors, neighbour, cutting, sick), from
    when, and since when it is back; `steps` of its return that are done.

    `from_place_id` is where it stood before it was moved away for this.
    """

    __tablename__ = "quarantine"
    __table_args__ = (
        CheckConstraint(
            "reason in ('newcomer', 'given', 'outdoors', 'neighbour', 'cutting', 'sick')",
            name="reason",
        ),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    plant_id: Mapped[int] = mapped_column(ForeignKey("plant.id"), index=True)
    reason: Mapped[str]
    since_on: Mapped[date]
    released_on: Mapped[date | None]
    steps: Mapped[list[str]] = mapped_column(JSON)
    note: Mapped[str] = mapped_column(default="")
    from_place_id: Mapped[int | None] = mapped_column(ForeignKey("place.id"), index=True)
    recorded_at: Mapped[datetime]
    plant: Mapped[Plant] = relationship()


class PlantEvent(Table):
    """An event in a plant's life: lost, given away, cut back, repotted. Of a cut,
    `leaves` were taken of `of_leaves`.
    """

    __tablename__ = "plant_event"
    __table_args__ = (
        CheckConstraint("kind in ('lost', 'given', 'cut', 'repotted', 'note')", name="kind"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    plant_id: Mapped[int] = mapped_column(ForeignKey("plant.id"), index=True)
    on: Mapped[date]
    kind: Mapped[str]
    note: Mapped[str] = mapped_column(default="")
    leaves: Mapped[int | None]
    of_leaves: Mapped[int | None]
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class Expense(Table):
    """Money spent on pests, in the keeper's own currency: for one case, or for the household."""

    __tablename__ = "expense"
    __table_args__ = (CheckConstraint("amount >= 0", name="amount"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    case_id: Mapped[int | None] = mapped_column(ForeignKey("pest_case.id"), index=True)
    on: Mapped[date]
    what: Mapped[str]
    amount: Mapped[float]
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class SecretAddress(Table):
    """An address that needs no passcode: a calendar feed, or a sitter's sheet for some
    days. Only the digest of its secret is kept.
    """

    __tablename__ = "secret_address"
    __table_args__ = (CheckConstraint("kind in ('feed', 'sitter')", name="kind"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str]
    label: Mapped[str]
    digest: Mapped[str] = mapped_column(unique=True)
    from_on: Mapped[date | None]
    until_on: Mapped[date | None]
    made_at: Mapped[datetime]
    revoked_at: Mapped[datetime | None]


class SitterTick(Table):
    """A task of a sitter's sheet that was ticked: which, in its words, and when."""

    __tablename__ = "sitter_tick"
    id: Mapped[int] = mapped_column(primary_key=True)
    address_id: Mapped[int] = mapped_column(ForeignKey("secret_address.id"), index=True)
    task: Mapped[str]
    text: Mapped[str]
    ticked_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class Sighting(Table):
    """A first sighting of an earlier year, or one without a case, as a keeper noted it: of
    which pest, at which place, with the degree-days up to it where they were noted too.
    `source` is hand or file.
    """

    __tablename__ = "sighting"
    __table_args__ = (
        CheckConstraint("source in ('hand', 'file')", name="source"),
        CheckConstraint("heat is null or heat >= 0", name="heat"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    pest_id: Mapped[str]
    place_id: Mapped[int] = mapped_column(ForeignKey("place.id"), index=True)
    seen_on: Mapped[date]
    heat: Mapped[float | None]
    note: Mapped[str] = mapped_column(default="")
    source: Mapped[str] = mapped_column(default="hand")
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class Prevention(Table):
    """That prevention was begun, or left out, before a pest of earlier years comes to a
    place: `season` is the year in which the season begins, `kind` begun or left.
    """

    __tablename__ = "prevention"
    __table_args__ = (CheckConstraint("kind in ('begun', 'left')", name="kind"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    pest_id: Mapped[str]
    place_id: Mapped[int] = mapped_column(ForeignKey("place.id"), index=True)
    season: Mapped[int]
    kind: Mapped[str]
    on: Mapped[date]
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class WayIn(Table):
    """How pests may have come in: a `kind` of the catalogue, at which place, with which
    groups of pests where that was told, and until when it is there (None while it stays).
    Where it is a plant, `plant_id` is that one.
    """

    __tablename__ = "way_in"
    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str]
    place_id: Mapped[int] = mapped_column(ForeignKey("place.id"), index=True)
    plant_id: Mapped[int | None] = mapped_column(ForeignKey("plant.id"), index=True)
    groups: Mapped[list[str]] = mapped_column(JSON)
    on: Mapped[date]
    until_on: Mapped[date | None]
    note: Mapped[str] = mapped_column(default="")
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]
