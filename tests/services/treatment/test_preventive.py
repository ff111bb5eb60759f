"""What keeps pests off before they come: rain, growth, harvest, wear and test leaves."""

from datetime import datetime, time, timedelta

import pytest
from conftest import NOW

from brood.catalogue.loader import shipped
from brood.errors import FieldErrors
from brood.services.house import load, places, plant_states, plants
from brood.services.house.plant_states import StateCommand
from brood.services.house.plants import PlantTraits
from brood.services.treatment import preventive, shelf
from brood.services.voice.desk import Desk
from brood.services.voice.preferences import Preferences
from brood.services.warmth import rain
from brood.store.queries import cases, lasting

CATALOGUE = shipped()
SPEECH = Preferences().speech


def at(days):
    return NOW + timedelta(days=days)


def desk_of(session, days=0):
    return Desk(session, CATALOGUE, at(days), Preferences())


def stands(session, *, kind="flowering", setting="outdoor", growth=""):
    """A plant at a place of its own: both ids."""
    warmth = places.Warmth(20, 16, time(7), time(22))
    name = f"Place {len(cases.places(session))}"
    place = places.add(
        session, places.PlaceCommand(name, "", "set-points", warmth, setting=setting), now=at(-90)
    )
    command = plants.PlantCommand(
        "Pepper", kind, "", place, at(-90).date(), PlantTraits(growth=growth)
    )
    return plants.add(session, command, now=at(-90)), place


def lines(session, plant, days):
    return plant_states.lines(session, CATALOGUE, lasting.of_plant(session, plant), at(days).date())


def repel(session, plant, days=0):
    said = StateCommand("repellent", at(days).date(), None)
    plant_states.begin(session, CATALOGUE, plant, said, SPEECH, now=at(days))


def rains(session, place, days, mm):
    rain.tell(session, place, at(days).date(), mm, "tap", now=datetime.combine(at(days), time(20)))


def test_a_repellent_lasts_three_weeks_and_two_on_a_fast_plant(store):
    with store.writing() as session:
        slow, _ = stands(session)
        fast, _ = stands(session, growth="fast")
        for plant in (slow, fast):
            repel(session, plant)
        assert [r.until_on for r in lasting.of_plant(session, slow)] == [at(21).date()]
        assert [r.until_on for r in lasting.of_plant(session, fast)] == [at(14).date()]


def test_rain_takes_it_off_outdoors_and_renewing_puts_it_on_again(store):
    with store.writing() as session:
        plant, place = stands(session)
        repel(session, plant)
        rains(session, place, 3, 2.0)
        (line,) = lines(session, plant, 4)
        assert not line.ends
        rains(session, place, 5, 4.0)
        (line,) = lines(session, plant, 6)
        assert (line.ends, line.due) == (True, at(5).date())
        assert line.asks.startswith("Rain has taken it off.")
        plant_states.lengthen(session, CATALOGUE, line.row.id, at(6))
        (line,) = lines(session, plant, 7)
        assert (line.row.since_on, line.row.until_on) == (at(6).date(), at(27).date())
        assert not line.ends
        plant_states.take_back(session, line.row.id, at(7))
        (line,) = lines(session, plant, 7)
        assert line.row.since_on == NOW.date(), "what it took the place of stands again"


def test_rain_does_not_reach_a_room_and_an_old_washing_is_not_asked_for_ever(store):
    with store.writing() as session:
        inside, room = stands(session, setting="indoor")
        repel(session, inside)
        rains(session, room, 3, 40.0)
        assert not lines(session, inside, 5)[0].ends
        plant, place = stands(session)
        repel(session, plant)
        rains(session, place, 2, 40.0)
        assert lines(session, plant, 16)
        assert lines(session, plant, 17) == []


def offered(session, plant, key, days=0):
    found = preventive.offered(desk_of(session, days), cases.plant(session, plant))
    return next(one for one in found if one.key == key)


def put_on(session, plant, days, key="oil-film", *, tried=True):
    said = StateCommand(key, at(days).date(), None)
    preventive.put_on(desk_of(session, days), plant, said, tried=tried)


def test_a_spray_before_any_pest_asks_for_tried_leaves_the_first_time(store):
    with store.writing() as session:
        plant, _ = stands(session)
        assert offered(session, plant, "oil-film").untried
        with pytest.raises(FieldErrors) as refused:
            put_on(session, plant, 0, tried=False)
        assert "tried" in refused.value.by_field
        put_on(session, plant, 0)
        assert not offered(session, plant, "oil-film", 10).untried
        (row,) = lasting.of_plant(session, plant)
        preventive.lengthen(desk_of(session, 10), row.id)
        assert [r.since_on for r in lasting.of_plant(session, plant)] == [
            at(0).date(),
            at(10).date(),
        ]


def test_every_spray_counts_against_the_leaves_until_they_have_had_enough(store):
    with store.writing() as session:
        plant, _ = stands(session)
        days = next(
            n
            for n in range(0, 40, 5)
            if offered(session, plant, "oil-film", n).barred or put_on(session, plant, n)
        )
        worn = load.of_plant(CATALOGUE, cases.plant(session, plant), at(days).date(), SPEECH)
        assert worn.worn
        assert [d.acts for d in worn.had][-1] == ("paraffinic-oil",)
        with pytest.raises(FieldErrors, match="had enough"):
            put_on(session, plant, days)
        assert not offered(session, plant, "oil-film", days + 40).barred


def test_what_is_eaten_waits_for_the_days_on_the_label(store):
    with store.writing() as session:
        plant, _ = stands(session, kind="fruiting-vegetable")
        label = shelf.StockCommand(
            "Oil from the shop",
            "paraffinic-oil",
            labelled=True,
            percent=2.0,
            size_ml=500,
            label_rate=10.0,
            harvest_days=4,
            allowed=("outdoor", "edible"),
        )
        shelf.put(session, label, now=NOW)
        one = offered(session, plant, "oil-film")
        assert (one.barred, one.harvest_wait) == ("", 4)
        put_on(session, plant, 0)
        picked = load.pick_from(CATALOGUE, cases.plant(session, plant))
        assert picked == at(4).date()
        flowering, _ = stands(session)
        put_on(session, flowering, 0)
        assert load.pick_from(CATALOGUE, cases.plant(session, flowering)) is None
