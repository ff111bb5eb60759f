"""Looking again in a recorded case: counts move the plan, verdicts and causes follow,
the end is worked out; late, vague and odd days.
"""

from datetime import date, datetime, time, timedelta

import pytest
from conftest import MITE, NOW
from planned import Desk, outlook
from sqlalchemy import select

from brood.catalogue.loader import shipped
from brood.errors import FieldErrors, NotFound
from brood.services.archive import calendar
from brood.services.cases import assemble, beside, case_page, commands, history, trial
from brood.services.cases.beside import house_of
from brood.services.cases.commands import ActCommand, FindCommand, MarkCommand, OpenCommand
from brood.services.followup import ending, follow_page, inspections
from brood.services.followup.inspections import CountCommand, InspectCommand
from brood.services.house import neighbours, quarantine
from brood.services.house.places import PlaceCommand, Warmth
from brood.services.house.places import add as add_place
from brood.services.house.plants import PlantCommand
from brood.services.house.plants import add as add_plant
from brood.services.today import evenings_together, today
from brood.services.voice import courses
from brood.services.voice.preferences import Preferences
from brood.services.voice.speech import Speech
from brood.store.queries import cases as queries
from brood.store.tables import InspectionRecord, Plant

SPEECH = Speech()


def open_mite(
    store,
    catalogue,
    on,
    *,
    plant="Aubergine",
    acts=("wiping", "insecticidal-soap"),
    pest=MITE,
    young=60.0,
):
    """A case found on a day, at 22 °C by day and 18 at night."""
    at = datetime.combine(on, datetime.min.time()).replace(hour=9)
    with store.writing() as session:
        known = session.scalars(select(Plant)).first()
        place = (
            known.stays[0].place_id
            if known
            else add_place(
                session,
                PlaceCommand(
                    "Kitchen sill",
                    "",
                    "set-points",
                    Warmth(22, 18, at.time().replace(hour=7), at.time().replace(hour=21)),
                ),
                now=at,
            )
        )
        plant_id = add_plant(
            session,
            PlantCommand(plant, "fruiting-vegetable", "", place, on - timedelta(days=30)),
            now=at,
        )
        found = (FindCommand(on, "young", young, None, ""), FindCommand(on, "adult", 8.0, None, ""))
        command = OpenCommand(
            plant_id, pest, found, tuple(ActCommand(a, None, None) for a in acts), on, False
        )
        return plant_id, commands.open_case(Desk(session, catalogue, at), command)


def evening(store, catalogue, case_id, on, outcome="done", now=None):
    with store.writing() as session:
        row = queries.case(session, case_id)
        slot = evenings_together.next_evening(row)
        said = MarkCommand(outcome, on if outcome == "done" else None)
        commands.mark(
            Desk(session, catalogue, now or datetime.combine(on, NOW.time())), slot.id, said
        )


def look(store, catalogue, case_id, on, live, *, spread=0, at=None, **more):
    said = InspectCommand(
        on, tuple(CountCommand(k, n, 0.0) for k, n in live.items()), spread_days=spread, **more
    )
    with store.writing() as session:
        return inspections.record(
            Desk(session, catalogue, at or datetime.combine(on, NOW.time())), case_id, said
        )


def planned(store, catalogue, case_id, day):
    with store.reading() as session:
        row = queries.case(session, case_id)
        return [
            a.target_on
            for a in sorted(row.applications, key=lambda a: a.number)
            if a.status == "planned"
        ], row


START = date(2026, 5, 20)


def at(day):
    return datetime.combine(day, NOW.time())


