"""What must hold every day, whatever a keeper does: asked of the pages, and of what is
on record, past the application.
"""

from __future__ import annotations

import json
import shutil
import sqlite3
import tempfile
from collections import Counter
from contextlib import closing
from datetime import date, timedelta
from functools import lru_cache
from pathlib import Path

from icalendar import Calendar

from brood.catalogue.loader import shipped
from brood.core.biology.pest import Pest
from brood.core.biology.stage_times import stage_times
from brood.errors import InputError
from brood.services.cases import assemble, history, plans
from brood.services.voice.desk import Desk
from brood.settings import Settings
from brood.store.queries import cases
from brood.web.app import create_app

from .keeper import Case, Keeper
from .page import Page, Task

OLD_DAYS = 14
FEW_CASES, MOST_ITEMS = 5, 12
"""With so few open cases Today never holds more items than that."""
LEAST_GAP = 7
LATE_WORDS = ("not marked", "late", "overdue", "went by", "was it done", "count again")
SURELY = 1.5
"""A gap so many generations long is longer than one by any reading of how cool the place may be."""
COSTS_A_HOUSEHOLD = 1
READ = 0.3
"""How often the page of a case is read where nothing calls for it."""


@lru_cache(maxsize=512)
def slow_generation(pest: Pest, celsius: float) -> float | None:
    """Days from egg to egg for the slow ones at a temperature; None where nothing develops."""
    return stage_times(pest, celsius, spread_c=1.0).generation.slow


@lru_cache(maxsize=16)
def shut_out(state: str) -> frozenset[str]:
    """The treatments that a state forbids."""
    return shipped().held(state, date.min, date.max, next(iter(shipped().pests))).forbids


