"""A case about which nothing was recorded for longer than a generation: count again,
then a new course.
"""

from dataclasses import fields, replace
from datetime import date, datetime, time, timedelta

import numpy as np
import pytest
from conftest import NOW
from planned import Desk, draw, facts, outlook, settle
from test_following import SPEECH, START, evening, look, open_mite, planned

from brood.core.climate.series import EXPECTED
from brood.errors import LeftAlone, NotFound
from brood.services.cases import case_page, commands, history, plans
from brood.services.cases.commands import FindCommand, MarkCommand
from brood.services.followup import ending, inspections
from brood.services.house import places
from brood.services.house.places import PlaceCommand, Warmth
from brood.services.house.plants import PlantCommand
from brood.services.house.plants import add as add_plant
from brood.services.today import away, today
from brood.services.voice.preferences import Preferences
from brood.services.warmth import logger_files
from brood.services.warmth.simulated_logger import LoggerPlan, csv_text
from brood.store.queries import cases as queries

WARM = Warmth(22, 18, time(7), time(21))


def at(day):
    return datetime.combine(day, NOW.time())


def opened(store, catalogue, case_id, day):
    """The case as its page shows it on a day, brought up to date."""
    settle(store, catalogue, at(day), case_id)
    with store.reading() as session:
        return case_page.build(Desk(session, catalogue, at(day)), case_id)


def items(store, catalogue, day):
    with store.reading() as session:
        result = today.build(Desk(session, catalogue, at(day), Preferences()))
        return result.due, result


@pytest.fixture
def alone(store, catalogue):
    """A case with one evening done, opened again four months later; and that day."""
    _, case_id = open_mite(store, catalogue, START)
    evening(store, catalogue, case_id, START)
    return case_id, START + timedelta(days=122)


def test_after_four_months_the_case_says_count_again_and_has_no_dates(store, catalogue, alone):
    case_id, back = alone
    page = opened(store, catalogue, case_id, back)
    assert page.headline == "Count again first."
    assert SPEECH.day(START) in page.why
    assert "nobody knows how many" in page.why
    assert page.moved == "", "the headline says it"
    assert planned(store, catalogue, case_id, back)[0] == []
    tasks, result = items(store, catalogue, back)
    (task,) = [t for t in tasks if t.row_id == case_id or t.key.endswith(f"-{case_id}")]
    assert task.key == f"recount-{case_id}"
    assert task.text.startswith("Count again")
    assert result.sessions == ()
    with pytest.raises(LeftAlone, match="Count again"):
        facts(store, catalogue, case_id, at(back))


@pytest.mark.parametrize("days", [30, 120, 400])
def test_however_long_it_was_the_page_opens_and_says_the_same(store, catalogue, days):
    _, case_id = open_mite(store, catalogue, START)
    for day in (START + timedelta(days=days), START + timedelta(days=days + 1)):
        assert opened(store, catalogue, case_id, day).headline == "Count again first."
        assert planned(store, catalogue, case_id, day)[0] == []


def test_dates_that_went_by_moved_because_they_were_not_marked_and_not_by_the_warmth(
    store, catalogue
):
    _, case_id = open_mite(store, catalogue, START)
    opened(store, catalogue, case_id, START)
    page = opened(store, catalogue, case_id, START + timedelta(days=6))
    assert page.moved.startswith("An evening was not marked. The next evening is")


def test_a_keeper_who_comes_every_week_is_asked_after_the_evening_and_not_sent_to_count(
    store, catalogue
):
    _, case_id = open_mite(store, catalogue, START)
    evening(store, catalogue, case_id, START)
    day = START + timedelta(days=8)
    page = opened(store, catalogue, case_id, day)
    assert "is not marked" in page.why
    (task,) = [t for t in items(store, catalogue, day)[0] if t.key.startswith("treat")]
    assert task.late.startswith("Planned for")
    assert (day - task.asked_since).days <= 14


