"""What the brood chart draws: warmth, one band for each group found, evenings, windows,
first breeding.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta

import numpy as np
from numpy.typing import NDArray

from brood.catalogue.schema import PestRecord
from brood.core.biology.case import Case, Evening, Found
from brood.core.biology.pest import ADULT, Pest
from brood.core.biology.stage_classes import BY_DISPLAY, StageClass, class_of
from brood.core.biology.substages import chain_of, clock
from brood.core.climate.hours import MORNING, evening
from brood.core.climate.series import HourlySeries, window
from brood.core.course.plan import Plan
from brood.core.population.projection import BANDS, Projection, project
from brood.core.population.spread import Spread, spread_of

Array = NDArray[np.float64]

FEWEST_DAYS, AFTER_LAST = 16, 4


@dataclass(frozen=True, eq=False)
class Band:
    """One group. `numbers` and `untreated` have shape (moments, bands); `breeds` is its
    first possible breeding.
    """

    key: str
    label: str
    detail: str
    drawing: str
    count: float
    inferred: bool
    numbers: Array
    untreated: Array | None
    breeds: datetime | None


@dataclass(frozen=True)
class Stroke:
    """An evening: its state (done, next, planned or spare), its window when planned, and
    what it meets in each band. `was` is where it was planned, when it is tried elsewhere.
    """

    at: datetime
    state: str
    n: int
    earliest: datetime | None
    latest: datetime | None
    breeds: datetime | None
    short_by_days: int
    before: tuple[tuple[float, ...], ...]
    after: tuple[tuple[float, ...], ...]
    was: datetime | None = None


@dataclass(frozen=True, eq=False)
class ChartData:
    """Everything in the chart. `letters` are the stamps of the five bands for this
    pest, `spread` is everything alive by day. `looks` are the mornings of looks that
    decide about an evening, `released` the evenings that looks have taken back. `key`
    says what it was worked out from; empty where it is only tried.
    """

    first: datetime
    last: datetime
    now: datetime
    series: HourlySeries
    moments: tuple[datetime, ...]
    untreated_moments: tuple[datetime, ...]
    bands: tuple[Band, ...]
    strokes: tuple[Stroke, ...]
    letters: tuple[str, ...]
    names: tuple[str, ...]
    spread: Spread
    key: str = ""
    looks: tuple[datetime, ...] = ()
    released: tuple[datetime, ...] = ()

    def seen_at(self, moment: datetime) -> ChartData:
        """The same with another moment as now, as far as the chart reaches."""
        return replace(self, now=min(max(moment, self.first), self.last))

    @property
    def alive(self) -> tuple[float, ...]:
        """The expected numbers now, by band. An evening that nobody has marked is not
        taken to be done.
        """
        unmarked = (s.at - timedelta(seconds=1) for s in self.strokes if s.state != "done")
        moment = min([self.now, *unmarked])
        at = max(0, bisect_right(self.moments, moment) - 1)
        return tuple(float(sum(values)) for values in zip(*self._numbers(at), strict=True))

    def _numbers(self, at: int) -> list[list[float]]:
        return [band.numbers[at].tolist() for band in self.bands]


def class_names(pest: Pest) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """The stamps and names of the five bands for a pest."""
    display = [s.display for s in pest.stages]
    young = ("L", "larvae") if "larva" in display else ("N", "nymphs")
    resting = ("P", "pupae") if "pupa" in display else ("R", "resting between skins")
    return ("E", young[0], resting[0], "A", "B"), (
        "eggs",
        young[1],
        resting[1],
        "adults not yet breeding",
        "breeding adults",
    )


def chart_data(
    case: Case,
    plan: Plan,
    record: PestRecord,
    evenings: Sequence[tuple[date, tuple[str, ...], str]],
    *,
    now: datetime,
    until: Sequence[date] = (),
    looks: Sequence[date] = (),
    released: Sequence[date] = (),
) -> ChartData:
    """Project the case over its evenings and collect what the chart shows, up to some
    days at least.
    """
    first = min(min(f.on for f in case.found), min((d for d, _, _ in evenings), default=case.start))
    ends = [*(d for d, _, _ in evenings), now.date(), *until] + (
        [plan.last_hatch.slow.date()] if plan.last_hatch.slow and plan.applications else []
    )
    last = max(max(ends) + timedelta(days=AFTER_LAST), first + timedelta(days=FEWEST_DAYS))
    seen = min(f.on for f in case.found)
    aside = [e for e in case.done if not case.treats(e)]
    schedule = [*aside, *(Evening(d, tuple(ids)) for d, ids, _ in evenings if d >= seen)]
    treated = project(case, schedule, last)
    untreated = project(case, [], last)
    groups = _groups(case, record)
    bands = tuple(
        _band(key, members, case, record, treated, untreated) for key, members in groups.items()
    )
    since = "Born since" if case.pest.live_birth else "Laid since"
    laid = Band(
        "laid", since, "", record.stage[0].drawing, 0.0, False, treated.numbers[:, -1], None, None
    )
    letters, names = class_names(case.pest)
    return ChartData(
        first=datetime.combine(first, time()),
        last=datetime.combine(last + timedelta(days=1), time()),
        now=now,
        series=window(
            case.series, datetime.combine(first, time()), datetime.combine(last, time(23))
        ),
        moments=treated.moments,
        untreated_moments=untreated.moments,
        bands=(*bands, laid),
        strokes=tuple(_strokes(evenings, plan, treated, list(groups.values()))),
        letters=letters,
        names=names,
        spread=spread_of(case, schedule, last),
        looks=tuple(datetime.combine(d, MORNING) for d in looks),
        released=tuple(evening(d) for d in released if d <= last),
    )


def stage_drawing(record: PestRecord, stage: str) -> str:
    """The drawing of a stage id, of "adult", or of "young" and "pupa" as one."""
    if stage == ADULT:
        return record.adult_drawing
    fitting = [s.drawing for s in record.stage if s.id == stage] or [
        s.drawing for s in record.stage if BY_DISPLAY[s.display] == stage
    ]
    return fitting[0] if fitting else record.adult_drawing


def _kind(case: Case, found: Found) -> StageClass:
    return class_of(case.pest, found.stage)


def _groups(case: Case, record: PestRecord) -> dict[str, list[int]]:
    """The rows of the projection that share a band: the same stage class found on the
    same day, eggs first.
    """
    order = list(StageClass)
    groups: dict[str, list[int]] = {}
    for row in sorted(
        range(len(case.found)),
        key=lambda r: (case.found[r].on, order.index(_kind(case, case.found[r]))),
    ):
        groups.setdefault(f"{case.found[row].on}-{_kind(case, case.found[row])}", []).append(row)
    return groups


def _band(
    key: str,
    members: list[int],
    case: Case,
    record: PestRecord,
    treated: Projection,
    untreated: Projection,
) -> Band:
    finds = [case.found[m] for m in members]
    kind = _kind(case, finds[0])
    inferred = all(f.inferred for f in finds)
    young = "Larvae" if any(s.display == "larva" for s in case.pest.development) else "Nymphs"
    label = {"egg": "Eggs", "young": young, "pupa": "Pupae", "adult": "Adults"}[kind]
    first = min(f.on for f in case.found)
    later = "" if finds[0].on == first else f" {finds[0].on.day}.{finds[0].on.month}."
    drawing = max((f for f in finds), key=lambda f: f.count).stage
    return Band(
        key,
        f"{label} {'not seen' if inferred else 'found'}{later}",
        "",
        stage_drawing(record, drawing),
        sum(f.count for f in finds),
        inferred,
        treated.numbers[:, members].sum(axis=1),
        untreated.numbers[:, members].sum(axis=1),
        _first_breeding(case, finds),
    )


def _first_breeding(case: Case, finds: Sequence[Found]) -> datetime | None:
    """The first own egg of each group, on the fast side of the warm scenario. For
    adults: the day found.
    """
    if finds[0].stage == ADULT:
        return datetime.combine(finds[0].on, time(9))
    chain = chain_of(case.pest)
    start = datetime.combine(finds[0].on, time(9))
    ticking = clock(chain, window(case.series, start, start + timedelta(days=400)))
    total = sum(f.count for f in finds)
    state = sum(
        (f.count / total * chain.spread(chain.pest.index(f.stage)) for f in finds),
        np.zeros(chain.size + 1),
    )
    hours = ticking.passages(state, 0.0, [len(case.pest.stages)], until=0.05)[0][0]
    return None if hours is None else start + timedelta(hours=hours)


_NONE = ((0.0,) * len(BANDS),)


def _sums(side: Array, rows: Sequence[Sequence[int]]) -> tuple[tuple[float, ...], ...]:
    """Numbers by band, summed over the rows of each."""
    return tuple(tuple(float(v) for v in side[list(members)].sum(axis=0)) for members in rows)


def _strokes(
    evenings: Sequence[tuple[date, tuple[str, ...], str]],
    plan: Plan,
    treated: Projection,
    groups: list[list[int]],
) -> list[Stroke]:
    planned = iter(plan.applications)
    met = {s.at.date(): s for s in treated.strikes}
    out = []
    for n, (day, _, state) in enumerate(evenings, start=1):
        a = next(planned, None) if state != "done" else None
        strike = met.get(day)
        rows = [*groups, [len(treated.rows) - 1]]
        before, after = (
            (_sums(strike.before, rows), _sums(strike.after, rows))
            if strike
            else (_NONE * len(rows), _NONE * len(rows))
        )
        out.append(
            Stroke(
                evening(day),
                state,
                n,
                evening(a.earliest) if a else None,
                evening(a.latest) if a else None,
                a.reason.breeds if a and a.reason.since else None,
                a.short_by_days if a else 0,
                before,
                after,
            )
        )
    return out
