"""The one set of numbers of a case: its plan, the chances, what lives when, what the
counts say, and when it is over. Every page takes its numbers from here.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta
from threading import Lock

from cachetools import LRUCache, cached

from brood.catalogue.schema import PestRecord
from brood.core.biology.case import CardCatch, Case, Evening, Found, Inspection
from brood.core.biology.pest import DateSpan, Span
from brood.core.biology.rain import RENEW_DRY, fallen
from brood.core.climate.series import HourlySeries
from brood.core.course import planner
from brood.core.course.growth import NEVER_CLEARS
from brood.core.course.outcome import Outcome, outcomes
from brood.core.course.plan import Likely, Plan, PlannedEvening, Reason, Slip
from brood.core.course.problem import Problem
from brood.core.followup.all_clear import Clearing, NeededLook, clear_by, remaining
from brood.core.followup.course_ahead import CourseAhead, course_ahead
from brood.core.followup.look_days import LOOK_GAP_DAYS
from brood.core.followup.origin import origins
from brood.core.followup.posterior import Belief, as_learnt, learn, updated
from brood.core.population.spread import Spread
from brood.errors import InputError, LeftAlone, NothingDevelops
from brood.services.cases.assemble import Facts
from brood.services.cases.chart_data import Band, ChartData, Stroke, chart_data
from brood.store import kept
from brood.store.states import PlanState

SURE_ENOUGH = 0.6
VERDICTS = {"working": "Working", "stalled": "Stalled", "rising": "Rising"}
TWO, KEEP_TRIED = 2, 32
WORTH_MOVING = 0.02
"""Dates that stand are given up for others where those are better by more than this."""
AHEAD_DAYS = 30
"""What the counts say is worked out for so many days beyond the day of the plan."""
PLANNER: planner.Planner = planner.plan
HARDLY = 0.5
"""Dates that clear the plant less often than this without a look are said to fall short."""
SPARES_SHOWN = 4
"""So many spare evenings are shown at first: nobody plans by a wall of dates."""
COURSES = 60
"""How many courses are drawn to say how one will probably go."""


@dataclass(frozen=True)
class Dot:
    """What a look saw: the day, the number that a perfect look at the whole plant would
    have seen, and the number counted.
    """

    on: date
    count: float
    seen: float
    spread_days: int


@dataclass(frozen=True)
class Counted:
    """What the counts of a case say.

    `verdict` is the likeliest, empty before the first count after an evening, and
    `shares` how likely each is. `effective` is the share of the young in the open that
    an evening takes, `expected` what it should, `scale` how many times the number found
    was there. From `first` on, by day, what a perfect look should see: low, middle and
    high by the catalogue, and the middle as learnt. `sources` are the likely origins of
    what was last seen alive, on the day `live_on`.
    """

    verdict: str
    shares: tuple[tuple[str, float], ...]
    effective: float
    expected: float
    scale: float
    first: date
    low: tuple[float, ...]
    mid: tuple[float, ...]
    high: tuple[float, ...]
    learnt: tuple[float, ...]
    dots: tuple[Dot, ...]
    sources: tuple[tuple[str, float], ...]
    live_on: date | None

    @property
    def sure(self) -> bool:
        """Whether the verdict is sure enough to act on."""
        return dict(self.shares).get(self.verdict, 0.0) >= SURE_ENOUGH

    @property
    def said(self) -> str:
        """The verdict in a word. Empty where it is not sure."""
        return VERDICTS[self.verdict] if self.sure else ""


@dataclass(frozen=True)
class Trouble:
    """Why there are no dates: the state, a sentence, and what it speaks of: since when
    nothing is known, when to look again, the temperature (°C) at which development stops.
    """

    state: PlanState
    message: str
    since: date | None = None
    inspect_on: date | None = None
    limit_c: float | None = None
    too_hot: bool = False


@dataclass(frozen=True)
class Outlook:
    """All that follows from the facts of a case, on the day on which it was worked out.

    `digest` and `parts` identify the facts. `found` is what the plan reckons with, also
    what must be there unseen. `good_until` is the last day on which time alone changes
    nothing. `ahead` says which evenings are set and which are spare; `released` are
    dates that looks have taken back. Without dates `plan` and all after it are None,
    and `trouble` says why. In `brief` there is no chart and no end yet: it is of a
    closed case that nobody has looked at since.
    """

    digest: str
    parts: tuple[tuple[str, str], ...]
    made_on: date
    trouble: Trouble | None = None
    found: tuple[Found, ...] = ()
    celsius: float | None = None
    rain_mm: float | None = None
    plan: Plan | None = None
    outcome: Outcome | None = None
    counted: Counted | None = None
    clearing: Clearing | None = None
    ahead: CourseAhead | None = None
    released: tuple[date, ...] = ()
    reach: float = 0.9
    refuge: float = 0.02
    target: float = 0.95
    live_birth: bool = False
    held: bool = False
    brief: bool = False

    @property
    def waits_for_the_end(self) -> bool:
        """Whether it is still to be worked out when the case is over."""
        return self.plan is not None and self.clearing is None and not self.held

    @property
    def fixed(self) -> int:
        """How many of the coming evenings are done whatever a look finds."""
        coming = len(self.plan.applications) if self.plan else 0
        return coming if self.ahead is None else min(self.ahead.set, coming)

    @property
    def looks_due(self) -> tuple[date, ...]:
        """The days of coming evenings on which a look is made before treating, up to the
        one that decides whether more is needed.
        """
        if self.plan is None or self.ahead is None:
            return ()
        return tuple(a.target for a in self.plan.applications[: self.fixed + 1])[-2:]

    @property
    def decides_on(self) -> date | None:
        """The day of the look that decides about the spare evenings. None where no evening
        is to come, or where a number is held.
        """
        if self.plan is None or not self.plan.applications or self.held:
            return None
        coming = [a.target for a in self.plan.applications]
        after = coming[-1] + timedelta(days=LOOK_GAP_DAYS)
        return coming[self.fixed] if self.fixed < len(coming) else after

    @property
    def likely(self) -> Likely | None:
        """How the course will probably go, where that is worked out."""
        return self.clearing.likely if self.clearing else None

    @property
    def never_clears(self) -> bool:
        """Whether these treatments take less than grows back, whatever the dates."""
        growth = self.plan.growth if self.plan else None
        return growth is not None and growth >= NEVER_CLEARS

    @property
    def falls_short(self) -> bool:
        """Whether the dates hardly clear the plant, with looks or without."""
        if self.plan is None or not self.plan.applications or self.plan.reaches:
            return False
        if self.likely is not None and not self.never_clears:
            return self.likely.chance < self.target
        return self.never_clears or self.plan.chance < HARDLY

    @property
    def chance(self) -> float | None:
        """The chance that the dates clear the plant, by all that is known of how well
        its evenings go. None where that cannot be told yet.
        """
        if self.clearing is None or self.clearing.remains is None:
            return None
        return 1 - self.clearing.remains

    @property
    def chance_if_met(self) -> float | None:
        """The chance that they clear it if every evening meets what it is taken to meet,
        in nine of ten scenarios of warmth and speed.
        """
        return None if self.plan is None else self.plan.chance

    @property
    def seen(self) -> bool:
        """Whether anything was seen, and is not only suspected."""
        return any(not f.inferred for f in self.found)


kept.holds(
    Outlook, Trouble, Counted, Dot, Plan, PlannedEvening, Reason, Slip, Span, DateSpan, Found,
    CourseAhead, Likely, Outcome, Clearing, NeededLook, Inspection, CardCatch, Evening,
    ChartData, Band, Stroke, Spread, HourlySeries,
)  # fmt: skip


@dataclass(frozen=True, eq=False)
class WorkedOut:
    """An outlook with its chart, None where there is nothing to draw. When it is over is
    worked out at once only where nothing else is to come.
    """

    outlook: Outlook
    chart: ChartData | None


def work_out(
    facts: Facts,
    record: PestRecord,
    *,
    closed: bool = False,
    standing: bool = False,
    brief: bool = False,
) -> WorkedOut:
    """Plan a case and work out everything that its pages say. It takes a second or so.
    With `standing` its dates are taken as they stand; a closed case gets none. In `brief`
    its chart and its end are left out, until somebody looks.
    """
    belief = belief_of(facts)
    case = facts.case if belief is None else updated(belief)
    bare = _bare(facts)
    try:
        problem, plan = _planned(case, facts.promised, closed=closed, standing=standing)
    except InputError as error:
        return WorkedOut(replace(bare, trouble=trouble_of(error)), None)
    if not standing and not closed and _clean_today(facts):
        problem, plan = _no_longer(problem, plan, facts.promised)
    ahead = None if closed else _ahead(facts, plan, belief)
    released: tuple[date, ...] = ()
    # Dates that the keeper has set stay: looks take back only what was planned here.
    if ahead is not None and ahead.released and not facts.case.fixed:
        released = tuple(a.target for a in plan.applications)
        idle = float(problem.in_90(problem.chances([()]))[0])
        plan = replace(plan, applications=(), chance=idle, reaches=idle >= case.target)
    if facts.silent_since and plan.applications:
        # Its course was over. Numbers from before the silence cannot begin another.
        return WorkedOut(replace(bare, trouble=trouble_of(LeftAlone(facts.silent_since))), None)
    clearing = None if plan.applications or brief else _end(facts, plan, None)
    found = replace(
        bare,
        found=case.found,
        plan=plan,
        outcome=outcomes(problem, [plan.evenings])[0],
        counted=None if belief is None else _counted(belief),
        clearing=clearing,
        ahead=ahead,
        released=released,
        brief=brief,
    )
    return WorkedOut(found, None if brief else _chart(case, plan, record, facts.on, found))


def _clean_today(facts: Facts) -> bool:
    """Whether the look of today, the last there is, found nothing."""
    made = [x for x in facts.looks if x.on <= facts.on]
    last = max(made, key=lambda x: x.on, default=None)
    return last is not None and last.on == facts.on and not last.live


def _no_longer(problem: Problem, plan: Plan, promised: tuple[Evening, ...]) -> tuple[Problem, Plan]:
    """The plan, or the dates promised before where those are fewer: a look that found
    nothing makes no course longer. Dates that have become impossible, as by a state of the
    plant, do not stand.
    """
    if not promised or len(plan.applications) <= len(promised):
        return problem, plan
    if not problem.keeps_limits(promised):
        return problem, plan
    held = problem.treated(replace(problem.case, fixed=promised))
    return held, PLANNER(held)


def _bare(facts: Facts) -> Outlook:
    """What is known of a case without a plan."""
    case = facts.case
    return Outlook(
        facts.digest(),
        tuple(facts.parts().items()),
        facts.on,
        found=case.found,
        celsius=case.series.mean(*_coming(facts.on)),
        rain_mm=_fallen(case, facts.on),
        reach=case.reach,
        refuge=case.refuge,
        target=case.target,
        live_birth=case.pest.live_birth,
        held=case.keep_below is not None,
    )


def _fallen(case: Case, on: date) -> float | None:
    """The rain of a fortnight from the last evening on that is known or forecast, in mm.
    None where none reaches the plant.
    """
    if not case.rain:
        return None
    since = max((e.on for e in case.evenings_done if e.on <= on), default=case.start)
    return fallen(case.rain, since, since + timedelta(days=RENEW_DRY))


def _coming(on: date) -> tuple[datetime, datetime]:
    """The month to come."""
    begin = datetime.combine(on, time())
    return begin, begin + timedelta(days=AHEAD_DAYS)


def without_facts(error: InputError, on: date) -> Outlook:
    """The outlook of a case that cannot be put together as a value, and why."""
    trouble = trouble_of(error)
    return Outlook(f"{trouble.state} {trouble.since} {trouble.message}", (), on, trouble)


def trouble_of(error: InputError) -> Trouble:
    """Why there are no dates, as facts."""
    if isinstance(error, LeftAlone):
        return Trouble(PlanState.LEFT_ALONE, error.message, since=error.since)
    if isinstance(error, NothingDevelops):
        return Trouble(
            PlanState.STILL,
            error.message,
            inspect_on=error.inspect_on,
            limit_c=error.limit_c,
            too_hot=error.too_hot,
        )
    by_field = {"found": PlanState.NO_FIND, "temperature": PlanState.NO_WARMTH}
    by_field["place"] = PlanState.NO_WARMTH
    return Trouble(by_field.get(error.field, PlanState.TROUBLE), error.message)


def _planned(
    case: Case, promised: tuple[Evening, ...], *, closed: bool, standing: bool
) -> tuple[Problem, Plan]:
    """The case tabulated, and its plan. Dates that stand are kept where they reach what
    is wanted, or where planning anew would hardly be better.
    """
    if closed or (standing and not promised):
        problem = planner.problem_of(_without_more(case))
        return problem, PLANNER(problem)
    problem = planner.problem_of(replace(case, promised=promised))
    if not standing:
        return problem, PLANNER(problem)
    kept_problem = problem.treated(replace(problem.case, fixed=promised))
    plan = PLANNER(kept_problem)
    if plan.reaches or case.keep_below is not None:
        return kept_problem, plan
    anew = PLANNER(problem)
    better = anew.chance > plan.chance + WORTH_MOVING
    return (problem, anew) if better else (kept_problem, plan)


def _without_more(case: Case) -> Case:
    """A case for which nothing more is to be planned."""
    return replace(
        case, fixed=(), limits=replace(case.limits, max_applications=len(case.evenings_done))
    )


def belief_of(facts: Facts) -> Belief | None:
    """What the counts say. None where nothing was counted since the first find, or only
    one card once.
    """
    first = min(f.on for f in facts.case.found)
    looks = tuple(x for x in facts.looks if first < x.on <= facts.on)
    cards = tuple(c for c in facts.cards if first <= c.since and c.until <= facts.on)
    if not looks and len(cards) < TWO:
        return None
    return learn(facts.case, looks, cards, facts.on + timedelta(days=AHEAD_DAYS))


def _counted(belief: Belief) -> Counted:
    done = [d.on for d in belief.case.evenings_done]
    told = bool(done) and belief.last > min(done)
    live = next((x for x in reversed(belief.looks) if x.live), None)
    low, mid, high = (tuple(map(float, v)) for v in belief.band())
    return Counted(
        belief.verdict if told else "",
        tuple(belief.verdicts().items()),
        belief.effective,
        belief.expected,
        belief.scale,
        belief.first,
        low,
        mid,
        high,
        tuple(map(float, belief.learnt()[1])),
        tuple(
            Dot(x.on, x.live / (x.share * x.thorough), x.live, x.spread_days) for x in belief.looks
        ),
        tuple(origins(belief, live).items()) if live else (),
        live.on if live else None,
    )


def _ahead(
    facts: Facts, plan: Plan, belief: Belief | None, *, courses: int = 0
) -> CourseAhead | None:
    """Which of the coming evenings are set, by the looks so far. None where nothing is
    planned, or where a number is held.
    """
    if facts.case.keep_below is not None or not plan.applications:
        return None
    case = facts.case if belief is None else as_learnt(belief)
    looks = [x for x in facts.looks if x.on <= facts.on]
    return course_ahead(case, plan, looks, facts.on, courses=courses)


def end_of(facts: Facts, plan: Plan, *, closed: bool = False) -> Clearing | None:
    """When a case is over, from what was done, planned and counted, and how its course
    will probably go. None where it is held under a number. It takes a second or so.

    If every look finds nothing only the set evenings are done. The chance that remains
    by the looks so far is that of all evenings.
    """
    open_list = not closed and plan.applications
    ahead = _ahead(facts, plan, belief_of(facts), courses=COURSES) if open_list else None
    return _end(facts, plan, ahead)


def _end(facts: Facts, plan: Plan, ahead: CourseAhead | None) -> Clearing | None:
    """The same, with what is set of the coming evenings."""
    if facts.case.keep_below is not None:
        return None
    coming = plan.evenings if ahead else ()
    fixed = ahead.set if ahead else 0
    schedule = (*facts.case.done, *coming[:fixed])
    found = clear_by(facts.case, schedule, facts.looks, facts.cards, facts.on)
    if fixed == len(coming):
        return replace(found, likely=ahead.likely if ahead else None)
    left = found.remains
    if found.matured is not None:
        end = max([found.matured, *(one.on for one in coming)])
        schedule = (*facts.case.done, *coming)
        left = remaining(facts.case, schedule, facts.looks, facts.cards, facts.on, end)
    return replace(found, remains=left, likely=ahead.likely if ahead else None)


def _chart(case: Case, plan: Plan, record: PestRecord, on: date, found: Outlook) -> ChartData:
    """The brood chart over the evenings done and to come."""
    clearing, fixed = found.clearing, found.fixed
    evenings = [(d.on, d.acts, "done") for d in case.evenings_done]
    evenings += [
        (a.target, a.acts, "spare" if n >= fixed else "planned" if n else "next")
        for n, a in enumerate(plan.applications[: fixed + SPARES_SHOWN])
    ]
    until = [on + timedelta(days=7)]
    if not plan.applications and clearing is not None and clearing.needed:
        until.append(clearing.needed[0].on)
    return chart_data(
        case,
        plan,
        record,
        evenings,
        now=datetime.combine(on, time()),
        until=until,
        looks=found.looks_due,
        released=found.released,
    )


def next_day(outlook: Outlook) -> date | None:
    """The next day for which the outlook expects something of the keeper: an evening, or
    a look where none is to come. None where it expects nothing.
    """
    if outlook.plan is not None and outlook.plan.applications:
        return outlook.plan.applications[0].target
    if outlook.clearing is not None and outlook.clearing.needed:
        return outlook.clearing.needed[0].on
    return None


def dates_tried(facts: Facts) -> tuple[date, ...]:
    """The evenings that a case would have, where only that is asked: with other figures,
    and nothing is kept of it.
    """
    return _dates_tried(f"{facts.digest()} {facts.promised}", facts)


@cached(LRUCache(KEEP_TRIED), key=lambda told, _: told, lock=Lock())
def _dates_tried(_told: str, facts: Facts) -> tuple[date, ...]:
    return tuple(a.target for a in PLANNER(problem_of(facts)).applications)


def problem_of(facts: Facts) -> Problem:
    """The case tabulated, for pages on which other acts, dates or figures are tried."""
    belief = belief_of(facts)
    case = facts.case if belief is None else updated(belief)
    return planner.problem_of(replace(case, promised=facts.promised))
