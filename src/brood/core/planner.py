"""The first planner: two bounds, one for the gap and one for the length of the course.

A planner is a function from a `Case` to a `Plan`; this one needs no population model. The gap comes from the fast side
and the warm end: half the fastest time from leaving the last spared stage to the first own egg, so that whatever has come
out of hiding is met twice before it breeds. The length comes from the slow side and the cool end: repeat until the last
hidden stage is out and has been met at least twice.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from brood.core.chain import Clock, chain_of, clock, require_development
from brood.core.evening import effect, evening
from brood.core.temperature import window
from brood.core.timeline import dates, time_between
from brood.core.types import ADULT, Act, Application, Case, DateSpan, Found, Plan, Reason, Slip, Span
from brood.errors import InputError

Planner = Callable[[Case], Plan]

SPARED_BELOW = 0.25
"""A stage counts as spared when reach × kill, over all acts of an evening, is under this share."""
QUIET_GAP_DAYS = 2
"""No course asks for an evening every day: plants do not bear it and nobody keeps it up. `limits` can lower it."""
TEST_PATCH_DAYS = 2
MEETINGS = 2
MOST_EVENINGS = 40
DEFAULT_HORIZON_DAYS, LONGEST_HORIZON_DAYS = 90, 500


def spared_stages(case: Case) -> tuple[str, ...]:
    """Ids of the immature stages that an evening with all the case's acts spares, in order of development."""
    return tuple(s.id for s in case.pest.development if effect(case.acts, s.id, case.reach) < SPARED_BELOW)


def guard_stage(case: Case) -> str:
    """The stage whose end starts the clock: the last spared one, or the least affected one where none is spared."""
    spared = spared_stages(case)
    if spared:
        return spared[-1]
    return min(case.pest.development, key=lambda s: round(effect(case.acts, s.id, case.reach), 6)).id


def first_planner(case: Case) -> Plan:
    """Plan the evenings of a case by the two bounds.

    Raises InputError for a case without finds or acts, or whose acts touch nothing; NothingDevelops when it is too cold.
    """
    _check(case)
    chain = chain_of(case.pest)
    series = window(case.series, evening(_first_day(case)) - timedelta(days=1), evening(_first_day(case)) + timedelta(days=_reach_days(case)))
    require_development(chain, series)
    return _Course(case, clock(chain, series)).plan()


def _check(case: Case) -> None:
    if not case.found:
        raise InputError("Say what was found first: at least one stage with a number.", field="found", allowed="one group or more")
    if not case.acts:
        raise InputError("Choose at least one treatment.", field="treatments", allowed="one act or more")
    if not 0 < case.reach <= 1:
        raise InputError("Reach is the share that an evening touches: more than 0, at most 1.", field="reach", value=case.reach, allowed="0 to 1")
    touched = [s for s in (*(s.id for s in case.pest.development), ADULT) if effect(case.acts, s, case.reach) >= SPARED_BELOW]
    if not touched:
        raise InputError("None of these treatments does enough to any stage of this pest.", field="treatments", allowed="another treatment")


def horizon_days(case: Case) -> int:
    """How many days a plan looks ahead: as the case says, else 90 or two slow generations, whichever is longer.

    A slow generation is taken as a quarter above the sum of the mean stage times at the series' mean temperature.
    """
    if case.horizon_days is not None:
        return case.horizon_days
    days = sum(stage.rate.days(float(case.series.celsius.mean())) for stage in case.pest.stages)
    return DEFAULT_HORIZON_DAYS if not math.isfinite(days) else min(LONGEST_HORIZON_DAYS, max(DEFAULT_HORIZON_DAYS, math.ceil(2.5 * days)))


def _first_day(case: Case) -> date:
    return min([case.start, *(f.on for f in case.found), *(d.on for d in case.done)])


def _reach_days(case: Case) -> int:
    span = (max([case.start, *(d.on for d in case.done)]) - _first_day(case)).days
    return span + 2 * max(horizon_days(case), 30)


