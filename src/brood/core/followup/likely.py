"""How a course will probably go: how many evenings, until when, and how likely it ends
clear, if looks decide.

A hundred courses are drawn from what is believed. A course follows the branch on which
every look finds nothing: evenings until a look releases the rest (see `release`), then
about a look a week until the plant may go back. At every look the chance to find nothing
follows from the numbers believed in; where something is found, an evening is done that
day and the course begins anew with the numbers that the count speaks for. All courses
share the chances by state, worked out once for each branch.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from itertools import islice

import numpy as np

from brood.core.biology.case import Act, Evening, Found, Inspection
from brood.core.biology.pest import ADULT
from brood.core.biology.stage_classes import classes
from brood.core.biology.substages import Array
from brood.core.climate.hours import EVENING
from brood.core.course.plan import Likely
from brood.core.course.problem import worn_out
from brood.core.followup.alive_odds import Ask, light
from brood.core.followup.all_clear import LOOKS_NEEDED, SURE
from brood.core.followup.detection import CLUMPS, HIDDEN_SEEN, USUAL, seen_share, told
from brood.core.followup.look_days import LOOK_GAP_DAYS, looks_after
from brood.core.followup.posterior import even_speed
from brood.core.followup.release import (
    RELEASE_AT,
    Lane,
    Lines,
    chance,
    guard_days,
    still_lasting,
)
from brood.core.population.half_days import evenings, residues, walk_on
from brood.core.population.steps import only, steps_of

COURSES = 100
LONGEST_DAYS = 365
MOST_EVENINGS = 25
LEAST_DATES = 6
"""After a sighting a course has at least so many dates to go on with."""
ANCHOR_DAYS = 56
"""Branches that begin within so many days share their chances."""
CROWD = 1e6
MOST_LOOKS = 60
"""A course is followed for so many looks beyond its evenings: more than a year."""
AHEAD = 5
"""So many looks are worked out at once: a pass costs little more for many than for one."""


@dataclass(frozen=True)
class Terms:
    """When a plant may go back: at least so many days after the last live sighting
    (half a slow life from egg to adult) and after the last evening (the slow hatch). Its
    case closes a slow life after the sighting (`grown`).
    """

    seen: int
    treated: int
    grown: int


class Branch:
    """The course on which every look finds nothing, from a last live sighting on.

    `done` are the evenings since then, `coming` those planned, `made` the clean looks.
    """

    def __init__(
        self,
        lines: Lines,
        done: Sequence[date],
        coming: Sequence[date],
        made: Sequence[Inspection],
        terms: Terms,
        *,
        thorough: float = USUAL,
    ) -> None:
        self.lines, self.done, self.coming, self.made = lines, done, coming, tuple(made)
        self.terms, self.thorough = terms, thorough
        self.at_most = RELEASE_AT[lines.case.pace]
        self.begun = [d.on for d in lines.case.evenings_done]
        by_day = {one.on: one.acts for one in lines.schedule}
        self.acts = [by_day.get(on, ()) for on in self.coming]
        self._known: dict[tuple[Lane, Ask], Array] = {}
        self._days: dict[int, list[date]] = {}
        self._lanes: dict[tuple[int, int], Lane] = {}
        chain, share = (
            lines.steps.chain,
            seen_share(lines.case.pest, Inspection(lines.case.start, thorough=thorough)),
        )
        self.sees = np.array([1.0, HIDDEN_SEEN])[:, None, None] * chain.of_states(share)
        names = [str(kind) for kind in classes(lines.case.pest)]
        each = [np.array([name == one for name in names]) for one in dict.fromkeys(names)]
        self.kinds = np.stack([chain.of_states(mask) for mask in each])

    def lane(self, treated: int, looks: int) -> Lane:
        """After so many of the coming evenings and of the looks to come, all clean."""
        if (treated, looks) not in self._lanes:
            self._lanes[treated, looks] = self._lane(treated, looks)
        return self._lanes[treated, looks]

    def _lane(self, treated: int, looks: int) -> Lane:
        days = self.look_days(treated)[:looks]
        made = (*self.made, *(Inspection(on, thorough=self.thorough) for on in days))
        last = self.last_evening(treated)
        until = days[-1] if days else max([last, *(x.on for x in self.made)])
        return Lane(until, last, made)

    def last_evening(self, treated: int) -> date:
        """The day of the last evening after so many of those to come."""
        if treated:
            return self.coming[treated - 1]
        return self.done[-1] if self.done else self.lines.since - timedelta(days=1)

    def look_days(self, treated: int) -> list[date]:
        """The days of looks where that many of the coming evenings are done: one on
        each of their dates, one on the next, and then about one a week.
        """
        if treated not in self._days:
            self._days[treated] = self._looked_on(treated)
        return self._days[treated]

    def _looked_on(self, treated: int) -> list[date]:
        begun = 0 if self.done else 1
        days = [*self.coming[begun:treated]]
        following = (
            self.coming[treated]
            if treated < len(self.coming)
            else self.coming[-1] + timedelta(days=LOOK_GAP_DAYS)
        )
        early = self.may_go_back(self.last_evening(treated))
        return [*days, following, *islice(looks_after(following, early), MOST_LOOKS)]

    def may_go_back(self, treated: date) -> date:
        """The first day on which a plant may go back whose last evening is that day."""
        return max(
            self.lines.since + timedelta(days=self.terms.seen),
            treated + timedelta(days=self.terms.treated),
        )

    def decides(self, treated: int) -> int:
        """Which look, counted from 1, decides about the evening after so many."""
        return treated + (1 if self.done else 0)

    def value(self, lane: Lane, ask: Ask) -> Array:
        """The answer by state: [2 tracks, scenarios, states]. Those likely to be asked
        for next are worked out along with it.
        """
        if (lane, ask) not in self._known:
            every = [(lane, ask), *self._next(lane)]
            new = [pair for pair in dict.fromkeys(every) if pair not in self._known]
            self._known.update(zip(new, self.lines.values(new), strict=True))
        return self._known[lane, ask]

    def _next(self, lane: Lane) -> list[tuple[Lane, Ask]]:
        """What is asked on the way from a lane onward."""
        treated = sum(on <= lane.treated for on in self.coming)
        looks = len(lane.looks) - len(self.made)
        out: list[tuple[Lane, Ask]] = []
        if looks <= self.decides(treated):
            for more in range(treated, min(treated + AHEAD, len(self.coming)) + 1):
                out += self._asked(more, self.decides(more))
        else:
            for more in range(looks, looks + AHEAD):
                out += self._asked(treated, more)
        return out

    def _asked(self, treated: int, looks: int) -> list[tuple[Lane, Ask]]:
        here = self.lane(treated, looks)
        before = self.lane(treated, looks - 1)
        asks = [(here, Ask.SEEN), (here, Ask.ALIVE), (before, Ask.SEEN)]
        return [*asks, (here, Ask.LINE)] if looks == self.decides(treated) else asks

    def expected(self, lane: Lane, ask: Ask, there: Array) -> Array:
        """How many are expected to answer with yes: [scenarios], from numbers [2, 1,
        states].
        """
        out: Array = np.einsum("tsk,tk->s", self.value(lane, ask), there[:, 0])
        return out


@dataclass
class _Course:
    """One course as it goes: what is there at its last live sighting [2, 1, states],
    the day of that in its own time, and what has been done.
    """

    there: Array
    day: int
    treated: int = 0
    looks: int = 0
    released: bool = False
    evenings: int = 0
    last: int | None = None
    back: int | None = None
    closed: int | None = None
    alive: float = 1.0
    used: list[tuple[int, tuple[str, ...]]] = field(default_factory=list)

    def treat(self, day: int, acts: tuple[str, ...]) -> None:
        """Note an evening, with its acts."""
        self.evenings, self.last = self.evenings + 1, day
        self.used = [*self.used, (day, acts)]


def rotation(
    acts: Sequence[Act], used: Sequence[tuple[int, tuple[str, ...]]], day: int, gap: int, dates: int
) -> list[tuple[str, ...]]:
    """The acts of regular dates from a day on: each as soon as is usual after what was
    used, within its limit and what the leaves bear.
    """
    last = {i: on for on, ids in used for i in ids}
    count = Counter(i for _, ids in used for i in ids)
    wears = {a.id for a in acts if a.wears}
    sprayed = [on for on, ids in used if wears.intersection(ids)]
    out = []
    for at in range(day, day + gap * dates, gap):
        worn = worn_out(sprayed, at)
        due = [
            a
            for a in acts
            if (a.id not in last or at - last[a.id] >= a.usual_gap_days)
            and (a.max_applications is None or count[a.id] < a.max_applications)
            and not (worn and a.wears)
        ]
        sprayed += [at] if any(a.wears for a in due) else []
        last |= {a.id: at for a in due}
        count.update(a.id for a in due)
        out.append(tuple(a.id for a in due))
    return out


class _Draws:
    """The draws of one forecast."""

    def __init__(self, branch: Branch, gap: int, seed: int) -> None:
        self.case, self.gap, self.terms = branch.lines.case, gap, branch.terms
        self.dates = max(LEAST_DATES, len(branch.coming))
        first = min([*branch.begun, *branch.done, *branch.coming])
        self.guard = (first - branch.lines.since).days + guard_days(self.case, first)
        self.rng = np.random.default_rng(seed)
        self._branches: dict[tuple[int, tuple[str, ...]], Branch] = {}

    def key(self, course: _Course) -> tuple[int, tuple[str, ...]]:
        """What tells branches apart: the weeks of a sighting, and the acts of its evening."""
        return course.day // ANCHOR_DAYS, course.used[-1][1]

    def branch(self, on: date, course: _Course) -> Branch:
        """The branch from the sighting of a course: dates at the usual gap. Sightings of
        some weeks share one.
        """
        key = self.key(course)
        if key not in self._branches:
            self._branches[key] = self._from(on + timedelta(days=course.day), course)
        return self._branches[key]

    def _from(self, begun: date, course: _Course) -> Branch:
        case = replace(self.case, found=(Found(begun, ADULT, 0.0),), done=(), start=begun)
        rows = rotation(self.case.acts, course.used, course.day + self.gap, self.gap, self.dates)
        each = [
            Evening(begun + timedelta(days=self.gap * n), acts)
            for n, acts in enumerate([course.used[-1][1], *rows])
        ]
        coming = [one.on for one in each]
        until = coming[-1] + timedelta(days=LOOK_GAP_DAYS * 20)
        steps = even_speed(steps_of(case, until))
        empty = np.zeros((2, len(steps.weights), steps.chain.size + 2))
        kept = still_lasting(self.case, self.case.done, begun)
        return Branch(Lines(case, steps, each, empty, begun, kept), [], coming, (), self.terms)

    def run(self, branch: Branch, courses: Sequence[_Course]) -> list[_Course]:
        """Follow courses along a branch, each to its end or to its next live sighting.
        Returns those that saw something, with what is there then.
        """
        walk = _Walk(branch, courses)
        found: list[_Course] = []
        for day, x in walk.days():
            due = [c for c in walk.going if branch.look_days(c.treated)[c.looks] == day]
            for course in due:
                if self._look(branch, course, x[:, walk.row(course)], day):
                    found.append(course)
                    walk.stop(course)
                elif course.back is not None or self._over(course, branch, day):
                    walk.stop(course)
                else:
                    walk.thin(course)
        return found

    def _over(self, course: _Course, branch: Branch, day: date) -> bool:
        since = course.day + (day - branch.lines.since).days
        return since > LONGEST_DAYS or course.evenings >= MOST_EVENINGS

    def _look(self, branch: Branch, course: _Course, x: Array, day: date) -> bool:
        """One look: whether it finds anything. Where not, the course goes on."""
        before, after = (
            branch.lane(course.treated, course.looks),
            branch.lane(course.treated, course.looks + 1),
        )
        weights = branch.lines.steps.weights
        seen, unseen = (branch.expected(lane, Ask.SEEN, course.there) for lane in (after, before))
        # Less the smallest, so that a crowd does not make both sums vanish.
        least = unseen.min()
        clean = float(
            (weights * np.exp(least - seen)).sum() / (weights * np.exp(least - unseen)).sum()
        )
        if self.rng.random() >= clean:
            self._found(branch, course, x, day)
            return True
        course.looks += 1
        offset = course.day + (day - branch.lines.since).days
        if not course.released and course.looks == branch.decides(course.treated):
            self._decide(branch, course, after, seen, offset)
        if course.released:
            self._may_go_back(branch, course, after, seen, offset, day)
        return False

    def _decide(
        self, branch: Branch, course: _Course, lane: Lane, seen: Array, offset: int
    ) -> None:
        either = branch.expected(lane, Ask.LINE, course.there)
        left = chance(branch.lines.steps.weights, either, seen)
        reached = course.day + (lane.treated - branch.lines.since).days
        if (left <= branch.at_most and reached >= self.guard) or course.treated >= len(
            branch.coming
        ):
            course.released = True
        else:
            course.treat(offset, branch.acts[course.treated])
            course.treated += 1

    def _may_go_back(
        self, branch: Branch, course: _Course, lane: Lane, seen: Array, offset: int, day: date
    ) -> None:
        either = branch.expected(lane, Ask.ALIVE, course.there)
        alive = chance(branch.lines.steps.weights, either, seen)
        early = branch.may_go_back(lane.treated)
        if len(lane.looks) >= LOOKS_NEEDED and day >= early and alive < SURE:
            course.back, course.alive = offset, alive
            course.closed = max(offset, course.day + self.terms.grown)

    def _found(self, branch: Branch, course: _Course, x: Array, day: date) -> None:
        """Begin a course anew with what a look has found, and treat on that evening."""
        dm = branch.sees * x
        means = (dm[None] * branch.kinds[:, None, None]).sum(axis=(1, 2, 3))
        total = max(float(means.sum()), 1e-9)
        count = _at_least_one(self.rng, total * self.rng.gamma(CLUMPS) / CLUMPS)
        counts = self.rng.multinomial(count, means / means.sum())
        counted = [(k, float(n)) for k, n in zip(branch.kinds, counts, strict=True) if n]
        course.there = np.minimum(told(x, dm, counted), CROWD)
        course.day += (day - branch.lines.since).days
        course.treated, course.looks, course.released = 1, 0, False
        course.treat(course.day, rotation(self.case.acts, course.used, course.day, self.gap, 1)[0])


def _at_least_one(rng: np.random.Generator, mean: float) -> int:
    """A Poisson number that is not 0."""
    for _ in range(50):
        number = int(rng.poisson(min(mean, 1e6)))
        if number:
            return number
    return 1


class _Walk:
    """The numbers of several courses along one branch, day by day."""

    def __init__(self, branch: Branch, courses: Sequence[_Course]) -> None:
        self.branch, self.going = branch, list(courses)
        self.x = light(np.stack([c.there for c in courses], axis=1))
        self._rows = {id(c): n for n, c in enumerate(courses)}
        self._by_treated: dict[int, dict[date, Array]] = {}

    def row(self, course: _Course) -> int:
        """The place of a course among the numbers."""
        return self._rows[id(course)]

    def stop(self, course: _Course) -> None:
        """Leave a course where it is."""
        self.going = [c for c in self.going if c is not course]

    def thin(self, course: _Course) -> None:
        """What a look that found nothing leaves to believe in."""
        self.x[:, self.row(course)] *= 1 - self.branch.sees

    def days(self) -> Iterator[tuple[date, Array]]:
        """Each morning after the first with the numbers then: [2, courses, 1, states]."""
        lines = self.branch.lines
        # Numbers are followed in the middle scenario; chances are worked out in all.
        steps = only(lines.steps, len(lines.steps.weights) // 2).light()
        case, n = replace(lines.case, found=()), lines.first_step
        fresh = light(residues(case, steps, [lines.schedule]))
        while self.going and n < len(steps.ends):
            end = steps.ends[n]
            _, self.x = next(walk_on(case, steps, {}, fresh, self.x, n))
            if end.time() == EVENING:
                self._treat(end.date())
            else:
                self._rows, self.x = self._kept()
                yield end.date(), self.x
            n += 1

    def _treat(self, day: date) -> None:
        for course in self.going:
            survive = self._survive(course.treated)
            if day in survive:
                self.x[0, self.row(course)] *= survive[day][0]

    def _survive(self, treated: int) -> dict[date, Array]:
        """What survives each evening, where that many of the coming ones are done."""
        if treated not in self._by_treated:
            lines = self.branch.lines
            done = lines.until(self.branch.lane(treated, 0).treated)
            self._by_treated[treated] = evenings(lines.case, lines.steps.chain, [done])
        return self._by_treated[treated]

    def _kept(self) -> tuple[dict[int, int], Array]:
        rows: list[int] = [self.row(c) for c in self.going]
        return {id(c): n for n, c in enumerate(self.going)}, self.x[:, rows]


def likely(branch: Branch, gap: int, *, courses: int = COURSES, seed: int = 1) -> Likely:
    """How the course on a branch will probably go. After a sighting its dates lie `gap`
    days apart.
    """
    draws, on = _Draws(branch, gap, seed), branch.lines.since
    every = [_begun(branch) for _ in range(courses)]
    waiting = draws.run(branch, every)
    while waiting:
        key = min(draws.key(c) for c in waiting)
        now = [c for c in waiting if draws.key(c) == key]
        later = [c for c in waiting if draws.key(c) != key]
        on_time = [c for c in now if c.day <= LONGEST_DAYS and c.evenings < MOST_EVENINGS]
        found = draws.run(draws.branch(on, on_time[0]), on_time) if on_time else []
        waiting = [*later, *found]
    return _summed(every, on)


def _begun(branch: Branch) -> _Course:
    """A course on its branch: with its first evening done where none was before."""
    lines = branch.lines
    middle = len(lines.steps.weights) // 2
    earlier = [((day - lines.since).days, (a.id,)) for a in lines.case.acts for day in a.used]
    used = [
        *sorted(earlier),
        *(((e.on - lines.since).days, e.acts) for e in lines.case.evenings_done),
    ]
    course = _Course(lines.there[:, [middle]], 0, used=used)
    if not branch.done:
        course.treat((branch.coming[0] - lines.since).days, branch.acts[0])
        course.treated = 1
    return course


def _summed(courses: Sequence[_Course], on: date) -> Likely:
    counts = np.array([c.evenings for c in courses])
    low, middle, high = (int(np.quantile(counts, q, method="nearest")) for q in (0.1, 0.5, 0.9))
    last = int(np.median([c.last if c.last is not None else 0 for c in courses]))
    clear = sum(1 - c.alive for c in courses if c.back is not None) / len(courses)
    back, over = (_middle(on, [getattr(c, end) for c in courses]) for end in ("back", "closed"))
    return Likely(
        middle,
        low,
        high,
        on + timedelta(days=last),
        back,
        over,
        clear,
        any(c.evenings >= MOST_EVENINGS for c in courses) and high >= MOST_EVENINGS,
    )


def _middle(on: date, days: Sequence[int | None]) -> date | None:
    """The middle day. None where no more than half of the courses come to it."""
    known = [d for d in days if d is not None]
    return on + timedelta(days=int(np.median(known))) if len(known) * 2 > len(days) else None
