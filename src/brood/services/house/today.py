"""What to do now and this week, and on which evenings several plants can be treated at once."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from sqlalchemy.orm import Session

from brood.services.cases import beside, history, plans, trial
from brood.services.cases.assemble import protects
from brood.services.desk import Desk
from brood.services.house.day_tasks import Task, tasks_of
from brood.services.house.evenings_together import (
    COMING_DAYS,
    SPAN_DAYS,
    Gathering,
    WindowsRow,
    gathered,
    joined,
    windows_row,
)
from brood.services.house.quarantine import open_quarantines
from brood.services.voice.speech import Speech, hours
from brood.store.place_tables import Place
from brood.store.records import Quarantine
from brood.store.tables import PestCase

ORDER = ("neighbour", "quarantine", "patch", "care", "card", "look", "treat")
"""From clean plants to infested ones, so that hands carry nothing back."""


@dataclass(frozen=True)
class TodayResult:
    """Everything that the page of the day shows."""

    headline: str
    now: tuple[tuple[Place | None, tuple[Task, ...]], ...]
    can_wait: tuple[Task, ...]
    coming: tuple[tuple[date, tuple[Task, ...]], ...]
    rows: tuple[WindowsRow, ...]
    sessions: tuple[Gathering, ...]
    chosen: Gathering | None
    unserved: tuple[WindowsRow, ...]
    first: date
    minutes: int
    under_care: int
    apart: tuple[Quarantine, ...] = ()
    left: tuple[DaysLeft, ...] = ()
    plants: int = 1

    @property
    def to_count(self) -> int:
        """How many cases must be counted again before there are dates."""
        return sum(
            t.key.startswith("recount")
            for t in (*self.can_wait, *(t for _, tasks in self.now for t in tasks))
        )

    @property
    def counts(self) -> tuple[int, ...]:
        """For each evening, how many cases could be treated on it."""
        every = (self.first + timedelta(days=n) for n in range(SPAN_DAYS))
        return tuple(
            sum(any(a <= day <= b for a, _, b in r.windows) for r in self.rows) for day in every
        )


def build(desk: Desk, tried: date | None = None) -> TodayResult:
    """The day as it stands. `tried` moves the next evening across plants, to see what
    that would serve.
    """
    today, speech, prefs = desk.today, desk.speech, desk.prefs
    house = beside.house_of(desk.session)
    rows, apart = house.open_cases, open_quarantines(desk.session)
    chart = tuple(
        sorted(
            joined(desk.catalogue, [windows_row(desk.catalogue, row, today) for row in rows]),
            key=lambda r: r.windows[0][2] if r.windows else date.max,
        )
    )
    chart, sessions, unserved = gathered(desk.catalogue, chart, prefs, today, tried)
    tasks = sorted(
        tasks_of(desk, house, apart),
        key=lambda t: (t.due_on, ORDER.index(t.kind), t.plant.name),
    )
    kept, wait = _fit(tasks, _tonight(tasks, rows, sessions, today), today, int(prefs.minutes))
    served = {r.row.id: s.on for s in sessions for r in s.rows}
    rest = [
        (served.get(t.row_id, t.due_on) if t.kind == "treat" else t.due_on, t)
        for t in tasks
        if t not in kept
    ]
    coming = [
        (day, t)
        for day, t in rest
        if today < day and (day <= today + timedelta(days=COMING_DAYS) or t.late)
    ]
    by_day = sorted({day for day, _ in coming})
    return TodayResult(
        _headline(kept, wait, sessions, today, speech),
        _by_place(kept),
        tuple(wait),
        tuple((day, tuple(t for on, t in coming if on == day)) for day in by_day),
        chart,
        sessions,
        sessions[0] if sessions else None,
        unserved,
        today - timedelta(days=1),
        sum(t.minutes for t in kept),
        len(rows),
        tuple(apart),
        left_of(desk, rows),
        len(house.every),
    )


def days_left(desk: Desk, rows: Sequence[PestCase]) -> dict[int, int | None]:
    """The days until the all-clear of cases, by their ids: None where no end is in sight.
    Cases of which it is not worked out yet, and those that are held, are left out.
    """
    ends = plans.ends_of(desk, [r for r in rows if r.keep_below is None])
    return {
        case_id: None if end.back is None else max((end.back - desk.today).days, 0)
        for case_id, end in ends.items()
    }


@dataclass(frozen=True)
class DaysLeft:
    """How long a plant stays apart: the days left (None where no end is in sight), by the
    case that takes longest. Not `known` while that is worked out.
    """

    name: str
    case_id: int
    days: int | None
    known: bool


def left_of(desk: Desk, rows: Sequence[PestCase]) -> tuple[DaysLeft, ...]:
    """How long each plant stays apart, in the order of its first case. What stands in a
    bed and is only protected is not kept apart.
    """
    known = days_left(desk, rows)
    by_plant: dict[int, list[PestCase]] = {}
    for row in rows:
        if row.keep_below is not None or protects(desk.catalogue, row):
            continue
        by_plant.setdefault(row.plant_id, []).append(row)
    out = []
    for some in by_plant.values():
        last = max(some, key=lambda row: _length(known, row.id))
        out.append(DaysLeft(last.plant.name, last.id, known.get(last.id), last.id in known))
    return tuple(sorted(out, key=lambda one: not one.known))


def _length(known: Mapping[int, int | None], case_id: int) -> float:
    """The days left of a case. What is not known yet, or has no end, counts as longest."""
    days = known.get(case_id, math.inf)
    return math.inf if days is None else days


def open_cases(session: Session) -> list[PestCase]:
    """The open cases of plants that are here, with everything that belongs to them."""
    return beside.house_of(session).open_cases


def _tonight(
    tasks: Sequence[Task], rows: Sequence[PestCase], sessions: Sequence[Gathering], today: date
) -> list[Task]:
    """The treatments of this evening: of the cases that it serves, and those due that
    no later evening serves. Once one is done, those due stay.
    """
    served = {r.row.id: s.on for s in sessions for r in s.rows}
    begun = any(r.done_on == today for row in rows for r in history.evenings_done(row))
    treat = [t for t in tasks if t.kind == "treat"]
    return [
        t
        for t in treat
        if served.get(t.row_id) == today
        or (t.due_on <= today and (begun or t.row_id not in served))
    ]


def _fit(
    tasks: Sequence[Task], tonight: Sequence[Task], today: date, minutes: int
) -> tuple[list[Task], list[Task]]:
    """What is done today: the treatments, and as many checks as fit into the minutes,
    the soonest due first. And the checks that can wait.
    """
    checks = [t for t in tasks if t.kind != "treat" and t.due_on <= today]
    kept: list[Task] = []
    for task in checks:
        if minutes >= task.minutes:
            kept.append(task)
            minutes -= task.minutes
    wait = [t for t in checks if t not in kept]
    return sorted(
        [*kept, *tonight], key=lambda t: (ORDER.index(t.kind), t.due_on, t.plant.name)
    ), wait


def _by_place(tasks: Sequence[Task]) -> tuple[tuple[Place | None, tuple[Task, ...]], ...]:
    """Tasks by place. Places with nothing infested come first."""
    places = {t.place.id if t.place else 0: t.place for t in tasks}
    grouped = [
        (place, tuple(t for t in tasks if (t.place.id if t.place else 0) == key))
        for key, place in places.items()
    ]
    return tuple(
        sorted(
            grouped,
            key=lambda g: (max(ORDER.index(t.kind) for t in g[1]), g[0].name if g[0] else ""),
        )
    )


def _headline(
    kept: Sequence[Task],
    wait: Sequence[Task],
    sessions: Sequence[Gathering],
    today: date,
    speech: Speech,
) -> str:
    treat = [t for t in kept if t.kind == "treat"]
    checks = len(kept) - len(treat)
    minutes = f"about {hours(max(5, 5 * round(sum(t.minutes for t in kept) / 5)))}"
    if not kept:
        upcoming = next((s for s in sessions if s.on > today), None)
        return "Nothing to do today." + (
            f" The next evening is {speech.day(upcoming.on)}." if upcoming else " All is quiet."
        )
    plants = sum(t.plants for t in {t.plant.id: t for t in treat}.values())
    first = (
        f"Treat {plants} plant{'s' if plants > 1 else ''} tonight"
        if treat
        else "No treatment today"
    )
    middle = f"{checks} check{'s' if checks > 1 else ''}, {minutes}" if checks else minutes
    left = f" {len(wait)} can wait until tomorrow." if wait else ""
    return f"{first}. {middle[:1].upper()}{middle[1:]}.{left}"


def moves(desk: Desk, day: date, *, tried: bool = False) -> dict[int, list[date]]:
    """The dates of every case that an evening serves (as the page shows it, `tried` for
    that evening) when it is set to that evening: later ones move along.
    """
    result = build(desk, day if tried else None)
    chosen = next((s for s in result.sessions if s.on == day), None)
    out = {}
    for row in chosen.moved if chosen else ():
        planned = [a.target_on for a in history.planned(row.row)]
        first, *rest = planned or [day]
        later = max(day - first, timedelta(0))
        dates = sorted({day, *(d + later for d in rest if d + later > day)})
        if len(dates) == len(planned):
            text = ",".join(d.isoformat() for d in dates)
            out[row.row.id] = [m.tried for m in trial.tried(desk, row.row, text).moved]
    return out
