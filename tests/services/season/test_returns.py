"""What was cleared in the cold and is looked at again once a generation could have grown up."""

from datetime import date, datetime, time, timedelta

import pytest
from conftest import NOW

from brood.catalogue.loader import shipped
from brood.services.cases import beside, commands
from brood.services.followup import inspections
from brood.services.followup.inspections import InspectCommand
from brood.services.house import places, plants
from brood.services.season import returns
from brood.services.voice.desk import Desk
from brood.services.voice.preferences import Preferences
from brood.store.place_tables import DiaryDay
from brood.store.queries import cases

CATALOGUE = shipped()
FLAT = "brevipalpus"
CLEARED = date(2025, 11, 20)


def desk_of(session, on, hemisphere="north"):
    return Desk(
        session, CATALOGUE, datetime.combine(on, time(9)), Preferences(hemisphere=hemisphere)
    )


def cleared(session, celsius, *, pest=FLAT, closed=CLEARED, hemisphere="north"):
    """A plant at a place whose days have a temperature by date, cleared on a day: its id."""
    opened = closed - timedelta(days=30)
    place = places.add(
        session, places.PlaceCommand("Lean-to", "", "diary", None, setting="glasshouse"), now=NOW
    )
    day = opened
    while day < opened + timedelta(days=400):
        mean = celsius(day)
        session.add(
            DiaryDay(place_id=place, on=day, low_c=mean - 3, high_c=mean + 3, recorded_at=NOW)
        )
        day += timedelta(days=1)
    plant = plants.add(
        session, plants.PlantCommand("Fuchsia", "flowering", "", place, opened), now=NOW
    )
    find = commands.FindCommand(opened, "adult", 5, None, "")
    command = commands.OpenCommand(plant, pest, (find,), (), opened, False)
    case = commands.open_case(desk_of(session, opened, hemisphere), command)
    cases.case(session, case).closed_at = datetime.combine(closed, time(9))
    return plant


def waking(store, on, hemisphere="north"):
    with store.reading() as session:
        return returns.awake(desk_of(session, on, hemisphere), beside.house_of(session))


@pytest.mark.long
def test_a_cold_place_is_looked_at_after_the_warmth_of_a_generation(store):
    with store.writing() as session:
        cleared(session, lambda day: 7.0 if day < date(2026, 3, 10) else 21.0)
    assert waking(store, date(2026, 3, 12)) == []
    found = [d for n in range(90) if waking(store, d := date(2026, 3, 12) + timedelta(days=n))]
    assert date(2026, 4, 1) < found[0] < date(2026, 5, 10)
    assert len(found) == (found[-1] - found[0]).days + 1, "asked every day until somebody looks"


def test_a_look_after_waking_ends_it_and_one_before_does_not(store):
    with store.writing() as session:
        plant = cleared(session, lambda day: 7.0 if day < date(2026, 3, 10) else 21.0)
        early = InspectCommand(date(2026, 3, 1), ())
        session.add(inspections.written(early, plant, None, datetime(2026, 3, 1, 9)))
    (one,) = waking(store, date(2026, 5, 12))
    assert one.warmed
    with store.writing() as session:
        late = InspectCommand(one.since, ())
        session.add(inspections.written(late, plant, None, datetime(2026, 5, 12, 9)))
    assert waking(store, date(2026, 5, 12)) == []


def test_while_it_stays_cold_nothing_is_asked(store):
    with store.writing() as session:
        cleared(session, lambda day: 7.0)
    assert all(
        waking(store, CLEARED + timedelta(days=n)) == [] for n in (1, 30, 100, 160, 250, 320)
    )


@pytest.mark.parametrize(
    ("hemisphere", "closed", "asked"),
    [
        ("north", date(2026, 1, 10), date(2026, 3, 5)),
        ("south", date(2025, 7, 1), date(2025, 9, 5)),
    ],
)
def test_a_warm_room_in_winter_is_looked_at_in_spring(store, hemisphere, closed, asked):
    with store.writing() as session:
        cleared(session, lambda day: 21.0, closed=closed, hemisphere=hemisphere)
    (one,) = waking(store, asked, hemisphere)
    assert not one.warmed
    assert waking(store, asked - timedelta(days=10), hemisphere) == []
    assert waking(store, asked + timedelta(days=80), hemisphere) == []


def test_what_was_cleared_in_a_warm_summer_is_not_asked_for(store):
    with store.writing() as session:
        cleared(session, lambda day: 22.0, closed=date(2025, 7, 1))
    assert all(waking(store, date(2025, 7, 2) + timedelta(days=n)) == [] for n in range(0, 330, 30))