def test_forty_counted_after_four_months_are_treated_at_once(store, catalogue, alone):
    case_id, back = alone
    opened(store, catalogue, case_id, back)
    look(store, catalogue, case_id, back, {"adult": 40.0})
    page = opened(store, catalogue, case_id, back)
    assert page.moved.startswith("It was counted again. The first date is")
    dates, row = planned(store, catalogue, case_id, back)
    assert row.course_from == back
    assert dates[0] <= back + timedelta(days=3)
    assert dates[-1] < back + timedelta(days=120)
    assert 40 < sum(f.count for f in page.outlook.found if not f.inferred) < 120, (
        "from the count, and not from what was found in May"
    )
    assert facts(store, catalogue, case_id, at(back)).case.done == (), (
        "what was done in the old course is history"
    )
    assert min(f.on for f in page.outlook.found) == back


@pytest.mark.long
def test_nothing_seen_after_four_months_is_nothing_to_treat_and_no_all_clear_yet(
    store, catalogue, alone
):
    case_id, back = alone
    opened(store, catalogue, case_id, back)
    look(store, catalogue, case_id, back, {})
    page = opened(store, catalogue, case_id, back)
    assert (
        page.headline
        == f"Nothing alive was seen. Look closely again {SPEECH.day(back + timedelta(days=7))}."
    )
    assert opened(store, catalogue, case_id, back + timedelta(days=9)).headline.endswith(
        "again now."
    )
    assert planned(store, catalogue, case_id, back)[0] == []
    over = outlook(store, catalogue, case_id, at(back)).clearing
    assert not over.settled
    assert over.closed >= over.back > back + timedelta(days=7)
    for needed in over.needed:
        look(store, catalogue, case_id, needed.on, {})
    assert outlook(store, catalogue, case_id, at(over.closed)).clearing.settled


def test_a_find_after_a_long_time_begins_a_new_course_too(store, catalogue, alone):
    case_id, back = alone
    with store.writing() as session:
        commands.add_find(
            Desk(session, catalogue, at(back)), case_id, FindCommand(back, "egg", 30.0, None, "")
        )
    page = opened(store, catalogue, case_id, back)
    assert {f.on for f in page.outlook.found} == {back}


def test_a_count_taken_back_makes_it_unknown_again(store, catalogue, alone):
    case_id, back = alone
    opened(store, catalogue, case_id, back)
    kept = look(store, catalogue, case_id, back, {"adult": 4.0})
    for _ in range(2):
        with store.writing() as session:
            inspections.withdraw(Desk(session, catalogue, at(back)), kept)
    assert opened(store, catalogue, case_id, back).headline == "Count again first."
    with store.writing() as session:
        inspections.withdraw(Desk(session, catalogue, at(back)), kept, out=False)
    assert planned(store, catalogue, case_id, back)[0] != []


def test_what_was_done_meanwhile_and_not_marked_can_still_be_said(store, catalogue, alone):
    case_id, back = alone
    page = opened(store, catalogue, case_id, back)
    lately = back - timedelta(days=5)
    with store.writing() as session:
        said = MarkCommand("done", lately)
        commands.mark(Desk(session, catalogue, at(back)), page.meanwhile.id, said)
    page = opened(store, catalogue, case_id, back)
    assert page.headline != "Count again first."
    assert lately in {d.on for d in facts(store, catalogue, case_id, at(back)).case.done}
    with store.reading() as session:
        dropped = next(
            (a.id for a in queries.case(session, case_id).applications if a.status == "dropped"),
            999,
        )
    with store.writing() as session, pytest.raises(NotFound):
        commands.mark(Desk(session, catalogue, at(back)), dropped, MarkCommand("done", lately))