def test_counts_that_fall_short_add_evenings_and_say_what_to_check(store, catalogue):
    _, case_id = open_mite(store, catalogue, START)
    evening(store, catalogue, case_id, START)
    before, _ = planned(store, catalogue, case_id, START)
    evening(store, catalogue, case_id, before[0])
    before, _ = planned(store, catalogue, case_id, before[0])
    second = START + timedelta(days=1)
    look(store, catalogue, case_id, second, {"young": 160.0, "adult": 30.0})
    third = max(before[0] - timedelta(days=1), second + timedelta(days=1))
    look(store, catalogue, case_id, third, {"young": 220.0, "adult": 40.0}, spot="axils")
    after, _ = planned(store, catalogue, case_id, third)
    with store.reading() as session:
        result = follow_page.build(
            Desk(session, catalogue, datetime.combine(third, time(12))), case_id
        )
    assert result.verdict in ("stalled", "rising")
    assert after
    assert [c.id for c in result.causes] == [
        "coverage",
        "mix",
        "stage",
        "identity",
        "timing",
        "re-entry",
        "resistance",
    ]
    assert result.causes[0].speaks
    assert result.causes[3].speaks
    assert result.reopen, "identification comes before anything stronger"
    assert result.origin is not None
    assert len(result.chart.dots) == 2


@pytest.mark.long
def test_not_having_looked_is_not_having_found_none(store, catalogue):
    _, case_id = open_mite(store, catalogue, START)
    evening(store, catalogue, case_id, START)
    bare = outlook(store, catalogue, case_id, at(START + timedelta(days=2))).clearing
    kept = look(store, catalogue, case_id, START + timedelta(days=2), {})
    looked = outlook(store, catalogue, case_id, at(START + timedelta(days=2))).clearing
    assert not bare.clean_looks
    assert len(looked.clean_looks) == 1
    with store.writing() as session:
        inspections.withdraw(Desk(session, catalogue, NOW), kept)
    with store.reading() as session:
        row = queries.case(session, case_id)
        assert assemble.looks_of(row) == ()
        assert session.scalars(select(InspectionRecord)).one().withdrawn_at is not None, (
            "what was typed is kept"
        )


@pytest.mark.parametrize(
    ("name", "steps", "says"),
    [
        ("late", [("done", 0), ("done", 12)], {"late"}),
        ("skipped", [("done", 0), ("skipped", 5)], {"skipped"}),
        ("back-dated", [("done", 0), ("back", 4)], {"done", "late"}),
        ("leap day", [("leap", 0)], {"done", "late"}),
    ],
)
def test_a_slip_is_planned_round(store, catalogue, name, steps, says):
    """Late, skipped, recorded days afterwards, and over the 29th of February: the
    record keeps the true day and a plan follows it.
    """
    start = date(2028, 2, 27) if name == "leap day" else START
    _, case_id = open_mite(store, catalogue, start)
    for kind, n in steps:
        on = start + timedelta(days=2 if kind == "leap" else n)
        recorded = datetime.combine(on + timedelta(days=3 if kind == "back" else 0), NOW.time())
        evening(
            store, catalogue, case_id, on, "skipped" if kind == "skipped" else "done", now=recorded
        )
    dates, row = planned(store, catalogue, case_id, on)
    status = [a.status for a in sorted(row.applications, key=lambda a: a.number)][len(steps) - 1]
    assert status in says
    done = [
        history.last_word(a).done_on
        for a in row.applications
        if history.last_word(a) and history.last_word(a).done_on
    ]
    if name == "leap day":
        assert done == [date(2028, 2, 29)]
    assert all(later > max([start, *done]) for later in dates)
    assert len(dates) >= 2


@pytest.mark.long
def test_two_evenings_on_one_day_are_refused_in_a_sentence_and_a_vague_day_is_carried(
    store, catalogue
):
    _, case_id = open_mite(store, catalogue, START)
    evening(store, catalogue, case_id, START)
    with pytest.raises(FieldErrors, match="already recorded"):
        evening(store, catalogue, case_id, START)
    evening(store, catalogue, case_id, START + timedelta(days=3))
    on = START + timedelta(days=5)
    look(
        store,
        catalogue,
        case_id,
        on - timedelta(days=1),
        {"young": 30.0},
        spread=7,
        at=datetime.combine(on, NOW.time()),
    )
    with store.reading() as session:
        row = queries.case(session, case_id)
        assert assemble.looks_of(row)[0].spread_days == 7
    found = outlook(store, catalogue, case_id, at(on)).clearing
    assert found.last_live == on, "the latest that a vague day can have been, and not after today"
    with pytest.raises(FieldErrors):
        look(
            store,
            catalogue,
            case_id,
            on + timedelta(days=9),
            {},
            at=datetime.combine(on, NOW.time()),
        )


