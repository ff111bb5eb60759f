"""The tables of what follows a plan: looks that count, cards, neighbours, quarantine,
addresses given away.
"""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from sqlalchemy import JSON, CheckConstraint, ForeignKey
from sqlalchemy.orm import Mapped, mapped_column, relationship

from brood.store.tables import Photo, Plant, Table


class InspectionRecord(Table):
    """A plant looked over for a pest that is known, or while it is kept apart (no
    case): what was seen alive and dead by class.

    `counts` holds {class, live, dead, clue}; an empty list means looked and found none.
    `share` of the plant was looked at, `thorough` says how; the day is known to within
    `spread_days`. `growth` is clean or marked, `honeydew` fresh or none, empty where
    nobody looked; `smear` a colour; `spot` where most of the living sat.
    """

    __tablename__ = "inspection"
    __table_args__ = (
        CheckConstraint("share > 0 and share <= 1", name="share"),
        CheckConstraint("thorough in ('glance', 'usual', 'lens')", name="thorough"),
        CheckConstraint("spread_days between 0 and 60", name="spread"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    plant_id: Mapped[int] = mapped_column(ForeignKey("plant.id"), index=True)
    case_id: Mapped[int | None] = mapped_column(ForeignKey("pest_case.id"), index=True)
    looked_on: Mapped[date]
    spread_days: Mapped[int] = mapped_column(default=0)
    share: Mapped[float]
    thorough: Mapped[str]
    counts: Mapped[list[dict[str, Any]]] = mapped_column(JSON)
    growth: Mapped[str] = mapped_column(default="")
    honeydew: Mapped[str] = mapped_column(default="")
    smear: Mapped[str] = mapped_column(default="")
    spot: Mapped[str] = mapped_column(default="")
    note: Mapped[str] = mapped_column(default="")
    sent_key: Mapped[str] = mapped_column(default="")
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]
    plant: Mapped[Plant] = relationship()
    photos: Mapped[list[Photo]] = relationship(order_by="Photo.id")

    @property
    def live(self) -> float:
        """All that was seen alive."""
        return float(sum(c["live"] for c in self.counts))


class Card(Table):
    """A sticky card or trap of a case: its colour, when it was placed and taken away."""

    __tablename__ = "card"
    id: Mapped[int] = mapped_column(primary_key=True)
    case_id: Mapped[int] = mapped_column(ForeignKey("pest_case.id"), index=True)
    colour: Mapped[str]
    placed_on: Mapped[date]
    removed_on: Mapped[date | None]
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]
    counts: Mapped[list[CardCount]] = relationship(order_by="CardCount.counted_on, CardCount.id")


class CardCount(Table):
    """What had been caught on a card since it was last counted; `replaced` when a fresh
    one was hung.
    """

    __tablename__ = "card_count"
    __table_args__ = (CheckConstraint("number >= 0", name="number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    card_id: Mapped[int] = mapped_column(ForeignKey("card.id"), index=True)
    counted_on: Mapped[date]
    number: Mapped[int]
    replaced: Mapped[bool] = mapped_column(default=False)
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class CasePlant(Table):
    """A further plant that a case stands for."""

    __tablename__ = "case_plant"
    id: Mapped[int] = mapped_column(primary_key=True)
    case_id: Mapped[int] = mapped_column(ForeignKey("pest_case.id"), index=True)
    plant_id: Mapped[int] = mapped_column(ForeignKey("plant.id"), index=True)
    joined_on: Mapped[date]
    left_on: Mapped[date | None]
    plant: Mapped[Plant] = relationship()


class Quarantine(Table):
    """A plant kept apart: why (newcomer, neighbour, cutting, sick), from when, and
    since when it is back; `steps` of its return that are done.

    `from_place_id` is where it stood before it was moved away for this.
    """

    __tablename__ = "quarantine"
    __table_args__ = (
        CheckConstraint("reason in ('newcomer', 'neighbour', 'cutting', 'sick')", name="reason"),
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
    """Something that befell a plant: lost, given away, cut back, repotted."""

    __tablename__ = "plant_event"
    __table_args__ = (
        CheckConstraint("kind in ('lost', 'given', 'cut', 'repotted', 'note')", name="kind"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    plant_id: Mapped[int] = mapped_column(ForeignKey("plant.id"), index=True)
    on: Mapped[date]
    kind: Mapped[str]
    note: Mapped[str] = mapped_column(default="")
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
