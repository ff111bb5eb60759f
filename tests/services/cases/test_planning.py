"""Facts come first and plans follow: what reaches a plan, what keeps it, what is said."""

from dataclasses import replace
from datetime import date, datetime, time, timedelta

import numpy as np
import pytest
from conftest import MITE, NOW
from planned import Desk, draw, outlook, planning_of, settle
from test_cases import SPEECH, TODAY, Keeper

from brood.core.biology.digest import digest_of
from brood.services.cases import assemble, case_page, commands, history, planning, plans, trial
from brood.services.cases.aim import CourseCommand
from brood.services.cases.aim import put as put_course
from brood.services.followup import inspections
from brood.services.guide import own_figures
from brood.services.house import events, places, plants
from brood.services.today import today
from brood.services.voice import preferences, words
from brood.services.voice.speech import Speech
from brood.services.warmth import logger_files
from brood.store import kept
from brood.store.queries import cases as queries
from brood.store.queries import readings
from brood.store.states import EveningState


@pytest.fixture
def keeper(store, catalogue):
    one = Keeper(store, catalogue)
    one.opens()
    return one


def row_of(keeper):
    with keeper.store.reading() as session:
        return queries.case(session, keeper.case)


def warmth(day, night, **more):
    given = places.Warmth(day, night, time(7), time(21))
    return places.PlaceCommand("Kitchen sill", "", "set-points", given, **more)


def slot(session, keeper):
    return history.planned(queries.case(session, keeper.case))[0]


CHANGES = {
    "a find": lambda s, k, d: commands.add_find(
        d, k.case, commands.FindCommand(TODAY, "adult", 2.0, None, "")
    ),
    "a find corrected": lambda s, k, d: commands.correct_find(
        d, queries.case(s, k.case).findings[0].id, None
    ),
    "an evening": lambda s, k, d: commands.mark(
        d, slot(s, k).id, commands.MarkCommand("done", TODAY)
    ),
    "a look": lambda s, k, d: inspections.record(d, k.case, inspections.InspectCommand(TODAY, ())),
    "a card": lambda s, k, d: inspections.hang(d, k.case, "yellow", TODAY),
    "a further plant": lambda s, k, d: commands.join(d, k.case, _other(s, k)),
    "the course": lambda s, k, d: put_course(
        d, k.case, CourseCommand(None, None, (), None, 0.8, None)
    ),
    "what nothing reaches": lambda s, k, d: put_course(
        d, k.case, CourseCommand(None, None, (), None, 0.9, 0.08)
    ),
    "own dates": lambda s, k, d: trial.keep(d, k.case, [TODAY + timedelta(days=1)]),
    "the warmest spot": lambda s, k, d: places.change(
        s, 1, warmth(21.0, 21.0, warm_spot_c=4.0), now=k.now
    ),
    "the set points": lambda s, k, d: places.change(s, 1, warmth(25.0, 20.0), now=k.now),
    "a diary": lambda s, k, d: places.keep_diary(
        s, 1, [places.DiaryEntry(TODAY, 15.0, 22.0)], now=k.now
    ),
    "a logger's file": lambda s, k, d: logger_files.take_file(
        s, 1, "x.csv", b"time,temp\n2026-06-01 00:00,20\n2026-06-02 00:00,21\n", now=k.now
    ),
    "a move": lambda s, k, d: places.stay_since(
        s, k.plant, places.add(s, replace(warmth(15.0, 15.0), name="Hall"), now=k.now), TODAY, k.now
    ),
    "repotting": lambda s, k, d: events.befell(
        s, d.catalogue, k.plant, events.EventCommand("repotted", TODAY), now=k.now
    ),
    "an own figure": lambda s, k, d: own_figures.keep(
        s, d.catalogue, MITE, "stage.egg.k_dd", 70.0, "counted", now=k.now
    ),
    "the months of heating": lambda s, k, d: preferences.put(s, "heating_from", "5"),
}
NOT_FACTS = {
    "a plant's note": lambda s, k, d: plants.change(
        s,
        k.plant,
        plants.PlantCommand("Coffee plant", "foliage", "a note", 1, TODAY - timedelta(days=30)),
        now=k.now,
    ),
    "a place's note": lambda s, k, d: places.change(
        s, 1, replace(warmth(21.0, 21.0), note="sunny"), now=k.now
    ),
    "the theme": lambda s, k, d: preferences.put(s, "theme", "dark"),
    "where it came from": lambda s, k, d: commands.came_from(d, k.case, "newcomer", ""),
    "closing": lambda s, k, d: commands.close(d, k.case, closed=True),
}


