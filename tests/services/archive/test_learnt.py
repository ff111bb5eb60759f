"""What the record teaches and tells: lessons by treatment, the report for an expert, a
day's evenings and steps.
"""

from datetime import timedelta

import pytest
from conftest import NOW
from planned import Desk

from brood.catalogue.loader import shipped
from brood.errors import FieldErrors, NotFound
from brood.services.archive import record, report
from brood.services.cases import commands
from brood.services.followup import experience, inspections
from brood.services.followup.inspections import CountCommand, InspectCommand
from brood.services.house import neighbours, progress
from brood.services.voice import preferences
from brood.services.voice.preferences import Preferences
from brood.services.voice.speech import Speech
from brood.store.queries import cases as queries
from brood.store.tables import PatchTest

SPEECH = Speech()


def test_lessons_say_uses_effect_and_injury(demo_store, catalogue):
    with demo_store.writing() as session:
        row = queries.case(session, 4)
        row.patches.append(
            PatchTest(
                treatment_id="alcohol-swab",
                leaf="lowest",
                started_at=NOW,
                outcome="marked",
                judged_at=NOW,
                note="",
            )
        )
    with demo_store.reading() as session:
        found = {
            lesson.name: lesson for lesson in experience.lessons(Desk(session, catalogue, NOW))
        }
        wiping = sum(
            r.outcome == "done" and "wiping" in r.treatments and r.withdrawn_at is None
            for i in range(1, 10)
            for a in queries.case(session, i).applications
            for r in a.records
        )
    assert found["wiping"].evenings == wiping
    assert found["wiping"].cases >= 4
    assert found["alcohol swab"].marked == "Calamondin"
    assert found["alcohol swab"].took < found["alcohol swab"].should
    assert found["gnat bacterium drench"].took is None, "nobody counted on the plant"


def test_a_report_holds_evidence_course_and_warmth(demo_store, catalogue):
    with demo_store.reading() as session:
        found = report.report(Desk(session, catalogue, NOW), 4)
    assert found.verdict == "Rising"
    assert found.warmth[0] < found.warmth[1] < found.warmth[2]
    assert [e.on for e in found.done] == sorted(e.on for e in found.done)
    assert any("31 nymphs and 5 adults alive, 10 dead" in e.text for e in found.done)


def test_the_record_is_searched_by_plant_kind_and_words(demo_store, catalogue):
    with demo_store.reading() as session:
        every = record.build(Desk(session, catalogue, NOW))
        cards = record.build(Desk(session, catalogue, NOW), kind="card", text="Blue caught")
        none = record.build(Desk(session, catalogue, NOW), text="rhododendron")
        came = record.build(Desk(session, catalogue, NOW), text="came with a new plant")
        second = record.build(Desk(session, catalogue, NOW), skip=40)
    assert every.total > 60
    assert [e.on for e in every.entries] == sorted((e.on for e in every.entries), reverse=True)
    assert {e.plant for e in cards.entries} == {"Streptocarpus"}
    assert none.entries == ()
    assert second.entries == every.entries[40:] + second.entries[len(every.entries) - 40 :]
    assert any("came with a new plant" in e.text for e in came.entries)


def test_steps_follow_the_work(demo_store, catalogue):
    with demo_store.reading() as session:
        before = {
            s.name: s
            for s in progress.of_case(Desk(session, catalogue, NOW), queries.case(session, 1))
        }
    assert before["Keep it away"].state == "open"
    assert before["Evenings"].said.startswith("2 done, last 4 days ago")
    assert before["Clear"].state == "later"
    with demo_store.writing() as session:
        commands.close(Desk(session, catalogue, NOW), 1, closed=True)
    with demo_store.reading() as session:
        assert {
            s.name: s.state
            for s in progress.of_case(Desk(session, catalogue, NOW), queries.case(session, 1))
        }["Clear"] == "done"


@pytest.mark.parametrize(("evenings", "free"), [("0123456", 7), ("56", 2), ("", 7), ("9", 7)])
def test_free_evenings_are_weekdays_and_nonsense_means_every_day(store, evenings, free):
    with store.writing() as session:
        preferences.put(session, "evenings", evenings)
    with store.reading() as session:
        known = preferences.load(session)
    assert sum(known.free(NOW.date() + timedelta(days=n)) for n in range(7)) == free
    assert Preferences().free(NOW.date())


def test_a_card_is_counted_once_for_each_day_and_in_order(demo_store, catalogue):
    with demo_store.writing() as session:
        inspections.hang(Desk(session, shipped(), NOW), 6, "yellow", NOW.date() - timedelta(days=6))
    with demo_store.reading() as session:
        card = queries.case(session, 6).cards[-1]

    def count(ago, number, **more):
        with demo_store.writing() as session:
            return inspections.count(
                Desk(session, catalogue, NOW),
                card.id,
                NOW.date() - timedelta(days=ago),
                number,
                **{"replaced": False, "gone": False, **more},
            )

    assert count(3, 8) == 6
    with pytest.raises(FieldErrors):
        count(3, 8)
    assert count(0, 2, gone=True) == 6
    with demo_store.reading() as session:
        assert commands.case_of_card(Desk(session, shipped(), NOW), card.id) == 6
        with pytest.raises(NotFound):
            commands.case_of_card(Desk(session, shipped(), NOW), 999)


def test_the_same_look_sent_twice_counts_once(demo_store, catalogue):
    said = InspectCommand(NOW.date(), (CountCommand("adult", 2.0, 0.0),), sent_key="a-key")
    with demo_store.writing() as session:
        first = inspections.record(Desk(session, catalogue, NOW), 6, said)
        assert inspections.record(Desk(session, catalogue, NOW), 6, said) == first
    with demo_store.reading() as session:
        assert len(queries.case(session, 6).inspections) == 1


def test_a_plan_of_a_place_refuses_what_is_not_there(demo_store):
    with demo_store.writing() as session, pytest.raises(FieldErrors):
        neighbours.arrange(session, 1, "sideways", [])
