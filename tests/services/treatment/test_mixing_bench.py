"""The mixing bench: recipes by strength, what is refused and why, the label before the recipe."""

from dataclasses import replace
from itertools import product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brood.catalogue.loader import shipped
from brood.errors import InputError
from brood.services.treatment.bench import MixCommand, as_json, mix

CATALOGUE = shipped()
SPRAY = MixCommand("alcohol-spray", 1500, {"isopropyl-alcohol": 70})


def amounts(made):
    return {line.ingredient: round(line.ml, 2) for line in made.lines}


def test_the_amounts_of_the_usual_mixes():
    assert amounts(mix(CATALOGUE, SPRAY)) == {"isopropyl-alcohol": 321.43, "true-soap": 3.75}
    assert (
        amounts(mix(CATALOGUE, replace(SPRAY, stocks={"isopropyl-alcohol": 91})))[
            "isopropyl-alcohol"
        ]
        == 247.25
    )
    assert amounts(mix(CATALOGUE, MixCommand("paraffinic-oil", 1000, {"paraffinic-oil": 80}))) == {
        "paraffinic-oil": 12.5
    }
    assert amounts(
        mix(CATALOGUE, MixCommand("peroxide-drench", 1000, {"hydrogen-peroxide": 3}))
    ) == {"hydrogen-peroxide": 250}
    assert amounts(mix(CATALOGUE, MixCommand("neem-oil", 500))) == {
        "raw-neem": 2.5,
        "true-soap": 1.25,
    }
    ethanol = replace(SPRAY, instead={"isopropyl-alcohol": "ethanol"}, stocks={"ethanol": 96})
    assert amounts(mix(CATALOGUE, ethanol)) == {"ethanol": 234.38, "true-soap": 3.75}


def test_every_recipe_has_sources_an_order_and_limits_and_every_mix_fills_its_volume():
    for key, recipe in CATALOGUE.recipes.recipe.items():
        made = mix(CATALOGUE, MixCommand(key, 750))
        assert sum(line.ml for line in made.lines) + made.water_ml == pytest.approx(750)
        assert made.cautions
        assert made.keeps
        assert recipe.source in CATALOGUE.sources
        for order in made.orders:
            assert sum(text.lower().count("water") for text in order) >= 1


REFUSED = [
    (MixCommand("peroxide-drench", 500, extras={"vinegar": None}), "peracetic"),
    (MixCommand("insecticidal-soap", 500, extras={"bleach": None}), "gas"),
    (MixCommand("insecticidal-soap", 500, extras={"tobacco": 1.0}), "Nicotine"),
    (MixCommand("paraffinic-oil", 500, extras={"sulphur": None}), "30 days"),
    (MixCommand("neem-oil", 500, extras={"sulphur": None}), "30 days"),
    (replace(SPRAY, extras={"bleach": None}), "poison"),
    (MixCommand("paraffinic-oil", 500, instead={"paraffinic-oil": "plant-oil"}), "too heavy"),
    (MixCommand("insecticidal-soap", 500, instead={"true-soap": "dish-detergent"}), "wax"),
    (
        MixCommand("neem-oil", 500, {"clarified-neem": 70}, {"raw-neem": "clarified-neem"}),
        "label of the extract",
    ),
    (MixCommand("neem-oil", 500, extras={"clarified-neem": None}), "another product"),
    (MixCommand("insecticidal-soap", 500, extras={"essential-oil": None}), "0.1 % is the most"),
    (MixCommand("insecticidal-soap", 500, extras={"essential-oil": 1.0}), "0.1 % is the most"),
    (
        MixCommand(
            "insecticidal-soap", 500, extras={"essential-oil": 0.05}, household=frozenset({"birds"})
        ),
        "none where they live",
    ),
    (MixCommand("insecticidal-soap", 500, eaten=True), "Parts of this plant are eaten"),
    (replace(SPRAY, use="drench"), "kills roots"),
    (replace(SPRAY, use="swab"), "of no use as a swab"),
    (MixCommand("insecticidal-soap", 500, use="drench"), "of no use as a drench"),
    (replace(SPRAY, strengths={"isopropyl-alcohol": 30}), "injures the plant"),
    (MixCommand("insecticidal-soap", 500, extras={"gravel": None}), "not known"),
    (MixCommand("permethrin", 500), "no home mix"),
    (MixCommand("witchcraft", 500), "no treatment"),
    (MixCommand("neem-oil", 0), "more than 0"),
    (MixCommand("alcohol-swab", 500, {"isopropyl-alcohol": 60}), "60 % undiluted is the most"),
    (MixCommand("spinosad", 500, label_rate=1000), "whole volume"),
]


@pytest.mark.parametrize(("command", "words"), REFUSED)
def test_what_must_not_be_mixed_is_refused_with_the_reason(command, words):
    with pytest.raises(InputError, match=words):
        mix(CATALOGUE, command)


@pytest.mark.parametrize("rule", CATALOGUE.recipes.forbidden, ids=lambda rule: "+".join(rule.of))
def test_every_forbidden_pair_is_refused_in_every_mix_that_could_hold_it(rule):
    """Where a recipe holds one of the pair, adding the other is refused; what is
    forbidden by itself is refused everywhere, label's rate or not.
    """
    tried = 0
    for key, extra in product(CATALOGUE.recipes.recipe, rule.of):
        held = {part.ingredient for part in CATALOGUE.recipes.recipe[key].parts}
        if {*held, extra} >= set(rule.of):
            tried += 1
            for rate in (None, 5.0):
                with pytest.raises(InputError) as error:
                    mix(CATALOGUE, MixCommand(key, 500, extras={extra: 0.05}, label_rate=rate))
                assert CATALOGUE.recipes.refused([*held, extra]).why in error.value.message
    assert tried


def test_a_label_wins_over_the_recipe_and_over_what_is_eaten():
    made = mix(CATALOGUE, MixCommand("insecticidal-soap", 2000, label_rate=20, eaten=True))
    assert amounts(made) == {"product": 40.0}
    assert made.by_label
    assert made.strength == pytest.approx(2.0)
    clarified = MixCommand("neem-oil", 1000, instead={"raw-neem": "clarified-neem"}, label_rate=8)
    assert amounts(mix(CATALOGUE, clarified)) == {"product": 8.0}


@settings(deadline=None)
@given(st.sampled_from(sorted(CATALOGUE.recipes.recipe)), st.floats(20, 20_000))
def test_a_mix_as_json_gives_the_same_volume_in_every_measure(treatment, volume):
    from brood.core.mixing.dilution import to_ml

    data = as_json(mix(CATALOGUE, MixCommand(treatment, volume)))
    assert sum(part["ml"] for part in data["ingredients"]) == pytest.approx(volume, abs=0.01)
    for part in data["ingredients"]:
        for unit, amount in part["measures"].items():
            assert to_ml(amount, unit) == pytest.approx(part["ml"], rel=0.005, abs=0.001)
