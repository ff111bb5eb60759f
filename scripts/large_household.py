"""Makes a large household from a seed and walks every page of it: 500 plants, 40 places,
228,000 readings, 59 open and 300 closed cases, 300 photos.

    python scripts/large_household.py --seed 1 --data .large
    python scripts/large_household.py --data .large --walk

The walk prints queries, CPU milliseconds and kB of HTML of each page at its second visit,
the limits and what is beyond them, and leaves with 1 where anything is.
"""

from __future__ import annotations

import argparse
import io
import random
import re
import resource
import sys
import time
from datetime import date, datetime, timedelta
from datetime import time as clock_time
from pathlib import Path

from PIL import Image
from sqlalchemy import event, insert
from sqlalchemy.engine import Engine

from brood.catalogue.loader import shipped
from brood.services.archive import importing, transfer
from brood.services.cases.planning import Planning
from brood.services.house import places, plants
from brood.services.house.places import PlaceCommand, Warmth
from brood.services.treatment import defaults
from brood.settings import Settings
from brood.store.place_tables import Reading
from brood.store.records import Expense
from brood.store.session import Store, open_store
from brood.store.tables import (
    Application,
    ApplicationRecord,
    CaseAct,
    Finding,
    InspectionRecord,
    Look,
    PestCase,
    Photo,
)
from brood.web.app import create_app

PLANTS, PLACES, READINGS, OPEN, CLOSED, PHOTOS = 500, 40, 228_000, 59, 300, 300
LOGGED = 6
KINDS = [k for k in plants.KINDS if k]
NAMES = ("Fern", "Sage", "Fig", "Ivy", "Lemon", "Basil", "Jasmine", "Begonia", "Pepper", "Orchid")
LIMITS_MS, LIMIT_KB = {"/": 150.0, "/record/lessons": 300.0, "/record/costs": 300.0}, 300
USUAL_MS, TODAY_QUERIES = 250.0, 40


