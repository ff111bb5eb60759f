"""What to do now and this week, and on which evenings several plants can be treated at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from sqlalchemy.orm import Session

from brood.services.cases import beside, history, plans, trial
from brood.services.cases.assemble import protects
from brood.services.house.quarantine import open_quarantines
from brood.services.season import hints
from brood.services.season.hints import Hint
from brood.services.today.day_tasks import Task, tasks_of
from brood.services.today.evenings_together import (
    COMING_DAYS,
    Gathering,
    WindowsRow,
    gathered,
    joined,
    windows_row,
)
from brood.services.today.plant_lines import ORDER, PlantLine, by_place, lines
from brood.services.voice.desk import Desk
from brood.services.voice.speech import Speech, hours, spelled
from brood.store.place_tables import Place
from brood.store.records import Quarantine
from brood.store.tables import PestCase

CLOSE_DAYS = 6
"""A day no further off is called by its weekday."""


@dataclass(frozen=True)
class TodayResult:
    """Everything that the page of the day shows."""

    headline: str
    lead: str
    now: tuple[tuple[Place | None, tuple[PlantLine, ...]], ...]
    can_wait: tuple[PlantLine, ...]
    coming: tuple[tuple[date, tuple[PlantLine, ...]], ...]
    waits: str
    rows: tuple[WindowsRow, ...]
    sessions: tuple[Gathering, ...]
    chosen: Gathering | None
    covers: str
    unserved: tuple[WindowsRow, ...]
    first: date
    under_care: int
    waiting: int
    apart: tuple[Quarantine, ...] = ()
    left: tuple[LeftApart, ...] = ()
    plants: int = 1
    hint: Hint | None = None

    @property
    def due(self) -> list[Task]:
        """What is to be done today."""
        return [t for _, some in self.now for line in some for t in line.tasks]

    @property
    def put_off(self) -> list[Task]:
        """The checks for which today has no time."""
        return [t for line in self.can_wait for t in line.tasks]

    @property
    def to_count(self) -> int:
        """How many cases must be counted again before there are dates."""
        return sum(t.key.startswith("recount") for t in (*self.due, *self.put_off))

    @property
    def tomorrow(self) -> date:
        """The day after this one."""
        return self.first + timedelta(days=2)

    @property
    def start(self) -> str:
        """Where the walk begins: the first thing on the list. Empty where there is none."""
        return next((some[0].first.url for _, some in self.now), "")


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
    done_now, later = lines(kept), lines(wait)
    return TodayResult(
        *_headline(done_now, kept, sessions, today, speech),
        by_place(done_now),
        later,
        tuple((day, lines([t for on, t in coming if on == day])) for day in by_day),
        _waits(later, coming, speech),
        chart,
        sessions,
        sessions[0] if sessions else None,
        _covers(sessions, today, tried, speech),
        unserved,
        today - timedelta(days=1),
        len(rows),
        sum(history.waits_for_warmth(row) for row in rows),
        tuple(apart),
        left_of(desk, rows),
        len(house.every),
        next(iter(hints.standing(desk, house)), None),
    )


def ends_apart(desk: Desk, rows: Sequence[PestCase]) -> dict[int, date | None]:
    """The days from which the plants of cases may go back, by the cases' ids: None where
    no end is in sight. Cases of which it is not worked out yet, and those that are held,
    are left out.
    """
    ends = plans.ends_of(desk, [r for r in rows if r.keep_below is None])
    return {case_id: end.back for case_id, end in ends.items()}


@dataclass(frozen=True)
class LeftApart:
    """Until when a plant stays apart (None where no end is in sight), by the case that
    takes longest. Not `known` while that is worked out.
    """

    name: str
    case_id: int
    back: date | None
    known: bool


def left_of(desk: Desk, rows: Sequence[PestCase]) -> tuple[LeftApart, ...]:
    """Until when each plant stays apart, the soonest first. What stands in a bed and is
    only protected is not kept apart.
    """
    known = ends_apart(desk, rows)
    by_plant: dict[int, list[PestCase]] = {}
    for row in rows:
        if row.keep_below is not None or protects(desk.catalogue, row):
            continue
        by_plant.setdefault(row.plant_id, []).append(row)
    out = []
    for some in by_plant.values():
        last = max(some, key=lambda row: (row.id not in known, known.get(row.id) or date.max))
        out.append(LeftApart(last.plant.name, last.id, known.get(last.id), last.id in known))
    return tuple(sorted(out, key=lambda one: (not one.known, one.back or date.max)))


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
    return [*kept, *tonight], wait


def _headline(
    found: Sequence[PlantLine],
    kept: Sequence[Task],
    sessions: Sequence[Gathering],
    today: date,
    speech: Speech,
) -> tuple[str, str]:
    """What to do, and how long that takes or what comes next."""
    if not kept:
        upcoming = next((s for s in sessions if s.on > today), None)
        after = f"The next evening is {speech.day(upcoming.on)}." if upcoming else "All is quiet."
        return "Nothing to do today.", after
    plants = sum(t.plants for t in {t.plant.id: t for t in kept if t.kind == "treat"}.values())
    checks = sum(not one.treats for one in found)
    minutes = f"about {hours(max(5, 5 * round(sum(t.minutes for t in kept) / 5)))}"
    way = f"{spelled(checks)} check{'' if checks == 1 else 's'}{' on the way' if plants else ''}, "
    lead = f"{way if checks else ''}{minutes}{', cleanest place first' if len(found) > 1 else ''}."
    head = f"Treat {spelled(plants)} plant{'s' if plants > 1 else ''} tonight."
    return head if plants else "No treatment today.", lead[:1].upper() + lead[1:]


def _waits(later: Sequence[PlantLine], coming: Sequence[tuple[date, Task]], speech: Speech) -> str:
    """What can wait, in one line: checks put off, treatments and checks to come."""
    treat = [day for day, t in coming if t.kind == "treat"]
    check = [day for day, t in coming if t.kind != "treat"]
    parts = [f"{_counted(len(later), 'check')} until tomorrow"] if later else []
    for days, what in ((treat, "treatment"), (check, "check")):
        if days:
            said = _counted(len(days), what)
            one = "on" if len(days) == 1 else "from"
            parts.append(f"{said} {one} {speech.day_short(min(days))}")
    return ", ".join(parts)


def _counted(count: int, what: str) -> str:
    return f"{spelled(count)} {what}{'' if count == 1 else 's'}"


def _covers(sessions: Sequence[Gathering], today: date, tried: date | None, speech: Speech) -> str:
    """What the next evening serves, in a sentence. Empty where none is planned."""
    if not sessions:
        return ""
    tonight = sessions[0].on == today
    told = sessions[1] if tonight and len(sessions) > 1 and tried is None else sessions[0]
    plants = _counted(told.plants, "plant")
    if told.on == today:
        return f"Tonight covers {plants}."
    near = (told.on - today).days <= CLOSE_DAYS
    name = speech.weekday(told.on.weekday()) if near else speech.day(told.on)
    others = f"the other {spelled(told.plants)}"
    return f"{name} covers {plants if told is sessions[0] else others}."


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
