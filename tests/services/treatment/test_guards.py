"""What is offered to whom and where: pets, fish, bees, harvest, food, soil, sensitive
plants, natural enemies, cumulative load.
"""

from dataclasses import replace
from datetime import date, timedelta

import pytest

from brood.catalogue.loader import shipped
from brood.services.house.who_lives_here import Residents
from brood.services.treatment.permitted import THOUGHT, UseSetting, offer, offers
from brood.store.place_tables import Place
from brood.store.tables import Plant, StockItem

CATALOGUE = shipped()
TODAY = date(2026, 6, 9)


def plant(name="Coffee plant", kind="foliage", eaten="", marks=(), sensitive=False):
    return Plant(
        name=name,
        kind=kind,
        species="",
        build="",
        eaten=eaten,
        marks=list(marks),
        sensitive=sensitive,
    )


def here(who=(), setting="indoor", visitors=(), shelf=(), **more):
    values = {
        "plant": plant(),
        "place": Place(name="Sill", setting=setting, visitors=list(visitors)),
        "household": Residents(frozenset(who)),
        "shelf": tuple(shelf),
        "today": TODAY,
    }
    return UseSetting(**{**values, **more})


def product(holds, *allowed, **figures):
    values = {
        "name": "A product",
        "holds": holds,
        "labelled": True,
        "allowed": list(allowed),
        "harvest_days": None,
        "expires_on": None,
    }
    return StockItem(**{**values, **figures})


def refused(treatment, setting):
    return " ".join(offer(CATALOGUE, treatment, setting).refused)


PERMETHRIN = product("permethrin", "indoor", "outdoor", "edible")


def test_with_a_cat_permethrin_is_offered_neither_indoors_nor_where_the_cat_goes():
    with_product = {"shelf": [PERMETHRIN]}
    assert "Can kill cats" in refused("permethrin", here(["cats"], **with_product))
    assert "Can kill cats" in refused(
        "permethrin", here(["cats"], "outdoor", ["cats"], **with_product)
    )
    assert offer(CATALOGUE, "permethrin", here(["cats"], "outdoor", **with_product)).allowed
    assert offer(CATALOGUE, "permethrin", here(**with_product)).allowed
    assert "put on the shelf first" in refused("permethrin", here())
    assert "put on the shelf first" in refused(
        "permethrin", here(shelf=[product("permethrin", "outdoor")])
    )
    assert "put on the shelf first" in refused(
        "permethrin",
        here(shelf=[product("permethrin", "indoor", expires_on=TODAY - timedelta(days=1))]),
    )


def test_every_danger_to_a_creature_keeps_the_treatment_from_where_it_lives():
    """For every hazard of the catalogue that is a danger there is a household and place
    where the treatment is not offered, with its very words.
    """
    places = {"bees": here(setting="outdoor", plant=plant(marks=("in-flower",)))}
    seen = 0
    for key, care in CATALOGUE.care.items():
        for who, hazard in care.hazards.items():
            if hazard.level == "danger":
                seen += 1
                assert hazard.text in offer(CATALOGUE, key, places.get(who, here([who]))).refused, (
                    key,
                    who,
                )
                if who != "bees":
                    assert hazard.text not in offer(CATALOGUE, key, here()).refused
    assert seen >= 15


def test_pyrethrins_carry_a_warning_for_an_aquarium():
    cautions = " ".join(offer(CATALOGUE, "pyrethrins", here(["fish"])).cautions)
    assert "cover the aquarium or move it" in cautions
    assert "within the hour, once the room is aired" in cautions
    assert "within the hour" not in " ".join(offer(CATALOGUE, "pyrethrins", here()).cautions)


PAK_CHOI = plant("Pak choi", "cabbage-family")


def test_six_days_before_harvest_the_waiting_time_decides_what_is_offered():
    bed = here(setting="outdoor", plant=PAK_CHOI, harvest=TODAY + timedelta(days=6))
    allowed = {o.record.id for o in offers(CATALOGUE, "plutella-xylostella", bed) if o.allowed}
    assert {"wiping", "btk", "spinosad"} <= allowed
    slow = replace(bed, shelf=(product("spinosad", "outdoor", "edible", harvest_days=7),))
    assert "must wait 7 days" in refused("spinosad", slow)
    assert "must wait 60 days" in refused("imidacloprid-granules", bed)
    assert "must wait 3 days" in refused(
        "spinosad", replace(bed, harvest=TODAY + timedelta(days=2))
    )
    assert offer(CATALOGUE, "spinosad", replace(bed, harvest=TODAY - timedelta(days=1))).allowed
    for o in offers(CATALOGUE, "plutella-xylostella", bed):
        if o.allowed and o.care.supply == "product":
            assert (bed.harvest - TODAY).days >= o.record.harvest_days


@pytest.mark.parametrize(
    "kind", ["cabbage-family", "seedling-herb", "fruiting-vegetable", "woody-citrus"]
)
def test_what_is_eaten_gets_no_home_mix_and_the_reason(kind):
    garden = here(setting="outdoor", plant=plant("Something", kind))
    for key in CATALOGUE.recipes.recipe:
        one = offer(CATALOGUE, key, garden)
        assert not one.home_mix
        assert any("eaten" in text for text in (*one.refused, *one.cautions)), key
    assert "no home mix" in refused("alcohol-spray", garden)
    labelled = replace(garden, shelf=(product("insecticidal-soap", "outdoor", "edible"),))
    assert offer(CATALOGUE, "insecticidal-soap", labelled).product is labelled.shelf[0]
    assert offer(CATALOGUE, "insecticidal-soap", here()).home_mix
    assert offer(
        CATALOGUE, "insecticidal-soap", replace(garden, plant=plant("Lemon", kind, eaten="no"))
    ).home_mix


