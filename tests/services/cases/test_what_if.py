"""Other evenings for a recorded case, its chance, what would help, and every assumption
with its ends.
"""

from dataclasses import replace
from datetime import timedelta

import pytest
from conftest import MITE, NOW
from planned import Desk
from remembered import plan_afresh
from test_cases import SPEECH, TODAY, Keeper

from brood.catalogue.loader import shipped
from brood.core.biology.case import Evening
from brood.core.course import planner
from brood.core.course.improvements import Improvement
from brood.core.course.outcome import outcomes
from brood.core.course.planner import problem_of
from brood.errors import FieldErrors, NothingDevelops
from brood.services.cases import assumptions, case_page, plans, trial
from brood.services.guide import rehearsal
from brood.services.treatment import chance_page
from brood.services.voice import changes
from brood.store.queries import cases as queries


@pytest.fixture
def keeper(store, catalogue):
    one = Keeper(store, catalogue)
    one.opens()
    return one


def held(keeper):
    with keeper.store.reading() as session:
        row = queries.case(session, keeper.case)
        return plans.standing_plan(Desk(session, keeper.catalogue, keeper.now), row)


def tried(keeper, dates="", **more):
    with keeper.store.reading() as session:
        return trial.tried(
            Desk(session, keeper.catalogue, NOW), queries.case(session, keeper.case), dates, **more
        )


def text(days):
    return ",".join(day.isoformat() for day in days)


def planned_days(keeper):
    return [a.target for a in held(keeper).plan.applications]


def test_the_planned_dates_tried_are_the_plan_itself(keeper):
    same = tried(keeper)
    assert not same.differs
    assert same.tried == same.planned
    assert same.said == "These are the planned dates."
    assert same.allowed


def test_a_gap_torn_open_costs_and_a_step_inside_the_window_next_to_nothing(keeper):
    days = planned_days(keeper)
    latest = held(keeper).plan.applications[1].latest
    by = (latest - days[1]).days
    inside = tried(keeper, text([days[0], *(d + timedelta(days=by) for d in days[1:])]))
    torn = tried(keeper, text([days[0], *(d + timedelta(days=9) for d in days[1:])]))
    assert min(0.95, inside.planned.in_90) - inside.tried.in_90 <= 0.0201
    assert torn.planned.in_90 - torn.tried.in_90 > 0.05
    assert torn.tried.first_escape is not None
    assert torn.said == f"{len(days) - 1} evenings 9 days later."


def test_the_chart_shows_where_the_evenings_stood(keeper):
    days = planned_days(keeper)
    moved = tried(keeper, text([days[0], *(d + timedelta(days=2) for d in days[1:])]), chart=True)
    was = [s.was.date() for s in moved.chart.strokes if s.was]
    assert was == days[1:]
    assert [s.at.date() for s in moved.chart.strokes][1:] == [
        d + timedelta(days=2) for d in days[1:]
    ]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda days: text(days[:-1]), "give a date for each"),
        (lambda days: text(days[:-1]) + ",soon", "no day of the calendar"),
        (lambda days: text([days[0], days[0], *days[2:]]), "same day"),
        (lambda days: text([days[0] - timedelta(days=30), *days[1:]]), "from today"),
        (lambda days: text([*days[:-1], days[-1] + timedelta(days=3000)]), "from today"),
    ],
)
def test_impossible_dates_are_refused_and_nothing_is_kept(keeper, change, words):
    days = planned_days(keeper)
    with pytest.raises(FieldErrors, match=words):
        tried(keeper, change(days))
    assert planned_days(keeper) == days


def test_own_dates_stay_through_a_mark_and_go_when_put_back(keeper):
    days = planned_days(keeper)
    own = [days[0], *(d + timedelta(days=1) for d in days[1:])]
    with keeper.store.writing() as session:
        trial.keep(Desk(session, keeper.catalogue, NOW), keeper.case, own)
    assert [s[3] for s in keeper.slots()] == own
    keeper.marks(1)
    assert [s[3] for s in keeper.slots() if s[2] == "planned"] == own[1:]
    keeper.waits(1)
    assert [s[3] for s in keeper.slots() if s[2] == "planned"] == own[1:]
    with keeper.store.writing() as session:
        trial.keep(Desk(session, keeper.catalogue, keeper.now), keeper.case, [])
    assert [s[3] for s in keeper.slots() if s[2] == "planned"] != own[1:]


@pytest.mark.parametrize("way", ["early", "skipped"])
def test_an_own_date_is_used_up_by_its_evening_however_it_ended(keeper, way):
    days = [d + timedelta(days=1) for d in planned_days(keeper)]
    with keeper.store.writing() as session:
        trial.keep(Desk(session, keeper.catalogue, NOW), keeper.case, days)
    keeper.marks(1, "done" if way == "early" else "skipped")
    assert [s[3] for s in keeper.slots() if s[2] == "planned"] == days[1:]