def test_an_evening_that_went_by_stays_the_one_that_is_asked_about(store, catalogue):
    """Evenings that had left the plan and come back stand behind those that are in it."""
    _, case_id = open_mite(store, catalogue, START, young=200.0)
    with store.writing() as session:
        row = queries.case(session, case_id)
        first, second = history.planned(row)[:2]
        first.status, row.planned_facts = "dropped", 0
    opened(store, catalogue, case_id, START)
    day = START + timedelta(days=6)
    opened(store, catalogue, case_id, day)
    with store.reading() as session:
        slots = history.planned(queries.case(session, case_id))
        gone = history.went_by(queries.case(session, case_id))
    assert slots[0].id == gone.id == second.id
    assert next(a for a in slots if a.id == first.id).missed_on is None
    assert [a.target_on for a in slots] == sorted(a.target_on for a in slots)


@pytest.mark.long
def test_a_whole_course_that_was_looked_at_late_is_no_course_left_alone(store, catalogue):
    _, case_id = open_mite(store, catalogue, START)
    while planned(store, catalogue, case_id, START)[0]:
        evening(store, catalogue, case_id, planned(store, catalogue, case_id, START)[0][0])
    day = START + timedelta(days=150)
    page = opened(store, catalogue, case_id, day)
    assert page.headline.startswith("The course is done")
    look(store, catalogue, case_id, day, {})
    assert planned(store, catalogue, case_id, day)[1].course_from is None, (
        "a clean look is one of those that end it"
    )
    look(store, catalogue, case_id, day + timedelta(days=30), {"young": 12.0})
    dates, row = planned(store, catalogue, case_id, day)
    assert row.course_from == day + timedelta(days=30)
    assert dates


# -- what a plan is made from, and what is told of now
# ---------------------------------------------------------------


def changed(value):
    """Another value of the same kind."""
    if isinstance(value, bool):
        return not value
    if isinstance(value, int | float):
        return value + 1
    if isinstance(value, date):
        return value + timedelta(days=1)
    return None


def test_every_field_of_a_case_and_of_its_warmth_changes_what_a_plan_is_known_by(make_case):
    case = make_case()
    case = replace(case, also=(make_case("myzus-persicae", acts=("shower", "insecticidal-soap")),))
    known = case.digest()
    others = {
        "pest": make_case("myzus-persicae").pest,
        "found": case.found[:-1],
        "acts": case.acts[:1],
        "keep_below": 5.0,
        "horizon_days": 50,
        "limits": replace(case.limits, max_applications=3),
        "fixed": make_case().done,
        "also": (),
        "seen_on": case.start,
    }
    for field in fields(case):
        value = getattr(case, field.name)
        if field.name == "series" or (field.name in ("done", "fixed", "promised") and not value):
            continue
        other = others.get(field.name, changed(value))
        assert replace(case, **{field.name: other}).digest() != known, field.name
    series = case.series
    spot, later = (
        replace(series, warm_spot_c=3.0),
        replace(series, start=series.start + timedelta(days=1)),
    )
    cool, origin = (
        replace(series, cool_spot_c=1.0),
        replace(series, origin=np.full(len(series), EXPECTED, dtype=np.uint8)),
    )
    warmer = replace(series, celsius=np.append(series.celsius[:-1], series.celsius[-1] + 0.1))
    for other in (
        spot,
        later,
        cool,
        origin,
        warmer,
        replace(series, spread_c=series.spread_c * 1.01),
    ):
        assert replace(case, series=other).digest() != known
        assert replace(case, also=(replace(case.also[0], series=other),)).digest() != known


def test_the_warmest_spot_changes_the_dates_at_once(store, catalogue):
    from brood.services.house import places
    from brood.store.queries import readings

    _, case_id = open_mite(store, catalogue, START)
    before = planned(store, catalogue, case_id, START)[0]
    with store.writing() as session:
        place = queries.places(session)[0]
        point = readings.set_point(session, place.id)
        warmth = places.Warmth(point.day_c, point.night_c, point.day_from, point.night_from)
        places.change(
            session,
            place.id,
            places.PlaceCommand(place.name, "", "set-points", warmth, warm_spot_c=8.0),
            now=at(START),
        )
    opened(store, catalogue, case_id, START)
    assert planned(store, catalogue, case_id, START)[0] != before


