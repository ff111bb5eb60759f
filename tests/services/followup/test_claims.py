"""Nothing is claimed that nobody did: looks, clear plants, ways back, closings, plants
that are gone.
"""

from datetime import datetime, time, timedelta

import pytest
from conftest import MITE, NOW
from planned import Desk, outlook, settle
from sqlalchemy import select
from test_following import SPEECH, START, evening, look, open_mite, planned

from brood.catalogue.loader import shipped
from brood.errors import FieldErrors, InputError
from brood.services.archive import sharing
from brood.services.cases import aftercare, commands, history, plans, test_leaves
from brood.services.cases.beside import house_of
from brood.services.followup import ending, inspections
from brood.services.house import events, neighbours, quarantine
from brood.services.house.events import EventCommand as told
from brood.services.house.plants import PlantCommand
from brood.services.house.plants import add as add_plant
from brood.services.today import today
from brood.services.voice.preferences import Preferences
from brood.store.queries import cases as queries
from brood.store.records import Quarantine
from brood.store.tables import AfterTask, CasePlant, Plant


def at(day, hour=19):
    return datetime.combine(day, NOW.time().replace(hour=hour))


def beside(store, name="Pepper"):
    """A plant that stands in the same place."""
    with store.writing() as session:
        return add_plant(
            session,
            PlantCommand(name, "fruiting-vegetable", "", 1, START - timedelta(days=20)),
            now=at(START),
        )


def states(store, catalogue, day):
    with store.reading() as session:
        return {
            s.plant.name: s.state
            for _, rows in neighbours.standings(
                Desk(session, catalogue, datetime.combine(day, time(12))), house_of(session)
            )
            for s in rows
        }


def tasks(store, catalogue, day):
    with store.reading() as session:
        result = today.build(Desk(session, catalogue, at(day), Preferences(minutes="120")))
        return result.due + result.put_off


def named(session, name):
    return session.scalars(select(Plant).where(Plant.name == name)).one()


def test_no_mark_on_the_list_of_the_day_claims_a_look(demo_store, catalogue):
    for day in (NOW.date(), NOW.date() + timedelta(days=9)):
        for task in tasks(demo_store, catalogue, day):
            assert not (task.action and task.kind in ("look", "neighbour", "quarantine", "card")), (
                task.key
            )


def test_a_neighbour_that_nobody_looked_at_is_never_clear(store, catalogue):
    open_mite(store, catalogue, START)
    with store.writing() as session:
        add_plant(session, PlantCommand("Fern", "foliage", "", 1, START), now=at(START))
        fern = named(session, "Fern")
    assert states(store, catalogue, START)["Fern"] in ("watched", "unseen")
    with store.writing() as session:
        commands.close(Desk(session, catalogue, at(START)), 1, closed=True)
    later = START + timedelta(days=70)
    assert states(store, catalogue, later)["Fern"] == "unseen"
    with store.writing() as session:
        first = quarantine.looked_over(session, fern, "key-1", now=at(later))
        assert quarantine.looked_over(session, fern, "key-1", now=at(later)) == first, (
            "the second tap of one button"
        )
    assert states(store, catalogue, later)["Fern"] == "clear"
    assert (
        states(store, catalogue, later + timedelta(days=neighbours.LOOKED_DAYS + 1))["Fern"]
        == "unseen"
    )


def test_a_plant_that_is_lost_closes_its_case_and_leaves_its_neighbours_to_be_looked_at(
    store, catalogue
):
    plant_id, case_id = open_mite(store, catalogue, START)
    beside(store)
    day = START + timedelta(days=20)
    with store.writing() as session:
        quarantine.keep_apart(session, plant_id, "sick", START, "", now=at(START))
        for _ in range(2):
            events.befell(session, catalogue, plant_id, told("lost", day), now=at(day))
        assert len(events.of_plant(session, plant_id)) == 1
    found = tasks(store, catalogue, day)
    assert not [t for t in found if t.plant.id == plant_id]
    assert [t.key for t in found if t.kind == "neighbour"] == [f"neighbour-2-{MITE}"]
    assert states(store, catalogue, day) == {"Pepper": "watched"}, "and not clear"
    with store.writing() as session:
        assert queries.case(session, case_id).closed_at is not None
        assert session.scalars(select(Quarantine)).one().released_on == day
        with pytest.raises(InputError, match="is gone since"):
            commands.close(Desk(session, catalogue, at(day)), case_id, closed=False)
    eight = day + timedelta(days=8)
    with store.writing() as session:
        quarantine.looked_over(session, named(session, "Pepper"), "", now=at(eight))
    assert states(store, catalogue, eight) == {"Pepper": "clear"}
    with store.writing() as session:
        (event,) = events.of_plant(session, plant_id)
        events.take_back(session, event.id, now=at(eight))
    assert states(store, catalogue, eight)["Aubergine"] == "infested", (
        "taken back, its case is open again"
    )


