"""What to do now and this week, and on which evenings several plants can be treated at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.core.course.shared_evenings import DayRange, gather
from brood.services.cases import assemble, beside, effort, history, plans, test_leaves, trial
from brood.services.cases.aftercare import open_tasks
from brood.services.cases.effort import MINUTES, spray_ml
from brood.services.followup import follow_page
from brood.services.house import neighbours
from brood.services.house.quarantine import looks_apart, open_quarantines
from brood.services.voice import words
from brood.services.voice.preferences import Preferences
from brood.services.voice.speech import Speech, days, hours, listed
from brood.store.place_tables import Place
from brood.store.queries import cases
from brood.store.tables import Application, Card, PestCase, Plant

SPAN_DAYS, COMING_DAYS = 14, 7
CARD_WEEK, CARD_LASTS = 7, 21
WINTER_DAYS = 210
ORDER = ("neighbour", "quarantine", "patch", "care", "card", "look", "treat")
"""From clean plants to infested ones, so that hands carry nothing back."""


@dataclass(frozen=True)
class Task:
    """One thing to do.

    `key` identifies it for good. `closes_on` is the end of its window, `late` what
    being late costs. `action` posts it as done; that is only for tasks that claim no
    more than that. `row_id` is the case of a treatment, `since` the day for which it
    was planned and missed.
    """

    key: str
    kind: str
    plant: Plant
    place: Place | None
    text: str
    minutes: int
    due_on: date
    url: str
    action: str = ""
    closes_on: date | None = None
    late: str = ""
    said: str = "Done"
    row_id: int = 0
    since: date | None = None

    @property
    def asked_since(self) -> date:
        """The day since when this has been asked."""
        return self.since or self.due_on


@dataclass(frozen=True)
class WindowsRow:
    """A case in the chart of evenings: its windows to come (first, target, last day),
    and the evening that serves the next one.
    """

    row: PestCase
    pest: str
    windows: tuple[tuple[date, date, date], ...]
    served_on: date | None
    names: str
    aim: str
    mix_ml: float
    wet: bool
    minutes: float


@dataclass(frozen=True)
class Gathering:
    """One evening: its day and the cases that it serves."""

    on: date
    rows: tuple[WindowsRow, ...]

    @property
    def plants(self) -> int:
        """How many plants it serves."""
        return len(
            {
                p.id
                for r in self.rows
                for p in [r.row.plant, *(m.plant for m in history.members(r.row))]
            }
        )

    @property
    def moved(self) -> tuple[WindowsRow, ...]:
        """The cases that are planned for another day."""
        return tuple(r for r in self.rows if r.windows and r.windows[0][1] != self.on)


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


def build(
    session: Session,
    catalogue: Catalogue,
    prefs: Preferences,
    *,
    now: datetime,
    tried: date | None = None,
) -> TodayResult:
    """The day as it stands. `tried` moves the next evening across plants, to see what
    that would serve.
    """
    today, speech = now.date(), prefs.speech
    rows = open_cases(session)
    chart = tuple(
        sorted(
            (_row(catalogue, row, today) for row in rows),
            key=lambda r: r.windows[0][2] if r.windows else date.max,
        )
    )
    chart, sessions, unserved = _gathered(chart, prefs, today, tried)
    tasks = sorted(
        _tasks(session, catalogue, prefs, rows, now),
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
    )


def open_cases(session: Session) -> list[PestCase]:
    """The open cases of plants that are here, with everything that belongs to them."""
    ids = [c.id for p in beside.everyone(session) for c in p.cases if c.closed_at is None]
    return list(cases.every(session, ids))


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
    first = (
        f"Treat {len(treat)} plant{'s' if len(treat) > 1 else ''} tonight"
        if treat
        else "No treatment today"
    )
    middle = f"{checks} check{'s' if checks > 1 else ''}, {minutes}" if checks else minutes
    left = f" {len(wait)} can wait until tomorrow." if wait else ""
    return f"{first}. {middle[:1].upper()}{middle[1:]}.{left}"


# -- tasks -----------------------------------------------------------------------------
# -------------------------------


def _place(plant: Plant) -> Place | None:
    stay = beside.stay_of(plant)
    return stay.place if stay else None


def _tasks(
    session: Session,
    catalogue: Catalogue,
    prefs: Preferences,
    rows: Sequence[PestCase],
    now: datetime,
) -> list[Task]:
    out: list[Task] = []
    speech = prefs.speech
    risky = [
        r
        for r in neighbours.risks(session, catalogue, now.date())
        if r.chance >= neighbours.CHECKED
    ]
    for row in rows:
        out += [
            *_treat(catalogue, row, now.date(), speech),
            *_patches(catalogue, row, now),
            *_care(row, now),
            *_cards(row, now.date()),
            *_looks(
                catalogue,
                row,
                now.date(),
                [r.pest for r in risky if r.near.plant.id == row.plant_id],
                speech,
            ),
        ]
    for risk in risky:
        plant = risk.near.plant
        if all(c.closed_at for c in plant.cases):
            out.append(
                Task(
                    f"neighbour-{plant.id}-{risk.row.pest_id}",
                    "neighbour",
                    plant,
                    _place(plant),
                    f"Look for {risk.pest}: it {risk.near.said}, {risk.row.plant.name.lower()}",
                    MINUTES["neighbour"],
                    weekly(risk.due_on, now.date()),
                    f"/plants/{plant.id}#check",
                )
            )
    out += _spring(session, catalogue, prefs, now.date())
    for apart in open_quarantines(session):
        looks = looks_apart(session, apart)
        due = (looks[-1].looked_on if looks else apart.since_on) + timedelta(days=7)
        out.append(
            Task(
                f"quarantine-{apart.id}",
                "quarantine",
                apart.plant,
                _place(apart.plant),
                "Look it over while it is kept apart",
                MINUTES["quarantine"],
                weekly(due, now.date()),
                f"/quarantine/{apart.id}",
            )
        )
    return out


def weekly(due: date, today: date) -> date:
    """A weekly date: the last time it was due, or the first time to come."""
    return due if due >= today else due + timedelta(days=7 * ((today - due).days // 7))


def _spring(session: Session, catalogue: Catalogue, prefs: Preferences, today: date) -> list[Task]:
    """What was cleared in the cold is looked at again in spring: the silence may have
    been rest.
    """
    winter, spring = (
        ((11, 12, 1, 2), (3, 4, 5)) if prefs.hemisphere == "north" else ((5, 6, 7, 8), (9, 10, 11))
    )
    if today.month not in spring:
        return []
    begun, looked = date(today.year, spring[0], 1), beside.last_looks(session)
    found = [
        Task(
            f"spring-{c.id}",
            "neighbour",
            p,
            _place(p),
            f"Cleared of {catalogue.name(c.pest_id)} in winter: look again now that it is warm",
            MINUTES["neighbour"],
            weekly(begun, today),
            f"/plants/{p.id}#check",
        )
        for p in beside.everyone(session)
        for c in p.cases
        if c.closed_at
        and c.closed_at.month in winter
        and (today - c.closed_at.date()).days < WINTER_DAYS
        and looked.get(p.id, date.min) < begun
    ]
    return list({(t.plant.id, t.text): t for t in found}.values())


def next_evening(row: PestCase) -> Application | None:
    """The next planned evening of a case."""
    return next(iter(history.planned(row)), None)


def _treat(catalogue: Catalogue, row: PestCase, today: date, speech: Speech) -> list[Task]:
    slot = next_evening(row)
    if slot is None:
        return []
    verb = words.evening_verb(slot.treatments, catalogue.treatments)
    gone = history.went_by(row)
    missed_on, missed_latest_on = (gone.missed_on, gone.missed_latest_on) if gone else (None, None)
    late = ""
    if missed_on and missed_on < today:
        end = missed_latest_on or missed_on
        late = (
            f"Planned for {speech.day(missed_on)}; its window ended "
            f"{days((today - end).days)} ago, so some may have bred since."
            if end < today
            else f"Planned for {speech.day(missed_on)}; still inside its window."
        )
    minutes = round(effort.evening(catalogue, row, slot.treatments))
    closes = min(slot.latest_on, missed_latest_on or slot.latest_on)
    return [
        Task(
            f"treat-{slot.id}",
            "treat",
            row.plant,
            _place(row.plant),
            f"{verb}: {words.act_names(slot.treatments, catalogue.treatments)}",
            minutes,
            slot.target_on,
            f"/cases/{row.id}/evening",
            f"/evenings/{slot.id}",
            closes,
            late,
            "Done today",
            row.id,
            missed_on,
        )
    ]


def _patches(catalogue: Catalogue, row: PestCase, now: datetime) -> list[Task]:
    def text(key: str) -> str:
        return f"Judge the test leaves: {words.act_names([key], catalogue.treatments)}"

    states = test_leaves.states(catalogue, row, now)
    wanted = {key for slot in history.planned(row)[:1] for key in slot.treatments}
    new = [
        Task(
            f"leaves-{row.id}-{p.treatment_id}",
            "patch",
            row.plant,
            _place(row.plant),
            f"Spray two test leaves: {words.act_names([p.treatment_id], catalogue.treatments)}",
            MINUTES["patch"],
            now.date(),
            f"/cases/{row.id}#patches",
        )
        for p in states
        if p.state == "none" and (p.treatment_id in wanted or not wanted)
    ]
    return [
        Task(
            f"patch-{p.test.id}",
            "patch",
            row.plant,
            _place(row.plant),
            text(p.treatment_id),
            MINUTES["patch"],
            weekly(p.ready_at.date(), now.date()),
            f"/cases/{row.id}#patches",
        )
        for p in states
        if p.state == "ready" and p.test and p.ready_at
    ] + (new if history.planned(row) else [])


def _care(row: PestCase, now: datetime) -> list[Task]:
    return [
        Task(
            f"care-{t.id}",
            "care",
            row.plant,
            _place(row.plant),
            t.text,
            MINUTES["care"],
            t.due_at.date(),
            f"/cases/{row.id}",
            f"/tasks/{t.id}",
        )
        for t in open_tasks(row, now)
    ]


def _cards(row: PestCase, today: date) -> list[Task]:
    """The cards of a case that are to be counted, those of one colour together."""
    hanging = [c for c in row.cards if c.withdrawn_at is None and c.removed_on is None]
    return [
        _card(row, [c for c in hanging if c.colour == colour], today)
        for colour in dict.fromkeys(c.colour for c in hanging)
    ]


def _card(row: PestCase, cards: Sequence[Card], today: date) -> Task:
    due = min(_last_count(card) for card in cards) + timedelta(days=CARD_WEEK)
    fresh = [
        max(
            [
                card.placed_on,
                *(c.counted_on for c in card.counts if c.replaced and c.withdrawn_at is None),
            ]
        )
        for card in cards
    ]
    old = (today - min(fresh)).days >= CARD_LASTS
    one = len(cards) == 1
    which = f"the {cards[0].colour} card" if one else f"the {len(cards)} {cards[0].colour} cards"
    renew = " and hang a fresh one" if one else " and hang fresh ones"
    text = f"Count {which}{renew if old else ''}"
    return Task(
        f"card-{cards[0].id}",
        "card",
        row.plant,
        _place(row.plant),
        text,
        MINUTES["card"] * len(cards),
        weekly(due, today),
        f"/cases/{row.id}/follow#cards",
    )


def _last_count(card: Card) -> date:
    return max([card.placed_on, *(c.counted_on for c in card.counts if c.withdrawn_at is None)])


def _looks(
    catalogue: Catalogue, row: PestCase, today: date, others: list[str], speech: Speech
) -> list[Task]:
    if row.plan_key.startswith(assemble.LEFT_ALONE):
        return [_recount(catalogue, row, today, speech)]
    due = weekly(follow_page.due_for_look(row, today), today)
    slot = next_evening(row)
    if slot is not None and abs((slot.target_on - due).days) <= 1 and due >= today:
        return []
    pest = catalogue.records[row.pest_id].name
    also = f"; look for {listed(others)} too" if others else ""
    text = (
        f"Count what lives: {pest}{also}"
        if slot is not None or row.keep_below is not None
        else f"Look closely for {pest}: the course is done"
    )
    return [
        Task(
            f"look-{row.id}",
            "look",
            row.plant,
            _place(row.plant),
            text,
            MINUTES["look"],
            due,
            f"/cases/{row.id}/inspect",
        )
    ]


def _recount(catalogue: Catalogue, row: PestCase, today: date, speech: Speech) -> Task:
    """The task of a case that was left alone: it has no dates until somebody counts."""
    since = speech.day(history.touched_on(row))
    text = f"Count again: {catalogue.records[row.pest_id].name}, nothing recorded since {since}"
    return Task(
        f"recount-{row.id}",
        "look",
        row.plant,
        _place(row.plant),
        text,
        MINUTES["look"],
        today,
        f"/cases/{row.id}/inspect",
    )


# -- evenings --------------------------------------------------------------------------
# -------------------------------


def _row(catalogue: Catalogue, row: PestCase, today: date) -> WindowsRow:
    slots = history.planned(row)
    spans = tuple(
        (max(a.earliest_on, today), a.target_on, max(a.latest_on, a.target_on))
        for a in slots[:2]
        if a.earliest_on <= today + timedelta(days=SPAN_DAYS)
    )
    here, gone = assemble.limits_of(row).admits(today), history.went_by(row)
    if (
        here
        and gone
        and slots[0].target_on <= today
        and gone.missed_latest_on
        and gone.missed_latest_on < today
    ):
        spans = ((today, today, today), *spans[1:])
    acts = slots[0].treatments if slots else []
    wet = any(
        key in catalogue.recipes.recipe and not catalogue.treatments[key].by_hand for key in acts
    )
    aim = catalogue.evenings.sits[catalogue.records[row.pest_id].group]
    parts = sorted(aim, key=lambda p: -aim[p])[:2]
    return WindowsRow(
        row,
        catalogue.records[row.pest_id].name,
        spans,
        None,
        words.act_names(acts, catalogue.treatments),
        listed([catalogue.evenings.part[p].name for p in parts]),
        spray_ml(row.plant),
        wet,
        effort.evening(catalogue, row, acts),
    )


def _gathered(
    rows: tuple[WindowsRow, ...], prefs: Preferences, today: date, tried: date | None
) -> tuple[tuple[WindowsRow, ...], tuple[Gathering, ...], tuple[WindowsRow, ...]]:
    """The rows with the evening that serves each, the evenings, and the rows that no
    free evening serves.
    """
    windows = [
        DayRange(
            str(r.row.id),
            r.windows[0][0].toordinal(),
            r.windows[0][2].toordinal(),
            r.windows[0][1].toordinal(),
        )
        for r in rows
        if r.windows
    ]
    end = max((w.last for w in windows), default=today.toordinal())
    free = [d for d in range(today.toordinal(), end + 1) if prefs.free(date.fromordinal(d))]
    if tried is not None and tried >= today:
        now = [w for w in windows if w.first <= tried.toordinal() <= w.last]
        rest = gather([w for w in windows if w not in now], free)
        serves, unserved = {**rest.serves, **{w.key: tried.toordinal() for w in now}}, rest.unserved
    else:
        found = gather(windows, free)
        serves, unserved = found.serves, found.unserved
    served = tuple(
        replace(
            r,
            served_on=date.fromordinal(serves[str(r.row.id)]) if str(r.row.id) in serves else None,
        )
        for r in rows
    )
    evenings = sorted({r.served_on for r in served if r.served_on})
    return (
        served,
        tuple(Gathering(day, tuple(r for r in served if r.served_on == day)) for day in evenings),
        tuple(r for r in served if str(r.row.id) in unserved),
    )


def keep(
    session: Session,
    catalogue: Catalogue,
    prefs: Preferences,
    day: date,
    *,
    now: datetime,
    tried: bool = False,
) -> int:
    """Set every case that an evening serves (as the page shows it, `tried` for that
    evening) to that evening. Its later evenings move along. Returns how many were
    moved.
    """
    result = build(session, catalogue, prefs, now=now, tried=day if tried else None)
    chosen = next((s for s in result.sessions if s.on == day), None)
    moved = 0
    for row in chosen.moved if chosen else ():
        plan = plans.standing_plan(session, catalogue, row.row, now.date()).plan
        first, *rest = [a.target for a in plan.applications] or [day]
        later = max(day - first, timedelta(0))
        dates = sorted({day, *(d + later for d in rest if d + later > day)})
        if len(dates) == len(plan.applications):
            trial.keep(
                session,
                catalogue,
                row.row.id,
                ",".join(d.isoformat() for d in dates),
                now=now,
                speech=prefs.speech,
            )
            moved += 1
    return moved
