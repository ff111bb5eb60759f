"""The season of a household: what it expects, what it asks for, and whom it looks over."""

from datetime import date, datetime, time, timedelta

import pytest
from conftest import MITE, NOW

from brood.catalogue.loader import shipped
from brood.errors import FieldErrors, InputError
from brood.services.cases import beside, commands
from brood.services.house import places, plants, quarantine
from brood.services.season import (
    arrivals,
    doors,
    journal,
    notes,
    rhythm,
    season_tasks,
    year,
    year_warmth,
)
from brood.services.season.notes import SightingCommand
from brood.services.today import today
from brood.services.voice.desk import Desk
from brood.services.voice.preferences import Preferences
from brood.services.warmth.weather import SimulatedWeather
from brood.services.warmth.weather import keep as keep_report
from brood.store.place_tables import Place
from brood.store.queries import cases, season

CATALOGUE = shipped()
WHITE = "pieris-rapae"
WARM = places.Warmth(22.0, 17.0, time(7), time(22))


def desk_of(session, now=NOW, hemisphere="north"):
    return Desk(session, CATALOGUE, now, Preferences(hemisphere=hemisphere))


def place_of(session, name="Bed", *, setting="outdoor", source="set-points", since=NOW):
    return places.add(
        session, places.PlaceCommand(name, "", source, WARM, setting=setting), now=since
    )


def plant_of(session, place_id, name="Kohlrabi", kind="cabbage-family", since=NOW):
    command = plants.PlantCommand(name, kind, "", place_id, since.date())
    return plants.add(session, command, now=since)


def seen(session, pest, place_id, *days):
    for day in days:
        notes.add(session, SightingCommand(pest, place_id, day), now=NOW)


def test_two_dates_give_a_band_around_them_and_prevention_before_it(store):
    with store.writing() as session:
        bed = place_of(session)
        seen(session, WHITE, bed, date(2024, 7, 1), date(2025, 6, 26))
    with store.reading() as session:
        (one,) = arrivals.ahead(desk_of(session))
    assert one.early < date(2026, 6, 26) < one.late
    assert (one.early - one.begin).days == 18
    assert not one.by_heat
    assert len(one.seen) == 2


def test_years_of_weather_make_the_heat_decide(store):
    with store.writing() as session:
        bed = place_of(session, source="weather")
        for back in range(26, -1, -1):
            keep_report(session, bed, SimulatedWeather(), NOW - timedelta(days=50 * back))
        warmth = year_warmth.of_place(session, session.get(Place, bed), NOW.date())
        assert warmth.season(2025).share_known(365) == 1.0
        seen(session, WHITE, bed, date(2024, 7, 1), date(2025, 6, 26))
    with store.reading() as session:
        (one,) = arrivals.ahead(desk_of(session))
        heat = warmth.heat(date(2025, 6, 26), *arrivals.thresholds(CATALOGUE, WHITE))
    assert one.by_heat
    assert 200 < heat < 900


def test_a_find_is_judged_by_the_forecast_that_stood_before_it(store):
    with store.writing() as session:
        bed = place_of(session)
        plant = plant_of(session, bed, since=NOW - timedelta(days=400))
        seen(session, WHITE, bed, date(2024, 6, 2), date(2025, 6, 6))
        found = commands.FindCommand(date(2026, 6, 4), "young", 5, None, "")
        commands.open_case(
            desk_of(session), commands.OpenCommand(plant, WHITE, (found,), (), NOW.date(), False)
        )
    with store.reading() as session:
        desk = desk_of(session)
        known = arrivals.seasons(session, CATALOGUE, "north", NOW.date())
        (this,) = arrivals.of_season(CATALOGUE, known, 2026, NOW.date())
        assert this.state(NOW.date()) == "found"
        assert this.missed_by == 0
        (coming,) = arrivals.ahead(desk)
        assert coming.season == 2027
        assert len(coming.seen) == 3
        assert arrivals.scored(desk, known)[0].key == this.key