def test_an_evening_that_nobody_marked_has_killed_nothing_yet(store, catalogue):
    _, case_id = open_mite(store, catalogue, START)
    draw(store, catalogue, case_id, at(START))
    alive = {}
    for hour in (10, 20):
        with store.reading() as session:
            page = case_page.build(
                Desk(session, catalogue, datetime.combine(START, NOW.time().replace(hour=hour))),
                case_id,
            )
        alive[hour] = sum(n for *_, n in page.alive)
    assert alive[20] == pytest.approx(alive[10], rel=0.1)
    evening(store, catalogue, case_id, START)
    draw(store, catalogue, case_id, at(START))
    with store.reading() as session:
        page = case_page.build(
            Desk(session, catalogue, datetime.combine(START, NOW.time().replace(hour=20))), case_id
        )
    assert sum(n for *_, n in page.alive) < 0.6 * alive[20]


def test_an_absence_that_was_told_calls_nobody_to_treat(store, catalogue):
    from brood.services.cases.aim import CourseCommand, put

    _, case_id = open_mite(store, catalogue, START)
    evening(store, catalogue, case_id, START)
    first = planned(store, catalogue, case_id, START)[0][0]
    away = (first + timedelta(days=1), first + timedelta(days=9))
    with store.writing() as session:
        said = CourseCommand(None, None, (away,), None, 0.9, None)
        put(Desk(session, catalogue, at(START)), case_id, said)
    for day in (away[0], away[0] + timedelta(days=4)):
        opened(store, catalogue, case_id, day)
        assert not [t for t in items(store, catalogue, day)[0] if t.kind == "treat"]
        assert not any(away[0] <= d <= away[1] for d in planned(store, catalogue, case_id, day)[0])


@pytest.mark.long
def test_a_slip_that_moved_the_end_of_the_course_day_by_day_says_so_when_it_is_marked(
    store, catalogue
):
    _, case_id = open_mite(store, catalogue, START, young=200.0)
    evening(store, catalogue, case_id, START)
    dates = planned(store, catalogue, case_id, START)[0]
    for late in range(1, 8):
        opened(store, catalogue, case_id, dates[0] + timedelta(days=late))
    evening(store, catalogue, case_id, dates[0] + timedelta(days=7))
    after, row = planned(store, catalogue, case_id, START)
    last = max(after, default=dates[0] + timedelta(days=7))
    cost = next(
        plans.change_of(catalogue, row, a, SPEECH)
        for a in row.applications
        for r in a.records
        if r.done_on == dates[0] + timedelta(days=7)
    )
    assert last > dates[-1]
    assert "does not move" not in cost
    assert SPEECH.day(last) in cost


def test_after_care_is_said_once_and_is_over_after_some_days(demo_store, catalogue):
    from brood.services.cases import aftercare
    from brood.services.treatment.evening_page import FinishCommand, finish

    with demo_store.writing() as session:
        finish(Desk(session, catalogue, NOW), 1, FinishCommand(NOW.date(), (), (), {}))
    with demo_store.reading() as session:
        row = queries.case(session, 1)
        texts = [t.text for t in aftercare.open_tasks(row, NOW)]
        assert texts
        assert len(texts) == len(set(texts))
        assert aftercare.open_tasks(row, NOW + timedelta(days=30)) == ()


