"""The chance that a recorded case's dates clear the plant, for its page."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.core.population import Assessment, assess
from brood.errors import InputError
from brood.services import planning
from brood.services.outlook import RuleOutcome, rules_of, schedule_of
from brood.store.tables import PestCase


@dataclass(frozen=True)
class ChanceResult:
    """The outlook of a case's dates, with how many evenings they are; `problem` says in a sentence why there is none."""

    assessment: Assessment | None
    evenings: int
    problem: str
    rules: tuple[RuleOutcome, ...] = ()


def of_case(session: Session, catalogue: Catalogue, row: PestCase, today: date, *, rules: bool = False) -> ChanceResult:
    """What a recorded case's dates would do, as seen today; the rules of thumb beside them when asked for."""
    try:
        case = planning.model(session, catalogue, row, today)
        plan = planning.plan_of(case)
    except InputError as error:
        return ChanceResult(None, 0, error.message)
    schedule = schedule_of(case, plan)
    if not schedule:
        return ChanceResult(None, 0, "There are no dates to judge.")
    return ChanceResult(assess(case, schedule), len(schedule), "", tuple(rules_of(case)) if rules else ())
