"""A case as a planner sees it: which acts may be done on which days, and the chance of
any list of dated acts.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import cached_property

import numpy as np

from brood.core.biology.case import Act, Case, Evening, Schedule
from brood.core.biology.rain import Exposure, wets
from brood.core.biology.substages import Array
from brood.core.climate.hours import evening
from brood.core.course.effects import ActEffects
from brood.core.population.day_table import DayTable, day_table
from brood.core.population.extinction import LivesOn, alive_after, clearing, rank, untreated

TEST_PATCH_DAYS = 2
MOST_EVENINGS = 25
SHORT_WAIT_DAYS = 2
MOST_SPRAYS, SPRAY_DAYS = 5, 21
"""No more sprays than this within so many days (our judgement, C)."""
SPRAYS_RUNNING = 6
"""After so many sprays hand work goes on alone for SPRAY_DAYS (our judgement, C)."""


@dataclass(frozen=True, eq=False)
class Share:
    """One pest's part of a problem: its case, its table, the effects of the acts on it,
    and the pass without treatment.
    """

    case: Case
    table: DayTable
    effects: ActEffects
    after: LivesOn

    @classmethod
    def of(cls, case: Case, last: date) -> Share:
        """Tabulate a case up to a day."""
        table = day_table(case, last)
        return cls(case, table, ActEffects(table, case), untreated(table))

    def treated(self, case: Case) -> Share:
        """The same pest under the acts and the reach of another case."""
        return Share(case, self.table, ActEffects(self.table, case), self.after)

    def only(self, scenario: int) -> Share:
        """The same in one scenario."""
        table = self.table.only(scenario)
        return Share(self.case, table, ActEffects(table, self.case), untreated(table))


@dataclass(frozen=True)
class _Rule:
    """What limits an act: the least days between two uses, by its label and as is
    usual, the most uses, the first day, the days before a harvest, evenings that are too
    hot, days on which it is kept off, what it clashes with, and when it is asked for.
    """

    gap: int
    usual: int
    most: int | None
    ready: int
    closed: range
    hot: frozenset[int]
    off: frozenset[int]
    clashes: frozenset[str]
    when: str

    def allows(self, day: int, uses: Sequence[int]) -> bool:
        """Whether the act is allowed on a day after earlier uses."""
        if uses and day - uses[-1] < self.gap:
            return False
        return (
            (self.most is None or len(uses) < self.most)
            and day >= self.ready
            and day not in self.closed
            and day not in self.hot
            and day not in self.off
        )

    def usually(self, day: int, uses: Sequence[int]) -> bool:
        """The same at the usual distance from the last use."""
        return self.allows(day, uses) and not (uses and day - uses[-1] < self.usual)

    def asks(self, n: int) -> bool:
        """Whether the act may be wanted on the n-th date, counted from 0."""
        if self.when in ("planner", "always"):
            return True
        return n == 0 if self.when == "first" else n % int(self.when.removeprefix("every-")) == 0


class Problem:
    """A case tabulated over the days up to `last`, with dates up to `end`. Further
    pests of the plant share the dates and the weights of the scenarios.
    """

    def __init__(self, case: Case, end: date, last: date, shares: tuple[Share, ...] = ()) -> None:
        self.case, self.last = case, last
        self.shares = shares or tuple(Share.of(one, last) for one in (case, *case.also))
        self.weights = self.shares[0].table.weights
        self.acts = tuple(dict.fromkeys(a.id for one in (case, *case.also) for a in one.acts))
        self.label = {a.id: a for one in (*case.also, case) for a in one.acts}
        self.done = tuple(sorted(case.done, key=lambda d: d.on))
        self.evenings_done = case.evenings_done
        self.start, self.end = case.start.toordinal(), end.toordinal()
        self._days = frozenset(
            d
            for d in range(self.start, last.toordinal() + 1)
            if case.limits.admits(date.fromordinal(d))
        )
        self.harvest = case.limits.harvest.toordinal() if case.limits.harvest else None
        self._scenario: dict[int, tuple[Share, ...]] = {}

    def treated(self, case: Case) -> Problem:
        """The same finds and temperatures under other acts, another reach or other limits."""
        shares = tuple(
            share.treated(one) for share, one in zip(self.shares, (case, *case.also), strict=True)
        )
        return Problem(case, date.fromordinal(self.end), self.last, shares)

    # -- what may be done --

    def gap(self, act: str) -> int:
        """Least days between two uses of an act."""
        own = self.case.limits.min_gap_days
        return own if own is not None else self.label[act].min_gap_days

    def most(self, act: str) -> int | None:
        """The most uses of an act, those already done included."""
        own = self.case.limits.max_applications
        return own if own is not None else self.label[act].max_applications

    @cached_property
    def least_gap(self) -> int:
        """Least days between two dates."""
        return min(self.gap(a) for a in self.acts)

    @cached_property
    def generation_days(self) -> float:
        """Days from egg to egg of the slowest of the pests at the mean temperature, at
        most 60.
        """
        celsius = float(self.case.series.celsius.mean())
        return max(
            sum(min(stage.rate.days(celsius), 60.0) for stage in s.case.pest.stages)
            for s in self.shares
        )

    @cached_property
    def most_dates(self) -> int:
        """The most dates that may still be planned."""
        own = self.case.limits.max_applications
        return max(
            0, MOST_EVENINGS if own is None else min(own - len(self.evenings_done), MOST_EVENINGS)
        )

    @cached_property
    def patch_ready(self) -> int | None:
        """The day from which every spray is allowed, where a patch is tested first."""
        waits = [
            a.not_before.toordinal()
            for a in self.label.values()
            if a.not_before and a.not_before > self.case.start
        ]
        if self.case.test_patch:
            waits.append(
                min(self.start, self.evenings_done[0].day if self.evenings_done else self.start)
                + TEST_PATCH_DAYS
            )
        return max(waits, default=None)

    def spent(self, act: str) -> bool:
        """Whether an act has had all its uses."""
        most = self.most(act)
        return most is not None and len(self._used[act]) >= most

    def admits(self, day: int) -> bool:
        """Whether the keeper can treat on that day."""
        return day in self._days

    def allowed(self, act: str, day: int, uses: Sequence[int]) -> bool:
        """Whether an act is allowed on a day after earlier uses of it."""
        return self._rules[act].allows(day, uses)

    def next_day(self, day: int, *, beyond: bool = False) -> int | None:
        """The first day, from that one on, on which the keeper can treat: within the
        horizon, or `beyond` it as far as the table goes.
        """
        while day <= (self.last.toordinal() if beyond else self.end):
            if self.admits(day):
                return day
            day += 1
        return None

    def fill(self, days: Sequence[int]) -> tuple[Evening, ...] | None:
        """Evenings on these days (ordinals) with their acts, each act as soon as it is
        usual. None when a day or a necessary act is not allowed.
        """
        if (
            not days
            or days[-1] > self.end
            or days[0] > self.first_by
            or not all(day in self._days for day in days)
        ):
            return None
        used = {act: list(days) for act, days in self._used.items()}
        out, begun, sprayed = [], len(self.evenings_done), list(self._sprayed)
        for n, day in enumerate(days):
            ids: list[str] = []
            worn = self._spares_leaves and worn_out(sprayed, day)
            for act, rule in self._released_first:
                if not rule.asks(n + begun):
                    continue
                uses, spared = used[act], worn and self.label[act].wears
                mixed = rule.clashes.intersection(ids) or self._too_near(act, day, used)
                if rule.usually(day, uses) and not spared and not mixed:
                    uses.append(day)
                    ids.append(act)
                elif rule.when == "always":
                    return None
            if not ids:
                return None
            if any(self.label[act].wears for act in ids):
                sprayed.append(day)
            out.append(Evening(date.fromordinal(day), tuple(ids)))
        return tuple(out)

    @cached_property
    def first_by(self) -> int:
        """The last day for the first date. Nobody waits long while something feeds and
        breeds, whatever waiting would save.
        """
        eggs = all(
            f.stage == s.case.pest.stages[0].id and not s.case.pest.live_birth
            for s in self.shares
            for f in s.case.found
        )
        first = next(
            (
                d
                for d in sorted(self._days)
                if any(self._rules[a].allows(d, self._used[a]) for a in self.acts)
            ),
            self.end,
        )
        # Eggs alone feed on nothing yet, and a course that has begun sets its own pace.
        if eggs or self.evenings_done or self.case.keep_below is not None:
            return self.end
        return min(self.end, first + max(SHORT_WAIT_DAYS, round(self.generation_days / 10)))

    @property
    def _spares_leaves(self) -> bool:
        """Whether the usual limits of wear hold: limits of the keeper's own replace them."""
        limits = self.case.limits
        return limits.min_gap_days is None and limits.max_applications is None

    @cached_property
    def _sprayed(self) -> list[int]:
        """The days on which something was sprayed that wears."""
        wears = [self._used[a] for a in self.acts if self.label[a].wears]
        return sorted({day for days in wears for day in days})

    @cached_property
    def _used(self) -> dict[str, list[int]]:
        """The days on which each act was used so far."""
        return {
            a: [
                *(day.toordinal() for day in self.label[a].used),
                *(d.day for d in self.done if a in d.acts),
            ]
            for a in self.acts
        }

    @cached_property
    def _released_first(self) -> list[tuple[str, _Rule]]:
        """The rules, those of living helpers first."""
        return sorted(self._rules.items(), key=lambda pair: not self.label[pair[0]].released)

    @cached_property
    def _rules(self) -> dict[str, _Rule]:
        """What limits each act."""
        return {a: self._rule(a) for a in self.acts}

    def _rule(self, act: str) -> _Rule:
        label = self.label[act]
        closed = (
            range(0)
            if self.harvest is None or label.by_hand
            else range(self.harvest - label.harvest_days + 1, self.harvest + 1)
        )
        patched = self.patch_ready if self.case.test_patch and label.wears else None
        ready = label.not_before.toordinal() if label.not_before else patched or 0
        own = self.case.limits.min_gap_days
        usual = label.usual_gap_days if own is None else own
        return _Rule(
            self.gap(act),
            usual,
            self.most(act),
            ready,
            closed,
            self._hot(label.hottest_c),
            self._off(label),
            self._clashes(act),
            label.when,
        )

    def _hot(self, hottest_c: float | None) -> frozenset[int]:
        """The evenings on which it is hotter than that by the series."""
        series = self.case.series
        if hottest_c is None or float(series.celsius.max()) <= hottest_c:
            return frozenset()
        return frozenset(
            day
            for day in self._days
            if (at := evening(date.fromordinal(day))) <= series.end
            and float(series.celsius[int(series.hour_of(at))]) > hottest_c
        )

    def _off(self, label: Act) -> frozenset[int]:
        """The days on which an act is kept off: by a state of the plant, or for rain that
        is forecast for the evening.
        """
        spans = [range(a.toordinal(), b.toordinal() + 1) for a, b in label.not_on]
        wet = self._wet if label.rain != Exposure.NONE else frozenset()
        return wet.union(*spans)

    @cached_property
    def _wet(self) -> frozenset[int]:
        """The days whose evening is wet, by what is known of the rain."""
        known = {r.on + timedelta(days=n) for r in self.case.rain for n in (-1, 0)}
        return frozenset(day.toordinal() for day in known if wets(self.case.rain, day))

    def _clashes(self, act: str) -> frozenset[str]:
        """The acts that are not used on its evening."""
        others = {a.id for a in self.label.values() if act in a.clashes}
        return frozenset(others | self.label[act].clashes)

    def _too_near(self, act: str, day: int, used: Mapping[str, Sequence[int]]) -> bool:
        """Whether another act was used too few days before for this one."""
        return any(
            bool(used.get(other)) and day - used[other][-1] < days
            for other, days in self.label[act].apart
        )

    def keeps_limits(self, plan: Schedule) -> bool:
        """Whether the keeper can treat on every evening, and every act on it is allowed."""
        used = {act: list(days) for act, days in self._used.items()}
        before = self.evenings_done[-1].day if self.evenings_done else None
        for one in plan:
            day = one.day
            if not self.admits(day) or (before is not None and day - before < self.least_gap):
                return False
            for act in one.acts:
                if not self.allowed(act, day, used[act]):
                    return False
                if self._rules[act].clashes.intersection(one.acts):
                    return False
                if self._too_near(act, day, used):
                    return False
                used[act].append(day)
            before = day
        return True

    # -- what it does --

    def chances(self, plans: Sequence[Schedule], scenario: int | None = None) -> Array:
        """The chance that several schedules clear every pest, together with what was
        done: [plans, scenarios].
        """
        schedules = [(*self.done, *plan) for plan in plans]
        shares = self.shares if scenario is None else self.only(scenario)
        logs = [clearing(s.table, s.effects.exposure(schedules), s.after) for s in shares]
        out: Array = np.exp(sum(logs))
        return out

    def each(self, plans: Sequence[Schedule]) -> Array:
        """The chance of clearing each pest alone, at the 90 % rank: [pests, plans]."""
        schedules = [(*self.done, *plan) for plan in plans]
        return np.stack(
            [
                self.in_90(np.exp(clearing(s.table, s.effects.exposure(schedules), s.after)))
                for s in self.shares
            ]
        )

    def in_90(self, chances: Array) -> Array:
        """The chance that scenarios holding 90 % of the weight reach: [plans]."""
        out: Array = np.take_along_axis(chances, rank(chances, self.weights)[:, None], axis=1)[:, 0]
        return out

    def ranked(self, plan: Schedule) -> tuple[int, float]:
        """The scenario at the 90 % rank of a plan, and its chance."""
        chances = self.chances([plan])
        scenario = int(rank(chances, self.weights)[0])
        return scenario, float(chances[0, scenario])

    def mean(self, chances: Array) -> Array:
        """The weighted mean over the scenarios: [plans]."""
        out: Array = chances @ self.weights
        return out

    def survivors(self, plans: Sequence[Schedule]) -> Array:
        """The expected number alive, of all pests, right after each plan's last date:
        [plans].
        """
        schedules = [(*self.done, *plan) for plan in plans]
        total = np.zeros(len(plans))
        for s in self.shares:
            # An evening before the table has no interval in it: its first day stands for it.
            begin = date.fromordinal(self.start)
            days = [max([e.on for e in one], default=begin) for one in schedules]
            last = [s.table.index(max(day, s.table.first)) for day in days]
            total += alive_after(s.table, s.effects.exposure(schedules), last) @ s.table.weights
        return total

    def only(self, scenario: int) -> tuple[Share, ...]:
        """The pests' parts in one scenario."""
        if scenario not in self._scenario:
            self._scenario[scenario] = tuple(s.only(scenario) for s in self.shares)
        return self._scenario[scenario]


def worn_out(sprayed: Sequence[int], day: int) -> bool:
    """Whether leaves that were sprayed on these days have had enough by a day: too many
    sprays within three weeks, or too many without three weeks of rest between them.
    """
    if sum(day - SPRAY_DAYS < d <= day for d in sprayed) >= MOST_SPRAYS:
        return True
    running, last = 0, None
    for d in sprayed:
        running = (
            running + 1
            if last is None or (d - last < SPRAY_DAYS and running < SPRAYS_RUNNING)
            else 1
        )
        last = d
    return running >= SPRAYS_RUNNING and last is not None and day - last < SPRAY_DAYS
