"""Hours, money and losses; where plants are kept apart; what repotting holds up."""

from datetime import timedelta

import pytest
from conftest import NOW
from planned import Desk
from sqlalchemy import select

from brood.errors import FieldErrors, NotFound
from brood.services.archive import costs
from brood.services.cases import commands, effort, history
from brood.services.house import events, load, quarantine
from brood.services.today import evenings_together, today
from brood.services.treatment import evening_page
from brood.services.voice.preferences import Preferences
from brood.services.voice.speech import Speech, hours, spelled
from brood.store.place_tables import Place
from brood.store.queries import cases as queries
from brood.store.records import Quarantine
from brood.store.tables import Plant

SPEECH = Speech()
TODAY = NOW.date()


def named(session, name, table=Plant):
    return session.scalars(select(table).where(table.name == name)).one()


def case_of(session, name):
    return queries.case(
        session, next(c.id for c in named(session, name).cases if c.closed_at is None)
    )


def test_hours_and_money_add_up_and_what_was_not_timed_is_estimated(demo_store, catalogue):
    with demo_store.reading() as session:
        found = costs.build(session, catalogue, None, TODAY)
        by_plant = {r.row.plant.name: r for r in found.rows}
        timed, guessed = by_plant["Aubergine"], by_plant["Coffee plant"]
        row = queries.case(session, guessed.row.id)
        looks = len(queries.case(session, timed.row.id).inspections)
    assert (timed.told, timed.evenings, timed.minutes) == (
        True,
        2,
        2 * 35 + looks * effort.MINUTES["look"],
    )
    assert not guessed.told
    assert guessed.minutes == sum(
        sum(catalogue.care[t].minutes for t in r.treatments) for r in history.evenings_done(row)
    )
    assert timed.spent == pytest.approx(11.90)
    assert found.spent == pytest.approx(11.90 + 7.50 + 14.00), (
        "the household's own is in the sum, and in no case"
    )
    assert found.minutes == pytest.approx(sum(r.minutes for r in found.rows))


def test_an_evening_is_expected_to_take_what_the_evenings_before_took(demo_store, catalogue):
    with demo_store.reading() as session:
        row = case_of(session, "Aubergine")
        assert effort.evening(catalogue, row, ["wiping", "insecticidal-soap"]) == pytest.approx(35)
        part = catalogue.care["wiping"].minutes / catalogue.minutes(["wiping", "insecticidal-soap"])
        assert effort.evening(catalogue, row, ["wiping"]) == pytest.approx(35 * part)


def test_a_year_stands_by_itself_and_an_expense_can_be_taken_back(demo_store, catalogue):
    last = TODAY.replace(year=TODAY.year - 1)
    with demo_store.writing() as session:
        costs.spend(session, "Sprayer", 20.0, last, None, now=NOW)
        lost = events.EventCommand("lost", TODAY)
        events.befell(session, catalogue, named(session, "Fuchsia").id, lost, now=NOW)
    with demo_store.writing() as session:
        found = costs.build(session, catalogue, last.year, TODAY)
        assert (found.spent, found.rows, found.losses) == (20.0, (), ())
        assert found.years == (TODAY.year, last.year)
        assert costs.take_back(session, found.expenses[0].id, now=NOW) == last.year
        with pytest.raises(NotFound):
            costs.take_back(session, found.expenses[0].id, now=NOW)
        with pytest.raises(NotFound):
            costs.spend(session, "Soap", 3.0, TODAY, 999, now=NOW)
        now = costs.build(session, catalogue, last.year, TODAY)
    assert now.year == TODAY.year, "a year without anything is not offered"
    assert [(x.plant.name, x.pests) for x in now.losses] == [("Fuchsia", ("greenhouse whitefly",))]


@pytest.mark.parametrize(
    ("minutes", "said"),
    [
        (0, "0 minutes"),
        (1, "1 minute"),
        (59, "59 minutes"),
        (89.4, "89 minutes"),
        (90, "1.5 hours"),
        (170, "3 hours"),
    ],
)
def test_time_is_said_as_exactly_as_it_is_known(minutes, said):
    assert hours(minutes) == said


def test_money_is_written_as_the_locale_writes_it():
    assert Speech("en-US").money(1234.5) == "1,234.50"


