"""The search for dates: the fewest evenings, the usual time apart, that reach the target
without any look.

Dates lie as far apart as is usual for this pest with these acts at the warmth of their
days, moved to days on which the keeper can treat and an act is allowed. Only where such
a course cannot reach the target are shorter gaps tried, down to the least that is usual.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import cached_property

import numpy as np

from brood.core.biology.case import Evening, Pace, Schedule
from brood.core.biology.pest import Pest
from brood.core.biology.rain import Exposure, renewal_days
from brood.core.climate.hours import evening
from brood.core.course.problem import Problem

USUAL_C = 20.0
"""The temperature at which a pest's usual gap holds."""
PACE_DAYS = 14
"""The warmth of so many days from an evening on sets the gap after it."""
STRETCH = 2.0
"""In the cold a gap may be so many times the longest that is usual."""
RARE_DAYS = 14
"""An act that is not usual more often than this sets no gap where others are at hand."""
NOTHING_ADDED = 0.01
"""An evening whose removal changes the chance by less than this is left out."""
NO_CURE = 0.02
"""Where evenings add less than this share to the chance that is there without any, a
longer course is no better than one over a generation.
"""
AS_GOOD = 0.002
FAR_OFF = 0.5
LONG_LIST = 12
NEAR = 3
"""A date is moved to an evening that the plant has anyway within this part of its gap."""
SHORT = 8


@dataclass(frozen=True)
class Draft:
    """Evenings, the gap they were made with, and the chance that scenarios holding 90 %
    of the weight reach.
    """

    evenings: tuple[Evening, ...]
    gap: int
    chance: float

    @property
    def days(self) -> tuple[int, ...]:
        """The ordinals of the evenings' days."""
        return tuple(one.day for one in self.evenings)