def test_what_was_left_of_an_old_case_is_no_new_arrival(store):
    with store.writing() as session:
        bed = place_of(session)
        plant = plant_of(session, bed, since=NOW - timedelta(days=400))
        first = commands.FindCommand(date(2025, 12, 20), "young", 5, None, "")
        command = commands.OpenCommand(plant, WHITE, (first,), (), date(2025, 12, 20), False)
        case = commands.open_case(desk_of(session, datetime(2025, 12, 20, 9)), command)
        cases.case(session, case).closed_at = datetime(2026, 1, 10, 9)
        again = commands.FindCommand(date(2026, 2, 1), "young", 5, None, "")
        command = commands.OpenCommand(plant, WHITE, (again,), (), date(2026, 2, 1), False)
        commands.open_case(desk_of(session, datetime(2026, 2, 1, 9)), command)
    with store.reading() as session:
        known = arrivals.seasons(session, CATALOGUE, "north", NOW.date())
        assert set(known.first[WHITE, bed]) == {2025}


def test_a_place_under_a_new_name_keeps_its_years_and_the_south_its_summer(store):
    with store.writing() as session:
        bed = place_of(session)
        seen(session, WHITE, bed, date(2024, 12, 5), date(2025, 12, 9))
        session.get(Place, bed).name = "Long bed"
    with store.reading() as session:
        one = next(a for a in arrivals.ahead(desk_of(session, hemisphere="south")))
    assert one.place.name == "Long bed"
    assert one.season == 2026
    assert date(2026, 11, 20) < one.early < date(2026, 12, 9) < one.late


def test_nothing_found_by_the_latest_day_is_said_and_ends_it(store):
    with store.writing() as session:
        bed = place_of(session)
        seen(session, WHITE, bed, date(2024, 4, 1), date(2025, 4, 3))
    with store.reading() as session:
        known = arrivals.seasons(session, CATALOGUE, "north", NOW.date())
        (this,) = arrivals.of_season(CATALOGUE, known, 2026, NOW.date())
        assert this.state(NOW.date()) == "over"
        assert [a.season for a in arrivals.ahead(desk_of(session))] == [2027]


def test_a_table_is_read_and_every_bad_row_is_named(store):
    rows = (
        b"date,pest,place,degree_days\n2024-06-30,Small cabbage white,Bed,312\n"
        b"2025-06-24,pieris-rapae,bed,\n2025-13-01,pieris-rapae,Bed,\n"
        b"2025-06-01,yeti,Bed,\n2025-06-01,pieris-rapae,Moon,\n2025-06-02,pieris-rapae,Bed,warm\n"
    )
    with store.writing() as session:
        place_of(session)
        found = notes.take_table(session, CATALOGUE, rows, NOW)
        again = notes.take_table(session, CATALOGUE, rows, NOW)
        assert [r.heat for r in season.sightings(session)] == [312.0, None]
    assert (found.kept, found.known) == (2, 0)
    assert (again.kept, again.known) == (0, 2)
    assert [text.split(":")[0] for text in found.refused] == ["Row 4", "Row 5", "Row 6", "Row 7"]
    with store.writing() as session, pytest.raises(InputError):
        notes.take_table(session, CATALOGUE, b"date,pest\n", NOW)


def test_a_day_to_come_is_no_sighting(store):
    with store.writing() as session:
        bed = place_of(session)
        with pytest.raises(FieldErrors):
            seen(session, WHITE, bed, NOW.date() + timedelta(days=1))


def test_beginning_puts_the_net_over_what_gets_it_and_asks_no_more(store):
    with store.writing() as session:
        bed = place_of(session)
        cabbage = plant_of(session, bed)
        plant_of(session, bed, "Fern", "foliage")
        seen(session, WHITE, bed, date(2024, 7, 1), date(2025, 6, 27))
    with store.reading() as session:
        desk = desk_of(session)
        asked = season_tasks.of_day(desk, beside.house_of(session), (), ())
        assert [p.name for p in asked.begin[0].plants] == ["Kohlrabi"]
    with store.writing() as session:
        kept = notes.begin(desk_of(session), WHITE, bed, "left")
        assert year.build(desk_of(session)).rows[0].states == ()
        assert notes.begin(desk_of(session), WHITE, bed, "begun") == kept
        assert notes.begin(desk_of(session), WHITE, bed, "begun") == kept
    with store.reading() as session:
        desk = desk_of(session)
        assert season_tasks.of_day(desk, beside.house_of(session), (), ()).begin == ()
        (row,) = year.build(desk).rows
        assert [(s.kind, s.plants) for s in row.states] == [("netting", ("Kohlrabi",))]
    with store.writing() as session:
        notes.take_back(session, kept, NOW)
        assert season_tasks.of_day(desk_of(session), beside.house_of(session), (), ()).begin
        assert cabbage


