"""Runs households through their days, each in a process of its own."""

from __future__ import annotations

import logging
import multiprocessing
import os
import shutil
import sqlite3
import sys
import tempfile
import time as clock_time
import traceback
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from contextlib import closing
from datetime import date, datetime, timedelta
from datetime import time as day_time
from pathlib import Path

from brood.catalogue.loader import shipped
from brood.settings import Settings
from brood.web.app import create_app

from .checks import Checks
from .keeper import START, Clock, Keeper
from .life import Life
from .page import Page
from .report import Fault, Report

EVERY_PAGE_DAYS = 100
STANDS = 0.25
"""How often it is worked out anew whether what is kept of a case belongs to its facts."""
KEEP = "BROOD_MACHINE_KEEP"
"""Where the households in which something went wrong are kept, as they were then."""
TELLS = 10
"""A household says how far it is after so many visits."""
LONG_AWAY = (25, 140)
SLOW = (
    "/chance",
    "/figures",
    "/assumptions",
    "/try",
    "/apart",
    "/clearing",
    "/follow",
    "/quarantine/",
    "/rehearsal",
    "/lessons",
)
"""Pages that take a second or more to work out."""


class _Log(logging.Handler):
    """Keeps the last line and the place of what the application logs as unexpected."""

    def __init__(self, lines: list[str]) -> None:
        super().__init__(logging.ERROR)
        self.lines = lines

    def emit(self, record: logging.LogRecord) -> None:
        if record.exc_info and record.exc_info[1] is not None:
            last = traceback.extract_tb(record.exc_info[2])[-1]
            self.lines.append(
                f"{type(record.exc_info[1]).__name__}: {record.exc_info[1]} "
                f"({Path(last.filename).name}:{last.lineno})"[:200]
            )


def one(
    seed: int,
    n: int,
    days: int,
    stride: int,
    until: float = 0.0,
    empty: Path | None = None,
    *,
    heavy: bool = True,
) -> Report:
    """One household's days. With `until`, a moment of the wall clock, it stops in time;
    `empty` is a migrated database to begin with; pages that take long to work out are
    left to longer runs unless `heavy`.
    """
    log: list[str] = []
    handler = _Log(log)
    logger = logging.getLogger("brood")
    logger.addHandler(handler)
    logger.propagate = False
    with tempfile.TemporaryDirectory() as folder:
        database = Path(folder) / "household.sqlite"
        if empty is not None:
            shutil.copy(empty, database)
        clock, catalogue = Clock(), shipped()
        app = create_app(Settings(data=Path(folder)), clock)
        try:
            with app.test_client() as client:
                return _lived(
                    Keeper(client, database, clock, catalogue, seed, n, log),
                    days,
                    stride,
                    until,
                    heavy=heavy,
                )
        finally:
            logger.removeHandler(handler)
            app.extensions["household"].store.close()


def _lived(keeper: Keeper, days: int, stride: int, until: float, *, heavy: bool) -> Report:
    report, checks, life = keeper.report, Checks(keeper), Life(keeper)
    report.counts["households"] += 1
    try:
        keeper.move_in()
        day, all_read = START, START
        end = START + timedelta(days=days)
        while day < end and not (until and clock_time.time() > until):
            step = _step(keeper, stride)
            day = min(day + timedelta(days=step), end)
            report.counts["days"] += step
            keeper.clock.now = datetime.combine(day, day_time(int(keeper.rng.integers(8, 22)), 7))
            keeper.live_on(day)
            everything = (day - all_read).days >= EVERY_PAGE_DAYS or day == end
            all_read = day if everything else all_read
            known = len(report.faults)
            _visit(keeper, checks, life, step, everything=everything, heavy=heavy)
            _tell(report, keeper, known)
    except Exception as error:
        last = traceback.extract_tb(error.__traceback__)[-1]
        where = f"{Path(last.filename).name}:{last.lineno}"
        report.faults.append(
            Fault(
                "broke off",
                keeper.house.seed,
                keeper.today,
                where,
                f"{type(error).__name__}: {error}"[:200],
            )
        )
        _tell(report, keeper, len(report.faults) - 1)
    return report


def _tell(report: Report, keeper: Keeper, known: int) -> None:
    """Say at once what went wrong beyond the faults that are known, and now and then how far a
    household is: its table comes only at its end.
    """
    seed = f"{keeper.house.seed[0]}:{keeper.house.seed[1]}"
    for fault in report.faults[known:]:
        print(f"{fault.kind}: {seed} {fault.on} {fault.where}: {fault.what}", file=sys.stderr)
    if report.counts["visits"] % TELLS == 0 or len(report.faults) > known:
        print(f"{seed} is at {keeper.today}, day {report.counts['days']}", file=sys.stderr)
    if len(report.faults) > known and (folder := os.environ.get(KEEP)):
        name = f"{keeper.house.seed[0]}-{keeper.house.seed[1]}-{keeper.today}.sqlite"
        with (
            closing(sqlite3.connect(keeper.database)) as source,
            closing(sqlite3.connect(Path(folder) / name)) as target,
        ):
            source.backup(target)