def test_a_place_that_turns_cold_stops_the_dates_and_warmth_brings_them_back(store, catalogue):

    from brood.services.house import places

    _, case_id = open_mite(store, catalogue, START)
    evening(store, catalogue, case_id, START)

    def put(day, night):
        with store.writing() as session:
            place = queries.places(session)[0]
            warmth = places.Warmth(day, night, time(7), time(21))
            places.change(
                session,
                place.id,
                places.PlaceCommand(place.name, "", "set-points", warmth),
                now=at(START),
            )

    put(6, 5)
    page = opened(store, catalogue, case_id, START + timedelta(days=1))
    assert page.headline == "Nothing to do while nothing develops."
    assert planned(store, catalogue, case_id, START)[0] == []
    assert not [
        t for t in items(store, catalogue, START + timedelta(days=1))[0] if t.kind == "treat"
    ]
    put(22, 18)
    assert opened(store, catalogue, case_id, START + timedelta(days=2)).next is not None
    with store.reading() as session:
        desk = Desk(session, catalogue, at(START + timedelta(days=2)))
        over = ending.of_case(desk, queries.case(session, case_id))
    assert "too cold" not in over.headline


@pytest.mark.parametrize(("source", "alone"), [("diary", True), ("set-points", False)])
def test_a_diary_that_nobody_keeps_says_nothing_of_the_season_that_came(
    store, catalogue, source, alone
):
    """At 9 °C, which the keeper says once and for all, mites take months for a generation.
    Where 9 °C was read off once, ten weeks ago, nobody knows how warm it is: count.
    """
    from brood.services.house import places

    _, case_id = open_mite(store, catalogue, START)
    evening(store, catalogue, case_id, START)
    with store.writing() as session:
        place = queries.places(session)[0]
        warmth = places.Warmth(9.0, 9.0, time(7), time(21))
        told = places.PlaceCommand(place.name, "", source, warmth)
        places.change(session, place.id, told, now=at(START))
        if source == "diary":
            entry = places.DiaryEntry(START, 8.0, 10.0)
            places.keep_diary(session, place.id, [entry], now=at(START))
    opened(store, catalogue, case_id, START + timedelta(days=70))
    with store.reading() as session:
        assert history.is_left_alone(queries.case(session, case_id)) == alone


@pytest.mark.long
def test_a_course_that_looks_have_ended_gets_no_new_dates_from_before_a_silence(store, catalogue):
    _, case_id = open_mite(store, catalogue, START)
    evening(store, catalogue, case_id, START)
    day = START
    while planned(store, catalogue, case_id, day)[0]:
        day += timedelta(days=4)
        evening(store, catalogue, case_id, day)
        look(store, catalogue, case_id, day + timedelta(days=2), {})
        assert day < START + timedelta(days=60)
    back = day + timedelta(days=110)
    assert opened(store, catalogue, case_id, back).headline == "Count again first."
    assert planned(store, catalogue, case_id, back)[0] == []


def test_who_was_away_is_asked_for_readings_that_nobody_but_the_keeper_takes(store, catalogue):
    open_mite(store, catalogue, START)
    file = csv_text(LoggerPlan(at(START - timedelta(days=5)).replace(minute=0), days=5))
    with store.writing() as session:
        for source in ("diary", "logger", "sensor", "a logger without a file"):
            kind = "logger" if source.startswith("a ") else source
            place = places.add(session, PlaceCommand(source, "", kind, WARM), now=at(START))
            add_plant(
                session, PlantCommand(f"Fern, {source}", "foliage", "", place, START), now=at(START)
            )
            if source in ("logger", "sensor"):
                logger_files.take_file(session, place, "a.csv", file.encode(), now=at(START))
            if source == "sensor":
                queries.place(session, place).source = "sensor"
            if source == "diary":
                day = places.DiaryEntry(START, 14.0, 22.0)
                places.keep_diary(session, place, [day], now=at(START))
    with store.reading() as session:
        found = away.build(Desk(session, catalogue, at(START + timedelta(days=30))))
    asked = [one.asks for one in found.things if one.key.startswith("place-")]
    assert asked == ["diary: 30 days without readings.", "logger: 30 days without readings."]
