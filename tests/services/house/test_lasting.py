"""What lasts on a plant, what is cut off it, and rain: kept, shown, asked for, and in the
plan.
"""

from dataclasses import replace
from datetime import date, datetime, time, timedelta

import pytest
from conftest import MITE
from planned import Desk, facts, outlook

from brood.catalogue.loader import shipped
from brood.core.biology.case import Evening
from brood.core.course import planner
from brood.errors import FieldErrors
from brood.services.cases import assemble, commands, history
from brood.services.cases import outlook as working_out
from brood.services.house import events, places, plant_states, plants
from brood.services.house.events import EventCommand
from brood.services.house.plant_states import StateCommand
from brood.services.today import day_tasks, today
from brood.services.treatment import advice, choose
from brood.services.voice import words
from brood.services.voice.speech import Speech
from brood.services.warmth import rain, weather
from brood.store.queries import cases, lasting
from brood.store.tables import Plant

CATALOGUE, SPEECH = shipped(), Speech()
START = date(2026, 6, 1)


def on(days):
    return START + timedelta(days=days)


def at(days, hour=9):
    return datetime.combine(on(days), time(hour))


def stands(store, name, kind, setting="indoor", source="constant", traits=None):
    """A plant at a place of its own: (plant, place)."""
    warm = places.Warmth(20.0, 20.0, time(7), time(22))
    with store.writing() as session:
        command = places.PlaceCommand(f"{name}'s place", "", source, warm, setting=setting)
        where = places.add(session, command, now=at(-30))
        told = (traits,) if traits else ()
        plant = plants.PlantCommand(name, kind, "", where, on(-30), *told)
        return plants.add(session, plant, now=at(-30)), where


def opened(store, plant, pest, acts, *found):
    with store.writing() as session:
        finds = tuple(commands.FindCommand(START, s, n, None, "") for s, n in found)
        chosen = tuple(commands.ActCommand(a, None, None) for a in acts)
        command = commands.OpenCommand(plant, pest, finds, chosen, START, False)
        return commands.open_case(Desk(session, CATALOGUE, at(0)), command)


@pytest.fixture
def mites(store):
    plant, _ = stands(store, "Fuchsia", "flowering")
    found = (("egg", 40.0), ("young", 15.0), ("adult", 6.0))
    return plant, opened(store, plant, MITE, ("wiping", "insecticidal-soap"), *found)


@pytest.fixture
def bed(store):
    plant, place = stands(store, "Kohlrabi", "cabbage-family", "outdoor")
    found = (("egg", 20.0), ("young", 10.0))
    return plant, opened(store, plant, "pieris-rapae", ("wiping", "btk"), *found), place


def begin(store, plant, kind, since, until=None, now=None):
    with store.writing() as session:
        said = StateCommand(kind, since, until)
        plant_states.begin(session, CATALOGUE, plant, said, SPEECH, now=now or at(0))


def due(store, days):
    with store.reading() as session:
        result = today.build(Desk(session, CATALOGUE, at(days)))
        every = [*result.put_off, *result.due]
        return [t for t in every if t.key.startswith("state-")]


def test_a_state_is_looked_after_lengthened_and_ended(store, mites):
    plant, _ = mites
    begin(store, plant, "bare", START)
    assert not due(store, 1)
    asked = due(store, 3)
    assert [t.text for t in asked] == [
        "keep the moss damp and not wet; look at the roots with a lens"
    ]
    state_id = int(asked[0].key.split("-")[1])
    with store.writing() as session:
        plant_states.care(session, state_id, on(3))
    assert not due(store, 4)
    assert due(store, 6)
    last = due(store, 21)
    assert last[0].action == "", "what comes at its end is more than a tick"
    assert "Pot it up" in last[0].text.replace("pot", "Pot")
    with store.writing() as session:
        plant_states.lengthen(session, CATALOGUE, state_id, at(21))
    assert "moss damp" in due(store, 24)[0].text
    for _ in range(2):
        with store.writing() as session:
            plant_states.end(session, state_id, on(25))
    assert not due(store, 30)
    with store.reading() as session:
        (row,) = lasting.of_plant(session, plant)
        assert lasting.last_day(row) == on(25)


def test_a_state_that_ran_out_is_asked_about_for_two_weeks_and_not_for_ever(store, mites):
    begin(store, mites[0], "ants", START, on(10))
    assert due(store, 12)
    assert due(store, 24)
    assert not due(store, 26)