def test_a_change_of_the_clock_and_the_southern_winter_move_no_evening(store, catalogue):
    """Evenings are wall-clock: the last Sunday of March and a June start give the same
    gaps at the same warmth.
    """
    gaps = []
    for start, plant in ((date(2026, 3, 27), "Aubergine"), (date(2026, 6, 26), "Pepper")):
        _, case_id = open_mite(store, catalogue, start, plant=plant)
        evening(store, catalogue, case_id, start)
        dates, _ = planned(store, catalogue, case_id, start)
        gaps.append([(d - start).days for d in dates])
    assert gaps[0] == gaps[1]
    assert Preferences(hemisphere="south").heated(date(2026, 7, 1))
    assert not Preferences(hemisphere="south").heated(date(2026, 1, 1))


def test_the_end_of_a_case_counts_every_plant_of_it(store, catalogue):
    plant_id, case_id = open_mite(store, catalogue, START)
    with store.writing() as session:
        other = add_plant(
            session, PlantCommand("Pepper", "fruiting-vegetable", "", 1, START), now=NOW
        )
        commands.join(Desk(session, shipped(), datetime.combine(START, time(12))), case_id, other)
        commands.join(Desk(session, shipped(), datetime.combine(START, time(12))), case_id, other)
        commands.join(
            Desk(session, shipped(), datetime.combine(START, time(12))), case_id, plant_id
        )
    look(store, catalogue, case_id, START + timedelta(days=2), {})
    with store.reading() as session:
        row = queries.case(session, case_id)
        assert [p.name for p in ending.plants_of(row)] == ["Aubergine", "Pepper"]
        assert assemble.looks_of(row)[0].share == 0.5, "a look at one of two is half a look"
    with store.writing() as session:
        commands.leave(
            Desk(session, shipped(), datetime.combine(NOW.date(), time(12))), case_id, other
        )
    with store.reading() as session:
        assert assemble.looks_of(queries.case(session, case_id))[0].share == 1.0


def test_a_newcomer_goes_back_by_its_looks_and_its_steps(store, catalogue):
    plant_id, case_id = open_mite(store, catalogue, START)
    with store.writing() as session:
        commands.close(Desk(session, catalogue, NOW), case_id, closed=True)
        kept = quarantine.keep_apart(session, plant_id, "newcomer", START, "", now=NOW)
        assert quarantine.keep_apart(session, plant_id, "sick", START, "", now=NOW) == kept
    with store.reading() as session:
        row = quarantine.quarantine(session, kept)
        first = quarantine.of_quarantine(session, catalogue, row, START, SPEECH)
    assert len(first.needed) >= 2
    last = first.clearing.closed
    with store.writing() as session:
        for needed in first.needed:
            quarantine.look_apart(
                session, kept, InspectCommand(needed.on, ()), now=datetime.combine(last, NOW.time())
            )
    with store.reading() as session:
        row = quarantine.quarantine(session, kept)
        after = quarantine.of_quarantine(session, catalogue, row, last, SPEECH)
    assert after.clearing.settled
    with store.writing() as session:
        with pytest.raises(FieldErrors):
            quarantine.release(session, kept, now=NOW)
        for step in quarantine.STEPS:
            quarantine.step(session, kept, step)
        at = datetime.combine(last, NOW.time())
        assert quarantine.release(session, kept, now=at) == plant_id
        assert quarantine.release(session, kept, now=at + timedelta(days=9)) == plant_id, (
            "a second tap changes nothing"
        )
        assert quarantine.quarantine(session, kept).released_on == last
        with pytest.raises(NotFound):
            quarantine.step(session, kept, "no-such-step")


