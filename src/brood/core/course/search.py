"""The search for dates: the fewest evenings that reach the target; of those the widest
gaps; of those the highest chance.

The search starts from regular gaps. It then moves one date, or a date with all that
follow, or the uses of acts that a label limits. It judges in the scenario at the 90 %
rank and verifies in all.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from brood.core.course.problem import Dates, Problem, Skips, Uses

WIDEST_GAP = 28
FAR = (-2, 2, 4)
AS_GOOD = 0.002
ROUNDS, POLISH = 8, 2
SLOW_GAIN = 6.0
"""A climb stops when the rest of the way is so many times the last gain."""
SAME = 0.01
STARTS, SHORT = 3, 8
"""Courses of at most SHORT dates are climbed from STARTS regular runs. Longer courses
and slow pests are climbed from one.
"""
VERIFIED = 40
NO_CURE = 0.02
"""Where evenings add less than this share to the chance that is there without any, a
longer course is no better than one over a generation.
"""
FEW = 1500
"""Where there are no more choices of days than this, all are tried."""
STRIDE = 4
"""The most dates that are tried to be saved at once."""
UNIT_DAYS = 20.0
"""Dates move by whole days, or by this part of a generation where that is longer."""
HOPELESS = 6.0
"""No climb starts where the chance of failing is so many times what the target allows."""
MERGED = (2, 3, 5)


@dataclass(frozen=True)
class Draft:
    """Dates, the skips that give their acts, and the chance in the scenario in which
    they are judged.
    """

    dates: Dates
    skips: Skips
    uses: Uses
    chance: float

    @property
    def gap(self) -> int:
        """The smallest gap. For a single date: the widest there is."""
        return min((b - a for a, b in itertools.pairwise(self.dates)), default=WIDEST_GAP)


class Search:
    """One search over a problem. `also_try` are further lists of dates to start from."""

    def __init__(self, problem: Problem, target: float, also_try: Iterable[Dates] = ()) -> None:
        self.problem, self.target = problem, target
        self.also_try = tuple(also_try)
        self.scenario = 0
        self.unit = max(1, round(problem.generation_days / UNIT_DAYS))
        self._known: dict[tuple[int, Uses], float] = {}
        self._verified: dict[Uses, float] = {}

    def rough(self) -> Draft | None:
        """The shortest regular run that reaches the target, or the best there is. It is
        quicker than `run` and seldom many dates off.
        """
        if not self._begin():
            return None
        return self._enough() or self._surest(self._judge((run, frozenset()) for run in self.runs))

    def saves(self, dates: Dates) -> bool:
        """Whether the target could be reached with fewer dates than these."""
        above = self._judge([(dates, frozenset())]) if self._begin() else []
        return bool(above) and len(dates) > 1 and self._with(len(dates) - 1, above[0]) is not None

    def run(self) -> Draft | None:
        """The best plan. None when nothing is allowed on any day."""
        if not self._begin():
            return None
        best = self._fewest()
        scenario = self._rank_of(best)
        # The best plan may make another scenario the critical one: then search in that one too.
        if scenario != self.scenario and abs(best.chance - self._sure([best])[0]) > SAME:
            self.scenario = scenario
            best = self._fewest()
        return best

    # -- seeds --

    def _begin(self) -> bool:
        """Make the runs to start from and choose the scenario. Returns whether anything
        can be done at all.
        """
        p = self.problem
        # Gaps near a whole generation let the first hatchlings breed; they are not worth a
        # seed.
        widest = max(
            p.least_gap, min(WIDEST_GAP, max(p.least_gap + 1, round(0.8 * p.generation_days)))
        )
        runs = [self._run_of(gap) for gap in range(p.least_gap, widest + 1, self.unit)] + [
            d for d in self.also_try if len(d) <= p.most_dates
        ]
        self.runs = tuple(dict.fromkeys(run for run in runs if p.fill(run) is not None))
        if self.runs:
            self.scenario = self._rank_of(
                self._regular(max(len(run) for run in self.runs) // 3 + 1)[0]
            )
        return bool(self.runs)

    def _regular(self, n: int) -> list[Draft]:
        """The first n dates of every run that has so many, best first. Where none has,
        the whole runs.
        """
        some = [run[:n] for run in self.runs if len(run) >= n] or list(self.runs)
        return sorted(self._judge((dates, frozenset()) for dates in some), key=lambda d: -d.chance)

    def _run_of(self, gap: int) -> Dates:
        """Dates at a regular gap, as many as are allowed."""
        p = self.problem
        out: list[int] = []
        day = p.next_day(p.start)
        while day is not None and len(out) < p.most_dates:
            if p.fill((*out, day)) is not None:
                out.append(day)
                day = p.next_day(day + gap)
            else:
                day = p.next_day(day + 1)
        return tuple(out)

    def _rank_of(self, draft: Draft) -> int:
        chances = self.problem.chances([draft.uses])
        return int(np.argmin(np.abs(chances[0] - self.problem.in_90(chances)[0])))

    # -- judging --

    def _judge(self, wanted: Iterable[tuple[Dates, Skips]]) -> list[Draft]:
        """Drafts of the dates that are allowed, each once."""
        filled: dict[Uses, tuple[Dates, Skips]] = {}
        for dates, skips in wanted:
            uses = self.problem.fill(dates, skips)
            if uses is not None:
                filled.setdefault(uses, (dates, skips))
        # Each list of uses is judged once: climbing comes back to the same dates again and
        # again.
        new = [uses for uses in filled if (self.scenario, uses) not in self._known]
        if new:
            for uses, chance in zip(
                new, self.problem.chances(new, self.scenario)[:, 0], strict=True
            ):
                self._known[self.scenario, uses] = float(chance)
        return [
            Draft(dates, skips, uses, self._known[self.scenario, uses])
            for uses, (dates, skips) in filled.items()
        ]

    def _holds(self, draft: Draft) -> bool:
        """Whether a draft reaches the target in scenarios that hold 90 % of the weight."""
        return self._sure([draft])[0] >= self.target

    def _sure(self, drafts: Sequence[Draft]) -> list[float]:
        """The chances that scenarios holding 90 % of the weight reach."""
        new = [d.uses for d in drafts if d.uses not in self._verified]
        if new:
            self._verified.update(
                zip(new, map(float, self.problem.in_90(self.problem.chances(new))), strict=True)
            )
        return [self._verified[d.uses] for d in drafts]

    def _surest(self, drafts: Iterable[Draft]) -> Draft | None:
        """Of the drafts that are best in the scenario of the search, the one that is
        best over all scenarios.
        """
        first = sorted(drafts, key=lambda d: -d.chance)[:VERIFIED]
        return (
            max(zip(self._sure(first), first, strict=True), key=lambda pair: pair[0])[1]
            if first
            else None
        )

    # -- the search --

    def _fewest(self) -> Draft:
        best = self._enough() or self._reach()
        if not self._holds(best):
            return best
        best = self._widest(self._bisected(best))
        polished = self._climb(best, least_gap=best.gap, rounds=POLISH)
        return self._soon(max((best, polished), key=lambda d: self._sure([d])[0]))

    def _enough(self) -> Draft | None:
        """The shortest regular run that reaches the target, if any does."""
        # Halving: the chance of the first n dates grows with n.
        low, high = 0, max(len(run) for run in self.runs)
        whole = sorted(
            self._judge((run, frozenset()) for run in self.runs), key=lambda d: len(d.dates)
        )
        best = next((d for d in [*self._regular(high), *whole] if self._holds(d)), None)
        if best is None:
            return None
        high = len(best.dates)
        while high - low > 1:
            middle = (low + high) // 2
            found = next((d for d in self._regular(middle)[:2] if self._holds(d)), None)
            low, high, best = (low, middle, found) if found else (middle, high, best)
        return best

    def _bisected(self, best: Draft) -> Draft:
        """The fewest dates that reach the target, found by halving between what is
        hopeless and what is known to work.
        """
        fails = 0
        while len(best.dates) - fails > 1:
            n = max((len(best.dates) + fails) // 2, len(best.dates) - STRIDE)
            fewer = self._with(n, best)
            fails, best = (n, best) if fewer is None else (fails, fewer)
        return best

    def _starts(self, n: int) -> int:
        return STARTS if n <= SHORT and self.unit == 1 else 1

    def _hopeful(self, chance: float) -> bool:
        return bool(chance > self.target**HOPELESS)

    def _reach(self) -> Draft:
        """Where no run reaches the target: the highest chance there is, with no more
        dates than it takes.
        """
        longest = min(self.problem.most_dates, max(len(run) for run in self.runs))
        starts = sorted(
            [*self._regular(longest), *self._judge((run, frozenset()) for run in self.runs)],
            key=lambda d: -d.chance,
        )
        climbed = [
            self._climb(start, until=self.target, patient=True)
            for start in starts[: self._starts(longest)]
        ]
        top = self._surest([*climbed, *starts, *self._all(longest)]) or climbed[0]
        # The plant may be clear already. What counts is what the evenings add to that.
        idle = float(self.problem.in_90(self.problem.chances([()]))[0])
        if self._sure([top])[0] - idle < NO_CURE * (1 - idle):
            return self._hold_down()
        # Take dates away again that add nothing.
        while len(top.dates) > 1 and self._sure([top])[0] < self.target:
            best = self._surest(self._judge(self._without(top)))
            if best is None or self._sure([best])[0] < self._sure([top])[0] * (1 - AS_GOOD):
                break
            top = best
        fewer = [d for d in starts if len(d.dates) < len(top.dates)]
        return next(
            (
                d
                for d, sure in zip(fewer, self._sure(fewer), strict=True)
                if sure >= self._sure([top])[0]
            ),
            top,
        )

    def _hold_down(self) -> Draft:
        """Where nothing comes near a cure: the regular run that does most within a
        generation.
        """
        end = self.problem.start + max(self.problem.generation_days, 14.0)
        short = [dates for run in self.runs if (dates := tuple(d for d in run if d <= end))] or [
            run[:1] for run in self.runs
        ]
        # Nobody treats more than a dozen times for a pest that will come back.
        few = [dates for dates in short if len(dates) <= SHORT] or short
        return max(self._judge((dates, frozenset()) for dates in few), key=lambda d: d.chance)

    def _with(self, n: int, above: Draft) -> Draft | None:
        """A draft of n dates that reaches the target. It is sought from the best seed
        of that number, and by leaving dates out of a longer draft.
        """
        best = self._surest(self._all(n))
        if best is not None:
            return best if self._holds(best) else None
        seeds = [d for d in self._regular(n)[: self._starts(n)] if len(d.dates) == n]
        while len(above.dates) > n and (fewer := self._judge(self._without(above))):
            above = max(fewer, key=lambda d: d.chance)
        if len(above.dates) == n:
            seeds.append(above)
        for seed in sorted(seeds, key=lambda d: -d.chance):
            # A climb costs much; from a hopeless seed it is not begun.
            found = self._climb(seed, until=self.target) if self._hopeful(seed.chance) else seed
            if self._holds(found):
                return found
        return None

    def _all(self, n: int) -> list[Draft]:
        """Every choice of n days, where these are few."""
        days = [
            d for d in range(self.problem.start, self.problem.end + 1) if self.problem.admits(d)
        ]
        if math.comb(len(days), n) > FEW:
            return []
        gap = self.problem.least_gap
        return self._judge(
            (dates, frozenset()) for dates in itertools.combinations(days, n) if _spaced(dates, gap)
        )

    @staticmethod
    def _without(draft: Draft) -> list[tuple[Dates, Skips]]:
        out = []
        for n in range(len(draft.dates)):
            skips = frozenset((k - (k > n), a) for k, a in draft.skips if k != n)
            out.append(((*draft.dates[:n], *draft.dates[n + 1 :]), skips))
        return out

    def _widest(self, best: Draft) -> Draft:
        """As many dates, with the widest smallest gap that still reaches the target."""
        n = len(best.dates)
        if n < 2:
            return best
        for gap in range(best.gap + 1, WIDEST_GAP + 1):
            wide = [d for d in self._regular(n) if len(d.dates) == n and d.gap >= gap]
            wide += [
                d
                for d in self._judge([(self._stretched(best.dates, gap), best.skips)])
                if d.gap >= gap
            ]
            seed = max(wide, key=lambda d: d.chance, default=None)
            if seed is None or not self._hopeful(seed.chance):
                break
            found = self._climb(seed, until=self.target, least_gap=gap)
            if not self._holds(found):
                break
            best = found
        return best

    def _soon(self, best: Draft) -> Draft:
        """The same with the first date as soon as possible, where that still reaches
        the target.
        """
        first = self.problem.next_day(self.problem.start)
        if first is None or first == best.dates[0]:
            return best
        for gap in (best.gap, 0):
            for draft in self._judge([((first, *best.dates[1:]), best.skips)]):
                held = self._climb(
                    draft, until=self.target, least_gap=gap, rounds=POLISH, first_moves=False
                )
                if self._holds(held):
                    return held
        return best

    def _stretched(self, dates: Dates, gap: int) -> Dates:
        out = [dates[0]]
        for day in dates[1:]:
            out.append(self.problem.next_day(max(day, out[-1] + gap)) or day)
        return tuple(out)

    def _climb(
        self,
        draft: Draft,
        *,
        until: float = 1.0,
        least_gap: int = 0,
        rounds: int = ROUNDS,
        patient: bool = False,
        first_moves: bool = True,
    ) -> Draft:
        """Move to the best neighbour, or make several moves at once, until none is
        better or the chance is enough.
        """
        gap = max(least_gap, self.problem.least_gap)
        for _ in range(rounds):
            if draft.chance >= until:
                break
            first = 0 if first_moves else 1
            better = self._better(
                draft, self._moved(draft, (-self.unit, self.unit), gap, first), gap
            )
            if better is None:
                anywhere = self._anywhere(draft, gap, first) if len(draft.dates) <= SHORT else []
                better = self._better(
                    draft,
                    [*anywhere, *self._moved(draft, FAR, gap, first), *self._toggled(draft)],
                    gap,
                )
            if better is None:
                break
            hopeless = (
                until < 1
                and not patient
                and (until - better.chance) > SLOW_GAIN * (better.chance - draft.chance)
            )
            draft = better
            if hopeless:
                break
        return draft

    def _better(self, draft: Draft, moves: list[tuple[Dates, Skips]], gap: int) -> Draft | None:
        """The best of some moves, or the best few of them made together."""
        gains = sorted(
            (d for d in self._judge(moves) if d.chance > draft.chance + 1e-7),
            key=lambda d: -d.chance,
        )
        if not gains:
            return None
        merged = []
        for most in MERGED:
            if len(gains) >= most:
                dates = tuple(
                    int(d)
                    for d in np.array(draft.dates)
                    + sum(np.array(g.dates) - np.array(draft.dates) for g in gains[:most])
                )
                if _spaced(dates, gap):
                    merged.append((dates, gains[0].skips))
        return max([gains[0], *self._judge(merged)], key=lambda d: d.chance)

    @staticmethod
    def _moved(
        draft: Draft, steps: Sequence[int], gap: int, first: int
    ) -> list[tuple[Dates, Skips]]:
        """Drafts with one date (from the `first` on) moved by so many days, or one with
        all that follow.
        """
        dates, out = draft.dates, []
        for n in range(first, len(dates)):
            for step in steps:
                out.append((*dates[:n], dates[n] + step, *dates[n + 1 :]))
                out.append((*dates[:n], *(d + step for d in dates[n:])))
        return [(d, draft.skips) for d in out if _spaced(d, gap)]

    def _anywhere(self, draft: Draft, gap: int, first: int) -> list[tuple[Dates, Skips]]:
        """Drafts with one date on any other day between its neighbours. The last date
        may move later by up to the widest gap.
        """
        dates, out = draft.dates, []
        widest = max((b - a for a, b in itertools.pairwise(dates)), default=3 * gap)
        for n, day in enumerate(dates[first:], start=first):
            low = dates[n - 1] + gap if n else self.problem.start
            high = dates[n + 1] - gap if n + 1 < len(dates) else day + widest
            out += [
                (*dates[:n], other, *dates[n + 1 :])
                for other in range(low, high + 1, self.unit)
                if other != day
            ]
        return [(d, draft.skips) for d in out]

    def _toggled(self, draft: Draft) -> list[tuple[Dates, Skips]]:
        """Drafts with one use of a limited act left out, or taken up again."""
        return [
            (draft.dates, draft.skips ^ {(n, act)})
            for act in self.problem.limited
            for n, (_, ids) in enumerate(draft.uses)
            if act in ids or (n, act) in draft.skips
        ]


def _spaced(dates: Dates, gap: int) -> bool:
    return all(b - a >= gap for a, b in itertools.pairwise(dates))
