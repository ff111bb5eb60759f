"""A case lived through: opened, done late, skipped, corrected, withdrawn; and its calendar."""

from datetime import datetime, time, timedelta

import pytest
from conftest import MITE, NOW, WHITEFLY
from icalendar import Calendar
from planned import Desk, settle

from brood.errors import FieldErrors, NotFound
from brood.services.archive import calendar
from brood.services.cases import aim, assemble, case_page, commands, history
from brood.services.house import places, plants
from brood.services.today import today
from brood.services.voice.preferences import Preferences
from brood.services.voice.speech import Speech
from brood.store.queries import cases as queries

SPEECH = Speech()
TODAY = NOW.date()


class Keeper:
    """Somebody who records things in a household, day by day."""

    def __init__(self, store, catalogue):
        self.store, self.catalogue, self.now = store, catalogue, NOW
        with store.writing() as session:
            warmth = places.Warmth(21.0, 21.0, time(7), time(21))
            place = places.add(
                session, places.PlaceCommand("Kitchen sill", "", "set-points", warmth), now=NOW
            )
            self.plant = plants.add(
                session,
                plants.PlantCommand(
                    "Coffee plant", "foliage", "", place, TODAY - timedelta(days=30)
                ),
                now=NOW,
            )

    def opens(self, **more):
        found = (
            commands.FindCommand(TODAY, "egg", 40, None, ""),
            commands.FindCommand(TODAY, "adult", None, "few", "midrib"),
        )
        acts = (
            commands.ActCommand("wiping", None, None),
            commands.ActCommand("insecticidal-soap", None, None),
        )
        command = commands.OpenCommand(
            **{
                "plant_id": self.plant,
                "pest_id": MITE,
                "found": found,
                "acts": acts,
                "start_on": TODAY,
                "test_patch": False,
                **more,
            }
        )
        with self.store.writing() as session:
            self.case = commands.open_case(Desk(session, self.catalogue, self.now), command)

    def waits(self, days):
        self.now += timedelta(days=days)

    def slots(self):
        settle(self.store, self.catalogue, self.now, self.case)
        with self.store.reading() as session:
            return [
                (a.id, a.number, a.status, a.target_on, a.latest_on, a.sequence, a.uid)
                for a in queries.case(session, self.case).applications
            ]

    def marks(self, number, outcome="done", on=None, acts=()):
        slot = next(s[0] for s in self.slots() if s[1] == number)
        day = None if outcome == "skipped" else on or self.now.date()
        with self.store.writing() as session:
            commands.mark(
                Desk(session, self.catalogue, self.now),
                slot,
                commands.MarkCommand(outcome, day, "", acts),
            )
        return slot

    def sees(self):
        settle(self.store, self.catalogue, self.now, self.case)
        with self.store.reading() as session:
            return case_page.build(Desk(session, self.catalogue, self.now), self.case)

    def asked(self):
        settle(self.store, self.catalogue, self.now, self.case)
        with self.store.reading() as session:
            found = today.build(Desk(session, self.catalogue, self.now))
        return [t.kind for t in found.due if t.kind == "treat"]

    def facts(self):
        with self.store.reading() as session:
            desk = Desk(session, self.catalogue, self.now)
            return assemble.facts_of(desk, queries.case(session, self.case))

    def calendar(self):
        settle(self.store, self.catalogue, self.now, self.case)
        with self.store.reading() as session:
            _, body = calendar.build(
                session, self.catalogue, self.case, Preferences(), now=self.now
            )
        return {str(e["uid"]): e for e in Calendar.from_ical(body).walk("VEVENT")}


@pytest.fixture
def keeper(store, catalogue):
    return Keeper(store, catalogue)


def test_the_second_evening_three_days_late_replans_says_what_escaped_and_moves_in_the_calendar(
    keeper,
):
    keeper.opens()
    keeper.marks(1)
    before, planned = keeper.calendar(), keeper.slots()
    second = planned[1]
    keeper.now = datetime.combine(second[4] + timedelta(days=3), time(20))
    keeper.marks(2)
    after = keeper.calendar()
    page = keeper.sees()
    cost = page.evenings[1].why
    assert page.evenings[1].slot.status == "late"
    assert "3 days after the end of its window" in cost
    assert "have probably laid" in cost
    assert "now counts with those eggs" in cost
    assert set(before) <= set(after)
    assert all(
        after[uid]["sequence"] > before[uid]["sequence"] for uid in before if uid != planned[0][6]
    )
    assert {e["dtstart"].dt for e in after.values()} != {e["dtstart"].dt for e in before.values()}


def test_late_but_inside_the_window_costs_no_eggs(keeper):
    keeper.opens()
    keeper.marks(1)
    second = keeper.slots()[1]
    keeper.now = datetime.combine(second[4], time(20))
    keeper.marks(2)
    row = keeper.sees().evenings[1]
    assert row.slot.status == "done"
    assert "still inside the window" in row.why