class Maker:
    """Makes one household."""

    def __init__(self, store: Store, seed: int, today: date) -> None:
        self.store, self.rng, self.today = store, random.Random(seed), today
        self.catalogue = shipped()
        self.now = datetime.combine(today, clock_time(9))

    def make(self) -> None:
        """Everything, and the plans of its open cases."""
        with self.store.writing() as session:
            self.places = [self._place(session, n) for n in range(PLACES)]
            self.plants = [self._plant(session, n) for n in range(PLANTS)]
            self._readings(session)
            free = self.rng.sample(self.plants, OPEN)
            for n in range(CLOSED):
                self._case(session, self.rng.choice(self.plants), 40 + n * 2, closed=True)
            for plant in free:
                self._case(session, plant, self.rng.randint(1, 14), closed=False)
            self._photos(session)
            for n in range(400):
                spent = Expense(
                    on=self.today - timedelta(days=n),
                    what="Soap",
                    amount=4.5,
                    recorded_at=self.now,
                )
                session.add(spent)
        planning = Planning(self.store, lambda _: self.catalogue, lambda: self.now)
        planning.settle_all(closed=True)
        for case_id in planning.ends_due():
            planning.settle_end(case_id)

    def _place(self, session, n: int) -> int:
        warmth = Warmth(
            self.rng.uniform(18, 26), self.rng.uniform(13, 18), clock_time(7), clock_time(21)
        )
        source = "logger" if n < LOGGED else "set-points"
        return places.add(session, PlaceCommand(f"Room {n + 1}", "", source, warmth), now=self.now)

    def _plant(self, session, n: int) -> int:
        command = plants.PlantCommand(
            f"{NAMES[n % len(NAMES)]} {n + 1}",
            self.rng.choice(KINDS),
            "",
            self.places[n % PLACES],
            self.today - timedelta(days=900),
        )
        return plants.add(session, command, now=self.now - timedelta(days=900))

    def _readings(self, session) -> None:
        for place in self.places[:LOGGED]:
            rows, many = [], READINGS // LOGGED
            for k in range(many):
                at = self.now - timedelta(minutes=12 * (many - k))
                celsius = 20 + 3 * ((at.hour - 3) % 24 / 24) + self.rng.uniform(-1, 1)
                rows.append(
                    {"place_id": place, "at": at, "celsius": celsius, "recorded_at": self.now}
                )
            session.execute(insert(Reading), rows)

    def _case(self, session, plant: int, ago: int, *, closed: bool) -> None:
        pest = self.rng.choice(list(self.catalogue.pests))
        acts = defaults.of_plant(self.catalogue, pest, defaults.nobodys()).acts
        on = self.today - timedelta(days=ago)
        row = PestCase(
            plant_id=plant,
            pest_id=pest,
            start_on=on,
            created_at=datetime.combine(on, clock_time(9)),
            closed_at=datetime.combine(on + timedelta(days=30), clock_time(9)) if closed else None,
        )
        row.every_act = [CaseAct(treatment_id=a) for a in acts]
        stage = self.catalogue.records[pest].stage[1].id
        row.findings = [
            Finding(found_on=on, stage=s, number=float(n), location="", recorded_at=self.now)
            for s, n in ((stage, self.rng.randint(5, 60)), ("adult", self.rng.randint(1, 9)))
        ]
        row.applications, row.patches, row.inspections = [], [], []
        for n in range(self.rng.randint(3, 7) if closed else self.rng.randint(0, 2)):
            day = on + timedelta(days=4 * n)
            if day < self.today:
                row.applications.append(self._evening(n + 1, day, acts))
        for n in range(4 if closed else 1):
            day = on + timedelta(days=3 + 6 * n)
            if day < self.today:
                row.inspections.append(self._look(plant, day, max(0, 12 - 5 * n)))
        session.add(row)
        session.flush()

    def _evening(self, number: int, day: date, acts: tuple[str, ...]) -> Application:
        at = datetime.combine(day, clock_time(20))
        said = ApplicationRecord(
            outcome="done", done_on=day, treatments=list(acts), minutes=20, recorded_at=at
        )
        return Application(
            number=number,
            uid=f"{self.rng.random()}@brood",
            status="done",
            earliest_on=day,
            target_on=day,
            latest_on=day,
            treatments=list(acts),
            changed_at=at,
            records=[said],
        )

    def _look(self, plant: int, day: date, young: int) -> InspectionRecord:
        counts = [{"class": "young", "live": young, "dead": 2, "clue": ""}] if young else []
        return InspectionRecord(
            plant_id=plant,
            looked_on=day,
            share=0.5,
            thorough="usual",
            counts=counts,
            recorded_at=datetime.combine(day, clock_time(9)),
        )

    def _photos(self, session) -> None:
        out = io.BytesIO()
        noise = Image.frombytes("RGB", (800, 600), self.rng.randbytes(800 * 600 * 3))
        noise.save(out, "JPEG", quality=60)
        for n in range(PHOTOS):
            look = Look(plant_id=self.plants[n], tools=[], started_at=self.now, answers=[])
            photo = Photo(
                filename=f"{n}.jpg",
                jpeg=out.getvalue(),
                width=800,
                height=600,
                lengths_mm=[],
                recorded_at=self.now,
            )
            look.photos = [photo]
            session.add(look)