class Search:
    """One search over a problem."""

    def __init__(self, problem: Problem, target: float) -> None:
        self.problem, self.target = problem, target
        self._paced: dict[int, float] = {}
        self._lives: dict[tuple[str, float], float] = {}

    def run(self) -> Draft | None:
        """The best plan. None when nothing is allowed on any day."""
        best = self._best(self.gaps, None)
        # Acts that are usual more often fill the time between those that are not.
        if best is None or best.chance < FAR_OFF:
            best = self._best(self._closer, best)
        if best is None:
            return None
        best = self._shorter(best)
        idle = self._chances([()])[0]
        if best.chance < self.target and best.chance - idle < NO_CURE * (1 - idle):
            return self._hold_down()
        return self._lean(best)

    def _best(self, gaps: Sequence[float], best: Draft | None) -> Draft | None:
        """The first course that reaches the target, or the one that comes closest."""
        for gap in gaps:
            if best is not None and best.chance >= self.target:
                break
            found = self._fewest(gap)
            if found is not None and (best is None or self._better(found, best)):
                best = found
        return best

    def _better(self, found: Draft, best: Draft) -> bool:
        """Whether another gap is worth leaving the one before. A few evenings more are; a
        long list that does not reach the target either is not, where looks will decide how
        much of it is done.
        """
        longer = len(found.evenings) > max(LONG_LIST, len(best.evenings))
        if longer and best.chance >= FAR_OFF and found.chance < self.target:
            return False
        return found.chance > best.chance + AS_GOOD

    def _shorter(self, best: Draft) -> Draft:
        """The course with the evenings as close as is usual, where it needs fewer of them:
        then less grows back in between than a longer gap saves. In the cold they lie
        further apart as usual ones do.
        """
        case, least = self.problem.case, self.least
        own = case.limits.min_gap_days is not None
        if case.pace != Pace.USUAL or own or self._film or best.chance < self.target:
            return best
        at_20 = min(s.case.pest.usual_gap_days for s in self.problem.shares)
        part = max(least / max(least, at_20), least / self.usual)
        close = self._fewest(part) if part < 1 else None
        fewer = close is not None and len(close.evenings) < len(best.evenings)
        return close if close is not None and fewer and close.chance >= self.target else best

    @cached_property
    def _closer(self) -> tuple[float, ...]:
        """Gaps under the least at which all leading acts are usual, as parts of the usual
        one: down to the least of any of them.
        """
        shortest = min(self.problem.label[a].usual_gap_days for a in self._leading)
        return tuple(g / self.usual for g in range(self.least - 1, shortest - 1, -1))

    @cached_property
    def gaps(self) -> tuple[float, ...]:
        """The gaps to try, as parts of the usual one at the warmth of each date."""
        low, usual, high = self.least, self.usual, self._most()
        wanted = [usual, *range(usual - 1, low - 1, -1), *range(usual + 1, high + 1)]
        if self.problem.case.pace == Pace.CLOSE:
            wanted.sort()
        elif self.problem.case.pace == Pace.FAR:
            wanted.sort(reverse=True)
        return tuple(gap / usual for gap in wanted)

    @property
    def usual(self) -> int:
        """The usual days between two dates at the warmth of the first."""
        return self._gap(self.problem.start, 1.0)

    @cached_property
    def least(self) -> int:
        """The least days between two dates that are usual for the acts that lead."""
        own = self.problem.case.limits.min_gap_days
        if own is not None:
            return own
        return max(self.problem.label[a].usual_gap_days for a in self._leading)

    def _most(self) -> int:
        """The most days between two dates that are usual for them."""
        usual = (self.problem.label[a].usual_days[1] for a in self._leading)
        return max(self.least, *usual)

    @cached_property
    def _leading(self) -> tuple[str, ...]:
        """The acts that set the gap: not what is done once, or works by itself for long."""
        label = self.problem.label
        every = [a for a in self.problem.acts if not label[a].lasts_days]
        often = [a for a in every if label[a].usual_gap_days < RARE_DAYS]
        if often:
            return tuple(often)
        rare = min((label[a].usual_gap_days for a in every), default=RARE_DAYS)
        return tuple(a for a in every if label[a].usual_gap_days == rare) or self.problem.acts

    @cached_property
    def _film(self) -> bool:
        """Whether a film leads the course of a plant that stands in the rain: then rain
        says when it is renewed.
        """
        label = self.problem.label
        return bool(self.problem.case.rain) and any(
            label[a].rain == Exposure.FILM for a in self._leading
        )

    def _gap(self, day: int, part: float) -> int:
        """The days from a date to the next: the usual gap, longer where development is
        slower than at 20 °C and shorter where it is quicker, within what is usual.
        """
        least, most = self.least, self._most()
        if self._film:
            wet = round(part * renewal_days(self.problem.case.rain, date.fromordinal(day)))
            return max(1, wet if part < 1 else max(least, wet))
        days = self._usual_days(day)
        stretched = max(most, min(STRETCH * most, days / STRETCH))
        usual = min(max(days, least), stretched)
        return max(1, round(part * usual) if part < 1 else max(least, round(part * usual)))

    def _usual_days(self, day: int) -> float:
        """The usual gap after a day at its warmth, of the pest that needs the shortest."""
        if day not in self._paced:
            pests = [share.case.pest for share in self.problem.shares]
            self._paced[day] = min(p.usual_gap_days * self._pace(p, day) for p in pests)
        return self._paced[day]

    def _pace(self, pest: Pest, day: int) -> float:
        """How many times longer a generation takes after a day than at 20 °C."""
        series, begun = self.problem.case.series, evening(date.fromordinal(day))
        until = min(begun + timedelta(days=PACE_DAYS), series.end)
        celsius = series.mean(min(begun, until - timedelta(days=1)), until)
        return self._generation(pest, celsius) / self._generation(pest, USUAL_C)

    def _generation(self, pest: Pest, celsius: float) -> float:
        """Days from egg to egg, at most 60 in each stage."""
        key = pest.id, celsius
        if key not in self._lives:
            self._lives[key] = sum(min(stage.rate.days(celsius), 60.0) for stage in pest.stages)
        return self._lives[key]

    def _fewest(self, part: float) -> Draft | None:
        """The fewest dates with such gaps that reach the target, or those that come
        closest with as few as are as good.
        """
        days = self._days(part)
        if not days:
            return None
        known: dict[int, tuple[tuple[Evening, ...], float]] = {}
        # The chance grows with every date: halve between too few and enough.
        self._judge(days, known, sorted({n for n in (4, 8, 16, len(days)) if n <= len(days)}))
        enough = min(self.target, known[len(days)][1] - AS_GOOD)
        high = min(n for n, (_, chance) in known.items() if chance >= enough)
        low = max((n for n in known if n < high), default=0)
        while high - low > 1:
            middle = (low + high) // 2
            self._judge(days, known, [middle])
            low, high = (low, middle) if known[middle][1] >= enough else (middle, high)
        evenings, chance = known[high]
        return Draft(evenings, self._gap(self.problem.start, part), chance)

    def _judge(
        self,
        days: Sequence[int],
        known: dict[int, tuple[tuple[Evening, ...], float]],
        numbers: Sequence[int],
    ) -> None:
        """Work out the chances of the first so many days."""
        plans = [self.problem.fill(days[:n]) or () for n in numbers]
        for n, evenings, chance in zip(numbers, plans, self._chances(plans), strict=True):
            known[n] = evenings, chance

    def _days(self, part: float) -> tuple[int, ...]:
        """Days with such gaps, as many as are allowed within the horizon."""
        p = self.problem
        out: list[int] = []
        day = self._shared(p.next_day(self._first(part)), p.start, part)
        while day is not None and len(out) < p.most_dates:
            if p.fill((*out, day)) is not None:
                out.append(day)
                least = day + self.least
                day = self._shared(p.next_day(day + self._gap(day, part)), least, part)
            else:
                day = p.next_day(day + 1)
        return tuple(out)

    def _shared(self, day: int | None, least: int, part: float) -> int | None:
        """The evening that the plant has anyway, from the day `least` on, where one lies
        near a day. Otherwise the day itself.
        """
        if day is None or not self.problem.case.beside:
            return day
        room = max(1, self._gap(day, part) // NEAR)
        near = [
            on
            for on in (one.toordinal() for one in self.problem.case.beside)
            if on >= least and abs(on - day) <= room and self.problem.admits(on)
        ]
        return min(near, key=lambda on: abs(on - day), default=day)

    def _first(self, part: float) -> int:
        """The first day that a date may fall on: a gap after the last evening, or as soon
        as is usual where something alive was seen since.
        """
        p = self.problem
        if not p.evenings_done:
            return p.start
        last, seen = p.evenings_done[-1].day, p.case.seen_on
        if seen is not None and seen.toordinal() > last:
            return max(p.start, last + self.least)
        return max(p.start, last + self._gap(last, part))

    def _chances(self, plans: Sequence[Schedule]) -> list[float]:
        """The chances that scenarios holding 90 % of the weight reach."""
        return [float(c) for c in self.problem.in_90(self.problem.chances(plans))]

    def _lean(self, draft: Draft) -> Draft:
        """The dates without those whose removal hardly changes the chance. The first
        one stays: nobody waits while something feeds. Of two in a row, one stays.
        """
        while len(draft.evenings) > 1:
            days = draft.days
            tried = [
                self.problem.fill(days[:n] + days[n + 1 :])
                for n in range(1, len(days))
                if n + 1 == len(days) or self._near(days[n - 1], days[n + 1])
            ]
            fewer = [evenings for evenings in tried if evenings]
            if not fewer:
                return draft
            chances = self._chances(fewer)
            best = int(np.argmax(chances))
            held = chances[best] >= self.target or draft.chance < self.target
            if not held or draft.chance - chances[best] >= NOTHING_ADDED:
                return draft
            draft = Draft(fewer[best], draft.gap, chances[best])
        return draft

    def _near(self, day: int, later: int) -> bool:
        """Whether two evenings lie no further apart than two usual gaps."""
        return later - day <= 2 * self._gap(day, 1.0)

    def _hold_down(self) -> Draft:
        """Where nothing comes near a cure: the dates of one generation, a few at most,
        at the usual gap.
        """
        p = self.problem
        days = self._days(1.0) or self._days(self.gaps[-1])
        end = p.start + max(p.generation_days, 14.0)
        few = tuple(d for d in days if d <= end)[:SHORT] or days[:1]
        evenings = p.fill(few) or ()
        return Draft(evenings, self._gap(p.start, 1.0), self._chances([evenings])[0])