def _other(session, keeper):
    return plants.add(
        session,
        plants.PlantCommand("Fig", "foliage", "", 1, TODAY - timedelta(days=9)),
        now=keeper.now,
    )


@pytest.mark.parametrize("what", CHANGES)
def test_whatever_a_plan_depends_on_raises_the_version_of_its_facts(keeper, what):
    keeper.store.when_facts_change.clear()
    before = row_of(keeper).facts
    with keeper.store.writing() as session:
        CHANGES[what](session, keeper, Desk(session, keeper.catalogue, keeper.now))
    row = row_of(keeper)
    assert row.facts > before
    assert history.plan_is_due(row, TODAY)


@pytest.mark.parametrize("what", NOT_FACTS)
def test_what_no_plan_depends_on_leaves_it_alone(keeper, what):
    with keeper.store.writing() as session:
        preferences.save(session, preferences.Preferences())
    settle(keeper.store, keeper.catalogue, keeper.now, keeper.case)
    before = row_of(keeper)
    with keeper.store.writing() as session:
        NOT_FACTS[what](session, keeper, Desk(session, keeper.catalogue, keeper.now))
    row = row_of(keeper)
    assert row.outlook_key == before.outlook_key
    assert not history.plan_is_due(row, TODAY)


def test_midnight_changes_nothing_before_a_date_passes_unmarked(keeper):
    keeper.marks(1)
    settle(keeper.store, keeper.catalogue, keeper.now, keeper.case)
    row = row_of(keeper)
    first = history.planned(row)[0].target_on
    for day in range((first - TODAY).days + 1):
        assert not history.plan_is_due(row, TODAY + timedelta(days=day))
    assert history.plan_is_due(row, first + timedelta(days=1))
    assert planning_of(keeper.store).due() == []


def test_a_fact_that_comes_while_it_is_planned_is_not_lost(keeper, monkeypatch):
    keeper.store.when_facts_change.clear()
    asked = []

    def meanwhile(facts, record, **more):
        if not asked:
            asked.append(1)
            with keeper.store.writing() as session:
                CHANGES["a find"](session, keeper, Desk(session, keeper.catalogue, keeper.now))
        return work_out(facts, record, **more)

    work_out = planning.outlook.work_out
    monkeypatch.setattr(planning.outlook, "work_out", meanwhile)
    with keeper.store.writing() as session:
        CHANGES["a look"](session, keeper, Desk(session, keeper.catalogue, keeper.now))
    settle(keeper.store, keeper.catalogue, keeper.now, keeper.case)
    row = row_of(keeper)
    assert row.planned_facts == row.facts
    found = outlook(keeper.store, keeper.catalogue, keeper.case, keeper.now)
    assert sum(f.stage == "adult" and not f.inferred for f in found.found) == 2


def test_a_case_that_cannot_be_planned_for_a_fault_of_ours_holds_up_no_other(keeper, monkeypatch):
    monkeypatch.setattr(planning.outlook, "work_out", lambda *_, **__: 1 / 0)
    with keeper.store.writing() as session:
        session.execute(queries.PestCase.__table__.update().values(planned_facts=0))
    plan = planning_of(keeper.store)
    assert plan.due() == [keeper.case]
    plan.settle_all()
    assert plan.due() == [], "it is tried again when its facts change"
    with keeper.store.writing() as session:
        session.execute(queries.PestCase.__table__.update().values(facts=99))
    assert plan.due() == [keeper.case]


