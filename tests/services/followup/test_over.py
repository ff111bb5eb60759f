"""When a case is over, in words."""

from dataclasses import replace
from datetime import date, timedelta

import pytest

from brood.core.biology.case import Inspection
from brood.core.followup.all_clear import Clearing, NeededLook
from brood.services.followup.ending import said
from brood.services.voice.speech import Speech

SEEN = date(2026, 6, 1)


def day(n):
    return SEEN + timedelta(days=n)


NEEDED = (NeededLook(day(20), "back"), NeededLook(day(27), "cycle"))
FOUND = Clearing(
    last_live=SEEN,
    last_treatment=day(5),
    matured=day(18),
    hatched=day(12),
    curve=(),
    if_clean=(),
    needed=NEEDED,
    back=day(20),
    closed=day(27),
    clean_looks=(),
    worth=((day(20), 3.0), (day(24), 5.0)),
)


def words_of(today=day(6), more=None, **told):
    return said(replace(FOUND, **(more or {})), today, Speech(), **told)


def test_it_says_when_the_plant_may_go_back_and_when_its_case_closes():
    over = words_of(treatments_left=2)
    assert over.headline.startswith("Back among the others ")
    assert over.headline.endswith(", if every look finds nothing.")
    assert over.why.startswith("After 2 more evenings, 2 looks that find nothing. Last seen alive ")
    assert over.best == day(24)
    assert words_of(treatments_left=1).why.startswith("After 1 more evening, ")
    one = words_of(more={"needed": NEEDED[:1]})
    assert one.why.startswith("No more treatments are needed; one look that finds nothing. ")


@pytest.mark.parametrize(
    ("hatched", "live_birth", "words"),
    [(17, False, ""), (18, False, ""), (19, False, "The last egg"), (19, True, "has borne young")],
)
def test_the_last_evening_is_named_where_what_it_missed_shows_last(hatched, live_birth, words):
    why = words_of(more={"hatched": day(hatched)}, live_birth=live_birth).why
    late = [part for part in ("The last egg", "has borne young") if part in why]
    assert late == ([words] if words else [])


def test_a_record_that_is_enough_is_all_clear_and_one_that_never_will_be_says_so():
    enough = {"needed": (), "clean_looks": (Inspection(day(20)), Inspection(day(27)))}
    assert words_of(day(27), enough).headline == "All clear."
    late = words_of(day(30), enough)
    assert late.headline.startswith("All clear since ")
    assert "2 clean looks leave less than 1 chance in 100" in late.why
    assert words_of(more={"closed": None}).headline == "No all-clear can be foreseen."
    assert words_of(more={"matured": None}).headline == "Too cold to tell: nothing develops."
    assert words_of(more={"back": None}).headline.startswith("The case closes ")
    same = words_of(more={"back": day(27)})
    assert same.headline.startswith("Back among the others and closed ")
    been = words_of(more={"clean_looks": (Inspection(day(21)),)})
    assert been.headline.startswith("It may go back. The case closes ")