@pytest.mark.parametrize(
    ("kind", "since", "until", "field", "words"),
    [
        ("netting", START, on(-3), "until", "before it begins"),
        ("netting", START, on(300), "until", "Not longer than 200 days"),
        ("netting", on(2), None, "since", "begins today, or began earlier"),
        ("lasso", START, None, "state", "Choose what it is"),
    ],
)
def test_a_state_that_cannot_be_is_refused_in_a_sentence(
    store, mites, kind, since, until, field, words
):
    with pytest.raises(FieldErrors) as refused:
        begin(store, mites[0], kind, since, until)
    assert words in refused.value.by_field[field]


def test_the_same_state_twice_is_one(store, mites):
    begin(store, mites[0], "repellent", START, on(14))
    begin(store, mites[0], "repellent", START, on(20))
    with store.reading() as session:
        assert [r.until_on for r in lasting.of_plant(session, mites[0])] == [on(20)]


@pytest.mark.long
def test_a_state_reaches_the_plan_and_its_end_does_too(store, mites):
    plant, case_id = mites
    with store.writing() as session:
        commands_put(session, case_id, ("wiping", "alcohol-spray"))
    before = outlook(store, CATALOGUE, case_id, at(0))
    assert any("alcohol-spray" in a.acts for a in before.plan.applications)
    begin(store, plant, "bare", START, on(40))
    during = outlook(store, CATALOGUE, case_id, at(0, 10))
    assert not any(
        "alcohol-spray" in a.acts for a in during.plan.applications if a.target <= on(40)
    )
    with store.writing() as session:
        plant_states.end(session, lasting.of_plant(session, plant)[0].id, on(1))
    after = outlook(store, CATALOGUE, case_id, at(1))
    assert any("alcohol-spray" in a.acts for a in after.plan.applications)


def commands_put(session, case_id, acts):
    from brood.services.treatment import choose

    said = tuple(commands.ActCommand(a, None, None) for a in acts)
    choose.put(Desk(session, CATALOGUE, at(0)), case_id, said, test_patch=False)


def cut(store, plant, leaves, of_leaves, *, sure=False):
    with store.writing() as session:
        said = EventCommand("cut", START, "", leaves, of_leaves, sure=sure)
        events.befell(session, CATALOGUE, plant, said, now=at(0, 12))


def test_cutting_asks_twice_above_a_third_unless_the_plant_comes_from_the_root(store, mites):
    plant, _ = mites
    for leaves, of_leaves, field in ((30, 20, "leaves"), (None, 20, "leaves"), (12, 18, "sure")):
        with pytest.raises(FieldErrors) as refused:
            cut(store, plant, leaves, of_leaves)
        assert set(refused.value.by_field) == {field}
    with store.reading() as session:
        assert not events.of_plant(session, plant), "nothing is half kept"
    cut(store, plant, 12, 18, sure=True)
    with store.writing() as session:
        session.get(Plant, plant).marks = ["from-root"]
    cut(store, plant, 17, 18)
    with store.reading() as session:
        assert {(e.leaves, e.of_leaves) for e in events.of_plant(session, plant)} == {
            (12, 18),
            (17, 18),
        }


@pytest.mark.long
def test_cutting_and_repotting_change_numbers_dates_and_chance(store, mites):
    plant, case_id = mites
    whole = outlook(store, CATALOGUE, case_id, at(0))
    cut(store, plant, 6, 18)
    less = outlook(store, CATALOGUE, case_id, at(0, 13))
    dates = [[a.target for a in o.plan.applications] for o in (whole, less)]
    assert dates[0] != dates[1] or less.plan.chance > whole.plan.chance
    assert less.outcome.survivors < whole.outcome.survivors
    case = facts(store, CATALOGUE, case_id, at(0, 13)).case
    assert [a.id for a in case.past] == ["cut-1"]
    assert case.evenings_done == ()
    with store.writing() as session:
        events.take_back(session, events.of_plant(session, plant)[0].id, now=at(0, 14))
    assert facts(store, CATALOGUE, case_id, at(0, 14)).case.past == ()
    gnats, _ = stands(store, "Basil", "seedling-herb")
    gnat_case = opened(store, gnats, "bradysia", ("bti-drench",), ("young", 30.0), ("adult", 5.0))
    with store.writing() as session:
        events.befell(session, CATALOGUE, gnats, EventCommand("repotted", START), now=at(0, 12))
    repotted = facts(store, CATALOGUE, gnat_case, at(0, 13)).case
    assert [a.id for a in repotted.past] == ["repotting"]


