"""Checks that take days: begun today, asked for on their day, told or given up."""

import random
from datetime import date, datetime, timedelta

import pytest
from planned import Desk

from brood.errors import InputError
from brood.services.diagnosis import look_log, look_page, put_off
from brood.services.house import places, plants
from brood.services.today import today as today_page
from brood.store.queries import looks

NOW = datetime(2026, 6, 8, 18)
DAY = NOW.date()
CARD = ("card-yellow-dark-flies", "card-nothing")


@pytest.fixture
def look(store):
    with store.writing() as session:
        warm = places.Warmth(20.0, 20.0, NOW.time(), NOW.time())
        hall = places.add(session, places.PlaceCommand("Hall", "", "constant", warm), now=NOW)
        fern = plants.add(session, plants.PlantCommand("Fern", "foliage", "", hall, DAY), now=NOW)
        return look_log.begin(session, fern, now=NOW)


def asked(store, catalogue, day):
    moment = datetime.combine(day, NOW.time())
    with store.reading() as session:
        shown = today_page.build(Desk(session, catalogue, moment))
        return [t.text for t in (*shown.due, *shown.put_off) if t.key.startswith("waited")]


def cards(store, catalogue, look_id, day):
    with store.reading() as session:
        found = look_page.build(
            session,
            catalogue,
            look_id,
            "",
            now=datetime.combine(day, NOW.time()),
            hemisphere="north",
        )
        return [c.options for c in found.checks], [w.due for w in found.waiting]


def test_a_card_hung_today_is_read_in_a_week_and_is_told_there(store, catalogue, look):
    with store.writing() as session:
        waiting = put_off.begin(session, catalogue, look, CARD, DAY)
    assert waiting.due == DAY + timedelta(days=7)
    options, due = cards(store, catalogue, look, DAY)
    assert due == [waiting.due]
    assert all(set(CARD).isdisjoint(one) for one in options), "it is not asked twice meanwhile"
    assert asked(store, catalogue, DAY + timedelta(days=6)) == []
    assert asked(store, catalogue, waiting.due) == ["Read the sticky card"]
    options, due = cards(store, catalogue, look, waiting.due)
    assert options[0] == list(CARD), "on its day it comes first"
    assert due == []
    assert asked(store, catalogue, waiting.due + timedelta(days=30)) == [], "then it is let go"
    with store.writing() as session:
        look_log.answer(session, catalogue, look, {CARD[1]: "yes"}, now=NOW + timedelta(days=7))
    assert asked(store, catalogue, waiting.due) == []


def test_a_check_that_was_begun_can_be_given_up_and_ends_with_its_look(store, catalogue, look):
    with store.writing() as session:
        put_off.begin(session, catalogue, look, ("active-only-at-night",), DAY)
    assert asked(store, catalogue, DAY) == ["Look after dark, with a torch"]
    with store.writing() as session:
        put_off.give_up(session, look, "active-only-at-night")
    assert asked(store, catalogue, DAY) == []
    with store.writing() as session:
        put_off.begin(session, catalogue, look, ("tape-ring-dots",), DAY)
        look_log.close(session, look, now=NOW)
    assert asked(store, catalogue, DAY + timedelta(days=3)) == []


def test_what_takes_days_is_offered_where_it_would_tell_something(store, catalogue, look):
    with store.writing() as session:
        look_log.answer(session, catalogue, look, {"small-flies-about": "yes"}, now=NOW)
    with store.reading() as session:
        shown = look_page.build(session, catalogue, look, "", now=NOW, hemisphere="north")
        slow = [one.wait.begin for one in shown.slow]
        assert 1 <= len(slow) <= 2
        assert "Hang the card today." in slow or "Lay the slice on the compost today." in slow


@pytest.mark.parametrize("seed", range(12))
def test_no_tap_on_any_card_keeps_what_was_not_said(store, catalogue, look, seed):
    rng = random.Random(seed)
    told = dict.fromkeys(rng.sample(sorted(catalogue.evidence.observations), 3), "yes")
    with store.writing() as session:
        look_log.answer(session, catalogue, look, told, now=NOW)
        found = look_page.build(session, catalogue, look, "", now=NOW, hemisphere="north")
        for n, card in enumerate(found.checks):
            tap = rng.choice(["some", "none", "cannot", "later"])
            some = rng.sample(card.options, rng.randint(1, len(card.options)))
            if tap in ("some", "none"):
                look_log.choose(
                    session, catalogue, look, card.options, some, none=tap == "none", now=NOW
                )
                told |= dict.fromkeys(card.options, "no") if tap == "none" else {}
                told |= dict.fromkeys(some, "yes") if tap == "some" else {}
            elif tap == "cannot":
                look_log.pass_over(session, look, card.options)
            elif card.wait:
                put_off.begin(session, catalogue, look, card.options, DAY + timedelta(days=n))
            row = looks.look(session, look)
            assert {a.observation: a.said for a in look_log.standing(row)} == told


def test_what_can_be_told_at_once_does_not_wait(store, catalogue, look):
    with store.writing() as session, pytest.raises(InputError, match="at once"):
        put_off.begin(session, catalogue, look, ("web-fine",), DAY)
    with store.reading() as session:
        assert looks.look(session, look).put_off == {}


def test_every_wait_is_of_what_a_card_can_ask(catalogue):
    waits = catalogue.evidence.waits
    assert waits.for_all(["web-fine"]) is None
    assert waits.for_all([]) is None
    assert waits.for_all(["card-yellow-dark-flies", "card-nothing"]).days == 7
    assert waits.for_all(["fixed-in-place", "walks-slowly"]) is None, "one can be told at once"
    assert all(date.min + timedelta(days=w.days) for w in waits.wait)
