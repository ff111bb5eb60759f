"""Hints of risk from the places' own data, shown until they are seen."""

from datetime import date, datetime, time, timedelta

import pytest
from conftest import MITE, NOW

from brood.catalogue.loader import shipped
from brood.services.cases import commands
from brood.services.cases.beside import house_of
from brood.services.house import events, neighbours, places, plants
from brood.services.season import hints
from brood.services.voice.desk import Desk
from brood.services.voice.preferences import Preferences
from brood.store.place_tables import DiaryDay

CATALOGUE = shipped()


def desk_of(session, days=0):
    return Desk(session, CATALOGUE, NOW + timedelta(days=days), Preferences())


def place_of(session, celsius, *, setting="indoor", name="Sill"):
    """A place whose diary has a mean by the days before now."""
    place = places.add(
        session, places.PlaceCommand(name, "", "diary", None, setting=setting), now=NOW
    )
    for ago in range(60, 0, -1):
        day, mean = NOW.date() - timedelta(days=ago), celsius(ago)
        session.add(
            DiaryDay(place_id=place, on=day, low_c=mean - 2, high_c=mean + 2, recorded_at=NOW)
        )
    return place


def plant_of(session, place, name="Fuchsia", kind="flowering"):
    since = (NOW - timedelta(days=90)).date()
    return plants.add(session, plants.PlantCommand(name, kind, "", place, since), now=NOW)


def keys(session, days=0):
    desk = desk_of(session, days)
    return [one.key for one in hints.standing(desk, house_of(session))]


@pytest.mark.parametrize(
    ("celsius", "setting", "kind", "key"),
    [
        (lambda ago: 28.0, "balcony", "fruiting-vegetable", "hot-1"),
        (lambda ago: 13.0, "indoor", "seedling-herb", "wet-1"),
        (lambda ago: 15.0 if ago < 12 else 5.0, "outdoor", "flowering", "woke-1"),
    ],
)
def test_the_warmth_of_a_place_gives_its_hint(store, celsius, setting, kind, key):
    with store.writing() as session:
        plant_of(session, place_of(session, celsius, setting=setting), "Basil", kind)
        assert key in keys(session)


def test_an_ordinary_place_gives_none_and_neither_does_what_is_only_said(store):
    with store.writing() as session:
        plant_of(session, place_of(session, lambda ago: 20.0))
        warm = places.Warmth(29, 29, time(7), time(22))
        attic = places.add(session, places.PlaceCommand("Attic", "", "constant", warm), now=NOW)
        plant_of(session, attic, "Fern", "foliage")
        assert keys(session) == []


def test_a_hint_that_was_seen_comes_again_after_two_months(store):
    with store.writing() as session:
        plant_of(session, place_of(session, lambda ago: 29.0), "Pepper", "fruiting-vegetable")
        hints.see(desk_of(session), "hot-1")
        assert keys(session) == []
        assert [h.key for h in hints.every(desk_of(session), house_of(session))] == ["hot-1"]
        hints.unsee(desk_of(session), "hot-1")
        assert keys(session) == ["hot-1"]
        hints.see(desk_of(session, -61), "hot-1")
        assert keys(session) == ["hot-1"]


def test_soft_shoots_after_a_cut_and_plants_downwind_are_named(store):
    with store.writing() as session:
        sill = place_of(session, lambda ago: 20.0)
        first, second = plant_of(session, sill), plant_of(session, sill, "Begonia")
        said = events.EventCommand("cut", (NOW - timedelta(days=14)).date())
        events.befell(session, CATALOGUE, second, said, now=NOW)
        assert keys(session) == [f"flush-{second}"]
        assert keys(session, 20) == []
        spots = [
            neighbours.SpotCommand(n, 1, i, False, "") for i, n in enumerate((first, second), 1)
        ]
        neighbours.arrange(session, sill, "right", spots)
        found = commands.FindCommand(NOW.date(), "adult", 5, None, "")
        commands.open_case(
            desk_of(session), commands.OpenCommand(first, MITE, (found,), (), NOW.date(), False)
        )
        (drift,) = [h for h in hints.every(desk_of(session), house_of(session)) if "drift" in h.key]
        assert "begonia" in drift.text
        assert "spider mite" in drift.text


def test_the_page_of_the_day_shows_one_hint_with_a_button(client, clock):
    place = {"name": "Sill", "source": "diary", "day": "", "night": ""}
    place |= {"day_from": "07:00", "night_from": "22:00"}
    assert client.post("/places/new", data=place).status_code == 303
    assert clock.now >= datetime.combine(date(2026, 1, 1), time())
    with client.application.extensions["household"].store.writing() as session:
        for ago in range(1, 20):
            day = NOW.date() - timedelta(days=ago)
            session.add(DiaryDay(place_id=1, on=day, low_c=27, high_c=31, recorded_at=NOW))
    client.post("/plants/new", data={"name": "Pepper", "kind": "fruiting-vegetable", "place": "1"})
    page = client.get("/").text
    assert page.count('aria-label="Worth knowing"') == 1
    assert "A hot week: sill" in page
    assert client.post("/season/hints/hot-1", data={"back": "/"}).status_code == 303
    assert "A hot week: sill" not in client.get("/").text
    assert "A hot week: sill" in client.get("/season").text
    client.post("/season/hints/nonsense", data={"back": "/"})