def _step(keeper: Keeper, stride: int) -> int:
    """Days to the next visit: about the stride, now and then weeks or months away, told
    to the application or not.
    """
    if keeper.chance(keeper.house.nature.away_a_year * stride / 365):
        away = int(keeper.rng.integers(*LONG_AWAY))
        if keeper.chance(0.4):
            _tells_of_absence(keeper, away)
        return away
    return max(1, int(keeper.rng.poisson(stride - 1)) + 1) if stride > 1 else 1


def _tells_of_absence(keeper: Keeper, days: int) -> None:
    for case in keeper.open_cases():
        form = next(
            (f for f in keeper.get(f"/cases/{case.id}/course").forms if "aim" in f.names), None
        )
        if form is not None:
            away = (keeper.today + timedelta(days=1), keeper.today + timedelta(days=days - 1))
            given = {"from-0": away[0].isoformat(), "to-0": away[1].isoformat()}
            if keeper.press(form, f"/cases/{case.id}/course", **given).status_code == 303:
                case.away = away


def _visit(
    keeper: Keeper, checks: Checks, life: Life, step: int, *, everything: bool, heavy: bool
) -> None:
    keeper.report.counts["visits"] += 1
    for place in keeper.house.places:
        if keeper.chance(0.6):
            keeper.measure(place, step + 2)
    page = keeper.come_back(keeper.get("/"))
    checks.today(page)
    for case in keeper.open_cases():
        checks.case(case, page)
        if keeper.chance(STANDS):
            checks.stands(case)
    keeper.go_through(page)
    keeper.own_up()
    life.days(step)
    checks.record()
    for case in keeper.open_cases():
        if everything or keeper.chance(0.12):
            checks.over(case, keeper.get(f"/cases/{case.id}/clearing"))
    if everything or keeper.chance(0.3):
        checks.house(keeper.answer("/house").get_data(as_text=True))
        checks.states()
        keeper.get("/plants")
    checks.taken_out(everything=everything)
    if everything:
        for path in _every_path(keeper):
            if heavy or not any(slow in path for slow in SLOW):
                keeper.get(path)
        _sitter(keeper)


PAGES = (
    "/house",
    "/plants",
    "/places",
    "/quarantine",
    "/record",
    "/record/lessons",
    "/record/costs",
    "/record/data",
    "/season",
    "/season/sightings",
    "/season/journal",
    "/season/came-in",
    "/season/came-in?what=outdoors",
    "/shelf",
    "/household",
    "/guide",
    "/degree-days",
    "/rehearsal",
    "/settings",
    "/sharing",
    "/today/apart",
    "/safety",
    "/keys",
    "/sources",
    "/mix",
)
"""Pages that every household has."""


def _every_path(keeper: Keeper) -> Iterator[str]:
    """Every page that there is of this household."""
    yield from PAGES
    for place in keeper.house.places:
        yield from (
            f"/places/{place.id}",
            f"/places/{place.id}/edit",
            f"/places/{place.id}/plan",
            f"/season?place={place.id}",
            f"/places/{place.id}/day/{keeper.today}",
        )
    for plant in keeper.house.plants:
        yield from (f"/plants/{plant.id}", f"/plants/{plant.id}/edit")
    for case in keeper.cases:
        open_ = case.id not in keeper.ledger.closed and not case.plant.gone
        more = ("chance", "means/figures", "assumptions", "try", "calendar.ics") if open_ else ()
        for part in ("", "course", "means", "inspect", "follow", "clearing", "report", *more):
            yield f"/cases/{case.id}/{part}".rstrip("/")
    for (number,) in keeper.rows("select id from quarantine"):
        yield f"/quarantine/{number}"


def _sitter(keeper: Keeper) -> None:
    """A sitter's sheet for the next fortnight, read."""
    last = keeper.today + timedelta(days=14)
    given = {
        "label": "next door",
        "from_on": keeper.today.isoformat(),
        "until_on": last.isoformat(),
    }
    page = Page(keeper.answer("/sharing/sitter", data=given).get_data(as_text=True))
    found = [w for w in page.text.split() if "/sitter/" in w]
    if found:
        keeper.get("/sitter/" + found[0].split("/sitter/")[1])


def _apart(given: tuple[int, int, int, int, float, str]) -> Report:
    seed, n, days, stride, until, empty = given
    return one(seed, n, days, stride, until, Path(empty) if empty else None)


def many(
    households: Sequence[tuple[int, int]],
    days: int,
    stride: int,
    *,
    workers: int = 2,
    until: float = 0.0,
) -> Iterator[tuple[tuple[int, int], Report]]:
    """Households side by side, each in a process of its own, as they come to an end;
    one whose process dies is told as broken off.
    """
    from brood.store.session import open_store

    with tempfile.TemporaryDirectory() as folder:
        empty = Path(folder) / "empty.sqlite"
        open_store(empty).close()
        made_once = multiprocessing.get_context("spawn")
        with ProcessPoolExecutor(workers, mp_context=made_once, max_tasks_per_child=1) as pool:
            waiting = {
                pool.submit(_apart, (s, n, days, stride, until, str(empty))): (s, n)
                for s, n in households
            }
            for future in as_completed(waiting):
                seed = waiting[future]
                try:
                    yield seed, future.result()
                except Exception as error:
                    yield (
                        seed,
                        Report(
                            [
                                Fault(
                                    "broke off",
                                    seed,
                                    date.min,
                                    "process",
                                    f"{type(error).__name__}: {error}"[:200],
                                )
                            ]
                        ),
                    )
