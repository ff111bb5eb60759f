"""Sentences: dates and temperatures as this keeper reads them, and every kind of reason."""

from datetime import date, datetime

import pytest
from conftest import DAY, MITE, THRIPS

from brood.core.course.plan import Reason
from brood.services.voice import words
from brood.services.voice.speech import Speech, days, listed, number
from brood.store.tables import Application

GB, US = Speech(), Speech("en-US", "F")
MON, WHEN = date(2026, 6, 1), datetime(2026, 6, 4, 7)


def test_dates_follow_the_locale_and_temperatures_the_unit():
    assert (GB.day(MON), US.day(MON)) == ("Mon 1 June", "Mon, June 1")
    assert (GB.warmth(20.4), US.warmth(20)) == ("20 °C", "68 °F")
    assert US.celsius(US.degrees(21.5)) == pytest.approx(21.5)
    assert GB.span(MON, date(2026, 6, 2)) == "Mon 1 or Tue 2 June"
    assert GB.span(MON, date(2026, 6, 4)) == "Mon 1 to Thu 4 June"
    assert GB.span(date(2026, 6, 30), date(2026, 7, 2)) == "Tue 30 June to Thu 2 July"
    assert GB.span(MON, MON) == "Mon 1 June"


@pytest.mark.parametrize(
    ("value", "words_"),
    [(0.3, "under 1"), (1.2, "1"), (99.4, "99"), (123.0, "120"), (2468.0, "2500")],
)
def test_numbers_are_no_more_exact_than_they_are_known(value, words_):
    assert number(value) == words_


def test_lists_and_days_read_as_english():
    assert listed(["a"]) == "a"
    assert listed(["a", "b", "c"]) == "a, b and c"
    assert (days(1), days(3)) == ("1 day", "3 days")


@pytest.mark.parametrize(
    "kind",
    ["first-laying", "first-immature", "first-hidden", "after-patch", "repeat", "short", "overdue"],
)
@pytest.mark.parametrize(
    ("pest", "stage", "event"),
    [(MITE, "egg", "hatch"), (THRIPS, "pupa", "emergence"), (MITE, "larva", "moult")],
)
def test_every_reason_is_a_whole_sentence_and_names_the_warmth(catalogue, kind, pest, stage, event):
    why = Reason(kind, stage, event, WHEN, WHEN, 21.4, 0.97, 0.6)
    text = words.reason(catalogue.pests[pest], why, GB, 2)
    assert "about 21 °C" in text
    assert words.brief(catalogue.pests[pest], why, GB, 2).endswith(".")
    assert text.endswith(".")
    assert "None" not in text
    if kind in ("repeat", "short"):
        assert (
            catalogue.pests[pest].stages[catalogue.pests[pest].index(stage)].plural.lower()
            in text.lower()
        )


@pytest.mark.parametrize(
    ("earliest", "target", "latest", "today", "headline"),
    [
        (1, 4, 5, 1, "Wipe and spray again Thu 4 or Fri 5 June, evening."),
        (1, 4, 4, 1, "Wipe and spray again Thu 4 June, evening."),
        (1, 4, 20, 1, "Wipe and spray again Thu 4 June, evening."),
        (1, 1, 1, 1, "Wipe and spray again tonight."),
        (1, 1, 2, 1, "Wipe and spray again tonight or tomorrow evening."),
        (1, 1, 4, 1, "Wipe and spray again tonight, or by Thu 4 June."),
        (1, 4, 5, 9, "Wipe and spray again tonight."),
    ],
)
def test_the_next_action_is_one_sentence(catalogue, earliest, target, latest, today, headline):
    at = [DAY.replace(day=d) for d in (earliest, target, latest, today)]
    a = Application(
        earliest_on=at[0],
        target_on=at[1],
        latest_on=at[2],
        short_by_days=0,
        treatments=["insecticidal-soap", "wiping"],
    )
    assert words.next_step(a, at[3], True, GB, catalogue.treatments) == headline
    assert "None" not in words.window(a, at[3], GB)


def test_a_changed_course_says_what_it_costs():
    later = words.course_change(MON, date(2026, 6, 9), 5, 6, GB)
    assert later == "That means 1 more evening and the course ends 8 days later, on Tue 9 June."
    assert words.course_change(MON, MON, 5, 5, GB) == "The end of the course does not move."
    assert (
        words.course_change(MON, date(2026, 5, 30), 5, 4, GB)
        == "The course ends 2 days sooner, on Sat 30 May."
    )
