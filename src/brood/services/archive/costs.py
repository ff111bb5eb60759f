"""What pests have cost: hours, money and plants lost, by case and by year."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.errors import NotFound
from brood.services.cases import effort, history
from brood.store.queries import cases
from brood.store.records import Expense, PlantEvent
from brood.store.tables import PestCase, Plant


@dataclass(frozen=True)
class CaseCost:
    """One case in a year: evenings, looks and counts of cards, the minutes they took
    (`told` when the keeper gave them for every evening), and money.
    """

    row: PestCase
    pest: str
    evenings: int
    looks: int
    minutes: float
    told: bool
    spent: float


@dataclass(frozen=True)
class Loss:
    """A plant that was lost, the day, and the pests that it had then."""

    plant: Plant
    on: date
    pests: tuple[str, ...]


@dataclass(frozen=True)
class CostsResult:
    """Everything that the page shows of one year."""

    year: int
    years: tuple[int, ...]
    rows: tuple[CaseCost, ...]
    expenses: tuple[Expense, ...]
    names: dict[int, str]
    losses: tuple[Loss, ...]

    @property
    def minutes(self) -> float:
        """Minutes of all cases."""
        return sum(r.minutes for r in self.rows)

    @property
    def told(self) -> bool:
        """Whether the keeper gave the minutes of every evening."""
        return all(r.told for r in self.rows)

    @property
    def spent(self) -> float:
        """Money of all cases and of the household."""
        return sum(e.amount for e in self.expenses)


def build(session: Session, catalogue: Catalogue, year: int | None, today: date) -> CostsResult:
    """The hours, money and losses of a year; of the current one when none is asked for."""
    every = cases.every(session)
    spent, lost = _expenses(session), _losses(session, catalogue, every)
    days = [
        *(d for row in every for d in _days(row)),
        *(e.on for e in spent),
        *(x.on for x in lost),
    ]
    years = tuple(sorted({today.year, *(d.year for d in days)}, reverse=True))
    chosen = year if year in years else today.year
    of_year = tuple(e for e in spent if e.on.year == chosen)
    rows = (_cost(catalogue, row, chosen, of_year) for row in every)
    worked = sorted(
        (r for r in rows if r.evenings or r.looks or r.spent),
        key=lambda r: (-r.minutes, r.row.plant.name),
    )
    names = {row.id: f"{row.plant.name}, {catalogue.name(row.pest_id)}" for row in every}
    return CostsResult(
        chosen, years, tuple(worked), of_year, names, tuple(x for x in lost if x.on.year == chosen)
    )


def _expenses(session: Session) -> list[Expense]:
    return list(
        session.scalars(
            select(Expense)
            .where(Expense.withdrawn_at.is_(None))
            .order_by(Expense.on.desc(), Expense.id.desc())
        )
    )


def _losses(session: Session, catalogue: Catalogue, every: Sequence[PestCase]) -> list[Loss]:
    out = []
    lost = select(PlantEvent).where(PlantEvent.kind == "lost", PlantEvent.withdrawn_at.is_(None))
    for event in session.scalars(lost.order_by(PlantEvent.on.desc(), PlantEvent.id)):
        had = [
            r
            for r in every
            if r.plant_id == event.plant_id
            and r.start_on <= event.on
            and (not r.closed_at or r.closed_at.date() >= event.on)
        ]
        out.append(
            Loss(
                cases.plant(session, event.plant_id),
                event.on,
                tuple(catalogue.name(r.pest_id) for r in had),
            )
        )
    return out


def _days(row: PestCase) -> list[date]:
    """The days on which something was done in a case."""
    evenings = [r.done_on for r in history.evenings_done(row) if r.done_on]
    return [*evenings, *(i.looked_on for i in history.looks(row)), *_counted(row)]


def _counted(row: PestCase) -> list[date]:
    return [
        c.counted_on
        for card in row.cards
        if card.withdrawn_at is None
        for c in card.counts
        if c.withdrawn_at is None
    ]


def _cost(catalogue: Catalogue, row: PestCase, year: int, spent: Sequence[Expense]) -> CaseCost:
    evenings = [r for r in history.evenings_done(row) if r.done_on and r.done_on.year == year]
    looks = sum(i.looked_on.year == year for i in history.looks(row))
    cards = sum(day.year == year for day in _counted(row))
    minutes = sum(
        effort.evening(catalogue, row, r.treatments) if r.minutes is None else r.minutes
        for r in evenings
    )
    minutes += looks * effort.MINUTES["look"] + cards * effort.MINUTES["card"]
    told = all(r.minutes is not None for r in evenings)
    money = sum(e.amount for e in spent if e.case_id == row.id)
    return CaseCost(
        row, catalogue.name(row.pest_id), len(evenings), looks + cards, minutes, told, money
    )


def spend(
    session: Session, what: str, amount: float, on: date, case_id: int | None, *, now: datetime
) -> None:
    """Keep an expense. Raises NotFound for an unknown case."""
    if case_id is not None:
        cases.bare_case(session, case_id)
    session.add(Expense(case_id=case_id, on=on, what=what, amount=amount, recorded_at=now))


def take_back(session: Session, expense_id: int, *, now: datetime) -> int:
    """Withdraw an expense; it stays on record. Returns its year. Raises NotFound."""
    found = session.get(Expense, expense_id)
    if found is None or found.withdrawn_at is not None:
        raise NotFound("There is no such expense.")
    found.withdrawn_at = now
    return found.on.year
