"""What is the same for many tests is worked out once for all of them."""

import hashlib
import os
import pickle
import threading
from typing import ClassVar

from sqlalchemy import Engine, event
from sqlalchemy.dialects.sqlite.pysqlite import SQLiteDialect_pysqlite
from werkzeug.routing import Rule

from brood.services.cases.planning import Planning

AFRESH = Planning._run


def remember_plans(folder):
    """From now on a plan is worked out once: its result is kept in a folder, for all
    workers, by everything that was given. Many tests begin with the same case.
    """

    def run(self, work, *given, **how):
        asked = pickle.dumps((work.__module__, work.__qualname__, given, sorted(how.items())))
        kept = folder / f"plan-{hashlib.sha256(asked).hexdigest()}"
        if kept.exists():
            return pickle.loads(kept.read_bytes())
        found = AFRESH(self, work, *given, **how)
        # A test's own work in the place of ours is not remembered.
        if "<locals>" not in work.__qualname__:
            making = kept.with_suffix(f".{os.getpid()}-{threading.get_ident()}")
            making.write_bytes(pickle.dumps(found))
            making.rename(kept)
        return found

    Planning._run = run


def plan_afresh(monkeypatch):
    """For a test that puts something else in the place of a part of the planner."""
    monkeypatch.setattr(Planning, "_run", AFRESH)


def remember_statements():
    """From now on a statement is compiled once, not again for the database of every test."""
    compiled = {}

    def share(connection):
        connection.engine.update_execution_options(compiled_cache=compiled)

    SQLiteDialect_pysqlite.__eq__ = lambda one, other: type(one) is type(other)
    SQLiteDialect_pysqlite.__hash__ = lambda one: hash(type(one))
    event.listen(Engine, "engine_connect", share)


class RememberedRule(Rule):
    """A rule for an address. It is compiled once, not again for the application of every
    test, which takes a quarter of the time of a page.
    """

    compiled: ClassVar[dict[tuple[str, str, str], dict[str, object]]] = {}

    def compile(self):
        key = (str(self.endpoint), self.rule, repr(self.defaults))
        if key in self.compiled:
            vars(self).update(self.compiled[key])
            return
        before = dict(vars(self))
        super().compile()
        self.compiled[key] = {k: v for k, v in vars(self).items() if before.get(k, self) is not v}