class Checks:
    """The checks of one household."""

    def __init__(self, keeper: Keeper) -> None:
        self.k = keeper
        self.known: set[tuple[str, object]] = set()
        self.compared = 0

    def _once(self, kind: str, key: object, where: str, what: str) -> None:
        """Note a standing fault once and not every day."""
        if (kind, key) not in self.known:
            self.known.add((kind, key))
            self.k.fault(kind, where, what)

    # -- Today --

    def today(self, page: Page) -> None:
        """Today's items: none twice, none old, none for what is gone or while away."""
        self.k.report.counts["items"] += page.lines
        self.k.report.most_items = max(self.k.report.most_items, page.lines)
        cases = sum(1 for _ in self.k.rows("select id from pest_case where closed_at is null"))
        if cases <= FEW_CASES and page.lines > MOST_ITEMS:
            self._once("many items", self.k.today, "/", f"{page.lines} for {cases} cases")
        for name, n in Counter((t.text, t.url) for t in page.tasks).items():
            if n > 1:
                self._once("same item", name, "/", name[0][:120])
        for task in page.tasks:
            due = self._due(task)
            if due is not None and (self.k.today - due).days > OLD_DAYS:
                self._once("old item", task.key, "/", f"{task.key}, due {due}: {task.text[:120]}")
            self._belongs(task)

    def _due(self, task: Task) -> date | None:
        """The day on which an item became due: as the page says, or as is on record."""
        if task.due:
            return date.fromisoformat(task.due)
        kind, _, rest = task.key.partition("-")
        if kind == "care":
            (found,) = self.k.rows("select due_at from after_task where id = ?", int(rest))
            return date.fromisoformat(found[0][:10])
        if kind == "treat":
            (found,) = self.k.rows(
                "select coalesce(missed_on, target_on) from application where id = ?", int(rest)
            )
            return date.fromisoformat(found[0])
        return None

    def _belongs(self, task: Task) -> None:
        plant = next(
            (p for p in self.k.house.plants if p.gone and p.id == task.plant),
            None,
        )
        if plant is not None:
            self._once("gone", (task.key,), "/", task.text[:120])
        case = next(
            (
                c
                for c in self.k.cases
                if task.url.startswith(f"/cases/{c.id}/") and task.key.startswith("treat")
            ),
            None,
        )
        if case and case.away and case.away[0] <= self.k.today <= case.away[1]:
            self._once(
                "absence",
                (task.key, self.k.today),
                "/",
                f"away {case.away[0]} to {case.away[1]}: {task.text[:100]}",
            )

    def _same_name(self, name: str) -> bool:
        return any(p.name.startswith(name) and not p.gone for p in self.k.house.plants)

    # -- cases --

    def stands(self, case: Case) -> None:
        """What is kept of a case that is not due belongs to its present facts."""
        household = self.k.client.application.extensions["household"]
        with household.store.reading() as session:
            row = cases.case(session, case.id)
            desk = Desk(session, household.planning.catalogue_of(session), self.k.clock.now)
            if history.plan_is_due(row, desk.today) or row.planned_on is None:
                return
            self.k.report.counts["digests"] += 1
            try:
                key = plans.key_of(row, assemble.facts_of(desk, row, row.planned_on).digest())
            except InputError:
                return
            if key != row.outlook_key and row.plan_state == "planned":
                self._once(
                    "stale", (case.id, row.facts), f"/cases/{case.id}", f"facts {row.facts} unseen"
                )

    def case(self, case: Case, today: Page) -> None:
        """The dates of a case against its pest's generation, the day, absences, and
        what was touched last; its page where they call for it.
        """
        rows = self.k.rows(
            "select id, target_on, missed_on from application where case_id = ? and status "
            "= 'planned' order by target_on",
            case.id,
        )
        held = self.k.rows("select keep_below from pest_case where id = ?", case.id)[0][0]
        slots = [(number, date.fromisoformat(on), missed) for number, on, missed in rows]
        where, slow = f"/cases/{case.id}", self._slow(case)
        gap = (self.k.today - case.touched).days
        alone = (
            held is None
            and slow is not None
            and gap > max(SURELY * slow, LEAST_GAP) + 1
            and self._surely_over(case, gap)
            and self._was_running(case)
        )
        late = bool(slots) and slots[0][1] < self.k.today
        page = self.k.get(where) if alone or late or self.k.chance(READ) else None
        lower = page.text.lower() if page else ""
        if slots and held is None:
            first = slots[0][1]
            free = (
                case.away[1]
                if case.away and case.away[0] <= first + timedelta(days=1)
                else self.k.today
            )
            if slow is not None and (first - max(self.k.today, free)).days > slow + 1:
                self._once(
                    "too far",
                    (case.id, self.k.today.month),
                    where,
                    f"{case.pest}: next {first}, a slow generation is {slow:.0f} days",
                )
            if late and not any(w in lower for w in LATE_WORDS):
                self._once("past", case.id, where, f"{first} stands as next")
        for number, on, _ in slots:
            if case.away and case.away[0] <= on <= case.away[1] and case.away[1] >= self.k.today:
                self._once(
                    "absence",
                    (number, on),
                    where,
                    f"{on} is planned, away {case.away[0]} to {case.away[1]}",
                )
        if alone and page is not None:
            if "count again" not in lower:
                self._once(
                    "count again",
                    (case.id, case.touched),
                    where,
                    f"{gap} days untouched, a slow generation is {slow:.0f}: "
                    f"{self._next_words(page)}",
                )
            elif slots and slots[0][1] > self.k.today:
                self._once(
                    "old dates",
                    (case.id, case.touched),
                    where,
                    f"next {slots[0][1]} after {gap} days untouched",
                )
        elif any(missed for *_, missed in slots) and not self._away_now(case):
            self._asked(case, slots, today)

    def _next_words(self, page: Page) -> str:
        at = page.text.find(" Next ")
        return page.text[at : at + 120]

    def _away_now(self, case: Case) -> bool:
        return bool(case.away and case.away[0] <= self.k.today <= case.away[1])

    def _was_running(self, case: Case) -> bool:
        """Whether the course was not over when the case was touched last: an evening
        was to come.
        """
        query = (
            "select count(*) from application where case_id = ? and (status = 'planned' or "
            "(status = 'dropped' and changed_at > ?))"
        )
        return bool(
            self.k.rows(query, case.id, (case.touched + timedelta(days=1)).isoformat())[0][0]
        )

    def _asked(self, case: Case, slots: list[tuple[int, date, str | None]], today: Page) -> None:
        """An evening that went by is asked about, and costs no more than one that was skipped."""
        number, missed = slots[0][0], next(s[2] for s in slots if s[2])
        if date.fromisoformat(str(missed)) >= self.k.today:
            return
        self.k.report.counts["unmarked"] += 1
        task = next(
            (t for t in today.tasks if t.key == f"treat-{number}" or number in t.along), None
        )
        if f"coming-treat-{number}" in today.ids or (
            task is not None and any(w in task.text.lower() for w in LATE_WORDS)
        ):
            self.k.report.counts["asked"] += 1
        else:
            self._once(
                "not asked",
                (case.id, missed),
                "/",
                f"evening of {missed}: {task.text[:100] if task else 'no item'}",
            )
        if self.compared < COSTS_A_HOUSEHOLD:
            self.compared += 1
            self._cost(case, number)

    def _cost(self, case: Case, slot: int) -> None:
        """Try on a copy what it would cost to say that an evening was missed."""
        with tempfile.TemporaryDirectory() as folder:
            copy = Path(folder) / "household.sqlite"
            with (
                closing(sqlite3.connect(self.k.database)) as source,
                closing(sqlite3.connect(copy)) as target,
            ):
                source.backup(target)
            secret = self.k.database.parent / "session-secret"
            if secret.exists():
                shutil.copy(secret, folder)
            app = create_app(Settings(data=Path(folder)), self.k.clock)
            app.test_client().post(f"/evenings/{slot}", data={"outcome": "skipped"})
            with closing(sqlite3.connect(copy)) as db:
                said = db.execute(
                    "select count(*) from application where case_id = ? and status = 'planned'",
                    (case.id,),
                ).fetchone()[0]
            app.extensions["household"].store.close()
        unsaid = self.k.rows(
            "select count(*) from application where case_id = ? and status = 'planned'", case.id
        )[0][0]
        self.k.report.counts["costs compared"] += 1
        if unsaid > said + 1:
            self._once(
                "cost",
                (case.id, slot),
                f"/cases/{case.id}",
                f"{unsaid} evenings while it is not marked, {said} when said to be missed",
            )

    def _slow(self, case: Case) -> float | None:
        """A slow generation at the coolest that the household says of the place these days."""
        days = [self.k.today - timedelta(days=n) for n in range(0, 15, 7)]
        low, high = (
            sum(v) / len(days)
            for v in zip(*(case.plant.place.climate.day(d) for d in days), strict=True)
        )
        return slow_generation(self.k.catalogue.pest(case.pest), round((low + high) / 2 - 3.0))

    def _surely_over(self, case: Case, gap: int) -> bool:
        """Whether a slow generation has passed since a case was touched, at the coolest of
        the places where its plant stood since, over all the weeks.
        """
        rows = self.k.rows(
            "select place_id, since_on from stay where plant_id = ? order by since_on, id",
            case.plant.id,
        )
        stays = [(number, date.fromisoformat(on)) for number, on in rows]
        begun = max([on for _, on in stays if on <= case.touched], default=date.min)
        stood = {number for number, on in stays if on >= begun}
        weeks = [case.touched + timedelta(days=n) for n in range(0, gap + 1, 7)]
        pest = self.k.catalogue.pest(case.pest)
        for place in self.k.house.places:
            if place.id in stood:
                mean = sum(sum(place.climate.day(on)) / 2 for on in weeks) / len(weeks)
                slow = slow_generation(pest, round(mean - 3.0))
                if slow is None or gap <= max(SURELY * slow, LEAST_GAP) + 1:
                    return False
        return True

    def over(self, case: Case, page: Page) -> None:
        """What is said of the end: clear only after looks, and counted against the truth."""
        said = page.heading.startswith("All clear") and "if every" not in page.heading
        if not said or case.declared:
            return
        case.declared = True
        looks = [key for key, n in self.k.ledger.looks.items() if key[1] == case.id and n > 0]
        if not looks:
            self._once("unlooked", case.id, f"/cases/{case.id}/clearing", page.heading)
        self.k.report.counts["declared"] += 1
        self.k.report.counts["alive though declared"] += (
            self.k.colony(case.plant.id, case.pest).alive > 0
        )

    def house(self, html: str) -> None:
        """No plant is called clear that nobody has looked at, none infested or suspect
        that is gone.
        """
        for plant in self.k.house.plants:
            if not plant.gone and plant.id not in self.k.looked and f"{plant.name}: clear" in html:
                self._once(
                    "unlooked",
                    plant.id,
                    "/house",
                    f"{plant.name} is called clear, and nobody looked at it",
                )

    def states(self) -> None:
        """No evening to come uses what a state of its plant forbids."""
        rows = self.k.rows(
            "select c.id, a.target_on, a.treatments, s.kind from application a "
            "join pest_case c on c.id = a.case_id join plant_state s on s.plant_id = c.plant_id "
            "where a.status = 'planned' and c.closed_at is null and c.facts = c.planned_facts "
            "and s.withdrawn_at is null and a.target_on between s.since_on and "
            "min(s.until_on, coalesce(s.ended_on, s.until_on)) and a.target_on >= ?",
            self.k.today.isoformat(),
        )
        for case_id, on, acts, kind in rows:
            forbidden = shut_out(kind).intersection(json.loads(acts))
            if forbidden:
                what = f"{on}: {', '.join(forbidden)} while {kind}"
                self._once("state", (case_id, on), f"/cases/{case_id}", what)

    # -- the record --

    def record(self) -> None:
        """What is on record is what the keeper did: no more, and no less. What differs
        is taken as it stands, to be told once.
        """
        k, book = self.k, self.k.ledger
        done = {
            (c, date.fromisoformat(on))
            for c, on in k.rows(
                "select a.case_id, r.done_on from application_record r join application a "
                "on a.id = r.application_id "
                "where r.withdrawn_at is null and r.outcome = 'done'"
            )
        }
        self._same("evening", book.done, done)
        book.done = done
        looks = Counter(
            (p, c or 0, date.fromisoformat(on), k.live(counts))
            for p, c, on, counts in k.rows(
                "select plant_id, case_id, looked_on, counts from inspection where "
                "withdrawn_at is null"
            )
        )
        self._same("look", +book.looks, looks)
        book.looks = looks
        finds = Counter(
            (c, date.fromisoformat(on), stage, float(n or 0))
            for c, on, stage, n in k.rows(
                "select case_id, found_on, stage, number from finding where withdrawn_at is null"
            )
        )
        self._same("find", +book.finds, finds)
        book.finds = finds
        events = Counter(
            (p, date.fromisoformat(on), kind)
            for p, on, kind in k.rows(
                'select plant_id, "on", kind from plant_event where withdrawn_at is null'
            )
        )
        self._same("event", +book.events, events)
        book.events = events
        here = {p.id for p in k.house.plants if not p.gone}
        closed = {
            c
            for c, p in k.rows("select id, plant_id from pest_case where closed_at is not null")
            if p in here
        }
        self._same(
            "closing", {c.id for c in k.cases if c.id in book.closed and c.plant.id in here}, closed
        )
        book.closed = {c.id for c in k.cases if c.plant.id not in here} | closed
        apart = {
            p
            for (p,) in k.rows("select plant_id from quarantine where released_on is null")
            if p in here
        }
        self._same("kept apart", {p for p in book.apart if p in here}, apart)
        book.apart = apart

    def _same(self, what: str, mine: object, theirs: object) -> None:
        if mine == theirs:
            return
        if isinstance(mine, Counter) and isinstance(theirs, Counter):
            more, less = list((theirs - mine).elements()), list((mine - theirs).elements())
        else:
            more, less = sorted(theirs - mine, key=str), sorted(mine - theirs, key=str)  # type: ignore[operator]
        for one in more:
            twice = isinstance(mine, Counter) and mine[one] > 0
            self.k.fault("twice" if twice else "recorded", what, f"{what} {_told(one)}")
        for one in less:
            self.k.fault("missing", what, f"{what} {_told(one)}")

    # -- what goes out --

    def taken_out(self, *, everything: bool) -> None:
        """The feed, and the exports at intervals."""
        answer = self.k.answer(self.k.feed)
        try:
            entries = list(Calendar.from_ical(answer.get_data(as_text=True)).walk("VEVENT"))
        except ValueError as error:
            return self._once("export", "feed", "/feed", str(error))
        gone = {p.name for p in self.k.house.plants if p.gone and not self._same_name(p.name)}
        for entry in entries:
            name = next((n for n in gone if n in str(entry.get("summary"))), None)
            day = entry["dtstart"].dt
            day = day.date() if hasattr(day, "date") else day
            told = (
                str(entry.get("summary")).startswith(("Done", "Skipped"))
                or str(entry.get("status")) == "CANCELLED"
            )
            if name and day >= self.k.today and not told:
                self._once("gone", (name, "feed"), "/feed", f"{entry.get('summary')} on {day}")
        if everything:
            self._exports()
        return None

    def _exports(self) -> None:
        for path in ("/record/household.json", "/record/tables.zip", "/record/backup.sqlite"):
            answer = self.k.answer(path)
            if answer.status_code == 200 and path.endswith(".json"):
                try:
                    json.loads(answer.get_data(as_text=True), parse_constant=_no_number)
                except ValueError as error:
                    self._once("export", path, path, str(error))
            answer.close()


def _no_number(text: str) -> None:
    raise ValueError(f"{text} is no number")


def _told(one: object) -> str:
    return ", ".join(str(part) for part in one) if isinstance(one, tuple) else str(one)
