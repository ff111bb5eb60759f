"""The page about the chance that a case's dates clear the plant."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import timedelta

from brood.core.course.outcome import Outcome
from brood.core.course.planner import rule_evenings
from brood.core.course.rules_of_thumb import RuleOutcome, considered, too_soon
from brood.core.population.half_days import totals
from brood.core.population.regrowth import Regrowth, regrowth
from brood.errors import InputError
from brood.services.cases import plans
from brood.services.treatment.choose import setting_of
from brood.services.treatment.permitted import offers
from brood.services.voice import courses
from brood.services.voice.changes import Change, changes
from brood.services.voice.desk import Desk
from brood.store.tables import PestCase

LONGEST_COURSE = 70
FEMALES, MONTH, HUNDRED = (1, 3, 10), 30, 100


@dataclass(frozen=True)
class Course:
    """A schedule as a small picture: numbers by day, its evenings as days after the
    first find, and those that a label forbids so early.
    """

    totals: tuple[float, ...]
    days: tuple[int, ...]
    early: tuple[int, ...]


@dataclass(frozen=True)
class ChanceResult:
    """What the dates of a case lead to, with the evenings to come and done.

    `survivors` say what a few of them become without any treatment, `untreated` the
    numbers of one female by day.

    `problem` says in a sentence why there is nothing to tell. The rules of thumb stand
    beside the plan, and their courses too, the plan's first. `changes` are what would
    help where the target is missed.
    """

    outcome: Outcome | None
    to_come: int
    problem: str
    done: int = 0
    rules: tuple[RuleOutcome, ...] = ()
    courses: tuple[Course, ...] = ()
    changes: tuple[Change, ...] = ()
    reaches: bool = True
    survivors: tuple[str, ...] = ()
    untreated: tuple[float, ...] = ()

    @property
    def evenings(self) -> int:
        """All evenings of the course."""
        return self.to_come + self.done

    @property
    def tallest(self) -> float:
        """The number at the top of the common scale of the courses."""
        return max((c.totals[0] for c in self.courses), default=1.0) * 1.5

    @property
    def scenarios(self) -> tuple[tuple[float, ...], ...]:
        """The chances by warmth (cool, usual, warm) and speed (slow, usual, quick)."""
        by = self.outcome.by_scenario if self.outcome else ()
        return tuple(tuple(by[n : n + 3]) for n in range(0, len(by), 3))


def of_case(desk: Desk, row: PestCase) -> ChanceResult:
    """What a case's dates would do, what common rules would do, and what would help."""
    try:
        held = plans.standing_plan(desk, row)
    except InputError as error:
        return ChanceResult(None, 0, error.message)
    to_come, done = len(held.plan.applications), len(held.problem.evenings_done)
    if not to_come + done:
        return ChanceResult(None, 0, "There are no dates to judge.")
    outcome, others = considered(held.problem, held.plan)
    helps = (
        ()
        if held.plan.reaches
        else tuple(
            changes(held.problem, held.plan, desk.catalogue, desk.speech, _offered(desk, row))
        )
    )
    fitting = tuple(_within_limits(held, rule) for rule in others)
    grown = regrowth(held.problem.case)
    return ChanceResult(
        outcome,
        to_come,
        "",
        done,
        fitting,
        _courses(held, others),
        helps,
        held.plan.reaches,
        _survivors(desk, row, grown),
        tuple(map(float, grown.numbers[: MONTH + 1])),
    )


def _survivors(desk: Desk, row: PestCase, grown: Regrowth) -> tuple[str, ...]:
    """What one, three and ten surviving females become, and one without a mate."""
    record = desk.catalogue.records[row.pest_id]
    month = float(grown.numbers[min(MONTH, len(grown.numbers) - 1)])
    said = [courses.becomes(n, n * month, grown.until(HUNDRED, n), record.plural) for n in FEMALES]
    return (*said, courses.unmated(record.reproduction, grown.son))


def _within_limits(held: plans.Planned, rule: RuleOutcome) -> RuleOutcome:
    """A rule of thumb with whether a label, a test leaf or the harvest forbids it here,
    after what was done.
    """
    evenings = rule_evenings(held.problem)[rule.id]
    return replace(rule, breaks_label=not held.problem.keeps_limits(evenings))


def _offered(desk: Desk, row: PestCase) -> set[str]:
    """The treatments that may be proposed for this plant in this place, with no warning
    against them.
    """
    here = setting_of(desk.session, row.plant, today=desk.today, row=row)
    every = offers(desk.catalogue, row.pest_id, here)
    return {o.record.id for o in every if o.allowed and not o.warnings}


def _courses(held: plans.Planned, rules: tuple[RuleOutcome, ...]) -> tuple[Course, ...]:
    """The expected numbers of the plan and of every rule, over the same days."""
    case, problem = held.problem.case, held.problem
    told = {r.id for r in rules}
    every = [e for name, e in rule_evenings(problem).items() if name in told]
    schedules = [(*problem.done, *evenings) for evenings in (held.plan.evenings, *every)]
    first = min(f.on for f in case.found)
    until = min(
        max(s[-1].on for s in schedules if s) + timedelta(days=3),
        problem.last,
        case.start + timedelta(days=LONGEST_COURSE),
    )
    numbers = totals(case, schedules, until)
    least = max(
        (problem.gap(a) for a in problem.acts if not problem.label[a].by_hand),
        default=problem.least_gap,
    )
    out: list[Course] = []
    for schedule, one in zip(schedules, numbers, strict=True):
        days = [(one.on - first).days for one in schedule]
        early = too_soon(days, least) if out else ()
        out.append(Course(tuple(map(float, one)), tuple(days), early))
    return tuple(out)
