"""How pests come in: what each way opens, what is looked for because of it, and when it ends."""

from datetime import date, datetime, time, timedelta

import pytest
from conftest import MITE, NOW

from brood.catalogue.loader import shipped
from brood.errors import FieldErrors
from brood.services.cases import beside, commands
from brood.services.house import places, plants, quarantine
from brood.services.season import rhythm, ways_in
from brood.services.season.ways_in import WayInCommand
from brood.services.voice.desk import Desk
from brood.services.voice.preferences import Preferences
from brood.store.queries import cases

CATALOGUE = shipped()
TODAY = NOW.date()


def desk_of(session, now=NOW):
    return Desk(session, CATALOGUE, now, Preferences())


def place_of(session, name, *, setting="indoor", room=None, warm=21.0):
    warmth = places.Warmth(warm, warm - 3, time(7), time(22))
    made = places.add(
        session, places.PlaceCommand(name, "", "set-points", warmth, setting=setting), now=NOW
    )
    next(p for p in cases.places(session) if p.id == made).apart_room = room
    return made


def plant_of(session, place_id, name, kind="flowering"):
    since = NOW - timedelta(days=300)
    return plants.add(
        session, plants.PlantCommand(name, kind, "", place_id, since.date()), now=since
    )


def every(session, now=NOW):
    """The rhythm of each plant by name, with its reason."""
    desk = desk_of(session, now)
    apart = quarantine.open_quarantines(session)
    return {
        o.plant.name: (o.every, o.why, o.pests)
        for o in rhythm.looks(desk, beside.house_of(session), apart, ())
    }


def test_cut_flowers_shorten_the_rhythm_of_what_they_may_infest_for_three_weeks(store):
    with store.writing() as session:
        sill, study = place_of(session, "Sill"), place_of(session, "Study")
        for name, kind, spot in (
            ("Fuchsia", "flowering", sill),
            ("Far fuchsia", "flowering", study),
        ):
            plant_of(session, spot, name, kind)
        before = every(session)["Fuchsia"][0]
        ways_in.keep(desk_of(session), WayInCommand("flowers", sill, TODAY))
        days, why, pests = every(session)["Fuchsia"]
        assert (before, days) == (7, 4)
        assert why.startswith("cut flowers, since")
        assert "aphids" in pests
        assert every(session)["Far fuchsia"][0] == before
        assert every(session, NOW + timedelta(days=22))["Fuchsia"][0] == before


@pytest.mark.long
def test_a_newcomer_is_kept_apart_and_thought_of_by_what_others_there_had(store):
    with store.writing() as session:
        box = place_of(session, "Box room", room=1)
        told = WayInCommand(
            "bought", box, TODAY, ("root-mealybug",), name="Lemon", plant_kind="woody-citrus"
        )
        kept = ways_in.keep(desk_of(session), told)
        row = quarantine.quarantine(session, kept.quarantine_id)
        assert row.reason == "newcomer"
        assert row.plant.stays[-1].place_id == box
        found = quarantine.of_quarantine(session, CATALOGUE, row, TODAY, Preferences().speech)
        assert "Others where it came from had" in found.why
        assert "root mealybug" in found.why
        with pytest.raises(FieldErrors, match="full"):
            ways_in.keep(desk_of(session), WayInCommand("bought", box, TODAY, name="Palm"))


def test_a_newcomer_among_others_puts_them_at_risk_until_it_is_released(store):
    with store.writing() as session:
        sill = place_of(session, "Sill")
        plant_of(session, sill, "Fern", "foliage")
        kept = ways_in.keep(
            desk_of(session),
            WayInCommand("bought", sill, TODAY, name="Palm", plant_kind="foliage"),
        )
        assert every(session)["Fern"][0] == 4
        assert every(session, NOW + timedelta(days=70))["Fern"][0] == 4, "as long as it is apart"
        quarantine.quarantine(session, kept.quarantine_id).released_on = TODAY
        assert every(session)["Fern"][0] > 4


@pytest.mark.long
def test_a_plant_back_from_outdoors_brings_what_others_had_where_it_stood(store):
    with store.writing() as session:
        balcony = place_of(session, "Balcony", setting="balcony")
        box = place_of(session, "Box room", room=3)
        pepper = plant_of(session, balcony, "Pepper", "fruiting-vegetable")
        other = plant_of(session, balcony, "Aubergine", "fruiting-vegetable")
        find = commands.FindCommand(TODAY, "adult", 5, None, "")
        commands.open_case(
            desk_of(session), commands.OpenCommand(other, MITE, (find,), (), TODAY, False)
        )
        kept = ways_in.keep(desk_of(session), WayInCommand("outdoors", box, TODAY, plant_id=pepper))
        row = quarantine.quarantine(session, kept.quarantine_id)
        assert row.reason == "outdoors"
        assert row.plant.stays[-1].place_id == box
        found = quarantine.of_quarantine(session, CATALOGUE, row, TODAY, Preferences().speech)
        assert "spider mite" in found.why


