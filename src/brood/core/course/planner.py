"""The planner: the fewest evenings that clear the plant with the chance wanted, each
with its acts, its window and its reason.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import date, timedelta
from functools import cached_property

import numpy as np

from brood.core.biology.case import Case, Evening, Schedule
from brood.core.biology.kill import effect
from brood.core.biology.pest import ADULT
from brood.core.biology.substages import chain_of, require_development
from brood.core.climate.hours import evening
from brood.core.climate.series import window
from brood.core.course.growth import NEVER_CLEARS, growth_per_cycle
from brood.core.course.hold_below import Forecast, hold_below, holds
from brood.core.course.key_dates import Backbone, guard_stage, spared_stages
from brood.core.course.plan import Plan, PlannedEvening, Reason
from brood.core.course.problem import Problem
from brood.core.course.search import Draft, Search
from brood.core.course.windows import Window, windows
from brood.errors import InputError, NothingDevelops

Planner = Callable[[Problem], Plan]

DEFAULT_HORIZON_DAYS, LONGEST_HORIZON_DAYS = 90, 400
ROOM_DAYS, RULES_DAYS = 30, 48
"""How many days beyond the last possible date the population is tabulated."""
FAR_OFF = 0.3
NOTHING_ADDED = 0.0005
"""An act that adds no more than this to the chance is left out of an evening."""
LEAST_EFFECT = 0.05
INSPECT_DAYS = 14
SERVES = 0.001
AS_GOOD = 0.02
RULES: dict[str, tuple[int, ...]] = {
    "every-3-days-2-weeks": (0, 3, 6, 9, 12),
    "twice-weekly-4-weeks": (0, 3, 7, 10, 14, 17, 21, 24),
    "days-0-7-14": (0, 7, 14),
    "weekly-4": (0, 7, 14, 21),
    "every-5-days-4-weeks": (0, 5, 10, 15, 20, 25),
    "every-8-days-3": (0, 8, 16),
    "every-8-days-7-weeks": tuple(range(0, 49, 8)),
    "four-days-running": (0, 1, 2, 3),
    "every-14-days-4": (0, 14, 28, 42),
}
"""Rules of thumb by id: days after the first evening."""


def check(case: Case) -> None:
    """Raise InputError, naming the field, for a case without finds or acts, or whose
    acts touch nothing.
    """
    if not case.found:
        raise InputError(
            "Say what was found first: at least one stage with a number.",
            field="found",
            allowed="one group or more",
        )
    if not case.acts and any(a.kept for a in case.past):
        raise InputError(
            "What is kept up is no course by itself: choose a treatment for an evening too.",
            field="treatments",
            allowed="one act or more",
        )
    if not case.acts:
        raise InputError(
            "Choose at least one treatment.", field="treatments", allowed="one act or more"
        )
    if not 0 < case.reach <= 1:
        raise InputError(
            "Reach is the share that an evening touches: more than 0, at most 1.",
            field="reach",
            value=case.reach,
            allowed="0 to 1",
        )
    touched = [
        s
        for s in (*(s.id for s in case.pest.development), ADULT)
        if effect(case.acts, s, case.reach) >= LEAST_EFFECT
    ]
    if not touched:
        raise InputError(
            "None of these treatments does enough to any stage of this pest.",
            field="treatments",
            allowed="another treatment",
        )


def horizon_days(case: Case) -> int:
    """How many days a plan looks ahead: what the case says, otherwise 90 or two slow
    generations, whichever is longer.

    A slow generation is a quarter longer than the sum of the mean stage times at the
    mean temperature of the series.
    """
    if case.horizon_days is not None:
        return case.horizon_days
    days = sum(stage.rate.days(float(case.series.celsius.mean())) for stage in case.pest.stages)
    return (
        DEFAULT_HORIZON_DAYS
        if not math.isfinite(days)
        else min(LONGEST_HORIZON_DAYS, max(DEFAULT_HORIZON_DAYS, math.ceil(2.5 * days)))
    )


def problem_of(case: Case) -> Problem:
    """Tabulate a case over its horizon, as far as temperatures are known.

    Raises InputError for a case that cannot be planned, and NothingDevelops when from its
    start on it is too cold or too hot for anything to develop.
    """
    for one in (case, *case.also):
        check(one)
    first = min([case.start, *(f.on for f in case.found), *(d.on for d in case.done)])
    known = case.series.end.date() - timedelta(days=2)
    end = min(case.start + timedelta(days=horizon_days(case)), known)
    if end < case.start:
        raise InputError(
            "Temperatures are not known for as long as a plan takes.",
            field="temperature",
            allowed="a longer series",
        )
    ahead = evening(case.start), evening(max(end, case.start + timedelta(days=1)))
    try:
        require_development(chain_of(case.pest), window(case.series, *ahead))
    except NothingDevelops as still:
        still.inspect_on = case.start + timedelta(days=INSPECT_DAYS)
        raise
    case = _from_the_start(case, first)
    return Problem(
        case,
        end,
        min(max(end, case.start + timedelta(days=RULES_DAYS)) + timedelta(days=ROOM_DAYS), known),
    )


def _from_the_start(case: Case, first: date) -> Case:
    """The case with temperatures from the day before the first find on."""
    if case.series.start <= evening(first) - timedelta(days=1):
        return case
    series = window(case.series, evening(first) - timedelta(days=1), case.series.end)
    return replace(
        case, series=series, also=tuple(replace(one, series=series) for one in case.also)
    )


def plan(problem: Problem) -> Plan:
    """Plan the evenings of a tabulated case. Dates in `case.fixed` are kept as they are."""
    return _Planned(problem).plan()


def chosen(problem: Problem) -> tuple[Evening, ...]:
    """The evenings that `plan` would choose, without windows and reasons."""
    return _Planned(problem).evenings()


def rule_evenings(problem: Problem) -> dict[str, tuple[Evening, ...]]:
    """Every rule of thumb that ends within the tabulated time: its evenings from the
    first on, with all acts on each, whatever the label says.
    """
    start = problem.case.start
    return {
        name: tuple(Evening(start + timedelta(days=d), problem.acts) for d in days)
        for name, days in RULES.items()
        if start + timedelta(days=days[-1]) <= problem.last
    }


@dataclass
class _Planned:
    """One run of the planner."""

    problem: Problem

    def __post_init__(self) -> None:
        self.case = self.problem.case
        self.backbone = Backbone(self.case, self.problem.shares[0].table)
        self.warnings: list[str] = []
        self.found_gap = 0

    @cached_property
    def forecast(self) -> Forecast:
        """The number that feeds under any plan, where a number is to be held."""
        return Forecast(self.problem)

    @property
    def seen(self) -> bool:
        """Whether any of the pests was seen, and is not only suspected."""
        return any(not f.inferred for one in (self.case, *self.case.also) for f in one.found)

    def plan(self) -> Plan:
        """The dates with windows and reasons."""
        chosen = self.evenings()
        chance = float(self.problem.in_90(self.problem.chances([chosen]))[0])
        reaches = (
            chance >= self.case.target
            if self.case.keep_below is None
            else holds(self.forecast, chosen, self.case.keep_below)
        )
        holding = self.case.keep_below is not None
        spans = (
            [Window(one.day, one.day) for one in chosen]
            if holding
            else windows(self.problem, chosen, chance, self.case.target)
        )
        without = self._without(chosen)
        dates = [
            self._application(n, chosen, spans[n], (chance, without[n])) for n in range(len(chosen))
        ]
        laid_until = max(
            [self.case.start, *(e.on for e in chosen[:1]), *(f.on for f in self.case.found)]
        )
        growth = self._growth()
        self._warn(len(chosen), chance, growth, reaches=reaches)
        return Plan(
            tuple(dates),
            guard_stage(self.case),
            spared_stages(self.case),
            self.backbone.first_breeding,
            self.backbone.last_hatch(laid_until),
            self.backbone.generation(),
            self.backbone.slips(self.problem.least_gap),
            reaches,
            tuple(self.warnings),
            chance,
            self._gap(),
            growth,
        )

    def _gap(self) -> int:
        """The days between two dates of the course that was found, or the usual ones."""
        return self.found_gap or Search(self.problem, self.case.target).usual

    def _growth(self) -> float | None:
        """The growth from one treatment to the next, of the pest that grows most."""
        if not self.seen:
            return None
        return max(growth_per_cycle(s.case, self._gap()) for s in self.problem.shares)

    # -- dates --

    def evenings(self) -> tuple[Evening, ...]:
        """The evenings to plan: the keeper's own, or those promised before while they are
        as good, or the best there are. None where nobody saw anything.
        """
        # A suspicion is followed by looks, not by treatments.
        if not self.seen:
            return ()
        if self.case.keep_below is not None:
            return hold_below(self.forecast, self.case.keep_below)
        if self.case.fixed:
            return self._ahead(self.case.fixed)
        if (
            self.problem.evenings_done
            and float(self.problem.in_90(self.problem.chances([()]))[0]) >= self.case.target
        ):
            return ()
        draft = Search(self.problem, self.case.target).run()
        if draft is None:
            return ()
        self.found_gap = draft.gap
        # Dates in a calendar stay unless fewer would do: moving them costs the keeper more than
        # a better chance gains.
        return self._kept(draft) or self._tidied(draft)

    def _ahead(self, evenings: Schedule) -> tuple[Evening, ...]:
        """Those of some evenings that are still to come."""
        return tuple(
            Evening(one.on, one.acts)
            for one in sorted(evenings, key=lambda one: one.on)
            if one.on >= self.case.start
        )

    def _kept(self, draft: Draft) -> tuple[Evening, ...] | None:
        """The dates promised before, where they are as few as the best ones and as good
        as wanted, or as good as the best there is. Where nothing changes the chance, any
        date would be as good: one that lies a generation away is no course.
        """
        held, most = self._ahead(self.case.promised), len(draft.evenings)
        if not held or len(held) > most or not self.problem.keeps_limits(held):
            return None
        if held[0].day - draft.days[0] > self.problem.generation_days:
            return None
        own, best = map(float, self.problem.in_90(self.problem.chances([held, draft.evenings])))
        return held if own >= min(self.case.target, best - AS_GOOD) else None

    def _tidied(self, draft: Draft) -> tuple[Evening, ...]:
        """The dates without those acts that add nothing on them, as long as the target
        holds. What opens hiding places stays where it is first done: what is done after it
        reaches more.
        """
        whole = draft.evenings
        opens = {
            a: next(n for n, one in enumerate(whole) if a in one.acts)
            for one in whole
            for a in one.acts
            if self.problem.label[a].opens
        }
        pairs = [
            (n, a)
            for n, one in enumerate(whole)
            if len(one.acts) > 1
            for a in one.acts
            if self.problem.label[a].when == "planner" and opens.get(a) != n
        ]
        # Where hardly anything clears the plant, every act that takes some is worth doing.
        if not pairs or draft.chance < FAR_OFF:
            return whole
        chance = float(self.problem.in_90(self.problem.chances([whole]))[0])
        scenario, own = self.problem.ranked(whole)
        less = self.problem.chances([_less(whole, {p}) for p in pairs], scenario)[:, 0]
        # Begin with the act that is missed least.
        order = [pairs[i] for i in np.argsort(-less) if own - less[i] <= NOTHING_ADDED]
        dropped: set[tuple[int, str]] = set()
        for n, act in order:
            if _less(whole, dropped | {(n, act)})[n].acts:
                dropped.add((n, act))
        trial = _less(whole, dropped)
        enough = min(self.case.target, chance - 4 * NOTHING_ADDED)
        if dropped and float(self.problem.in_90(self.problem.chances([trial]))[0]) >= enough:
            return trial
        return whole

    def _without(self, chosen: tuple[Evening, ...]) -> list[float]:
        """The chance when each of the evenings is left out."""
        if not chosen:
            return []
        fewer = [(*chosen[:n], *chosen[n + 1 :]) for n in range(len(chosen))]
        return [float(c) for c in self.problem.in_90(self.problem.chances(fewer))]

    # -- windows and reasons --

    def _application(
        self, n: int, chosen: tuple[Evening, ...], span: Window, chances: tuple[float, float]
    ) -> PlannedEvening:
        day = chosen[n].on
        before = self._before(n, chosen)
        fast = None if before is None else self.backbone.fastest(before)
        short = 0
        if (
            self.case.keep_below is None
            and chances[0] < self.case.target
            and before is not None
            and fast is not None
        ):
            short = max(0, (day - before).days - max(0, math.ceil(fast) - 1))
        earliest, latest = (
            (day, day)
            if short
            else (date.fromordinal(span.earliest), date.fromordinal(span.latest))
        )
        reason = self._reason(n, day, before, fast, short, chances)
        return PlannedEvening(
            n + 1 + len(self.problem.evenings_done),
            earliest,
            day,
            latest,
            short,
            chosen[n].acts,
            reason,
            self._serves(n, chosen),
        )

    def _before(self, n: int, chosen: tuple[Evening, ...]) -> date | None:
        before = chosen[n - 1 : n] if n else self.problem.evenings_done[-1:]
        return before[0].on if before else None

    def _serves(self, n: int, chosen: tuple[Evening, ...]) -> tuple[str, ...]:
        """The ids of the pests for which the date counts."""
        if len(self.problem.shares) == 1:
            return (self.case.pest.id,)
        each = self.problem.each([chosen, (*chosen[:n], *chosen[n + 1 :])])
        ids = [
            s.case.pest.id
            for s, (whole, less) in zip(self.problem.shares, each, strict=True)
            if whole - less > SERVES
        ]
        return tuple(ids) or (self.case.pest.id,)

    def _reason(
        self,
        n: int,
        day: date,
        before: date | None,
        fast: float | None,
        short: int,
        chances: tuple[float, float],
    ) -> Reason:
        if self.case.keep_below is not None:
            return Reason(
                "keep",
                self.backbone.guard,
                self.backbone.event,
                None,
                None,
                self.backbone.celsius(day, 2),
                *chances,
            )
        if before is None:
            return self._first_reason(day, chances)
        breeds = None if fast is None else evening(before) + timedelta(days=fast)
        patch = self.problem.patch_ready is not None and day.toordinal() == self.problem.patch_ready
        overdue = n == 0 and day == self.case.start and breeds is not None and evening(day) > breeds
        kind = "after-patch" if patch else "overdue" if overdue else "short" if short else "repeat"
        return Reason(
            kind,
            self.backbone.guard,
            self.backbone.event,
            evening(before),
            breeds,
            self.backbone.celsius(before, fast or 7.0),
            *chances,
        )

    def _first_reason(self, day: date, chances: tuple[float, float]) -> Reason:
        breeding = self.backbone.first_breeding
        kind = (
            "first-laying" if any(f.stage == ADULT for f in self.case.found) else "first-immature"
        )
        if all(f.stage == self.case.pest.stages[0].id for f in self.case.found):
            kind = "first-hidden"
        stage = next((f.stage for f in self.case.found if not f.inferred), self.case.found[0].stage)
        return Reason(
            kind,
            stage,
            self.backbone.event,
            None,
            breeding.fast,
            self.backbone.celsius(day, 2),
            *chances,
        )

    def _warn(self, planned: int, chance: float, growth: float | None, *, reaches: bool) -> None:
        if effect(self.case.acts, ADULT, self.case.reach) < 0.25:
            self.warnings.append(
                "These treatments hardly touch the adults, which go on laying: add one that does."
            )
        if reaches or not self.seen:
            return
        most = self.case.limits.max_applications
        if most is not None and planned + len(self.problem.evenings_done) >= most:
            self.warnings.append(
                f"The limit of {most} evenings is reached before the course is complete."
            )
        if growth is not None and growth >= NEVER_CLEARS:
            self.warnings.append(
                "These treatments never clear this plant: from one evening to the next more grows "
                "back than they take."
            )
        elif chance < FAR_OFF or self.case.keep_below is not None:
            self.warnings.append(
                "No dates with these treatments reach the chance that is wanted: these come "
                "closest."
            )


def _less(whole: Schedule, dropped: set[tuple[int, str]]) -> tuple[Evening, ...]:
    return tuple(
        replace(one, acts=tuple(a for a in one.acts if (n, a) not in dropped))
        for n, one in enumerate(whole)
    )
