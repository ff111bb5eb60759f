"""A course that goes on for long is reckoned from a later count."""

from datetime import timedelta

import pytest
from planned import Desk, facts
from test_following import START, at, look, open_mite

from brood.services.cases import case_page, commands
from brood.services.cases.commands import MarkCommand
from brood.services.followup import inspections
from brood.services.followup.inspections import CountCommand, InspectCommand
from brood.services.today import evenings_together
from brood.store.queries import cases as queries


def began(store, case_id):
    with store.reading() as session:
        return queries.case(session, case_id).course_from


def looks(store, catalogue, case_id, days, young):
    """Looks on some days, kept all at once."""
    counts = (CountCommand("young", young, 0.0),) if young else ()
    with store.writing() as session:
        for day in days:
            desk = Desk(session, catalogue, at(day))
            inspections.record(desk, case_id, InspectCommand(day, counts))


@pytest.fixture
def long(store, catalogue):
    """A case in which something lives at every look for half a year: its days."""
    _, case_id = open_mite(store, catalogue, START)
    days = [START + timedelta(days=n) for n in range(6, 181, 6)]
    looks(store, catalogue, case_id, days, 3.0)
    return case_id, days


def test_labels_count_what_was_sprayed_before_the_later_count(store, catalogue, long):
    case_id, days = long
    with store.writing() as session:
        row = queries.case(session, case_id)
        slot = evenings_together.next_evening(row)
        said = MarkCommand("done", START + timedelta(days=1))
        commands.mark(Desk(session, catalogue, at(START + timedelta(days=1))), slot.id, said)
    moment = at(days[-1] + timedelta(days=6))
    assert all(not a.used for a in facts(store, catalogue, case_id, moment).case.acts)
    looks(store, catalogue, case_id, [moment.date()], 2.0)
    told = facts(store, catalogue, case_id, moment).case
    assert {a.id: a.used for a in told.acts}["insecticidal-soap"] == (START + timedelta(days=1),)
    assert told.done == ()
    more = [days[-1] + timedelta(days=n) for n in range(12, 205, 6)]
    looks(store, catalogue, case_id, more, 2.0)
    told = facts(store, catalogue, case_id, at(more[-1])).case
    assert (more[-1] - START).days > 366
    assert all(not a.used for a in told.acts), "a season later the label begins anew"


def test_after_half_a_year_the_course_begins_with_a_count_two_months_old(store, catalogue, long):
    case_id, days = long
    assert began(store, case_id) is None, "half a year to the day is not too long"
    later = [days[-1] + timedelta(days=n) for n in (6, 12)]
    looks(store, catalogue, case_id, later[:1], 0)
    assert began(store, case_id) is None, "a clean look moves nothing"
    looks(store, catalogue, case_id, later[1:], 2.0)
    first = max(day for day in days if day <= later[1] - timedelta(days=60))
    assert began(store, case_id) == first
    told = facts(store, catalogue, case_id, at(later[1]))
    assert {f.on for f in told.case.found} == {first}
    assert sum(f.count for f in told.case.found if not f.inferred) < 30, "and not the 68 of May"
    assert sum(x.on > first for x in told.looks) == 10


@pytest.mark.long
def test_life_after_long_peace_is_a_course_of_its_own(store, catalogue):
    _, case_id = open_mite(store, catalogue, START)
    looks(store, catalogue, case_id, [START + timedelta(days=n) for n in range(6, 199, 6)], 0)
    assert began(store, case_id) is None
    back = START + timedelta(days=204)
    looks(store, catalogue, case_id, [back], 2.0)
    assert began(store, case_id) == back


def test_the_page_says_that_the_course_begins_with_another_count(store, catalogue, long):
    case_id, days = long
    day = days[-1] + timedelta(days=6)
    look(store, catalogue, case_id, day, {"young": 30.0, "adult": 20.0})
    with store.reading() as session:
        page = case_page.build(Desk(session, catalogue, at(day)), case_id)
    assert page.moved.startswith("The course now begins with another count. ")
