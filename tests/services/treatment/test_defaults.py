"""What is ticked to begin with, for every pest on every build of plant, in and out of
doors: chosen by what it leads to, and never what is warned of for that plant.
"""

import importlib.util
import sys
from pathlib import Path

import pytest

from brood.catalogue.loader import shipped
from brood.services.treatment.defaults import nobodys, of_plant
from brood.services.treatment.mixes import candidates
from brood.services.treatment.permitted import offer
from brood.store.tables import StockItem

CATALOGUE = shipped()
PESTS = sorted(CATALOGUE.records)
BUILDS = (
    ("foliage", ""),
    ("woody-citrus", ""),
    ("fruiting-vegetable", ""),
    ("cabbage-family", "head"),
    ("seedling-herb", "tray"),
    ("rosette", "rosette"),
    ("orchid", "orchid"),
    ("cactus-succulent", "cactus"),
)
PLACES = ("indoor", "glasshouse", "balcony", "outdoor")
SCALES = ("coccus-hesperidum", "saissetia-coffeae", "armored-scale", "aspidiotus-nerii")
SOAP, OIL = "insecticidal-soap", "paraffinic-oil"


def acts(pest, kind="foliage", build="", place="indoor", **more):
    here = nobodys(kind, build, place)
    for name, value in more.items():
        setattr(here.plant, name, value)
    return of_plant(CATALOGUE, pest, here)


@pytest.mark.parametrize("pest", PESTS)
def test_nothing_is_ticked_that_is_refused_or_warned_of_and_a_poor_course_says_what_helps(pest):
    for kind, build in BUILDS:
        for place in PLACES:
            here = nobodys(kind, build, place)
            found = of_plant(CATALOGUE, pest, here)
            for act in found.acts:
                one = offer(CATALOGUE, act, here)
                assert not [*one.refused, *one.warnings], (kind, place, act)
            assert found.note or found.course.chance >= 0.6
            assert found.acts or found.note
            assert {a for a, _ in found.left_out}.isdisjoint(found.acts)


def test_gnats_get_a_larvicide_nematodes_cards_and_a_dry_surface_and_never_the_leaf():
    for kind, build in BUILDS:
        ticked = {*acts("bradysia", kind, build).acts}
        assert {"bti-drench", "steinernema-feltiae", "sticky-cards", "soil-drying"} <= ticked
        assert not {SOAP, "wiping", "shower", OIL} & ticked


def test_root_mealybugs_are_washed_off_and_in_the_ground_it_is_said_that_this_cannot_be():
    assert {*acts("rhizoecus").acts} == {"root-wash", "repotting"}
    bed = acts("rhizoecus", "cabbage-family", "head", "outdoor")
    assert not bed.acts
    assert "open ground" in bed.note


def test_broad_mites_get_their_tips_cut_and_two_contact_products_or_a_labelled_one():
    ticked = acts("polyphagotarsonemus-latus").acts
    sprays = [a for a in ticked if not CATALOGUE.treatments[a].by_hand]
    assert "pruning" in ticked
    assert len(sprays) == 2
    here = nobodys("fruiting-vegetable")
    bottle = StockItem(
        name="S", holds="wettable-sulphur", labelled=True, allowed=["indoor", "edible"]
    )
    shelf = of_plant(CATALOGUE, "polyphagotarsonemus-latus", type(here)(
        here.plant, here.place, here.household, (bottle,), here.today
    ))  # fmt: skip
    assert "wettable-sulphur" in shelf.acts
    assert (
        shelf.course.chance > acts("polyphagotarsonemus-latus", "fruiting-vegetable").course.chance
    )


@pytest.mark.parametrize("pest", PESTS)
def test_succulents_and_waxy_leaves_get_no_soap_no_oil_and_nothing_that_holds_them(pest):
    for more in ({"kind": "cactus-succulent", "build": "cactus"}, {"marks": ["waxy-leaf"]}):
        for act in acts(pest, **more).acts:
            held = {act, *CATALOGUE.treatments[act].holds}
            assert not held & {SOAP, OIL}, (act, more)


def test_scale_on_orchids_is_stripped_swabbed_and_oiled():
    for pest in SCALES:
        assert acts(pest, "orchid", "orchid").acts == ("sheath-strip", "alcohol-swab", OIL)


def test_what_is_too_big_to_move_is_wiped_in_place_and_only_small_plants_are_dipped():
    assert "shower" in acts("myzus-persicae").acts
    for size in ("floor", "tree"):
        big = acts("myzus-persicae", size=size)
        assert "wiping" in big.acts
        assert ("shower", "It is too big to carry to the shower.") in big.left_out
    assert "soap-dip" in dict(acts("tetranychus-urticae").left_out)
    assert "soap-dip" not in dict(acts("tetranychus-urticae", size="small").left_out)


def test_soil_thrips_and_caterpillars_come_within_what_skilled_keepers_take():
    for pest in ("frankliniella-occidentalis", "thrips-tabaci", "pieris-rapae"):
        found = acts(pest)
        most = CATALOGUE.groups[CATALOGUE.records[pest].group].most_evenings.value
        assert found.course.evenings <= most
        assert found.course.chance >= 0.95


def test_every_pest_has_mixes_and_all_that_is_kept_of_them_is_of_the_catalogue():
    assert {*CATALOGUE.mixes} == {*PESTS}
    for pest in PESTS:
        able = {frozenset(mix) for mix in candidates(CATALOGUE, pest)}
        kept = {frozenset(row.acts) for row in CATALOGUE.mixes[pest]}
        assert kept
        assert kept <= able


@pytest.mark.parametrize(
    ("pest", "n"),
    [
        ("myzus-persicae", 4),
        *(
            pytest.param(*row, marks=pytest.mark.long)
            for row in [("planococcus-citri", 0), ("brevipalpus", 2)]
        ),
    ],
)
def test_what_is_kept_of_a_mix_is_what_working_it_out_anew_gives(pest, n):
    script = Path(__file__).resolve().parents[3] / "scripts" / "default_courses.py"
    sys.path.insert(0, str(script.parent))
    spec = importlib.util.spec_from_file_location("default_courses", script)
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    row = CATALOGUE.mixes[pest][n]
    mix = tuple(row.acts)
    assert module.growth_of(pest, mix) == pytest.approx(row.growth, abs=0.02)
    anew = module.course(pest, mix, row.growth)
    assert abs(anew["evenings"] - row.evenings) <= 1
    assert anew["chance"] == pytest.approx(row.chance, abs=0.03)
