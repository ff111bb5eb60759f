"""The first plan in one form: what it keeps, and that nothing unsafe comes first."""

import itertools
from datetime import datetime

import pytest

from brood.services.house import plants, who_lives_here
from brood.services.treatment import choose, defaults, first_plan
from brood.services.treatment.first_plan import FirstCommand
from brood.services.voice.desk import Desk
from brood.services.voice.preferences import Preferences
from brood.store.queries import cases

NOW = datetime(2026, 6, 8, 18)
MITE = "tetranychus-urticae"


@pytest.fixture
def begin(store, catalogue):
    def begin(**more):
        told = {
            "name": "Basil",
            "kind": "foliage",
            "setting": "indoor",
            "celsius": 22.0,
            "place_id": None,
            "pest_id": MITE,
            "how_many": "dozens",
        }
        with store.writing() as session:
            desk = Desk(session, catalogue, NOW, Preferences())
            return first_plan.begin(desk, FirstCommand(**(told | more)))

    return begin


def test_one_form_keeps_plant_place_case_and_treatments(begin, store):
    found = begin()
    with store.reading() as session:
        row = cases.case(session, found.case_id)
        assert row.plant.name == "Basil"
        assert {(f.stage, f.rough) for f in row.findings} == {("young", "dozens"), ("adult", "few")}
        assert row.acts
        assert row.test_patch
        place = row.plant.stays[-1].place
        assert (place.name, place.source) == ("Unnamed place", "constant")
    begin(name="Mint", stages=("egg",), setting="outdoor")
    with store.reading() as session:
        every = cases.places(session)
        assert sorted(p.name for p in every) == ["Unnamed place", "Unnamed place 2"]
        assert {p.setting for p in every} == {"indoor", "outdoor"}
        mint = next(p for p in cases.plants(session) if p.name == "Mint")
        assert {(f.stage, f.rough) for f in mint.cases[0].findings} == {("egg", "dozens")}


def test_who_is_not_sure_has_a_plant_and_no_case(begin):
    found = begin(pest_id="")
    assert found.plant_id
    assert found.case_id is None


def test_a_place_that_is_there_is_taken(begin, store):
    first = begin()
    with store.reading() as session:
        place = cases.plant(session, first.plant_id).stays[-1].place_id
    second = begin(name="Mint", place_id=place)
    with store.reading() as session:
        assert cases.plant(session, second.plant_id).stays[-1].place_id == place
        assert len(cases.places(session)) == 1


def test_nothing_that_harms_cats_fish_or_children_is_ticked_until_somebody_tells(
    begin, store, catalogue
):
    found = begin()
    builds = [b for b in plants.BUILDS if b]
    with store.reading() as session:
        plant = cases.plant(session, found.plant_id)
        here = choose.setting_of(session, plant, today=NOW.date())
        assert here.household.living == who_lives_here.ASSUMED
        for pest, kind, build in itertools.product(catalogue.pests, first_plan.KINDS, builds):
            plant.kind, plant.build = kind, build
            for act in defaults.of_plant(catalogue, pest, here).acts:
                hazards = catalogue.care[act].hazards
                levels = {hazards[w].level for w in who_lives_here.ASSUMED if w in hazards}
                assert "danger" not in levels, (pest, kind, build, act)
                assert not (kind in plants.EATEN and catalogue.care[act].edible == "never")
        session.rollback()
    with store.writing() as session:
        who_lives_here.put(session, who_lives_here.Residents(), {})
        plant = cases.plant(session, found.plant_id)
        told = choose.setting_of(session, plant, today=NOW.date())
        assert told.household.living == frozenset()