@pytest.mark.long
def test_rain_comes_from_one_tap_the_diary_or_the_weather_and_only_outdoors(store, bed, mites):
    _, case_id, place = bed
    with store.writing() as session:
        rain.tell(session, place, on(3), 15.0, "tap", now=at(3, 20))
        rain.tell(session, place, on(3), 15.0, "tap", now=at(3, 20))
        rain.tell(session, place, on(2), 4.0, "diary", now=at(3, 20))
    case = facts(store, CATALOGUE, case_id, at(3, 21)).case
    assert [(r.on, r.mm, r.hour) for r in case.rain] == [(on(2), 4.0, None), (on(3), 15.0, 20)]
    with store.writing() as session:
        rain.forget(session, place, on(2), now=at(3, 21))
        for mm, day, words in ((-3.0, 3, "cannot be"), (900.0, 3, "give 0"), (5.0, 9, "come")):
            with pytest.raises(FieldErrors, match=words):
                rain.tell(session, place, on(day), mm, "diary", now=at(3, 21))
        assert rain.since(session, cases.place(session, place), on(1), on(4)) == 15.0
        indoors = cases.plant(session, mites[0]).stays[-1].place
        rain.tell(session, indoors.id, on(3), 15.0, "tap", now=at(3, 20))
        assert rain.rain_of(session, indoors, START, on(9)) == ()


def test_the_stand_in_weather_rains_and_a_keepers_word_comes_first(store):
    _, place = stands(store, "Pak choi", "cabbage-family", "outdoor", "weather")
    service = weather.SimulatedWeather(as_if_month=6, today=START)
    days = service.days(START)
    wet = [d for d in days if d.rain_mm > 0]
    assert 10 <= len(wet) <= 40
    assert all((d.rain_hour is None) == (d.rain_mm == 0) for d in days)
    assert days == service.days(START), "the same seed, the same rain"
    with store.writing() as session:
        weather.refresh(session, service, at(0))
        known = rain.rain_of(session, cases.place(session, place), on(-60), on(9))
        assert {r.on.isoformat(): r.mm for r in known} == {d.on: d.rain_mm for d in days}
        rain.tell(session, place, on(-1), 0.0, "diary", now=at(0))
        assert rain.rain_of(session, cases.place(session, place), on(-1), on(-1))[0].mm == 0.0


@pytest.mark.long
def test_heavy_rain_moves_a_date_with_a_sentence_why(store, bed):
    _, case_id, place = bed
    outlook(store, CATALOGUE, case_id, at(0))
    with store.writing() as session:
        row = cases.case(session, case_id)
        slot = history.planned(row)[0]
        desk = Desk(session, CATALOGUE, at(0, 20))
        said = commands.MarkCommand("done", START, acts=("btk",))
        commands.mark(desk, slot.id, said)
        rain.tell(session, place, START, 0.0, "diary", now=at(0, 20))
    before = outlook(store, CATALOGUE, case_id, at(1))
    with store.writing() as session:
        rain.tell(session, place, on(2), 18.0, "diary", now=at(3))
    after = outlook(store, CATALOGUE, case_id, at(3))
    assert after.plan.applications[0].target < before.plan.applications[0].target
    with store.reading() as session:
        change = cases.case(session, case_id).changes[-1]
        said = words.moved(change.parts, change.before, change.after, START, SPEECH)
    assert said.startswith(
        "The rain changed: 18 mm of rain since the last evening, with what is forecast."
    )


def test_every_verdict_on_a_plant_can_be_reached(store, mites):
    with store.reading() as session:
        row = cases.case(session, mites[1])

        def verdict(
            chance, minutes=60.0, dates=4, neighbours=2, affected=None, hard=None, **traits
        ):
            for key, value in traits.items():
                setattr(row.plant, key, value)
            now = advice.Weighed(chance, dates, minutes, chance >= 0.95)
            return advice.triage(row, now, 2, affected, hard)

        easy = advice.Weighed(0.97, 2, 40.0, reaches=True)
        assert verdict(0.96).verdict == "Worth treating."
        assert "Cut it back hard" in verdict(0.96, affected=0.8).verdict
        grown = verdict(0.96, dates=9, hard=easy, marks=["from-root"])
        assert "Cut it back hard" in grown.verdict
        assert any("Cut back to a third" in why for why in grown.reasons)
        row.plant.marks = []
        assert "cuttings as insurance" in verdict(0.6, worth="dear").verdict
        assert "Throw it away" in verdict(0.3, worth="easy").verdict
        assert "costs less" in verdict(0.96, minutes=400.0, worth="easy").verdict
        session.rollback()


