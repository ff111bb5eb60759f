"""Households whose dates are worked out at once, at the moment of the last change."""

from unittest.mock import patch

from conftest import NOW

from brood.catalogue.loader import shipped
from brood.services.cases import assemble, plans
from brood.services.cases import outlook as outlooks
from brood.services.cases.planning import Planning
from brood.services.voice import desk
from brood.services.voice.preferences import Preferences
from brood.store.queries import cases

PLAIN = Preferences()
WORK_OUT = outlooks.work_out
last = [NOW]
"""The moment of the last look at a household or change in it."""


class Desk(desk.Desk):
    """A view of a household that notes its moment."""

    def __init__(self, session, catalogue, moment, prefs=PLAIN):
        super().__init__(session, catalogue, moment, prefs)
        last[0] = moment


class Undrawn(Planning):
    """Planning without charts: they take a quarter of its time, and hardly a test that has
    no pages looks at one.
    """

    def _run(self, work, *given, **how):
        return super()._run(undrawn if work is WORK_OUT else work, *given, **how)


def undrawn(*given, **how):
    with patch.object(outlooks, "_chart", lambda *_: None):
        return WORK_OUT(*given, **how)


def planning_of(store, catalogue=None, kind=Undrawn):
    """The planning of a household, by the moment of its last change."""
    held = catalogue or shipped()
    return kind(store, lambda _: held, lambda: last[0])


def draw(store, catalogue, case_id, moment):
    """Work out a case with its chart."""
    last[0] = moment
    with store.writing() as session:
        cases.case(session, case_id).planned_facts = 0
    planning_of(store, catalogue, Planning).settle(case_id)


def settle(store, catalogue, moment, case_id=None):
    """Work out what is due at a moment: of one case, or of all."""
    last[0] = moment
    planning = planning_of(store, catalogue)
    if case_id is None:
        planning.settle_all()
    else:
        planning.settle(case_id)


def outlook(store, catalogue, case_id, moment):
    """The figures of a case, brought up to date at a moment."""
    settle(store, catalogue, moment, case_id)
    planning_of(store, catalogue).settle_end(case_id)
    with store.reading() as session:
        return plans.outlook_of(Desk(session, catalogue, moment), cases.case(session, case_id))


def facts(store, catalogue, case_id, moment):
    """The facts of a case at a moment."""
    with store.reading() as session:
        return assemble.facts_of(Desk(session, catalogue, moment), cases.case(session, case_id))