def test_only_the_acts_that_were_done_count(keeper):
    keeper.opens()
    keeper.marks(1, acts=("wiping", "nothing-of-the-kind"))
    page = keeper.sees()
    assert page.evenings[0].record.treatments == ["wiping"]
    assert page.evenings[0].names == "wiping"
    assert keeper.facts().case.done[0].acts == ("wiping",)


def test_a_skipped_evening_is_planned_again_from_what_was_done(keeper):
    keeper.opens()
    keeper.marks(1)
    keeper.now = datetime.combine(keeper.slots()[1][3], time(20))
    keeper.marks(2, "skipped")
    statuses = [(s[2], s[3]) for s in keeper.slots()]
    assert statuses[1][0] == "skipped"
    assert statuses[2][1] == keeper.now.date() + timedelta(days=1)
    event = keeper.calendar()[keeper.slots()[1][6]]
    assert event["status"] == "CANCELLED"


def test_skipping_an_evening_weeks_ahead_says_little_about_the_time_until_then(keeper):
    keeper.opens()
    keeper.marks(1)
    number, day = max((s[1], s[3]) for s in keeper.slots())
    assert day > keeper.now.date() + timedelta(days=15)
    keeper.marks(number, "skipped")
    to_come = [s[3] for s in keeper.slots() if s[2] == "planned"]
    assert min(to_come) <= keeper.now.date() + timedelta(days=15)


def test_an_evening_that_went_by_and_is_then_skipped_leaves_the_dates_of_the_plan_as_they_are(
    keeper,
):
    """The day of the plan has already moved on, so that the facts are the same after it."""
    keeper.opens()
    keeper.marks(1)
    keeper.now = datetime.combine(keeper.slots()[1][3] + timedelta(days=1), time(9))
    dates = [a.target for a in keeper.sees().plan.applications]
    assert dates[0] == keeper.now.date()
    keeper.marks(2, "skipped")
    page = keeper.sees()
    assert [a.target for a in page.plan.applications] == dates
    assert [s[3] for s in keeper.slots() if s[2] == "planned"] == dates
    assert page.to_come == len(dates)


def test_an_evening_that_goes_by_unmarked_is_asked_about_and_moved_to_today(keeper):
    keeper.opens()
    keeper.marks(1)
    missed = keeper.slots()[1][3]
    keeper.now = datetime.combine(missed + timedelta(days=1), time(9))
    page = keeper.sees()
    assert page.next.overdue
    assert page.next.slot.missed_on == missed
    assert "is not marked" in page.why
    keeper.marks(2, on=missed)
    assert keeper.sees().next.slot.missed_on is None


def test_a_later_evening_of_a_pest_that_is_treated_along_is_asked_about_too(keeper):
    """Its first evening went by too long ago to be asked about, its second did not."""
    keeper.opens()
    keeper.opens(pest_id=WHITEFLY, found=(commands.FindCommand(TODAY, "adult", None, "few", ""),))
    keeper.slots()
    gone = TODAY - timedelta(days=3)
    with keeper.store.writing() as session:
        second = history.planned(queries.case(session, keeper.case))[1]
        second.missed_on = second.missed_latest_on = gone
    with keeper.store.reading() as session:
        found = today.build(Desk(session, keeper.catalogue, keeper.now))
    (together,) = (t for t in found.due if t.kind == "treat")
    assert together.along
    assert f"Planned for {SPEECH.day(gone)}" in together.late


def test_who_is_away_is_asked_for_no_late_evening(keeper):
    keeper.opens()
    keeper.marks(1)
    missed = keeper.slots()[1][3]
    keeper.now = datetime.combine(missed + timedelta(days=1), time(9))
    assert keeper.asked() == ["treat"]
    away = ((keeper.now.date(), keeper.now.date() + timedelta(days=6)),)
    with keeper.store.writing() as session:
        course = aim.CourseCommand(None, None, away, None, 0.9, None)
        aim.put(Desk(session, keeper.catalogue, keeper.now), keeper.case, course)
    assert keeper.asked() == []
    keeper.waits(7)
    assert keeper.asked() == ["treat"]


def test_withdrawing_a_record_brings_the_plan_back_and_keeps_the_record(keeper):
    keeper.opens()
    first = keeper.slots()
    slot = keeper.marks(1)
    with keeper.store.writing() as session:
        commands.unmark(Desk(session, keeper.catalogue, keeper.now), slot)
    assert [s[3] for s in keeper.slots()] == [s[3] for s in first]
    with keeper.store.reading() as session:
        records = queries.case(session, keeper.case).applications[0].records
        assert [r.withdrawn_at is not None for r in records] == [True]
    before = keeper.slots()
    with keeper.store.writing() as session:
        assert commands.unmark(Desk(session, keeper.catalogue, keeper.now), slot) == keeper.case
    assert keeper.slots() == before, "the second tap changes nothing"
    with pytest.raises(NotFound), keeper.store.writing() as session:
        commands.unmark(Desk(session, keeper.catalogue, keeper.now), before[1][0])


