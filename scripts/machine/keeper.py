"""A human keeper of a made-up household: does evenings or forgets them, looks well or
badly, goes away, comes back, changes things.

Whatever the keeper does goes through the application's own pages and forms. `Ledger`
holds what was really done, to be compared with what is on record; what the application
refuses is not in it.
"""

from __future__ import annotations

import io
import json
import sqlite3
from collections import Counter
from contextlib import closing
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta
from pathlib import Path
from time import process_time

from flask.testing import FlaskClient
from werkzeug.test import TestResponse

from brood.catalogue.holdings import Catalogue

from .household import Household, Place, Plant, made
from .page import Form, Page, Task, wrong_text
from .report import Fault, Report
from .truth import Colony

START = date(2026, 3, 1)
CARELESS = 0.12
"""How often somebody taps the mark beside a look without having looked."""
TWICE = 0.15
SLOW_S = 60.0
"""No request may keep the processor busy for longer, however old the household."""
COMPARED = 0.25
"""Of how many clean looks it is seen what they changed."""


@dataclass
class Ledger:
    """What the keeper did, as it should stand on record."""

    done: set[tuple[int, date]] = field(default_factory=set)
    looks: Counter[tuple[int, int, date, int]] = field(default_factory=Counter)
    finds: Counter[tuple[int, date, str, float]] = field(default_factory=Counter)
    events: Counter[tuple[int, date, str]] = field(default_factory=Counter)
    closed: set[int] = field(default_factory=set)
    apart: set[int] = field(default_factory=set)


@dataclass
class Case:
    """A case as the keeper knows it: what lives there in truth, when it was touched
    last, and absences told to it.
    """

    id: int
    plant: Plant
    pest: str
    touched: date
    away: tuple[date, date] | None = None
    declared: bool = False
    owed: date | None = None