def test_a_dry_surface_watered_from_below_goes_with_drenches_and_dust_does_not():
    tray = here(plant=plant("Basil seedling tray", "seedling-herb"))
    assert offer(CATALOGUE, "soil-drying", tray).allowed
    for wet in ("bti-drench", "steinernema-feltiae"):
        assert offer(CATALOGUE, "soil-drying", here(chosen=frozenset({wet}))).allowed
        assert "one or the other" in refused("diatomaceous-earth", here(chosen=frozenset({wet})))
        assert "one or the other" in refused(wet, here(chosen=frozenset({"diatomaceous-earth"})))


def test_a_fern_is_warned_of_soap_and_oil_and_wiping_comes_first():
    fern = here(plant=plant("Maidenhair fern"))
    ranked = [o.record.id for o in offers(CATALOGUE, "tetranychus-urticae", fern) if o.allowed]
    assert ranked.index("wiping") < ranked.index("insecticidal-soap")
    for key in ("insecticidal-soap", "paraffinic-oil", "alcohol-swab"):
        assert "ferns" in " ".join(offer(CATALOGUE, key, fern).warnings)
    assert not offer(CATALOGUE, "wiping", fern).warnings
    marked = offer(CATALOGUE, "paraffinic-oil", here(plant=plant(marks=("waxy-leaf",)))).warnings
    assert "bloom of wax" in marked[0]
    assert "easily injured" in " ".join(
        offer(CATALOGUE, "neem-oil", here(plant=plant(sensitive=True))).warnings
    )
    assert not offer(CATALOGUE, "insecticidal-soap", here(plant=plant("Cauliferno"))).warnings, (
        "a word inside a word is not the plant"
    )


def test_natural_enemies_wait_for_what_is_left_of_a_spray():
    used = ((TODAY - timedelta(days=3), "spinosad"),)
    assert "2026-06-27" in refused("phytoseiulus", here(used=used))
    assert offer(
        CATALOGUE, "phytoseiulus", here(used=((TODAY - timedelta(days=30), "spinosad"),))
    ).allowed
    assert "one or the other" in refused("orius", here(chosen=frozenset({"neem-oil"})))
    assert offer(
        CATALOGUE, "orius", here(chosen=frozenset({"wiping", "insecticidal-soap"}))
    ).allowed


def test_too_many_sprays_and_one_group_for_too_long_are_warned_of():
    soaps = tuple((TODAY - timedelta(days=d), "insecticidal-soap") for d in (2, 6, 10))
    assert "Used 3 times in 14 days" in " ".join(
        offer(CATALOGUE, "insecticidal-soap", here(used=soaps)).warnings
    )
    assert not offer(CATALOGUE, "insecticidal-soap", here(used=soaps[:2])).warnings
    group = tuple(
        (TODAY - timedelta(days=d), key) for d, key in ((2, "pyrethrins"), (25, "pyrethrins"))
    )
    assert "Group 3A" in " ".join(
        offer(CATALOGUE, "pyrethrins", here(used=group, generation_days=18.0)).warnings
    )
    assert "Group" not in " ".join(
        offer(CATALOGUE, "pyrethrins", here(used=group, generation_days=40.0)).warnings
    )


def test_local_rules_are_shown_with_what_the_keeper_noted():
    noted = here(
        household := ["dogs"],
        household=Residents(frozenset(household), "Not at home, only the municipality."),
    )
    assert "only the municipality" in " ".join(offer(CATALOGUE, "spinosad", noted).cautions)


def test_a_group_used_three_times_in_a_generation_or_five_in_a_course_is_not_proposed_next():
    def warned(*ago, days=30.0):
        used = tuple((TODAY - timedelta(days=n), "spinosad") for n in ago)
        found = offer(CATALOGUE, "spinosad", here(used=used, generation_days=days))
        return "change to another group" in " ".join(found.warnings)

    assert not warned(14, 7)
    assert warned(21, 14, 7)
    assert not warned(80, 75, 70, days=14.0)
    assert warned(90, 85, 80, 75, 70)
    soap = tuple((TODAY - timedelta(days=n), "insecticidal-soap") for n in range(1, 40, 5))
    found = offer(CATALOGUE, "insecticidal-soap", here(used=soap, generation_days=20.0))
    assert "change to another group" not in " ".join(found.warnings), (
        "soap wears, nothing resists it"
    )


def test_what_is_refused_for_who_is_only_thought_to_live_there_says_so():
    told = offer(CATALOGUE, "permethrin", here(who=("cats",)))
    thought = replace(here(), household=Residents(told=False).assumed())
    assert any("Can kill cats" in text for text in told.refused)
    assert not any(THOUGHT in text for text in told.refused)
    assert any(THOUGHT in text for text in offer(CATALOGUE, "permethrin", thought).refused)