def test_a_plant_lost_from_a_group_leaves_it(store, catalogue):

    _, case_id = open_mite(store, catalogue, START)
    other = beside(store)
    with store.writing() as session:
        commands.join(Desk(session, shipped(), datetime.combine(START, time(12))), case_id, other)
        events.befell(session, catalogue, other, told("lost", START), now=at(START))
    with store.reading() as session:
        assert session.scalars(select(CasePlant)).one().left_on == START


def test_a_plant_under_treatment_is_given_away_only_when_the_receiver_is_told(store, catalogue):
    plant_id, case_id = open_mite(store, catalogue, START)
    with (
        pytest.raises(FieldErrors, match="under treatment for two-spotted spider mite"),
        store.writing() as session,
    ):
        events.befell(session, catalogue, plant_id, told("given", START), now=at(START))
    with store.writing() as session:
        assert session.get(Plant, plant_id).gone_on is None
        events.befell(
            session,
            catalogue,
            plant_id,
            told("given", START, told=True),
            now=at(START),
        )
        assert queries.case(session, case_id).closed_at is not None
    apart = beside(store)
    with store.writing() as session:
        quarantine.keep_apart(session, apart, "newcomer", START, "", now=at(START))
    with pytest.raises(FieldErrors, match="kept away from the others"), store.writing() as session:
        events.befell(session, catalogue, apart, told("given", START), now=at(START))


@pytest.mark.long
def test_a_cutting_is_watched_for_what_its_mother_had_and_is_not_free_before_two_looks(
    store, catalogue
):
    plant_id, _ = open_mite(
        store, catalogue, START, pest="planococcus-citri", acts=("alcohol-swab",)
    )
    day = START + timedelta(days=3)
    with store.writing() as session:
        kept = quarantine.take_cutting(session, plant_id, "Aubergine, cutting", now=at(day))

    def found(on):
        with store.reading() as session:
            return quarantine.of_quarantine(
                session, catalogue, quarantine.quarantine(session, kept), on, SPEECH
            )

    assert "The plant it was taken from had citrus mealybug" in found(day).why
    assert "Nobody has looked yet" in found(day).why
    for later in (0, 5, 60):
        assert "may go back" not in found(day + timedelta(days=later)).headline
    with store.writing() as session:
        for step in quarantine.STEPS:
            quarantine.step(session, kept, step)
            quarantine.step(session, kept, step)
        assert sorted(quarantine.quarantine(session, kept).steps) == sorted(quarantine.STEPS)
    for said, back in (
        ("No looks", 60),
        ("1 look on record", 61),
        ("too close together", 63),
        ("more than a week ago", 90),
    ):
        on = day + timedelta(days=back)
        with pytest.raises(FieldErrors, match=said), store.writing() as session:
            quarantine.release(session, kept, now=at(on))
        if back < 90:
            with store.writing() as session:
                offset = {60: 0, 61: 1, 63: 9}[back]
                on = day + timedelta(days=60 + offset)
                quarantine.look_apart(session, kept, inspections.InspectCommand(on, ()), now=at(on))
    last = day + timedelta(days=69)
    with store.writing() as session:
        quarantine.release(session, kept, now=at(last))
        assert quarantine.quarantine(session, kept).released_on == last


def unsettled(store, catalogue, case_id):
    held = outlook(store, catalogue, case_id, at(START))
    with store.reading() as session:
        row = queries.case(session, case_id)
        return ending.unsettled(row, held, START)


def test_closing_asks_for_what_is_missing_also_untreated_and_held(store, catalogue):
    _, case_id = open_mite(store, catalogue, START)
    assert unsettled(store, catalogue, case_id), "nothing was done"
    with store.writing() as session:
        queries.case(session, case_id).keep_below = 20.0
    assert unsettled(store, catalogue, case_id), "held is not cleared"
    with store.writing() as session:
        row = queries.case(session, case_id)
        row.keep_below = None
        for find in row.findings:
            find.withdrawn_at = NOW
    assert not unsettled(store, catalogue, case_id), "every find was a mistake"