def test_a_tree_outside_keeps_its_neighbours_on_a_shorter_rhythm_until_it_is_gone(store):
    with store.writing() as session:
        lawn = place_of(session, "Terrace", setting="outdoor")
        plant_of(session, lawn, "Cactus", "cactus-succulent")
        usual = every(session)["Cactus"][0]
        desk = desk_of(session)
        with pytest.raises(FieldErrors):
            ways_in.keep(desk, WayInCommand("outside", lawn, TODAY))
        tree = ways_in.keep(
            desk, WayInCommand("outside", lawn, TODAY, ("mealybug",), "the lime tree")
        )
        later = NOW + timedelta(days=400)
        assert every(session, later)["Cactus"][:2] == (min(usual, 7), every(session)["Cactus"][1])
        ways_in.gone(desk_of(session, later), tree.row_id)
        assert ways_in.here(desk_of(session, later))
        assert ways_in.here(desk_of(session, later + timedelta(days=15))) == []
        ways_in.restore(desk_of(session, later), tree.row_id)
        assert ways_in.here(desk_of(session, later + timedelta(days=15)))


def test_the_same_told_twice_is_kept_once_and_a_mistake_is_taken_back(store):
    with store.writing() as session:
        sill = place_of(session, "Sill")
        desk = desk_of(session)
        first = ways_in.keep(desk, WayInCommand("produce", sill, TODAY))
        assert ways_in.keep(desk, WayInCommand("produce", sill, TODAY)).row_id == first.row_id
        assert len(ways_in.here(desk)) == 1
        ways_in.take_back(desk, first.row_id)
        assert ways_in.here(desk) == []
        for wrong in (
            WayInCommand("comet", sill, TODAY),
            WayInCommand("flowers", sill, TODAY + timedelta(days=1)),
            WayInCommand("outdoors", sill, TODAY),
        ):
            with pytest.raises(FieldErrors):
                ways_in.keep(desk, wrong)


def test_plants_that_may_have_caught_something_come_last_on_a_walk(store):
    with store.writing() as session:
        sill = place_of(session, "Sill")
        first, second = (plant_of(session, sill, name) for name in ("Fuchsia", "Begonia"))
        place = cases.places(session)[0]
        suspect = rhythm.DueLook(cases.plant(session, first), place, TODAY, 4, "", ("aphids",))
        clean = rhythm.DueLook(cases.plant(session, second), place, TODAY, 10, "")
        walk = rhythm.walk([suspect, clean], TODAY, {})
        assert [stop.plant.name for stop in walk.stops] == ["Begonia", "Fuchsia"]


def test_a_walk_names_four_plants_and_says_how_many_more_there_are(store):
    names = ["Fern", "Fuchsia", "Ivy", "Palm", "Sage", "Vine"]
    with store.writing() as session:
        sill = place_of(session, "Sill")
        place = cases.places(session)[0]
        due = [
            rhythm.DueLook(cases.plant(session, plant_of(session, sill, n)), place, TODAY, 10, "")
            for n in names
        ]
        ends = [rhythm.walk(due[:n], TODAY, {}).text.split(": ")[1] for n in (4, 5, 6)]
    four = "Fern, Fuchsia, Ivy, Palm"
    assert ends == [four, f"{four} and 1 more", f"{four} and 2 more"]


def test_a_day_of_the_last_weeks_is_taken(store):
    moment = datetime(2026, 6, 3, 9)
    with store.writing() as session:
        sill = place_of(session, "Sill")
        kept = ways_in.keep(
            desk_of(session, moment), WayInCommand("flowers", sill, date(2026, 5, 25))
        )
        (one,) = ways_in.here(desk_of(session, moment))
        assert one.until == date(2026, 6, 15)
        assert one.row.id == kept.row_id


def test_what_was_told_of_an_earlier_return_is_not_held_against_a_later_one(store):
    last_year = NOW - timedelta(days=365)
    with store.writing() as session:
        balcony = place_of(session, "Balcony", setting="balcony")
        box = place_of(session, "Box room", room=3)
        plant = plant_of(session, balcony, "Pepper", "fruiting-vegetable")
        told = WayInCommand("outdoors", box, last_year.date(), ("root-mealybug",), plant_id=plant)
        first = ways_in.keep(desk_of(session, last_year), told)
        old = quarantine.quarantine(session, first.quarantine_id)
        assert quarantine.pests_there(session, CATALOGUE, old)
        old.released_on = last_year.date() + timedelta(days=40)
        again = ways_in.keep(desk_of(session), WayInCommand("outdoors", box, TODAY, plant_id=plant))
        new = quarantine.quarantine(session, again.quarantine_id)
        assert quarantine.pests_there(session, CATALOGUE, new) == []


def test_a_return_that_was_a_mistake_puts_the_plant_back_where_it_stood(store):
    with store.writing() as session:
        balcony = place_of(session, "Balcony", setting="balcony")
        box = place_of(session, "Box room", room=3)
        plant = plant_of(session, balcony, "Pepper", "fruiting-vegetable")
        kept = ways_in.keep(desk_of(session), WayInCommand("outdoors", box, TODAY, plant_id=plant))
        quarantine.undo(session, kept.quarantine_id, "never", now=NOW)
        session.flush()
        session.expire_all()
        assert cases.plant(session, plant).stays[-1].place_id == balcony
        assert ways_in.here(desk_of(session)) == []