def test_a_mark_on_time_keeps_the_promised_dates(keeper):
    before = [s[3] for s in keeper.slots()]
    keeper.marks(1)
    assert [s[3] for s in keeper.slots()] == before


def test_the_chance_page_has_one_course_for_each_rule_and_the_plan(keeper):
    with keeper.store.reading() as session:
        row = queries.case(session, keeper.case)
        found = chance_page.of_case(Desk(session, keeper.catalogue, NOW), row)
    assert len(found.courses) == len(found.rules) + 1 == 10
    assert found.reaches
    assert found.changes == ()
    assert [len(row) for row in found.scenarios] == [3, 3, 3]
    four = next(
        c
        for c, r in zip(found.courses[1:], found.rules, strict=True)
        if r.id == "four-days-running"
    )
    assert four.early == (1, 2, 3)
    assert found.courses[0].early == ()


def test_every_assumption_moves_the_chance_the_way_it_must(keeper):
    rows = {r.name: r for r in assumptions.build(held(keeper), keeper.catalogue, SPEECH)}
    assert rows["Touched by a treatment"].at_low < rows["Touched by a treatment"].at_high
    assert rows["Shares killed"].at_low < rows["Shares killed"].at_high
    assert (
        rows["Hidden where nothing reaches"].at_low > rows["Hidden where nothing reaches"].at_high
    )
    assert rows["Found"].at_low > rows["Found"].at_high
    assert rows["Young a day"].at_low > rows["Young a day"].at_high
    assert all(r.source and r.grade in "ABC" for r in rows.values())
    assert list(rows.values()) == sorted(rows.values(), key=lambda r: -r.swing)


def test_where_nothing_reaches_parting_with_the_plant_stands_last(keeper):
    case = held(keeper).problem.case
    crowd = replace(case, found=tuple(replace(f, count=1e15) for f in case.found), promised=())
    problem = problem_of(crowd)
    plan = planner.plan(problem)
    found = changes.changes(problem, plan, keeper.catalogue, SPEECH)
    assert not plan.reaches
    assert found[-1].text.startswith("cut it back hard")
    assert found[-1].improvement.dates == 0


def test_a_rehearsal_of_a_case_starts_from_its_finds_and_dates(keeper):
    with keeper.store.reading() as session:
        values = rehearsal.of_case(Desk(session, keeper.catalogue, NOW), keeper.case)
    assert (values["pest"], values["egg"], values["adult"]) == (MITE, "40", "4")
    assert values["first"].startswith("0, ")
    command = rehearsal.RehearsalCommand(
        MITE,
        21,
        21,
        (("egg", 40.0), ("adult", 4.0)),
        0.9,
        0.02,
        ("wiping", "insecticidal-soap"),
        rehearsal.days_of(values["first"]),
        rehearsal.days_of("every 7 days 4 times"),
    )
    found = rehearsal.rehearse(command, keeper.catalogue, TODAY)
    assert found.sides[0].outcome.chance > found.sides[1].outcome.chance + 0.2
    problem = problem_of(rehearsal.case_of(command, keeper.catalogue, TODAY))
    again = outcomes(
        problem, [tuple(Evening(TODAY + timedelta(days=d), problem.acts) for d in command.second)]
    )[0]
    assert found.sides[1].outcome.chance == pytest.approx(again.chance)


@pytest.mark.parametrize(
    ("words", "days"),
    [("0, 3,6", (0, 3, 6)), ("6 0 3 3", (0, 3, 6)), ("every 4 days 3 times", (0, 4, 8)), ("", ())],
)
def test_days_are_read_as_people_write_them(words, days):
    assert rehearsal.days_of(words) == days


@pytest.mark.parametrize("words", ["now", "-1", "500", "every day"])
def test_text_that_is_no_list_of_days_is_refused(words):
    with pytest.raises(ValueError, match=r".*"):
        rehearsal.days_of(words)


def test_the_page_of_a_case_too_cold_says_when_to_look_again(keeper, monkeypatch):
    def cold(problem):
        error = NothingDevelops("Nothing develops: eggs wait.", field="temperature")
        error.inspect_on = TODAY + timedelta(days=14)
        raise error

    plan_afresh(monkeypatch)
    monkeypatch.setattr(planner, "problem_of", cold)
    keeper.marks(1)
    with keeper.store.reading() as session:
        page = case_page.build(Desk(session, keeper.catalogue, NOW), keeper.case)
    assert page.headline == "Nothing to do while nothing develops."
    assert f"Look again on {SPEECH.day(TODAY + timedelta(days=14))}" in page.why


def test_a_change_is_said_in_numbers_out_of_a_hundred_and_in_degrees():
    reach = Improvement("reach", 0.9, 5, True, reach=0.97)
    said = changes._text(reach, shipped(), 0.85, SPEECH)
    assert said == "touch 97 in 100 of the animals on an evening instead of 85"
    cooler = Improvement("cooler", 0.9, 5, True, celsius=-4.0)
    assert changes._text(cooler, shipped(), 0.85, SPEECH).endswith("4 °C cooler")