def test_neighbours_by_touch_tray_and_draught(demo_store, catalogue):
    with demo_store.reading() as session:
        names = {p.name: p for p in house_of(session).here}
        risks = {
            (r.near.plant.name, r.row.plant.name): r
            for r in neighbours.risks(house_of(session), catalogue, NOW.date())
        }
        pelargonium = next(
            n for n in beside.beside(session, names["Fuchsia"]) if n.plant.name == "Pelargonium"
        )
        states = {
            s.plant.name: s.state
            for _, rows in neighbours.standings(
                Desk(session, catalogue, datetime.combine(NOW.date(), time(12))), house_of(session)
            )
            for s in rows
        }
    assert pelargonium.ways == ("next", "downwind")
    assert risks["Aubergine", "Sweet pepper"].near.ways[0] == "touching"
    assert "shares its tray" in risks["Coffee plant", "Calamondin"].near.said
    assert risks["Pelargonium", "Fuchsia"].chance < 1
    assert states["Aubergine"] == "infested"
    assert states["Lemon"] == "suspect"
    assert states["Bay laurel"] == "unseen", "nobody has looked at it yet"
    later = NOW.date() + timedelta(days=40)
    with demo_store.reading() as session:
        grown = {
            (r.near.plant.name, r.row.plant.name): r.chance
            for r in neighbours.risks(house_of(session), catalogue, later)
        }
    assert grown["Pelargonium", "Fuchsia"] > risks["Pelargonium", "Fuchsia"].chance


def test_the_day_is_bundled_by_place_from_clean_to_infested_and_evenings_serve_every_window(
    demo_store, catalogue
):
    with demo_store.reading() as session:
        result = today.build(Desk(session, catalogue, NOW, Preferences()))
        busy = today.build(Desk(session, catalogue, NOW, Preferences(minutes="8")))
        weekend = today.build(Desk(session, catalogue, NOW, Preferences(evenings="56")))
    for row in (r for r in result.rows if r.windows):
        assert row.windows[0][0] <= row.served_on <= row.windows[0][2]
    assert all(s.on.weekday() in (5, 6) for s in weekend.sessions)
    assert len(busy.can_wait) > len(result.can_wait)
    kinds = [[line.rank for line in some] for _, some in result.now]
    assert all(k == sorted(k) for k in kinds)
    assert max(kinds[0]) <= max(kinds[-1])


def test_what_was_cleared_in_winter_is_looked_at_in_spring(store, catalogue):
    plant_id, case_id = open_mite(store, catalogue, date(2025, 11, 20))
    with store.writing() as session:
        commands.close(Desk(session, catalogue, datetime(2026, 1, 10, 9)), case_id, closed=True)
    spring, summer = datetime(2026, 3, 20, 9), datetime(2026, 7, 20, 9)
    with store.reading() as session:
        shown = today.build(Desk(session, catalogue, spring, Preferences()))
        later = today.build(Desk(session, catalogue, summer, Preferences()))
    tasks = shown.due
    assert [t.key for t in tasks] == [f"spring-{case_id}"]
    assert [t.key.split("-")[0] for t in later.due] == ["rhythm"], "its turn, and no more"
    with store.writing() as session:
        session.add(inspections.written(InspectCommand(spring.date(), ()), plant_id, None, spring))
    with store.reading() as session:
        assert today.build(Desk(session, catalogue, spring, Preferences())).now == ()