@dataclass
class _Course:
    """One run of the first planner over a case."""

    case: Case
    clock: Clock

    def __post_init__(self) -> None:
        self.pest = self.case.pest
        self.guard = guard_stage(self.case)
        self.out = self.pest.index(self.guard) + 1
        self.laying = len(self.pest.stages)
        self.horizon = self.case.start + timedelta(days=horizon_days(self.case))
        self.warnings: list[str] = []
        first = min((d.on for d in self.case.done), default=self.case.start)
        self.patch_ready = first + timedelta(days=TEST_PATCH_DAYS) if self.case.test_patch else None
        self._outs: dict[date, datetime | None] = {}
        self._breeding: DateSpan | None = None

    # -- the two bounds ---------------------------------------------------------------------------------------------

    def fastest(self, day: date) -> float | None:
        """Days from leaving the guard stage on that evening to the first own egg, fast side and warm end."""
        return time_between(self.clock, evening(day), self.out, self.laying, until=0.05)[0]

    def last_out(self, day: date) -> datetime | None:
        """When the slowest, coolest egg laid on that evening has left the guard stage."""
        if day not in self._outs:
            days = time_between(self.clock, evening(day), 0, self.out)[2]
            self._outs[day] = None if days is None else evening(day) + timedelta(days=days)
        return self._outs[day]

    # -- rules for a day --------------------------------------------------------------------------------------------

    def floor(self, acts: Iterable[Act]) -> int:
        """Least days between two evenings."""
        own = self.case.limits.min_gap_days
        return own if own is not None else max(QUIET_GAP_DAYS, min(act.min_gap_days for act in acts))

    def allowed(self, day: date, before: list[tuple[date, tuple[str, ...]]]) -> tuple[str, ...]:
        """Ids of the acts that may be done on that day, after those done or planned before."""
        ids = []
        for act in self.case.acts:
            uses = [on for on, acts in before if act.id in acts]
            gap = act.min_gap_days if self.case.limits.min_gap_days is None else self.case.limits.min_gap_days
            waits = not act.by_hand and self.patch_ready is not None and day < self.patch_ready
            spent = act.max_applications is not None and len(uses) >= act.max_applications
            if not waits and not spent and not (uses and (day - max(uses)).days < gap):
                ids.append(act.id)
        return tuple(ids)

    def next_possible(self, day: date, before: list[tuple[date, tuple[str, ...]]]) -> date | None:
        """The first day from `day` on that the keeper can do and some act may be used."""
        while day <= self.horizon:
            if self.case.limits.admits(day) and self.allowed(day, before):
                return day
            day += timedelta(days=1)
        return None

    # -- the course -------------------------------------------------------------------------------------------------

    def plan(self) -> Plan:
        """Build the course date by date."""
        done = sorted(self.case.done, key=lambda d: d.on)
        before = [(d.on, d.acts) for d in done]
        slips, laid_until = self._slips([d.on for d in done])
        planned: list[Application] = []
        complete = True
        while True:
            days = [day for day, _ in before]
            last_out = self.last_out(laid_until or (days[0] if days else self.case.start))
            if last_out is not None and sum(1 for d in days if evening(d) >= last_out) >= MEETINGS:
                break
            application = self._next(before, last_out, len(before) + 1)
            if application is None or self._limit_reached(before):
                complete = False
                break
            planned.append(application)
            before.append((application.target, application.acts))
            if application.reason.kind == "overdue" and laid_until is not None:
                laid_until = max(laid_until, application.target)
            if laid_until is None and len(before) == 1:
                laid_until = max(application.target, self.patch_ready or application.target)
        if not complete:
            self._say_incomplete(before)
        return self._answer(planned, slips, laid_until or self.case.start, complete)

    def _limit_reached(self, before: list[tuple[date, tuple[str, ...]]]) -> bool:
        most = self.case.limits.max_applications
        return len(before) >= (MOST_EVENINGS if most is None else min(most, MOST_EVENINGS))

    def _say_incomplete(self, before: list[tuple[date, tuple[str, ...]]]) -> None:
        if self._limit_reached(before):
            self.warnings.append(f"The limit of {len(before)} evenings is reached before the course is complete.")
        else:
            self.warnings.append("The course is not complete within the time looked at: it is too cool, or no treatment may be used again.")

    def _slips(self, done: list[date]) -> tuple[tuple[Slip, ...], date | None]:
        """What late evenings let through, and the last evening up to which eggs may have been laid (adults seen count)."""
        if not done:
            return (), None
        slips = []
        laid_until = max([done[0], self.patch_ready or done[0], *(f.on for f in self.case.found if f.stage == ADULT)])
        for earlier, later in itertools.pairwise(done):
            fast = self.fastest(earlier)
            if fast is None:
                continue
            latest = earlier + timedelta(days=max(self._whole(fast), self.floor(self.case.acts)))
            if later > latest:
                slips.append(Slip(later, latest, evening(earlier) + timedelta(days=fast), self.guard, self._event()))
                laid_until = max(laid_until, later)
        return tuple(slips), laid_until

    @staticmethod
    def _whole(fast: float) -> int:
        """Whole days before the first breeding: the last evening that still comes before it."""
        return max(0, math.ceil(fast) - 1)

    def _next(self, before: list[tuple[date, tuple[str, ...]]], last_out: datetime | None, n: int) -> Application | None:
        if not before:
            return self._first()
        previous = before[-1][0]
        fast = self.fastest(previous)
        if fast is None:
            return None
        earliest = self.next_possible(max(previous + timedelta(days=self.floor(self.case.acts)), self.case.start), before)
        if earliest is None:
            return None
        bound = previous + timedelta(days=self._whole(fast))
        wanted = previous + timedelta(days=int(fast / 2))
        if self._patch_open(before):
            earliest = wanted = self.next_possible(max(earliest, self.patch_ready or earliest), before) or earliest
        target = self._latest_possible(earliest, wanted, before)
        latest = self._latest_possible(target, bound, before)
        short = max(0, (target - bound).days)
        return Application(n, earliest if not short else target, target, latest, short, self.allowed(target, before),
                           self._reason(previous, fast, last_out, target, short, self._patch_open(before)))  # fmt: skip

    def _patch_open(self, before: list[tuple[date, tuple[str, ...]]]) -> bool:
        """Whether the test patch has kept every spray back so far."""
        sprays = {act.id for act in self.case.acts if not act.by_hand}
        return self.patch_ready is not None and not any(sprays & set(acts) for _, acts in before)

    def _latest_possible(self, first: date, last: date, before: list[tuple[date, tuple[str, ...]]]) -> date:
        """The last day up to `last` on which as many acts as possible can be done; `first` when there is none."""
        best = first
        for step in range((last - first).days + 1):
            day = first + timedelta(days=step)
            if self.case.limits.admits(day) and len(self.allowed(day, before)) >= len(self.allowed(best, before)):
                best = day
        return best

    def _first(self) -> Application | None:
        start = self.next_possible(self.case.start, [])
        if start is None:
            return None
        breeding = self.breeding_of_found()
        kind = "first-laying" if any(f.stage == ADULT for f in self.case.found) else "first-immature"
        if all(f.stage == self.pest.stages[0].id for f in self.case.found):
            kind = "first-hidden"
        latest = start
        if kind != "first-laying" and breeding.fast is not None:
            bound = min(breeding.fast - timedelta(days=1), evening(start) + timedelta(days=3))
            latest = self._latest_possible(start, bound.date(), [])
        stage = next((f.stage for f in self.case.found if not f.inferred), self.case.found[0].stage)
        reason = Reason(kind, stage, self._event(), None, breeding.fast, self._celsius(start, 2), None)
        return Application(1, start, start, latest, 0, self.allowed(start, []), reason)

    def _reason(self, previous: date, fast: float, last_out: datetime | None, target: date, short: int, patch: bool) -> Reason:
        breeds = evening(previous) + timedelta(days=fast)
        closing = last_out is not None and evening(target) >= last_out
        overdue = target > previous + timedelta(days=self._whole(fast)) and target == self.case.start and short > 0
        kind = "after-patch" if patch else "overdue" if overdue else "short" if short else "closing" if closing else "repeat"
        return Reason(kind, self.guard, self._event(), evening(previous), breeds, self._celsius(previous, fast), last_out)

    def _celsius(self, day: date, days: float) -> float:
        return self.clock.series.mean(evening(day), evening(day) + timedelta(days=max(days, 1.0)))

    def _event(self) -> str:
        return self.pest.stages[self.out - 1].ends_with

    # -- the backbone dates -----------------------------------------------------------------------------------------

    def breeding_of_found(self) -> DateSpan:
        """When the found immatures, or the first hatchlings of eggs that must be there, could first lay.

        The earliest group counts. Adults found are laying already: their eggs count as about to hatch.
        """
        if self._breeding is not None:
            return self._breeding
        first: tuple[float, Found] | None = None
        for group in self.case.found:
            fast = self._breeding_hours(group, 0.05)[0]
            if fast is not None and (first is None or fast < first[0]):
                first = (fast, group)
        self._breeding = DateSpan(None, None, None) if first is None else dates(self.clock, self._breeding_hours(first[1], 0.95))
        return self._breeding

    def _breeding_hours(self, group: Found, until: float) -> list[float | None]:
        """Hours after the series' start at which a group's members, or an adult's first young, could first breed."""
        chain = self.clock.chain
        state = chain.entering(0 if self.pest.live_birth else 1) if group.stage == ADULT else chain.spread(self.pest.index(group.stage))
        hour = (evening(group.on) - self.clock.series.start) / timedelta(hours=1)
        return self.clock.passages(state, hour, [self.laying], until)[0]

    def _answer(self, planned: list[Application], slips: tuple[Slip, ...], laid_until: date, complete: bool) -> Plan:
        hatch = time_between(self.clock, evening(laid_until), 0, self.out)
        last = DateSpan(*(None if q is None else evening(laid_until) + timedelta(days=q) for q in hatch))
        if effect(self.case.acts, ADULT, self.case.reach) < SPARED_BELOW:
            self.warnings.append("These treatments hardly touch the adults, which go on laying: add one that does.")
        cycle = Span(*time_between(self.clock, evening(self.case.start), 0, self.laying))
        if any(a.short_by_days and a.reason.kind == "short" for a in planned):
            self.warnings.append(
                "These treatments cannot come as close together as the pest breeds: some will lay between two dates, "
                "so this course alone may not clear it."
            )
        return Plan(
            tuple(planned), self.guard, spared_stages(self.case), self.breeding_of_found(), last, cycle, slips, complete, tuple(self.warnings)
        )