def test_a_pest_without_signs_of_its_own_is_expected_where_its_like_are(store):
    with store.writing() as session:
        sill = place_of(session, "Sill", setting="indoor")
        plant_of(session, sill, "Fuchsia", "flowering")
    with store.reading() as session:
        (fuchsia,) = beside.house_of(session).here
        for pest in ("macrosiphum-euphorbiae", "aspidiotus-nerii", MITE):
            assert plants.susceptible(CATALOGUE, fuchsia, pest), pest
        assert not plants.susceptible(CATALOGUE, fuchsia, WHITE)


def _sixty(session):
    """Sixty plants at four places that nobody has looked over for long."""
    since = NOW - timedelta(days=100)
    for name in ("Sill", "Stairs", "Balcony", "Study"):
        spot = place_of(session, name, setting="indoor", since=since)
        for n in range(15):
            plant_of(
                session, spot, f"{name} {n}", "flowering" if n % 3 else "cactus-succulent", since
            )


def test_sixty_plants_are_one_walk_a_day_under_twenty_minutes(store):
    with store.writing() as session:
        _sixty(session)
    moment, walked = NOW, 0
    for _ in range(4):
        with store.writing() as session:
            desk = desk_of(session, moment)
            walk = season_tasks.of_day(desk, beside.house_of(session), (), ()).walk
            assert walk is not None
            assert walk.minutes < 20
            for stop in walk.stops:
                quarantine.looked_over(session, stop.plant, "", now=moment)
            walked += len(walk.stops)
        with store.reading() as session:
            desk = desk_of(session, moment)
            assert season_tasks.of_day(desk, beside.house_of(session), (), ()).walk is None
        moment += timedelta(days=1)
    assert walked == 60
    with store.reading() as session:
        found = rhythm.looks(desk_of(session, moment), beside.house_of(session), (), ())
        assert all(one.due_on > NOW.date() for one in found)


def test_the_rhythm_follows_kind_warmth_and_what_is_expected(store):
    with store.writing() as session:
        since = NOW - timedelta(days=30)
        sill = place_of(session, "Sill", setting="indoor", since=since)
        hot = places.add(
            session,
            places.PlaceCommand("Attic", "", "constant", places.Warmth(29, 29, time(7), time(22))),
            now=since,
        )
        cold = places.add(
            session,
            places.PlaceCommand("Cellar", "", "constant", places.Warmth(9, 9, time(7), time(22))),
            now=since,
        )
        for spot, name in ((sill, "Usual"), (hot, "Hot"), (cold, "Cold")):
            plant_of(session, spot, name, "cactus-succulent", since)
        plant_of(session, sill, "Cabbage", "cabbage-family", since)
        seen(session, WHITE, sill, date(2024, 6, 8), date(2025, 6, 10))
    with store.reading() as session:
        desk = desk_of(session)
        found = rhythm.looks(desk, beside.house_of(session), (), arrivals.ahead(desk))
        every = {one.plant.name: one.every for one in found}
    assert every["Hot"] == 5
    assert every["Cold"] == 14
    assert every["Cabbage"] == 4
    assert every["Usual"] in (7, 10)


def test_a_plant_with_a_case_or_kept_apart_has_its_own_looks(store):
    with store.writing() as session:
        spot = place_of(session, "Sill", setting="indoor")
        ill, apart, _ = (plant_of(session, spot, n, "foliage") for n in ("Ill", "Apart", "Well"))
        found = commands.FindCommand(NOW.date(), "adult", 5, None, "")
        commands.open_case(
            desk_of(session), commands.OpenCommand(ill, MITE, (found,), (), NOW.date(), False)
        )
        quarantine.keep_apart(session, apart, "newcomer", NOW.date(), "", now=NOW)
    with store.reading() as session:
        kept = quarantine.open_quarantines(session)
        names = {
            o.plant.name for o in rhythm.looks(desk_of(session), beside.house_of(session), kept, ())
        }
    assert names == {"Well"}


def test_pots_go_out_after_cold_nights_and_come_in_before_them(store):
    with store.writing() as session:
        bed = place_of(session, source="weather")
        keep_report(session, bed, SimulatedWeather(), NOW)
        place = session.get(Place, bed)
        warmth = year_warmth.of_place(session, place, NOW.date())
        found = doors.of_place(place, warmth, date(2026, 3, 1), date(2027, 2, 28))
    out, back = found
    assert out.out
    assert not back.out
    assert date(2026, 5, 15) < out.on < date(2026, 7, 1)
    assert date(2026, 9, 1) < back.on < date(2026, 11, 1)


