"""What pests have cost: hours, money and plants lost, by case and by year."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.errors import NotFound
from brood.services.cases import effort, history
from brood.store.queries import cases, said
from brood.store.queries.said import Word
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
    every = cases.worked(session)
    spent, lost = _expenses(session), _losses(session, catalogue, every)
    done, checked = _done(session), _checked(session)
    days = [
        *(word.day for words in done.values() for word in words if word.day),
        *(day for looks in checked.values() for day, _ in looks),
        *(e.on for e in spent),
        *(x.on for x in lost),
    ]
    years = tuple(sorted({today.year, *(d.year for d in days)}, reverse=True))
    chosen = year if year in years else today.year
    of_year = tuple(e for e in spent if e.on.year == chosen)
    money: dict[int | None, float] = {}
    for e in of_year:
        money[e.case_id] = money.get(e.case_id, 0.0) + e.amount
    rows = (
        _cost(catalogue, row, chosen, (done.get(row.id, []), checked.get(row.id, [])), money)
        for row in every
    )
    worked = sorted(
        (r for r in rows if r.evenings or r.looks or r.spent),
        key=lambda r: (-r.minutes, r.row.plant.name),
    )
    names = {row.id: f"{row.plant.name}, {catalogue.name(row.pest_id)}" for row in every}
    return CostsResult(
        chosen, years, tuple(worked), of_year, names, tuple(x for x in lost if x.on.year == chosen)
    )


def _done(session: Session) -> dict[int, list[Word]]:
    """The evenings that were done, by case."""
    out: dict[int, list[Word]] = {}
    for word in said.last_words(session):
        if word.day:
            out.setdefault(word.case_id, []).append(word)
    return out


def _checked(session: Session) -> dict[int, list[tuple[date, float]]]:
    """The days of looks and counts of cards with the minutes they take, by case."""
    out: dict[int, list[tuple[date, float]]] = {}
    for look in said.looks(session):
        out.setdefault(look.case_id, []).append((look.looked_on, effort.MINUTES["look"]))
    for card in said.cards(session):
        if card.number is not None:
            out.setdefault(card.case_id, []).append((card.on, effort.MINUTES["card"]))
    return out


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


def _cost(
    catalogue: Catalogue,
    row: PestCase,
    year: int,
    work: tuple[list[Word], list[tuple[date, float]]],
    money: Mapping[int | None, float],
) -> CaseCost:
    words, checked = work
    evenings = [w for w in words if w.day and w.day.year == year]
    checks = [minutes for day, minutes in checked if day.year == year]
    plants, told = history.number_of(row), [(w.minutes, w.treatments) for w in words]
    minutes = sum(checks) + sum(
        effort.by_what_was_told(catalogue, told, plants, w.treatments)
        if w.minutes is None
        else w.minutes
        for w in evenings
    )
    timed = all(w.minutes is not None for w in evenings)
    spent = money.get(row.id, 0.0)
    return CaseCost(
        row, catalogue.name(row.pest_id), len(evenings), len(checks), minutes, timed, spent
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