def test_a_plant_that_was_moved_has_other_dates_for_the_warmth_and_not_for_what_was_found(keeper):
    def moves(session, celsius):
        place = places.add(
            session, replace(warmth(celsius, celsius), name=f"Hall {celsius}"), now=keeper.now
        )
        places.stay_since(session, keeper.plant, place, TODAY, keeper.now)

    young = commands.FindCommand(TODAY, "young", 20.0, None, "")
    with keeper.store.writing() as session:
        commands.add_find(Desk(session, keeper.catalogue, keeper.now), keeper.case, young)
    settle(keeper.store, keeper.catalogue, keeper.now, keeper.case)
    with keeper.store.writing() as session:
        moves(session, 15.0)
    settle(keeper.store, keeper.catalogue, keeper.now, keeper.case)
    assert keeper.sees().moved.startswith("The warmth where it stands changed: about 15")
    with keeper.store.writing() as session:
        moves(session, 6.0)
    keeper.now += timedelta(days=1)
    settle(keeper.store, keeper.catalogue, keeper.now, keeper.case)
    page = keeper.sees()
    assert page.headline == "Nothing to do while nothing develops."
    assert "lay every day" not in page.why
    with keeper.store.reading() as session:
        row = queries.case(session, keeper.case)
        change = row.changes[-1]
        said = words.moved(change.parts, change.before, change.after, TODAY, SPEECH)
        looks = today.build(Desk(session, keeper.catalogue, keeper.now, preferences.Preferences()))
    assert said.startswith("The warmth where it stands changed: about 6 °C expected, 15 °C before")
    assert looks.waiting == 1
    texts = [t.text for _, lines in looks.coming for line in lines for t in line.tasks]
    assert texts
    assert not any("course is done" in text for text in texts)


def test_why_dates_moved_is_said_in_the_readers_degrees(keeper):
    with keeper.store.writing() as session:
        places.change(session, 1, warmth(29.0, 26.0), now=keeper.now)
    settle(keeper.store, keeper.catalogue, keeper.now, keeper.case)
    page = keeper.sees()
    assert page.moved.startswith("The warmth where it stands changed: about 2")
    assert "°C expected, 21 °C before" in page.moved
    with keeper.store.reading() as session:
        us = Desk(
            session, keeper.catalogue, keeper.now, preferences.Preferences(unit="F", locale="en-US")
        )
        shown = case_page.build(us, keeper.case)
    assert "°F expected, 70 °F before" in shown.moved
    assert all("°C" not in e.why for e in shown.evenings)
    assert any("°F" in e.why for e in shown.evenings)


def test_what_a_late_evening_has_changed_follows_the_units(keeper):
    keeper.marks(1)
    with keeper.store.reading() as session:
        second = history.planned(queries.case(session, keeper.case))[0]
    keeper.now = datetime.combine(second.latest_on + timedelta(days=2), time(20))
    keeper.marks(2)
    row = row_of(keeper)
    late = next(a for a in row.applications if a.status == "late")
    here, us = (
        plans.change_of(keeper.catalogue, row, late, s) for s in (SPEECH, Speech("en-US", "F"))
    )
    assert "after the end of its window" in here
    assert SPEECH.day(keeper.now) in here
    assert Speech("en-US").day(keeper.now) in us


def test_what_is_kept_comes_back_as_it_was_and_nothing_else_is_read(keeper):
    found = outlook(keeper.store, keeper.catalogue, keeper.case, keeper.now)
    assert kept.unpacked(kept.packed(found)) == found
    draw(keeper.store, keeper.catalogue, keeper.case, keeper.now)
    with keeper.store.reading() as session:
        row = queries.case(session, keeper.case)
        _, chart, _ = plans.with_chart(Desk(session, keeper.catalogue, keeper.now), row)
    back = kept.unpacked(kept.packed(chart))
    assert digest_of(back.series) == digest_of(chart.series)
    assert all(
        np.array_equal(a.numbers, b.numbers) for a, b in zip(back.bands, chart.bands, strict=True)
    )
    assert back.strokes == chart.strokes
    with pytest.raises(TypeError):
        kept.packed(keeper)
    with keeper.store.writing() as session:
        kept.put(session, "odd", "x", b"nonsense", NOW)
        assert kept.get(session, "odd") is None


def test_a_closed_case_is_worked_out_in_brief_until_somebody_looks(keeper):
    with keeper.store.writing() as session:
        commands.close(Desk(session, keeper.catalogue, keeper.now), keeper.case, closed=True)
        queries.case(session, keeper.case).planned_facts = 0
    plan = planning_of(keeper.store, kind=planning.Planning)
    assert plan.due(closed=False) == []
    plan.settle_all(closed=True)
    with keeper.store.reading() as session:
        row = queries.case(session, keeper.case)
        brief, chart, _ = plans.with_chart(Desk(session, keeper.catalogue, keeper.now), row)
    assert brief.brief
    assert chart is None
    plan.settle(keeper.case, looked_at=True)
    with keeper.store.reading() as session:
        row = queries.case(session, keeper.case)
        whole, chart, _ = plans.with_chart(Desk(session, keeper.catalogue, keeper.now), row)
    assert not whole.brief
    assert chart is not None