def test_a_household_without_a_record_says_that_nothing_is_due(store):
    with store.reading() as session:
        found = year.build(desk_of(session))
    assert found.headline == "Nothing is due."
    assert found.rows == ()
    assert (found.first, found.last) == (date(2026, 3, 1), date(2027, 2, 28))


def _had_last_year(session, plant, pest, on):
    found = commands.FindCommand(on, "adult", 5, None, "")
    command = commands.OpenCommand(plant, pest, (found,), (), on, False)
    case = commands.open_case(desk_of(session, datetime.combine(on, time(9))), command)
    cases.case(session, case).closed_at = datetime.combine(on + timedelta(days=40), time(9))


def test_a_plant_that_was_moved_for_good_takes_its_forecast_along(store):
    with store.writing() as session:
        balcony, sill = place_of(session, "Balcony"), place_of(session, "Sill", setting="indoor")
        plant = plant_of(session, balcony, "Aubergine", "fruiting-vegetable", datetime(2025, 3, 1))
        _had_last_year(session, plant, MITE, date(2025, 7, 1))
        before = {a.place.name for a in arrivals.ahead(desk_of(session))}
        places.stay_since(session, plant, sill, date(2026, 1, 10), NOW)
        session.expire_all()
        desk = desk_of(session)
        after = {a.place.name: a for a in arrivals.ahead(desk)}
        assert (before, set(after)) == ({"Balcony"}, {"Balcony", "Sill"})
        assert not after["Sill"].by_heat
        asked = season_tasks.of_day(desk, beside.house_of(session), (), ()).begin
        assert [(b.arrival.place.name, b.plants[0].name) for b in asked] == [("Sill", "Aubergine")]
        assert [c.place.name for c in journal.build(desk)] == ["Balcony"]
        assert "where it stood then" in year.build(desk, sill).lead


def test_a_plant_that_goes_to_and_fro_is_expected_back(store):
    with store.writing() as session:
        sill, balcony = place_of(session, "Sill", setting="indoor"), place_of(session, "Balcony")
        plant = plant_of(session, sill, "Aubergine", "fruiting-vegetable", datetime(2025, 3, 1))
        places.stay_since(session, plant, balcony, date(2025, 5, 10), NOW)
        _had_last_year(session, plant, MITE, date(2025, 6, 20))
        places.stay_since(session, plant, sill, date(2025, 10, 10), NOW)
        session.expire_all()
        assert {a.place.name for a in arrivals.ahead(desk_of(session))} == {"Balcony"}


def test_a_plant_is_clear_only_within_its_own_rhythm(store):
    with store.writing() as session:
        spot = place_of(session, "Sill", setting="indoor")
        for name, kind in (("Cactus", "cactus-succulent"), ("Fuchsia", "flowering")):
            plant = plant_of(session, spot, name, kind)
            quarantine.looked_over(session, cases.plant(session, plant), "", now=NOW)

    def states(days, rhythm_kept="on"):
        with store.reading() as session:
            prefs = Preferences(rhythm=rhythm_kept)
            desk = Desk(session, CATALOGUE, NOW + timedelta(days=days), prefs)
            found = season_tasks.standings(desk, beside.house_of(session))
            return {s.plant.name: s.state for _, rows in found for s in rows}

    with store.reading() as session:
        looks = rhythm.looks(desk_of(session), beside.house_of(session), (), ())
        every = {one.plant.name: one.every for one in looks}
    for name, days in every.items():
        assert states(days)[name] == "clear"
        assert states(days + 1)[name] == "unseen"
    assert set(states(28, "off").values()) == {"clear"}


def test_a_february_with_sixty_plants_asks_for_nothing_that_is_not_due(store):
    february = datetime(2027, 2, 9, 9)
    with store.writing() as session:
        _sixty(session)
        for plant in beside.house_of(session).here:
            quarantine.looked_over(session, plant, "", now=february - timedelta(days=3))
    with store.reading() as session:
        found = today.build(desk_of(session, february))
    assert (found.headline, found.due, found.put_off) == ("Nothing to do today.", [], [])
    with store.reading() as session:
        later = today.build(desk_of(session, february + timedelta(days=5)))
    assert len(later.due) <= 12
    assert all(task.minutes <= 20 for task in later.due)