def test_doing_it_twice_changes_nothing(demo_store, catalogue):
    with demo_store.writing() as session:
        kept = look_id(session, catalogue)
        task = AfterTask(case_id=1, text="Back into light", due_at=NOW)
        session.add(task)
        session.flush()
        for done in (True, True):
            aftercare.tick(session, task.id, done=done, now=NOW)
        assert task.done_at == NOW
        for done in (False, False):
            aftercare.tick(session, task.id, done=done, now=NOW)
        assert task.done_at is None
        for out, stands in ((True, False), (True, False), (False, True), (False, True)):
            inspections.withdraw(Desk(session, catalogue, NOW), kept, out=out)
            assert (inspections.inspection(session, kept).withdrawn_at is None) == stands


def look_id(session, catalogue):
    return inspections.record(
        Desk(session, catalogue, NOW), 1, inspections.InspectCommand(NOW.date(), ())
    )


def test_test_leaves_that_were_judged_by_mistake_are_judged_again(demo_store, catalogue):
    with demo_store.writing() as session:
        row = queries.case(session, 1)
        row.test_patch = True
        act = next(
            (
                a.treatment_id
                for a in row.acts
                if test_leaves.needs_test(catalogue, row, a.treatment_id, set())
            ),
            None,
        )
        if act is None:
            pytest.skip("the demo's first case has no spray")
        from brood.store.tables import PatchTest

        test = PatchTest(
            treatment_id=act, leaf="the two lowest", started_at=NOW - timedelta(days=3)
        )
        row.patches.append(test)
        session.flush()
        test_leaves.judge(Desk(session, shipped(), NOW), test.id, "marked", "")
        test_leaves.judge(Desk(session, shipped(), NOW), test.id, test_leaves.NOT_JUDGED, "")
        assert test.outcome == ""


def test_nothing_is_asked_for_longer_than_two_weeks_in_the_same_words(demo_store, catalogue):
    day = NOW.date() + timedelta(days=20)
    with demo_store.reading() as session:
        ids = [r.id for r in today.open_cases(session)]
    for case_id in ids[:4]:
        settle(demo_store, catalogue, at(day), case_id)
    found = [
        t for t in tasks(demo_store, catalogue, day) if t.kind != "treat" or t.row_id in ids[:4]
    ]
    assert found
    assert len({t.key for t in found}) == len(found)
    for task in found:
        assert (day - task.asked_since).days <= plans.ASKED_DAYS, task.key


def test_repotting_keeps_sprays_off_the_plan_for_ten_days(store, catalogue):
    plant_id, case_id = open_mite(store, catalogue, START, acts=("insecticidal-soap",))
    with store.writing() as session:
        events.befell(session, catalogue, plant_id, told("repotted", START), now=at(START))
    settle(store, catalogue, at(START))
    assert min(planned(store, catalogue, case_id, START)[0]) >= START + timedelta(
        days=history.ROOTING_DAYS
    )


def test_a_sitters_sheet_and_the_feed_leave_out_what_is_gone(store, catalogue):
    plant_id, _ = open_mite(store, catalogue, START)
    evening(store, catalogue, 1, START)
    look(store, catalogue, 1, START + timedelta(days=1), {"young": 3.0})
    with store.writing() as session:
        token = sharing.make(
            session,
            "sitter",
            "next door",
            now=at(START),
            from_on=START,
            until_on=START + timedelta(days=14),
        )
        events.befell(
            session,
            catalogue,
            plant_id,
            told("lost", START + timedelta(days=2)),
            now=at(START + timedelta(days=2)),
        )
    with store.reading() as session:
        row = sharing.address(session, "sitter", token, START)
        assert (
            sharing.sheet(
                session, catalogue, row, today=START + timedelta(days=2), speech=SPEECH
            ).days
            == ()
        )


def test_a_plant_cleared_twice_in_winter_is_asked_for_once_in_spring(store, catalogue):
    begun = datetime(2025, 12, 1, 9).date()
    plant_id, first = open_mite(store, catalogue, begun)
    with store.writing() as session:
        commands.close(Desk(session, catalogue, at(begun)), first, closed=True)
        finds, acts = (
            (commands.FindCommand(begun, "adult", 3.0, None, ""),),
            (commands.ActCommand("wiping", None, None),),
        )
        again = commands.OpenCommand(plant_id, MITE, finds, acts, begun, False)
        second = commands.open_case(Desk(session, catalogue, at(begun)), again)
        commands.close(Desk(session, catalogue, at(begun)), second, closed=True)
    assert [t.key.split("-")[0] for t in tasks(store, catalogue, datetime(2026, 3, 20).date())] == [
        "spring"
    ]