class Keeper:
    """One household with its keeper, in front of a running application."""

    def __init__(
        self,
        client: FlaskClient,
        database: Path,
        clock: Clock,
        catalogue: Catalogue,
        seed: int,
        n: int,
        log: list[str],
    ) -> None:
        self.client, self.database, self.clock, self.catalogue, self.log = (
            client,
            database,
            clock,
            catalogue,
            log,
        )
        self.house: Household = made(seed, n, catalogue)
        self.rng, self.report, self.ledger = self.house.rng, Report(), Ledger()
        self.colonies: dict[tuple[int, str], Colony] = {}
        self.cases: list[Case] = []
        self.looked: dict[int, date] = {}
        self.cuttings: dict[int, list[str]] = {}
        self.feed = ""
        self.sheet = ""
        self.figures: dict[tuple[str, str], tuple[str, str]] = {}
        self.figures_at: datetime | None = None

    # -- the application --

    @property
    def today(self) -> date:
        """The day of the clock."""
        return self.clock.now.date()

    def fault(self, kind: str, where: str, what: str) -> None:
        """Note that something is wrong."""
        self.report.faults.append(Fault(kind, self.house.seed, self.today, where, what[:220]))

    def answer(self, path: str, **sent: object) -> TestResponse:
        """What the application answers to a request, a post where something is `sent`."""
        begun = process_time()
        ask = self.client.post if sent else self.client.get
        answer = ask(path, **sent)
        took = process_time() - begun
        if took > self.report.slowest[0]:
            self.report.slowest = took, f"{self.house.seed[0]}:{self.house.seed[1]}", path
        if took > SLOW_S:
            self.fault("slow", path, f"{took:.0f} s of the processor")
        if answer.status_code >= 500:
            self.fault(
                "answer", path, self.log.pop() if self.log else f"status {answer.status_code}"
            )
        self.log.clear()
        return answer

    def refused(self, where: str, answer: TestResponse) -> None:
        """A form that was filled in rightly was not taken: what the page says of it."""
        page = Page(answer.get_data(as_text=True))
        at = page.text.find("another look.")
        self.fault(
            "refused",
            where,
            f"status {answer.status_code}: "
            f"{'; '.join(page.faults) or page.text[at + 40 : at + 240]}",
        )

    def get(self, path: str) -> Page:
        """Read a page, and its text for what no text may hold."""
        answer = self.answer(path)
        self.report.counts["pages"] += 1
        page = Page(answer.get_data(as_text=True))
        for what, around in wrong_text(page.text):
            self.fault("text", path, f"{what}: …{around}…")
        self._agree(path, page)
        return page

    def _agree(self, path: str, page: Page) -> None:
        """Two pages of one moment say the same of a case."""
        if self.figures_at != self.clock.now:
            self.figures, self.figures_at = {}, self.clock.now
        for name, case, value in page.figures:
            self.report.counts["figures"] += 1
            before, where = self.figures.setdefault((name, case), (value, path))
            if before != value:
                self.fault(
                    "figures", path, f"case {case}, {name}: {value}, but {before} on {where}"
                )

    def post(self, path: str, data: dict[str, object], *, twice: bool = False) -> TestResponse:
        """Send a form, now and then with a second tap."""
        self.figures_at = None
        answer = self.answer(path, data=data)
        if twice and self.chance(TWICE):
            self.answer(path, data=data)
        return answer

    def press(self, form: Form, path: str, *, pressed: int = 0, **more: object) -> TestResponse:
        """Send a form of a page as it stands with some fields changed."""
        name, value, _, action = form.buttons[pressed]
        return self.post(
            action or form.action or path,
            {**form.values, **({name: value} if name else {}), **more},
        )

    def rows(self, sql: str, *values: object) -> list[tuple]:
        """What is on record, past the application."""
        with closing(sqlite3.connect(f"file:{self.database}?mode=ro", uri=True)) as db:
            return db.execute(sql, values).fetchall()

    @staticmethod
    def live(counts: str) -> int:
        """How many living a look on record counted."""
        return int(sum(c["live"] for c in json.loads(counts)))

    def chance(self, share: float) -> bool:
        """Whether something happens this time."""
        return bool(self.rng.random() < share)

    def one(self, things: list) -> object:
        """Any one of some."""
        return things[int(self.rng.integers(len(things)))]

    # -- setting up --

    def move_in(self) -> None:
        """Settings, places and plants, and the first finds."""
        house = self.house
        self.settings(house.unit)
        for place in house.places:
            self._add_place(place)
        for plant in house.plants:
            self._add_plant(plant)
        page = Page(self.answer("/sharing/feed", data={"label": "phone"}).get_data(as_text=True))
        found = [w for w in page.text.split() if "/feed/" in w]
        self.feed = "/feed/" + found[0].split("/feed/")[1] if found else ""
        for _ in range(min(2, self.house.most_cases)):
            self.find_a_pest()

    def settings(self, unit: str) -> None:
        """Say how dates and temperatures are read."""
        self.house.unit = unit
        form = self.get("/settings").form("/settings")
        assert form is not None
        self.press(
            form, "/settings", unit=unit, locale=self.house.locale, hemisphere=self.house.hemisphere
        )

    def degrees(self, celsius: float) -> str:
        """A temperature in the household's unit."""
        return f"{celsius if self.house.unit == 'C' else celsius * 9 / 5 + 32:.1f}"

    def degrees_of(self, difference: float) -> str:
        """A difference of temperatures in the household's unit."""
        return f"{difference if self.house.unit == 'C' else difference * 9 / 5:.1f}"

    def _warmth(self, place: Place) -> dict[str, object]:
        day, night = place.points
        return {
            "name": place.name,
            "setting": place.setting,
            "source": place.source,
            "constant": self.degrees(day),
            "day": self.degrees(day),
            "night": self.degrees(night),
            "day_from": "07:00",
            "night_from": "21:00",
            "sensor_url": "http://127.0.0.1:9/reading",
            "apart_room": "3",
        }

    def _add_place(self, place: Place) -> None:
        answer = self.post("/places/new", self._warmth(place))
        if answer.status_code != 303:
            self.refused("/places/new", answer)
            return
        place.id = int(answer.headers["Location"].rsplit("/", 1)[1])
        self.measure(place, 14)

    def _add_plant(self, plant: Plant) -> None:
        since = self.today - timedelta(days=40)
        answer = self.post(
            "/plants/new",
            {
                "name": plant.name,
                "kind": plant.kind,
                "build": plant.build,
                "place": plant.place.id,
                "since": since,
            },
        )
        if answer.status_code != 303:
            self.refused("/plants/new", answer)
            return
        plant.id = int(answer.headers["Location"].rsplit("/", 1)[1])

    def measure(self, place: Place, back: int) -> None:
        """Bring what is measured at a place up to date: the diary, a logger's file, the sensor."""
        days = [self.today - timedelta(days=n) for n in range(min(back, 13), -1, -1)]
        if place.source == "diary":
            data = {
                f"{side}-{d.isoformat()}": self.degrees(v)
                for d in days
                for side, v in zip(("low", "high"), place.climate.day(d), strict=True)
            }
            self.post(f"/places/{place.id}/diary", data)
        elif place.source == "logger":
            rows = ["time,temperature"]
            for day in days[:-1]:
                low, high = place.climate.day(day)
                rows += [f"{day} {h:02d}:00,{high if 9 <= h < 21 else low:.1f}" for h in range(24)]
            body = (io.BytesIO("\n".join(rows).encode()), f"logger-{self.today}.csv")
            self.answer(
                f"/places/{place.id}/file",
                data={"file": body},
                content_type="multipart/form-data",
            )
        elif place.source == "sensor":
            self.post(f"/places/{place.id}/ask", {})

    # -- the truth --

    def live_on(self, day: date) -> None:
        """Everything lives on to the morning of a day; what flies or walks comes over
        to neighbours.
        """
        for (plant_id, pest), colony in list(self.colonies.items()):
            plant = next(p for p in self.house.plants if p.id == plant_id)
            if plant.gone:
                continue
            days = (day - colony.on).days
            colony.until(day, plant.place.climate)
            if colony.alive > 150 and self.chance(1 - 0.992**days):
                near = [
                    p
                    for p in self.house.plants
                    if p.place is plant.place and p.id != plant_id and not p.gone
                ]
                if near:
                    self.colony(self.one(near).id, pest).arrive(len(colony.pest.stages), 3)  # type: ignore[attr-defined]

    def colony(self, plant_id: int, pest: str) -> Colony:
        """What lives of a pest on a plant."""
        key = (plant_id, pest)
        if key not in self.colonies:
            self.colonies[key] = Colony(
                self.catalogue.pest(pest),
                self.today,
                [*self.house.seed, plant_id, len(self.colonies)],
            )
        return self.colonies[key]

    # -- finding --

    def find_a_pest(self) -> None:
        """Another pest of the household's turns up on a plant, with eggs and young."""
        plants = [p for p in self.house.plants if not p.gone]
        if not self.house.pests or not plants:
            return
        pest, plant = self.house.pests.pop(0), self.one(plants)
        colony = self.colony(plant.id, pest)  # type: ignore[attr-defined]
        last, size = len(colony.pest.stages), int(self.rng.integers(1, 12))
        for stage in range(last + 1):
            colony.arrive(stage, int(self.rng.poisson(size)))
        self.open(plant, pest)  # type: ignore[arg-type]

    def open(self, plant: Plant, pest: str) -> None:
        """Open a case of what is seen on a plant, with the treatments that the form proposes."""
        path = f"/plants/{plant.id}/case"
        if any(
            c.plant is plant and c.pest == pest and c.id not in self.ledger.closed
            for c in self.cases
        ):
            return
        form = next(
            (f for f in self.get(f"{path}?pest={pest}").forms if "found_on" in f.names), None
        )
        if form is None:
            self.fault("refused", path, "there is no form to open a case with")
            return
        seen = self._as_asked(
            form, self.colony(plant.id, pest).by_stage(self.house.nature.sees), pest
        )
        data = {
            **form.values,
            **{f"number-{stage}": n for stage, n in seen.items()},
            "found_on": self.today,
            "start_on": self.today,
        }
        if self.chance(0.6):
            data.pop("test_patch", None)
        if not any(k.startswith("act-") for k in data):
            data[next((n for n in form.names if n.startswith("act-")), "act-wiping")] = "1"
        answer = self.post(path, data)
        if answer.status_code != 303:
            self.refused(f"{path}?pest={pest}", answer)
            return
        case = Case(int(answer.headers["Location"].rsplit("/", 1)[1]), plant, pest, self.today)
        self.cases.append(case)
        self.report.pests.add(pest)
        self.report.counts["cases"] += 1
        for stage, n in seen.items():
            self.ledger.finds[case.id, self.today, stage, float(n)] += 1

    def _as_asked(self, form: Form, seen: dict[str, int], pest: str) -> dict[str, int]:
        """What was seen, by the stages that a form asks for."""
        asked = [n.removeprefix("number-") for n in form.names if n.startswith("number-")]
        display = {s.id: s.display for s in self.catalogue.records[pest].stage}
        out: dict[str, int] = {}
        for stage, n in seen.items():
            kind = display.get(stage, "adult")
            wide = {"larva": "young", "nymph": "young"}.get(kind, kind)
            to = next((s for s in (stage, wide, kind) if s in asked), "adult")
            out[to] = out.get(to, 0) + n
        return out or {"adult": 1}

    # -- a day --

    def open_cases(self) -> list[Case]:
        """The cases that the keeper has open on plants that are here."""
        return [c for c in self.cases if c.id not in self.ledger.closed and not c.plant.gone]

    def come_back(self, page: Page) -> Page:
        """After an absence: say of some things that they were not done, put off the rest."""
        for form in [f for f in page.forms if f.action == "/today/caught-up"]:
            if form.values.get("key") != "all" and self.chance(0.3):
                self.post("/today/caught-up", form.values)
        if page.form("/today/caught-up") is None:
            return page
        self.report.counts["came back"] += 1
        self.post("/today/caught-up", {"key": "all"})
        return self.get("/")

    def go_through(self, page: Page) -> None:
        """Do of Today what this keeper gets to."""
        for task in page.tasks:
            kind, _, rest = task.key.partition("-")
            number = int("".join(c for c in rest.split("-")[0] if c.isdigit()) or 0)
            say = {
                "treat": self._treat,
                "look": self._look,
                "recount": self._look,
                "neighbour": self._neighbour,
                "walk": self._walk,
                "quarantine": self._apart,
                "apart": self._all_apart,
                "care": self._care,
                "card": self._card,
                "patch": self._patch,
            }.get(kind)
            if say is not None:
                say(task, number)

    def _case_of(self, url: str) -> Case | None:
        parts = url.split("/")
        number = (
            int(parts[2]) if len(parts) > 2 and parts[1] == "cases" and parts[2].isdigit() else 0
        )
        return next((c for c in self.cases if c.id == number), None)

    def _treat(self, task: Task, slot: int) -> None:
        case, nature = self._case_of(task.url), self.house.nature
        if case is None or not self.chance(nature.treats):
            return
        acts = self._strike(case, nature.reach)
        how = self.rng.random()
        if how > nature.marks:
            case.owed = self.today
        elif how > 0.75 * nature.marks:
            self._on_the_page(case, acts)
        elif task.forms:
            self._marked(case, self.press_twice(task.forms[0]), self.today)

    def press_twice(self, form: Form) -> TestResponse:
        """Tap, perhaps twice."""
        name, value, _, _ = form.buttons[0]
        return self.post(
            form.action, {**form.values, **({name: value} if name else {})}, twice=True
        )

    def _strike(self, case: Case, reach: float) -> list[str]:
        """The treatment itself, with what is planned."""
        self._answer_before(f"/cases/{case.id}/evening")
        page = self.get(f"/cases/{case.id}/evening")
        form = next((f for f in page.forms if any(n.startswith("did-") for n in f.names)), None)
        acts = [n.removeprefix("did-") for n in form.names if n.startswith("did-")] if form else []
        for (plant, pest), colony in self.colonies.items():
            if plant == case.plant.id:
                colony.treat([self.catalogue.act(a, pest) for a in acts], reach)
        return acts

    def _answer_before(self, path: str) -> None:
        """Tell what the evening's page asks before anything is mixed."""
        form = next((f for f in self.get(path).forms if f.action.endswith("/before")), None)
        if form is None:
            return
        labels = {n: "1" for n in form.names if n.startswith("label-")}
        eaten, flowers = ("yes" if self.chance(0.2) else "no" for _ in range(2))
        told = {"alone": "1", "eaten": eaten, "flowers": flowers, **labels}
        self.post(form.action, {**form.values, **told})
        self.report.counts["asked before a mix"] += 1

    def _marked(self, case: Case, answer: TestResponse, on: date) -> None:
        if answer.status_code in (204, 303, 200):
            for one in (case, *self._along(case, on)):
                self.ledger.done.add((one.id, on))
                one.touched = max(one.touched, on)
            self.report.counts["evenings"] += 1

    def _along(self, case: Case, on: date) -> list[Case]:
        """The plant's other pests for which the evening just marked counts too."""
        others = [c for c in self.cases if c.plant is case.plant and c is not case]
        return [
            c
            for c in others
            for _ in self.rows(
                "select 1 from application_record r join application a on a.id = r.application_id"
                " where a.case_id = ? and r.done_on = ? and r.withdrawn_at is null"
                " and r.recorded_at = (select max(s.recorded_at) from application_record s"
                " join application b on b.id = s.application_id where b.case_id = ?) limit 1",
                c.id,
                on.isoformat(),
                case.id,
            )
        ]

    def _on_the_page(self, case: Case, acts: list[str]) -> None:
        path = f"/cases/{case.id}/evening"
        form = next((f for f in self.get(path).forms if "done_on" in f.names), None)
        if form is None:
            return
        parts = {n: "1" for n in form.names if n.startswith("part-") and self.chance(0.85)}
        data = {
            **form.values,
            **parts,
            **{f"did-{a}": "1" for a in acts},
            "done_on": self.today.isoformat(),
            "minutes": "20",
        }
        self._marked(case, self.post(path, data, twice=True), self.today)

    def own_up(self) -> None:
        """Mark, days later, an evening that was done and not marked."""
        for case in self.open_cases():
            if case.owed is None or not self.chance(0.5):
                continue
            page = self.get(f"/cases/{case.id}")
            fresh = [
                f
                for f in page.forms
                if f.action.startswith("/evenings/")
                and not any("withdraw" in b[3] for b in f.buttons)
            ]
            form = next((f for f in fresh if "done_on" in f.names), None)
            if form is not None and (case.id, case.owed) not in self.ledger.done:
                before = self.report.counts["evenings"]
                answer = self.press(form, "", done_on=case.owed.isoformat())
                if "already recorded" not in answer.get_data(as_text=True):
                    self._marked(case, answer, case.owed)
                self.report.counts["owned up"] += self.report.counts["evenings"] - before
            case.owed = None

    def _look(self, task: Task, number: int) -> None:
        case = next((c for c in self.cases if c.id == number), None)
        if case is None:
            return
        if self._taps_without_looking(task):
            return
        if self.chance(self.house.nature.looks):
            self.look(case)

    def _taps_without_looking(self, task: Task) -> bool:
        """Somebody taps a mark that says nothing, as if it were only ticked off: it
        must not claim a look that was not made.
        """
        blank = next((f for f in task.forms if f.buttons and not f.buttons[0][2]), None)
        if blank is None or not self.chance(CARELESS):
            return False
        self.press(blank, "")
        return True

    def look(self, case: Case, *, closely: bool = False) -> None:
        """Count what lives on a case's plant."""
        path, care = f"/cases/{case.id}/inspect", 0.95 if closely else self.house.nature.sees
        form = next((f for f in self.get(path).forms if "looked_on" in f.names), None)
        if form is None:
            return
        seen = self.colony(case.plant.id, case.pest).seen(care)
        there = {n.removeprefix("live-") for n in form.names if n.startswith("live-")}
        if not there:
            self.fault("refused", path, "the form asks for no count")
            return
        counts = {kind: n for kind, n in seen.items() if kind in there}
        before = self.outlook(case) if not counts and self.chance(COMPARED) else None
        data = {
            **form.values,
            "looked_on": self.today.isoformat(),
            "thorough": "lens" if closely else "usual",
            "share": "1",
            "plant": case.plant.id,
            "seen": "some" if counts else "none",
            **{f"live-{kind}": n for kind, n in counts.items()},
        }
        answer = self.post(path, data, twice=True)
        if answer.status_code != 303:
            self.refused(path, answer)
            return
        self._looked(case.plant.id, case.id, sum(counts.values()))
        case.touched = self.today
        self.report.counts["looks"] += 1
        self.report.counts["looks that found life"] += bool(counts)
        if before is not None:
            self._compare(case, before)

    def _looked(self, plant: int, case: int, live: int) -> None:
        self.ledger.looks[plant, case, self.today, live] += 1
        self.looked[plant] = self.today

    def outlook(self, case: Case) -> tuple[list[str], list[str]]:
        """The evenings that are planned, and the days that are left, as the page says."""
        self.get(f"/cases/{case.id}")
        rows = self.rows(
            "select target_on from application where case_id = ? and status = 'planned' "
            "order by target_on",
            case.id,
        )
        return [on for (on,) in rows], self.get(f"/today/apart?case={case.id}").times

    def _compare(self, case: Case, before: tuple[list[str], list[str]]) -> None:
        """What a clean look changed: it never makes a course longer."""
        after = self.outlook(case)
        self.report.counts["clean looks"] += 1
        self.report.counts["released by a clean look"] += bool(before[0]) and not after[0]
        if len(after[0]) > len(before[0]):
            self.fault(
                "longer by a look",
                f"/cases/{case.id}",
                f"{len(after[0])} evenings to come after a clean look, {len(before[0])} before",
            )
        if before[1] and after[1] and max(after[1]) > max(before[1]):
            seed, n = self.house.seed
            self.report.later.append(
                f"{seed}:{n} {self.today} /cases/{case.id}: {max(before[1])}, then {max(after[1])}"
            )

    def _neighbour(self, task: Task, plant_id: int) -> None:
        plant = next((p for p in self.house.plants if p.id == plant_id), None)
        if (
            plant is None
            or self._taps_without_looking(task)
            or not self.chance(self.house.nature.looks)
        ):
            return
        self.look_over(plant)

    def _walk(self, task: Task, _: int) -> None:
        page = self.get(task.url)
        for number in (int(f.action.split("/")[2]) for f in page.forms if "/check" in f.action):
            self._neighbour(task, number)

    def look_over(self, plant: Plant) -> None:
        """Look a plant over for anything; open a case of what is seen, or say that nothing was."""
        known = {c.pest for c in self.open_cases() if c.plant is plant}
        unknown = [
            (pest, colony)
            for (where, pest), colony in self.colonies.items()
            if where == plant.id and pest not in known
        ]
        for pest, colony in unknown:
            if (
                sum(colony.seen(self.house.nature.sees).values())
                and len(self.open_cases()) < self.house.most_cases + 1
            ):
                self.open(plant, pest)
                return
        form = self.get(f"/plants/{plant.id}").form(f"/plants/{plant.id}/check")
        if (
            form is not None
            and self.post(form.action, form.values, twice="sent_key" in form.values).status_code
            == 303
        ):
            self._looked(plant.id, 0, 0)

    def _apart(self, task: Task, number: int) -> None:
        if self._taps_without_looking(task) or not self.chance(self.house.nature.looks):
            return
        self.look_apart(number)

    def _all_apart(self, task: Task, _: int) -> None:
        for url in dict.fromkeys(self.get(task.url).links):
            number = url.removeprefix("/quarantine/")
            if number.isdigit():
                self._apart(task, int(number))

    def look_apart(self, number: int) -> None:
        """Look at a plant that is kept apart."""
        page = self.get(f"/quarantine/{number}")
        form = page.form(f"/quarantine/{number}/look")
        plant = next((p for p in self.house.plants if page.heading.startswith(p.name + ":")), None)
        if form is None or plant is None:
            return
        live = sum(
            sum(c.seen(self.house.nature.sees).values())
            for (where, _), c in self.colonies.items()
            if where == plant.id
        )
        answer = self.press(
            form,
            "",
            looked_on=self.today.isoformat(),
            seen="some" if live else "none",
            thorough="usual",
            **({"live-adult": live} if live else {}),
        )
        if answer.status_code == 303:
            self._looked(plant.id, 0, live)

    def free_without_a_look(self, page: Page, number: int, plant: int) -> None:
        """A plant kept apart may not be called free while nobody has looked at it."""
        if "may go back" in page.heading and plant not in self.looked:
            self.fault("unlooked", f"/quarantine/{number}", page.heading)

    def _care(self, task: Task, _: int) -> None:
        if task.forms and self.chance(0.5):
            self.press(task.forms[0], "")

    def _card(self, task: Task, card: int) -> None:
        case = self._case_of(task.url)
        if case is None or not self.chance(self.house.nature.looks):
            return
        colony = self.colony(case.plant.id, case.pest)
        caught = int(self.rng.binomial(int((colony.stage >= colony.laying - 1).sum()), 0.1))
        answer = self.post(
            f"/cards/{card}",
            {
                "number": caught,
                "counted_on": self.today.isoformat(),
                "after": str(self.one(["", "fresh"])),
            },
        )
        if answer.status_code in (200, 204, 303):
            # What flies is known from that day on, and so is what lives there.
            case.touched = self.today

    def _patch(self, _: Task, patch: int) -> None:
        self.post(f"/patches/{patch}", {"outcome": "fine" if self.chance(0.9) else "marked"})


class Clock:
    """The application's clock."""

    def __init__(self) -> None:
        self.now = datetime.combine(START, time(9))

    def __call__(self) -> datetime:
        return self.now