def walk(data: Path, now: datetime) -> int:
    """Every page twice; how many are beyond the limits."""
    asked = [0]

    @event.listens_for(Engine, "before_cursor_execute")
    def _count(_c, _cur, statement, *_more) -> None:
        asked[0] += statement != "BEGIN"

    app = create_app(Settings(data=data), lambda: now)
    app.extensions["household"].planning.start()
    client, faults = app.test_client(), 0
    print(f"{'page':34}{'queries':>8}{'ms':>8}{'kB':>8}")
    for url in pages(client):
        first = _visit(client, url, asked)
        status, queries, ms, size = _visit(client, url, asked)
        most = LIMITS_MS.get(url, USUAL_MS)
        bad = status >= 400 or ms > most or size > LIMIT_KB
        bad |= url == "/" and queries > TODAY_QUERIES
        faults += bad
        note = f"  beyond {most:.0f} ms, {LIMIT_KB} kB" if bad else ""
        print(f"{url:34}{queries:8}{ms:8.0f}{size:8.0f}  first {first[2]:.0f} ms {note}")
    tomorrow = datetime.combine(now.date() + timedelta(days=1), clock_time(0, 1))
    later = create_app(Settings(data=data), lambda: tomorrow)
    later.extensions["household"].planning.start()
    later.test_client().get("/guide")
    night = _visit(later.test_client(), "/", asked)
    print(f"first request after midnight: {night[1]} queries, {night[2]:.0f} ms")
    return faults


def pages(client) -> list[str]:
    """The addresses of all pages that can be reached from the first ones, one of each kind."""
    kinds: dict[str, list[str]] = {}
    waiting = ["/", "/plants", "/places", "/house", "/quarantine", "/shelf", "/record", "/guide"]
    waiting += ["/record/lessons", "/record/costs", "/record/data", "/settings", "/rehearsal"]
    waiting += ["/today/apart", "/degree-days", "/mix", "/sharing", "/household", "/cases/301"]
    seen: set[str] = set()
    while waiting:
        url = waiting.pop(0)
        kind = re.sub(r"\d+", "N", url)
        if url in seen or len(kinds.setdefault(kind, [])) >= 3:
            continue
        seen.add(url)
        kinds[kind].append(url)
        body = client.get(url).get_data(as_text=True)
        found = re.findall(r'href="(/[^"#?]*)"', body)
        waiting += [u for u in found if not re.search(r"\.(ics|jpg|json|zip|sqlite|css|svg)$", u)]
    return sorted(u for urls in kinds.values() for u in urls if not u.startswith("/static"))


def _visit(client, url: str, asked: list[int]) -> tuple[int, int, float, float]:
    """Status, queries, CPU ms and kB of one visit."""
    asked[0], begun = 0, time.thread_time()
    answer = client.get(url)
    spent = (time.thread_time() - begun) * 1000
    return answer.status_code, asked[0], spent, len(answer.data) / 1000


def export_and_import(data: Path) -> None:
    """Export the household and read it into an empty one; the memory that took."""
    store, target = open_store(data / "household.sqlite"), data / "household.json"
    with store.reading() as session, target.open("w") as out:
        out.writelines(transfer.export(session))
    print(f"export {target.stat().st_size / 1e6:.0f} MB, {_memory():.0f} MB of memory so far")
    copy = data / "copy.sqlite"
    copy.unlink(missing_ok=True)
    other = open_store(copy)
    with other.writing() as session, target.open("rb") as held:
        rows = importing.load(session, held)
    print(f"import of {rows} rows, {_memory():.0f} MB of memory at most")
    store.close()
    other.close()


def _memory() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000


def main() -> None:
    """Make it, walk it, or take it out and in."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--data", type=Path, default=Path(".large"))
    parser.add_argument("--walk", action="store_true")
    parser.add_argument("--transfer", action="store_true")
    told = parser.parse_args()
    today = date(2026, 6, 8)
    if told.transfer:
        export_and_import(told.data)
    elif told.walk:
        sys.exit(1 if walk(told.data, datetime.combine(today, clock_time(10))) else 0)
    else:
        told.data.mkdir(parents=True, exist_ok=True)
        path = told.data / "household.sqlite"
        path.unlink(missing_ok=True)
        begun = time.perf_counter()
        store = open_store(path)
        Maker(store, told.seed, today).make()
        store.close()
        print(f"made in {time.perf_counter() - begun:.0f} s")


if __name__ == "__main__":
    main()
