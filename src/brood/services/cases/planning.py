"""Works out the plans of cases whose facts have changed, outside the write lock, the
nearest dates first: in one worker of the application, or at once for whoever waits.
"""

from __future__ import annotations

import logging
import signal
from collections.abc import Callable, Iterable
from concurrent.futures import BrokenExecutor, ProcessPoolExecutor
from datetime import date, datetime, timedelta
from multiprocessing import get_context
from threading import Condition, Lock, Thread
from typing import TypeVar

from sqlalchemy import Select, and_, func, or_, select, update
from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.errors import InputError, NotFound
from brood.services.cases import assemble, history, outlook, plans
from brood.services.cases.outlook import Outlook, WorkedOut
from brood.services.voice.desk import Desk
from brood.store import kept
from brood.store.queries import cases
from brood.store.session import Store
from brood.store.states import EveningState, PlanState
from brood.store.tables import Application, Kept, PestCase

T = TypeVar("T")
AGAIN = 3
"""How often a case is planned again at once when its facts change meanwhile."""
WAKE_SECONDS = 60.0
"""The worker looks at the clock so often: a day may have passed."""


class Planning:
    """The planning of one household. `catalogue_of` gives the catalogue with the keeper's
    own figures.
    """

    def __init__(
        self,
        store: Store,
        catalogue_of: Callable[[Session], Catalogue],
        clock: Callable[[], datetime],
    ) -> None:
        self.store, self.catalogue_of, self.clock = store, catalogue_of, clock
        self.failed: dict[int, int] = {}
        self._wanted: list[int] = []
        self._looked_at: list[int] = []
        self._wake, self._stopped = Condition(), False
        self._thread: Thread | None = None
        self._pool: ProcessPoolExecutor | None = None
        self._begun = False
        self._turn = Lock()

    # -- one case --

    def due(self, *, closed: bool = True) -> list[int]:
        """The ids of the cases to be planned, in the order of the work: those that
        somebody looks at, then by the nearest date; closed ones last.
        """
        with self.store.reading() as session:
            rows = [(i, n) for i, n in session.execute(_due(self.clock().date(), closed=closed))]
        with self._wake:
            self._wanted = [i for i in self._wanted if i in dict(rows)]
            first = list(self._wanted)
        waiting = {i: facts for i, facts in rows if self.failed.get(i) != facts}
        return [i for i in dict.fromkeys([*first, *waiting]) if i in waiting]

    def settle(self, case_id: int, *, looked_at: bool = False, passing: bool = False) -> bool:
        """Plan one case by its present facts. Whether it is settled now: not where its
        facts changed again and again meanwhile. A closed case, and one at a moment that only
        passes, is worked out in brief unless somebody looks at it. What only passes is due
        again from the next day on.
        """
        for _ in range(AGAIN):
            moment = self.clock()
            with self.store.reading() as session:
                desk = Desk(session, self.catalogue_of(session), moment)
                row = cases.case(session, case_id)
                version = row.facts
                brief = (passing or row.closed_at is not None) and not looked_at
                if not history.plan_is_due(row, desk.today) and not _lacks(desk, row, looked_at):
                    return True
                same = _same(desk, row) and not _lacks(desk, row, looked_at)
                standing = _stands(row, desk.today)
                facts = None if same else _facts(desk, row, row.planned_on if standing else None)
                record, closed = desk.catalogue.records[row.pest_id], row.closed_at is not None
                tomorrow = desk.today + timedelta(days=1)
                silent = tomorrow if passing else assemble.silent_from(desk, row)
            if isinstance(facts, assemble.Facts):
                how = {"closed": closed, "standing": standing, "brief": brief}
                worked = self._run(outlook.work_out, facts, record, **how)
            elif facts is not None:
                worked = WorkedOut(outlook.without_facts(facts, moment.date()), None)
            else:
                worked = None
            if self._put(case_id, version, worked, silent, moment):
                return True
        return False

    def _put(
        self,
        case_id: int,
        version: int,
        worked: WorkedOut | None,
        silent: date,
        moment: datetime,
    ) -> bool:
        """Write what was worked out, unless the facts are others by now."""
        bodies = _packed(worked)
        with self.store.writing() as session:
            row = cases.case(session, case_id)
            if row.facts != version:
                return False
            if worked is None:
                row.planned_facts = version
            else:
                desk = Desk(session, self.catalogue_of(session), moment)
                plans.write(desk, row, worked, bodies, silent)
        return True

    def settle_end(self, case_id: int) -> None:
        """Work out when a case is over, where that is still open and its plan stands."""
        with self.store.reading() as session:
            desk = Desk(session, self.catalogue_of(session), self.clock())
            row = cases.case(session, case_id)
            held, key = plans.outlook_of(desk, row), row.outlook_key
            if held is None or held.plan is None or not held.waits_for_the_end:
                return
            facts = _facts(desk, row, row.planned_on)
        if isinstance(facts, InputError) or facts.digest() != held.digest:
            return
        end = self._run(outlook.end_of, facts, held.plan, closed=row.closed_at is not None)
        body = kept.packed(end)
        with self.store.writing() as session:
            # Another plan may have taken its place meanwhile.
            if cases.bare_case(session, case_id).outlook_key == key:
                kept.put(session, f"{key}:end", "end", body, self.clock(), case_id)

    def ends_due(self) -> list[int]:
        """The ids of the open cases of which it is not worked out when they are over."""
        with self.store.reading() as session:
            return list(session.scalars(_ends()))

    def settle_all(self, *, closed: bool = False) -> None:
        """Plan every case that is due, here and now. Of two that ask at once the second
        waits for what the first works out.
        """
        with self._turn:
            self._begin()
            for case_id in self.due(closed=closed):
                self._settle_safely(case_id)

    def _run(self, work: Callable[..., T], *given: object, **how: object) -> T:
        """Work something out, in the other process where there is one."""
        if self._pool is None:
            return work(*given, **how)
        try:
            return self._pool.submit(work, *given, **how).result()
        except BrokenExecutor:
            logging.getLogger("brood").warning("the planning process ended; going on without it")
            self._pool = None
            return work(*given, **how)

    def _settle_safely(self, case_id: int, *, end: bool = False, looked_at: bool = False) -> None:
        """Plan a case, or work out its end. One that cannot be planned for a fault of ours
        does not stop the others, and is not tried again before its facts change.
        """
        try:
            if end:
                self.settle_end(case_id)
            else:
                self.settle(case_id, looked_at=looked_at)
        except NotFound:
            return  # The page that asked says so.
        except Exception:
            logging.getLogger("brood").exception("planning case %d", case_id)
            with self.store.reading() as session:
                self.failed[case_id] = session.scalars(
                    select(PestCase.facts).where(PestCase.id == case_id)
                ).one()

    def _begin(self) -> None:
        """Once: what another version of the program worked out has to be worked out again."""
        if self._begun:
            return
        self._begun = True
        stale = and_(
            PestCase.outlook_key != "", PestCase.outlook_key.not_like(f"{kept.engine()}:%")
        )
        with self.store.reading() as session:
            some = session.scalar(select(func.count()).where(stale))
        if some:
            with self.store.writing() as session:
                session.execute(update(PestCase).where(stale).values(planned_facts=0))

    # -- whoever waits, or the worker --

    @property
    def works_apart(self) -> bool:
        """Whether a worker of its own does the planning. Otherwise whoever changes a fact,
        or asks for a page, does it at once.
        """
        return self._thread is not None

    def start(self, *, process: bool = False) -> None:
        """Begin to work in a thread of its own. With `process` what takes long is worked
        out in another process, so that pages are as quick meanwhile.
        """
        if process:
            self._pool = ProcessPoolExecutor(
                1, get_context("spawn"), signal.signal, (signal.SIGINT, signal.SIG_IGN)
            )
        self._thread = Thread(target=self._work, name="planning", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Stop after the case at hand."""
        with self._wake:
            self._stopped = True
            self._wake.notify_all()
        if self._thread is not None:
            self._thread.join()
        if self._pool is not None:
            self._pool.shutdown()

    def changed(self, ids: list[int]) -> None:
        """The facts of these cases have changed."""
        if self.works_apart:
            self._first(ids)
            return
        for case_id in self.due(closed=False):
            if case_id in ids:
                self.settle(case_id)

    def catch_up(self) -> None:
        """Before a page is made: plan what is due, where no worker does it."""
        if not self.works_apart:
            self.settle_all()

    def want_end(self, case_ids: Iterable[int]) -> None:
        """Somebody asks when cases are over, where that is not ready."""
        if self.works_apart:
            self._first([])
            return
        for case_id in case_ids:
            self._settle_safely(case_id, end=True)

    def want(self, case_id: int) -> bool:
        """Somebody looks at a case whose figures are not ready: it comes first. Whether
        they are ready now.
        """
        if not self.works_apart:
            self._settle_safely(case_id, looked_at=True)
            return True
        with self._wake:
            self._looked_at = list(dict.fromkeys([case_id, *self._looked_at]))
            self._wake.notify_all()
        return False

    def _first(self, ids: list[int]) -> None:
        with self._wake:
            self._wanted = list(dict.fromkeys([*ids, *self._wanted]))
            self._wake.notify_all()

    def _work(self) -> None:
        self._begin()
        while not self._stopped:
            if not self._did_something():
                with self._wake:
                    if not (self._stopped or self._wanted or self._looked_at):
                        self._wake.wait(WAKE_SECONDS)

    def _did_something(self) -> bool:
        """Do the next piece of work: what somebody looks at, then plans, then ends."""
        with self._wake:
            looked_at, self._looked_at = self._looked_at[:1], self._looked_at[1:]
        if looked_at:
            self._settle_safely(looked_at[0], looked_at=True)
            return True
        waiting = self.due()
        if waiting:
            self._settle_safely(waiting[0])
            return True
        ends = [i for i in self.ends_due() if i not in self.failed]
        if ends:
            self._settle_safely(ends[0], end=True)
        with self._wake:
            self._wanted = []
        return bool(ends)


def _due(today: date, *, closed: bool) -> Select[int, int]:
    """The cases to be planned by a day with the versions of their facts, those with the
    nearest dates first.
    """
    nearest = (
        select(func.min(Application.target_on))
        .where(Application.case_id == PestCase.id, Application.status == EveningState.PLANNED)
        .scalar_subquery()
    )
    old = or_(PestCase.planned_facts != PestCase.facts, PestCase.outlook_key == "")
    past = and_(PestCase.closed_at.is_(None), PestCase.good_until < today)
    query = (
        select(PestCase.id, PestCase.facts)
        .where(or_(old, past))
        .order_by(PestCase.closed_at.is_not(None), nearest.is_(None), nearest, PestCase.id)
    )
    return query if closed else query.where(PestCase.closed_at.is_(None))


def _ends() -> Select[int]:
    """The open cases with a plan of which the end is not kept, the nearest dates first."""
    there = select(Kept.key).where(Kept.key == PestCase.outlook_key + ":end").exists()
    return (
        select(PestCase.id)
        .where(
            PestCase.closed_at.is_(None),
            PestCase.plan_state == PlanState.PLANNED,
            PestCase.keep_below.is_(None),
            PestCase.planned_facts == PestCase.facts,
            ~there,
        )
        .order_by(PestCase.good_until, PestCase.id)
    )


def _facts(desk: Desk, row: PestCase, on: date | None = None) -> assemble.Facts | InputError:
    """The facts of a case, or why there are none."""
    try:
        return assemble.facts_of(desk, row, on)
    except InputError as error:
        return error


def _stands(row: PestCase, today: date) -> bool:
    """Whether the dates of a case stand, and only the figures that belong to them are
    missing: it was read in from a file.
    """
    past = row.good_until is not None and today > row.good_until
    return row.planned_facts == row.facts and row.planned_on is not None and not past


def _lacks(desk: Desk, row: PestCase, looked_at: bool) -> bool:
    """Whether somebody looks at a case that was worked out in brief."""
    held = plans.outlook_of(desk, row) if looked_at else None
    return held is not None and held.brief


def _same(desk: Desk, row: PestCase) -> bool:
    """Whether the facts are those of the plan after all, and no date has passed: a note
    was changed, or something came back to what it was.
    """
    if not row.outlook_key or row.planned_on is None or row.anew or row.planned_facts == 0:
        return False
    if row.good_until is not None and desk.today > row.good_until and row.closed_at is None:
        return False
    try:
        facts = assemble.facts_of(desk, row, row.planned_on)
    except InputError:
        return False
    held = plans.outlook_of(desk, row)
    return (
        held is not None
        and row.outlook_key == plans.key_of(row, facts.digest())
        and _holds_its_dates(row, held)
    )


def _holds_its_dates(row: PestCase, held: Outlook) -> bool:
    """Whether the evenings to come are those of the plan. One of them may have been put
    on record as skipped on an earlier day, which is no fact of the plan.
    """
    planned = [a.target for a in held.plan.applications] if held.plan else []
    return row.closed_at is not None or planned == [a.target_on for a in history.planned(row)]


def _packed(worked: WorkedOut | None) -> dict[str, bytes]:
    """What was worked out as bytes by its kind, made before the write lock is taken."""
    if worked is None:
        return {}
    bodies = {"outlook": kept.packed(worked.outlook)}
    if worked.chart is not None:
        bodies["chart"] = kept.packed(worked.chart)
    counted = worked.outlook.counted
    if counted is not None and counted.verdict:
        bodies["effect"] = kept.packed((counted.effective, counted.expected))
    if worked.outlook.clearing is not None:
        bodies["end"] = kept.packed(worked.outlook.clearing)
    return bodies
