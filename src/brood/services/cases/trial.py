"""What other dates would do to a recorded case, before anything is kept."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime

from brood.catalogue.holdings import Catalogue
from brood.core.biology.case import Evening
from brood.core.climate.hours import evening
from brood.core.course.outcome import Outcome, outcomes
from brood.core.course.plan import Plan
from brood.core.course.problem import Problem
from brood.core.course.windows import Window, windows
from brood.errors import FieldErrors
from brood.services.cases import plans
from brood.services.cases.chart_data import ChartData, chart_data
from brood.services.voice.desk import Desk
from brood.services.voice.speech import Speech, days, listed
from brood.store.queries import cases
from brood.store.tables import PestCase

MOST_DATES = 40


@dataclass(frozen=True)
class Moved:
    """One evening that is tried: where it stands in the plan, where it is tried, its
    window there, and what the label says against it.
    """

    n: int
    planned: date
    tried: date
    earliest: date
    latest: date
    objection: str


@dataclass(frozen=True)
class TryResult:
    """What the tried dates lead to, beside the planned ones."""

    row: PestCase
    moved: tuple[Moved, ...]
    tried: Outcome
    planned: Outcome
    chart: ChartData | None

    @property
    def dates(self) -> str:
        """The tried dates as they stand in an address."""
        return ",".join(m.tried.isoformat() for m in self.moved)

    @property
    def differs(self) -> bool:
        """Whether any date differs from the plan."""
        return any(m.tried != m.planned for m in self.moved)

    @property
    def said(self) -> str:
        """How the tried dates differ, in a sentence."""
        shifted = [m for m in self.moved if m.tried != m.planned]
        if not shifted:
            return "These are the planned dates."
        by = {(m.tried - m.planned).days for m in shifted}
        if len(by) == 1:
            step = by.pop()
            return (
                f"{'One evening' if len(shifted) == 1 else f'{len(shifted)} evenings'} "
                f"{days(abs(step))} {'later' if step > 0 else 'earlier'}."
            )
        return f"{len(shifted)} evenings on other days."

    @property
    def allowed(self) -> bool:
        """Whether no label forbids any of them."""
        return not any(m.objection for m in self.moved)


def read_dates(text: str, count: int, first: date, last: date, speech: Speech) -> list[date]:
    """The dates of an address, one for each planned evening, from `first` to `last`.

    Raises FieldErrors for the field `day`, or for the nth of them (`day:2`).
    """
    parts = [part for part in text.split(",") if part]
    if len(parts) != count or len(parts) > MOST_DATES:
        raise FieldErrors({"day": f"The plan has {count} evenings; give a date for each of them."})
    read: list[date] = []
    for n, part in enumerate(parts):
        fault = ""
        try:
            read.append(date.fromisoformat(part))
        except ValueError:
            fault = f"“{part[:20]}” is no day of the calendar."
        else:
            if not first <= read[-1] <= last:
                fault = f"The dates must lie from today to {speech.day(last)}."
            elif read[-1] in read[:-1]:
                fault = "Two evenings fall on the same day."
        if fault:
            raise FieldErrors({f"day:{n}": fault})
    return sorted(read)


def tried(desk: Desk, row: PestCase, text: str, *, chart: bool = False) -> TryResult:
    """What a case's planned evenings would do on other dates. Raises InputError when
    there is no plan or a date cannot be computed.
    """
    held = plans.standing_plan(desk, row)
    problem, plan, catalogue = held.problem, held.plan, desk.catalogue
    now, speech = desk.moment, desk.speech
    planned = plan.evenings
    dates = (
        read_dates(text, len(planned), now.date(), problem.last, speech)
        if text
        else [one.on for one in planned]
    )
    other = tuple(replace(one, on=day) for day, one in zip(dates, planned, strict=True))
    new, old = outcomes(problem, [other, planned])
    spans = windows(problem, other, new.in_90, problem.case.target)
    moved = tuple(
        _moved(problem, catalogue, n, planned, other, spans[n], speech) for n in range(len(other))
    )
    drawn = _chart(problem, catalogue, row, plan, moved, other, now) if chart and text else None
    if chart and not text:
        drawn = plans.with_chart(desk, row)[1]
    return TryResult(row, moved, new, old, drawn)


def _moved(
    problem: Problem,
    catalogue: Catalogue,
    n: int,
    planned: tuple[Evening, ...],
    other: tuple[Evening, ...],
    span: Window,
    speech: Speech,
) -> Moved:
    return Moved(
        n,
        planned[n].on,
        other[n].on,
        date.fromordinal(span.earliest),
        date.fromordinal(span.latest),
        _objection(problem, catalogue, n, other, speech),
    )


def _objection(
    problem: Problem, catalogue: Catalogue, n: int, other: tuple[Evening, ...], speech: Speech
) -> str:
    """What a label, or the days that suit the keeper, say against an evening."""
    day = other[n].day
    early = []
    for act in other[n].acts:
        before = [one.day for one in (*problem.done, *other[:n]) if act in one.acts]
        if not problem.allowed(act, day, before):
            wait = max(before, default=day) + problem.gap(act)
            name = catalogue.treatments[act].name
            early.append(
                f"{name}: wait until {speech.day(date.fromordinal(wait))}"
                if wait > day
                else f"{name}: not on this day"
            )
    if early:
        return f"By the label or its usual gap, {listed(early)}."
    return "" if problem.admits(day) else "You said you cannot treat on this day."


def _chart(
    problem: Problem,
    catalogue: Catalogue,
    row: PestCase,
    plan: Plan,
    moved: Sequence[Moved],
    other: tuple[Evening, ...],
    now: datetime,
) -> ChartData:
    """The brood chart over the tried dates, with their own windows."""
    applications = tuple(
        replace(a, target=m.tried, earliest=min(m.earliest, m.tried), latest=max(m.latest, m.tried))
        for a, m in zip(plan.applications, moved, strict=True)
    )
    evenings = [(d.on, d.acts, "done") for d in problem.evenings_done]
    evenings += [(one.on, one.acts, "planned" if n else "next") for n, one in enumerate(other)]
    data = chart_data(
        problem.case,
        replace(plan, applications=applications),
        catalogue.records[row.pest_id],
        evenings,
        now=now,
    )
    was = iter(
        [None] * len(problem.evenings_done)
        + [evening(m.planned) if m.planned != m.tried else None for m in moved]
    )
    return replace(
        data, strokes=tuple(replace(stroke, was=next(was, None)) for stroke in data.strokes)
    )


def keep(desk: Desk, case_id: int, dates: Sequence[date]) -> None:
    """Keep the keeper's own dates, which `tried` has found possible, or return to the
    planner's with none.
    """
    row = cases.case(desk.session, case_id)
    row.own_dates = [day.isoformat() for day in dates]
    row.anew = not dates
