"""Which evenings of a plant's pests are done at once: the first one takes along every
other whose window is open by then.
"""

from datetime import date, timedelta

from hypothesis import given
from hypothesis import strategies as st

from brood.services.cases import history
from brood.store.states import EveningState
from brood.store.tables import Application, PestCase

TODAY = date(2026, 6, 8)


def case(number, target, earliest):
    """A case with one planned evening: its day and the begin of its window, from today."""
    slot = Application(
        id=number,
        case_id=number,
        status=EveningState.PLANNED,
        target_on=TODAY + timedelta(days=target),
        earliest_on=TODAY + timedelta(days=earliest),
        treatments=["wiping"],
    )
    return PestCase(id=number, applications=[slot])


def groups(*rows):
    return [[slot.case_id for slot in some] for some in history.together(rows, TODAY)]


def test_what_is_open_already_goes_along_with_the_first():
    assert groups(case(1, 0, -2), case(2, 2, -1)) == [[1, 2]]
    assert groups(case(1, 2, -1), case(2, 0, -2)) == [[2, 1]], "whichever case is the older one"
    assert groups(case(1, 0, -2), case(2, 4, 2)) == [[1], [2]]
    assert groups(case(1, -3, -5), case(2, -9, -9)) == [[1, 2]], "both are overdue: tonight"
    assert groups(case(1, 8, 5), case(2, 3, 1)) == [[2], [1]]
    assert groups(case(1, 0, -1), case(2, 3, 1), case(3, 5, 2)) == [[1], [2, 3]]


@given(st.lists(st.tuples(st.integers(-20, 20), st.integers(0, 9)), max_size=4))
def test_every_case_is_treated_once_and_none_before_its_window(found):
    rows = [case(n, target, target - before) for n, (target, before) in enumerate(found, start=1)]
    evenings = history.together(rows, TODAY)
    assert sorted(s.case_id for some in evenings for s in some) == [r.id for r in rows]
    days = [max(TODAY, some[0].target_on) for some in evenings]
    assert days == sorted(days)
    for day, some in zip(days, evenings, strict=True):
        assert all(s.earliest_on <= day <= max(TODAY, s.target_on) for s in some)