def test_correcting_a_find_keeps_the_old_one_and_redoes_the_plan(keeper):
    keeper.opens()
    with keeper.store.reading() as session:
        adult = next(
            f.id for f in queries.case(session, keeper.case).findings if f.stage == "adult"
        )
    with keeper.store.writing() as session:
        commands.correct_find(
            Desk(session, keeper.catalogue, NOW),
            adult,
            commands.FindCommand(TODAY, "adult", 9, None, "tip"),
        )
    page = keeper.sees()
    assert [
        (f.rough, f.number, f.withdrawn_at is None) for f in page.row.findings if f.stage == "adult"
    ] == [("few", None, False), (None, 9, True)]
    assert page.corrected == {adult}
    assert next(f.count for f in page.outlook.found if f.stage == "adult") == 9


def test_with_every_find_withdrawn_there_is_no_plan_but_nothing_is_lost(keeper):
    keeper.opens()
    with keeper.store.reading() as session:
        ids = [f.id for f in queries.case(session, keeper.case).findings]
    for finding in ids:
        with keeper.store.writing() as session:
            commands.correct_find(Desk(session, keeper.catalogue, NOW), finding, None)
    page = keeper.sees()
    assert page.plan is None
    assert "withdrawn" in page.problem
    assert len(page.row.findings) == 2


def test_a_find_of_adults_later_on_lengthens_the_course(keeper):
    keeper.opens()
    keeper.marks(1)
    last = keeper.slots()[-1][3]
    keeper.waits(5)
    with keeper.store.writing() as session:
        commands.add_find(
            Desk(session, keeper.catalogue, keeper.now),
            keeper.case,
            commands.FindCommand(keeper.now.date(), "adult", 2, None, ""),
        )
    assert keeper.slots()[-1][3] > last


@pytest.mark.parametrize(("shift", "words"), [(1, "not come yet"), (-70, "two months before")])
def test_an_evening_cannot_be_done_in_the_future_or_long_before_the_find(keeper, shift, words):
    keeper.opens()
    with pytest.raises(FieldErrors, match=words):
        keeper.marks(1, on=TODAY + timedelta(days=shift))


def test_two_evenings_cannot_be_done_on_one_day_nor_two_cases_of_one_pest_opened(keeper):
    keeper.opens()
    keeper.marks(1)
    with pytest.raises(FieldErrors, match="already recorded"):
        keeper.marks(2, on=TODAY)
    with pytest.raises(FieldErrors, match="already has an open case"):
        keeper.opens()


def test_in_a_place_that_is_too_cold_a_case_waits_without_dates(keeper):
    with keeper.store.writing() as session:
        place = places.PlaceCommand(
            "Kitchen sill", "", "set-points", places.Warmth(6.0, 4.0, time(7), time(21))
        )
        places.change(session, queries.places(session)[0].id, place, now=NOW)
    keeper.opens()
    page = keeper.sees()
    assert page.headline == "Nothing to do while nothing develops."
    assert "Look again on" in page.why
    assert keeper.slots() == []


def test_a_move_keeps_the_earlier_places_temperatures(keeper):
    keeper.opens()
    with keeper.store.writing() as session:
        cool = places.PlaceCommand(
            "North stairwell", "", "set-points", places.Warmth(15.0, 15.0, time(7), time(21))
        )
        cool_id = places.add(session, cool, now=NOW)
        plants.change(
            session,
            keeper.plant,
            plants.PlantCommand("Coffee plant", "foliage", "", cool_id, TODAY + timedelta(days=2)),
            now=NOW,
        )
    series = keeper.facts().case.series
    assert series.mean(NOW, NOW + timedelta(hours=12)) == 21.0
    assert series.mean(NOW + timedelta(days=4), NOW + timedelta(days=5)) == 15.0


def test_the_calendar_has_alarms_windows_and_stable_names(keeper):
    keeper.opens()
    one, two = keeper.calendar(), keeper.calendar()
    assert {u: e["sequence"] for u, e in one.items()} == {u: e["sequence"] for u, e in two.items()}
    event = next(iter(one.values()))
    assert event.walk("VALARM")[0]["trigger"].dt == timedelta(hours=-10)
    assert "Window:" in event["description"]
    assert event["dtstart"].dt.time() == time(19)


def test_a_closed_case_keeps_its_dates_and_can_be_opened_again(keeper):
    keeper.opens()
    for closed, words in ((True, "Closed"), (True, "Closed"), (False, "Wipe"), (False, "Wipe")):
        with keeper.store.writing() as session:
            commands.close(Desk(session, keeper.catalogue, NOW), keeper.case, closed=closed)
        assert words in keeper.sees().headline, "said twice it is the same as said once"
        states = {e["status"] for e in keeper.calendar().values()}
        assert states == {"CANCELLED" if closed else "CONFIRMED"}