def test_plants_are_kept_apart_where_there_is_room_and_go_back_where_they_came_from(
    demo_store, catalogue
):
    with demo_store.writing() as session:
        (room,) = quarantine.rooms(session)
        assert (room.place.name, [p.name for p in room.here], room.free) == (
            "Box room",
            ["Lemon"],
            2,
        )
        fern, box = named(session, "Maidenhair fern"), room.place.id
        home = fern.stays[-1].place_id
        kept = quarantine.keep_apart(
            session, fern.id, "neighbour", TODAY, "", now=NOW, place_id=box
        )
    with demo_store.writing() as session:
        row = session.get(Quarantine, kept)
        assert (row.from_place_id, named(session, "Maidenhair fern").stays[-1].place_id) == (
            home,
            box,
        )
        quarantine.keep_apart(
            session, named(session, "Bay laurel").id, "neighbour", TODAY, "", now=NOW, place_id=box
        )
    for place, says in (
        ("Box room", "is full: Bay laurel, Lemon and Maidenhair fern"),
        ("Kitchen sill", "not meant for it"),
    ):
        with demo_store.reading() as session:
            plant_id, place_id = named(session, "Fuchsia").id, named(session, place, Place).id
        with pytest.raises(FieldErrors) as refused, demo_store.writing() as session:
            quarantine.keep_apart(session, plant_id, "sick", TODAY, "", now=NOW, place_id=place_id)
        assert says in refused.value.by_field["place"]
    with demo_store.writing() as session:
        assert not any(q.plant.name == "Fuchsia" for q in quarantine.open_quarantines(session)), (
            "what was refused is not half kept"
        )
        for step in quarantine.STEPS:
            quarantine.step(session, kept, step)
        quarantine.release(session, kept, home, sure=True, now=NOW)
    with demo_store.reading() as session:
        assert named(session, "Maidenhair fern").stays[-1].place_id == home


def test_a_plant_just_repotted_is_treated_by_hand_and_repotting_waits_for_the_clear(
    demo_store, catalogue
):
    with demo_store.writing() as session:
        row = case_of(session, "Aubergine")
        assert "until it is clear" in events.repotting(catalogue, row.plant)
        assert "part of the treatment" in events.repotting(
            catalogue, case_of(session, "Basil seedling tray").plant
        )
        assert events.repotting(catalogue, named(session, "Bay laurel")) == ""
        repotted = events.EventCommand("repotted", TODAY - timedelta(days=3))
        events.befell(session, catalogue, row.plant_id, repotted, now=NOW)
    with demo_store.reading() as session:
        gates = evening_page.build(Desk(session, catalogue, NOW), row.id).gates
        later = evening_page.build(Desk(session, catalogue, NOW + timedelta(days=8)), row.id).gates
    assert any("by hand only for 10 days" in g for g in gates)
    assert not any("Repotted" in g for g in later)


def test_when_a_plant_was_treated_last_counts_every_case_of_it(demo_store, catalogue):
    def last(plant):
        found = load.had(catalogue, plant)[-1]
        return found.on, found.acts

    with demo_store.writing() as session:
        row = case_of(session, "Pak choi")
        slot = evenings_together.next_evening(row)
        assert last(row.plant) == (TODAY - timedelta(days=4), ("wiping",))
        commands.mark(
            Desk(session, catalogue, NOW),
            slot.id,
            commands.MarkCommand("done", TODAY, acts=("btk",)),
        )
        assert last(row.plant) == (TODAY, ("btk",))
        assert load.had(catalogue, named(session, "Bay laurel")) == []


def treated(result):
    return {t.plant.name for t in result.due if t.kind == "treat"}


def test_tonights_treatments_are_those_of_the_evening_and_stay_until_they_are_done(
    demo_store, catalogue
):
    with demo_store.reading() as session:
        result = today.build(Desk(session, catalogue, NOW, Preferences(minutes="20")))
        late = today.build(
            Desk(session, catalogue, NOW, Preferences()), tried=TODAY + timedelta(days=3)
        )
    chosen = result.chosen
    assert chosen.on == TODAY
    assert treated(result) == {r.row.plant.name for r in chosen.rows}
    assert f"Treat {spelled(chosen.plants)} plants tonight" in result.headline
    assert treated(late) < treated(result), (
        "an evening tried on another day takes its plants along, but not those that no "
        "later one serves"
    )
    with demo_store.writing() as session:
        slot = evenings_together.next_evening(case_of(session, "Calamondin"))
        commands.mark(Desk(session, catalogue, NOW), slot.id, commands.MarkCommand("done", TODAY))
    with demo_store.reading() as session:
        after = today.build(Desk(session, catalogue, NOW, Preferences(minutes="20")))
        due = {
            r.row.plant.name
            for r in result.chosen.rows
            if evenings_together.next_evening(r.row).target_on <= TODAY
        } - {"Calamondin"}
    assert treated(after) >= due
    assert "Calamondin" not in treated(after)