def test_readings_count_once_their_day_is_over(keeper):
    with keeper.store.writing() as session:
        place = queries.places(session)[0]
        place.source = "sensor"
        for hour in range(24 * 3):
            at = datetime.combine(TODAY, time()) - timedelta(days=2) + timedelta(hours=hour)
            if at < keeper.now:
                session.add(_reading(place.id, at, 21.0))
    settle(keeper.store, keeper.catalogue, keeper.now, keeper.case)
    before = row_of(keeper)
    assert before.good_until == TODAY
    keeper.store.when_facts_change.clear()
    with keeper.store.writing() as session:
        session.add(_reading(1, keeper.now, 35.0))
    after = row_of(keeper)
    assert after.facts == before.facts
    with keeper.store.reading() as session:
        desk = Desk(session, keeper.catalogue, keeper.now)
        facts = assemble.facts_of(desk, queries.case(session, keeper.case), TODAY)
        assert plans.key_of(after, facts.digest()) == after.outlook_key
        assert readings.bounds(session, 1)[2] > 0
    assert history.plan_is_due(after, TODAY + timedelta(days=1))


def _reading(place_id, at, celsius):
    from brood.store.place_tables import Reading

    return Reading(place_id=place_id, at=at, celsius=celsius, recorded_at=at)


def test_a_digest_takes_no_kind_that_it_does_not_know_and_no_order_where_there_is_none():
    assert digest_of({"b": 1, "a": 2}) == digest_of({"a": 2, "b": 1})
    assert digest_of({1, 2, 3}) == digest_of({3, 2, 1})
    assert digest_of((1, 2)) != digest_of((2, 1))
    assert digest_of((1, (2, 3))) != digest_of((1, 2, 3))
    assert len({digest_of(v) for v in (1, 1.0, True, "1", None, date(2026, 1, 1))}) == 6
    with pytest.raises(TypeError):
        digest_of(object())


def test_an_evening_that_went_by_is_asked_about_for_two_weeks_and_no_longer(keeper):
    keeper.marks(1)
    settle(keeper.store, keeper.catalogue, keeper.now, keeper.case)
    missed = history.planned(row_of(keeper))[0].target_on
    away = ((missed + timedelta(days=2), missed + timedelta(days=21)),)
    put = CourseCommand(None, None, away, None, 0.9, None)
    with keeper.store.writing() as session:
        put_course(Desk(session, keeper.catalogue, keeper.now), keeper.case, put)
    for after, asked in ((1, True), (14, True), (15, False), (17, False)):
        keeper.now = datetime.combine(missed + timedelta(days=after), time(9))
        settle(keeper.store, keeper.catalogue, keeper.now, keeper.case)
        row = row_of(keeper)
        if not history.is_left_alone(row):
            assert (history.went_by(row) is not None) == asked, after
            if not asked and (first := history.planned(row)[:1]):
                assert first[0].missed_on is None, "it can be missed anew"


def test_an_evening_that_was_taken_back_comes_again_as_one_that_nobody_missed(keeper):
    keeper.marks(1)
    settle(keeper.store, keeper.catalogue, keeper.now, keeper.case)
    first = history.planned(row_of(keeper))[0]
    keeper.now = datetime.combine(first.target_on + timedelta(days=1), time(9))
    settle(keeper.store, keeper.catalogue, keeper.now, keeper.case)
    gone_by = history.went_by(row_of(keeper))
    assert gone_by is not None
    assert gone_by.missed_on == first.target_on
    with keeper.store.writing() as session:
        row = queries.case(session, keeper.case)
        for one in history.planned(row):
            one.status = EveningState.DROPPED
        row.planned_facts = 0
    settle(keeper.store, keeper.catalogue, keeper.now, keeper.case)
    again = history.planned(row_of(keeper))
    assert again[0].id == gone_by.id
    assert [one.missed_on for one in again] == [None] * len(again)
    assert history.went_by(row_of(keeper)) is None
