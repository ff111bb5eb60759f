"""The chance that a recorded case's dates clear the plant, for its page."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.core.outcome import Outcome
from brood.errors import InputError
from brood.services import planning
from brood.services.outlook import RuleOutcome, considered
from brood.store.tables import PestCase


@dataclass(frozen=True)
class ChanceResult:
    """The outlook of a case's dates, with how many evenings they are; `problem` says in a sentence why there is none."""

    outcome: Outcome | None
    evenings: int
    problem: str
    rules: tuple[RuleOutcome, ...] = ()


def of_case(session: Session, catalogue: Catalogue, row: PestCase, today: date, *, rules: bool = False) -> ChanceResult:
    """What a recorded case's dates would do, as seen today; the rules of thumb beside them when asked for."""
    try:
        held = planning.planned(planning.model(session, catalogue, row, today))
    except InputError as error:
        return ChanceResult(None, 0, error.message)
    evenings = len(held.plan.applications) + len(held.problem.done)
    if not evenings:
        return ChanceResult(None, 0, "There are no dates to judge.")
    outcome, others = considered(held.problem, held.plan, rules=rules)
    return ChanceResult(outcome, evenings, "", others)