def test_minutes_and_mix_follow_the_size_of_the_plant_and_a_tree_is_not_dipped(store, mites):
    from brood.services.cases import effort
    from brood.services.treatment.choose import setting_of
    from brood.services.treatment.permitted import offer

    with store.writing() as session:
        row = cases.case(session, mites[1])
        taken = {}
        for size in ("", "small", "floor", "tree"):
            row.plant.size = size
            taken[size] = (
                effort.evening(CATALOGUE, row, ("wiping",)),
                effort.mix_ml(CATALOGUE, row.plant, "insecticidal-soap"),
                effort.mix_ml(CATALOGUE, row.plant, "soap-dip"),
                offer(CATALOGUE, "soap-dip", setting_of(session, row.plant, today=START)).allowed,
            )
        assert taken[""] == (25.0, 100.0, 5000.0, True)
        assert taken["small"] == (15.0, 30.0, 2000.0, True)
        assert taken["floor"] == (62.5, 350.0, 10_000.0, False)
        assert taken["tree"] == (100.0, 1000.0, 10_000.0, False)
        refused = offer(CATALOGUE, "soap-dip", setting_of(session, row.plant, today=START)).refused
        assert "too big" in refused[0]


def test_what_lasts_is_one_line_of_the_day(store, mites):
    begin(store, mites[0], "dry-surface", START)
    with store.reading() as session:
        desk = Desk(session, CATALOGUE, at(4))
        (line,) = plant_states.standing(session, CATALOGUE, desk.today)
        task = day_tasks._lasting(line, SPEECH)
    assert task.minutes == 2
    assert task.action.endswith("/care")


@pytest.mark.long
def test_choosing_a_dry_surface_begins_it_and_leaving_it_out_ends_it(store):
    plant, _ = stands(store, "Basil", "herb")
    case = opened(store, plant, "bradysia", ("bti-drench",), ("larva", 40.0))

    def choose_acts(day, *acts):
        with store.writing() as session:
            chosen = tuple(commands.ActCommand(a, None, None) for a in acts)
            choose.put(Desk(session, CATALOGUE, at(day)), case, chosen, test_patch=False)

    def on_record():
        with store.reading() as session:
            rows = lasting.of_plant(session, plant)
            return [(r.kind, r.since_on, r.ended_on) for r in rows]

    choose_acts(3, "bti-drench", "soil-drying")
    choose_acts(5, "bti-drench", "soil-drying", "sticky-cards")
    assert on_record() == [("dry-surface", on(3), None)]
    assert due(store, 7), "nobody asks whether the surface is dry"
    with store.reading() as session:
        desk = Desk(session, CATALOGUE, at(7))
        found = assemble.as_found(desk, cases.case(session, case), on(7))
    assert "soil-drying" not in {a.id for a in found.acts}
    assert [e.on for e in found.done if "soil-drying" in e.acts] == [on(3)]
    choose_acts(9, "bti-drench")
    assert on_record() == [("dry-surface", on(3), on(9))]


def test_leaving_an_act_out_ends_the_state_that_it_keeps_up_and_no_other(store, mites):
    plant, _ = mites
    begin(store, plant, "dry-surface", START)

    def ended_by(day, **choice):
        with store.writing() as session:
            plant_states.follow_choice(session, CATALOGUE, plant, now=at(day), **choice)
            return [(r.kind, r.ended_on) for r in lasting.of_plant(session, plant)]

    assert ended_by(2, chosen=[], dropped=["wiping"]) == [("dry-surface", None)]
    assert ended_by(3, chosen=["soil-drying"]) == [("dry-surface", None)], "it stands already"
    for day in (4, 5):
        assert ended_by(day, chosen=[], dropped=["soil-drying"]) == [("dry-surface", on(4))]


def test_dates_that_a_state_has_made_impossible_do_not_stand(store, mites):
    _, case_id = mites
    with store.reading() as session:
        desk = Desk(session, CATALOGUE, at(1))
        case = assemble.facts_of(desk, cases.case(session, case_id)).case
    soap = next(a.id for a in case.acts if a.id != "wiping")
    shut = (case.start, case.start + timedelta(days=20))
    closed = replace(
        case, acts=tuple(replace(a, not_on=(shut,)) if a.id == soap else a for a in case.acts)
    )
    held = (Evening(case.start + timedelta(days=2), (soap,)),)
    for one, stands_still in ((case, True), (closed, False)):
        problem = planner.problem_of(one)
        plan = planner.plan(problem)
        assert len(plan.applications) > len(held)
        found = working_out._no_longer(problem, plan, held)[1]
        assert (len(found.applications) == len(held)) is stands_still