def test_keeping_an_evening_moves_the_cases_that_it_serves(demo_store, catalogue):
    prefs = Preferences()
    with demo_store.reading() as session:
        result = today.build(Desk(session, catalogue, NOW, prefs))
        day = next(s.on for s in result.sessions if s.moved)
        ids = [r.row.id for s in result.sessions if s.on == day for r in s.moved]
        moves = today.moves(Desk(session, catalogue, NOW, prefs), day)
    assert set(moves) == set(ids)
    with demo_store.writing() as session:
        for case_id, dates in moves.items():
            trial.keep(Desk(session, catalogue, NOW), case_id, dates)
    with demo_store.reading() as session:
        assert all(
            evenings_together.next_evening(queries.case(session, i)).target_on == day for i in ids
        )


def test_a_clean_look_takes_evenings_back_and_one_aphid_brings_them_that_same_evening(
    store, catalogue
):
    """The page says which evenings are set, what a look has released and why."""
    _, case_id = open_mite(store, catalogue, START, pest="myzus-persicae", young=50.0)

    def page(day):
        found = outlook(store, catalogue, case_id, at(day))
        with store.reading() as session:
            return case_page.build(Desk(session, catalogue, at(day)), case_id), found

    shown, found = page(START)
    assert 2 <= found.fixed < len(found.plan.applications)
    assert shown.course.startswith(f"set {found.fixed}")
    assert [e.spare for e in shown.evenings].index(True) == found.fixed
    assert not shown.looks_first
    last = START
    for _ in range(found.fixed):
        last = planned(store, catalogue, case_id, last)[0][0]
        if last > START:
            look(store, catalogue, case_id, last, {}, share=1.0)
        evening(store, catalogue, case_id, last)
    due, _ = planned(store, catalogue, case_id, last)
    shown, found = page(due[0])
    assert shown.looks_first
    assert courses.LOOK_FIRST in shown.why
    with store.reading() as session:
        row = queries.case(session, case_id)
        spare = [a for a in row.applications if history.is_spare(a)]
        assert [a.target_on for a in spare] == due
        tasks = today.build(Desk(session, catalogue, at(due[0]))).due
        said = [t.text for t in tasks if t.kind == "treat"]
        assert said == ["Look first. Only if something lives: " + said[0].split(": ", 1)[1]]
        feed = calendar.household(session, catalogue, Preferences()).decode()
        assert feed.replace("\r\n ", "").count("if a look finds life") >= len(due)
    look(store, catalogue, case_id, due[0], {}, share=1.0)
    assert planned(store, catalogue, case_id, due[0])[0] == []
    shown, found = page(due[0])
    assert found.released == tuple(due)
    assert shown.headline == "No more treatments, unless a look finds life."
    assert "in 100" in shown.why
    assert [day for day, _ in shown.released] == due
    later = due[0] + timedelta(days=7)
    look(store, catalogue, case_id, later, {"adult": 1.0}, share=1.0)
    again, _ = planned(store, catalogue, case_id, later)
    assert again[0] == later
    assert not page(later)[1].released


def test_the_keepers_own_dates_stay_whatever_a_look_finds(store, catalogue):
    _, case_id = open_mite(store, catalogue, START, pest="myzus-persicae", young=50.0)
    evening(store, catalogue, case_id, START)
    own = [START + timedelta(days=n) for n in (5, 10, 15, 20)]
    with store.writing() as session:
        trial.keep(Desk(session, catalogue, at(START)), case_id, own)
    for day in own[:2]:
        look(store, catalogue, case_id, day, {}, share=1.0)
        evening(store, catalogue, case_id, day)
    look(store, catalogue, case_id, own[2], {}, share=1.0)
    found = outlook(store, catalogue, case_id, at(own[2]))
    assert found.ahead.released
    assert found.released == ()
    assert planned(store, catalogue, case_id, own[2])[0] == own[2:]


def test_a_course_whose_likely_number_is_not_worked_out_says_what_is_planned():
    said = [courses.ahead(n, 4, None, 0.4, date(2026, 6, 1), more=True) for n in (0, 3, 4)]
    assert said == ["no evening set, 4 planned", "set 3 of 4 planned", "set 4 of 4 planned"]
