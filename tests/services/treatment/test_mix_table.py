"""Forty mixes worked out by hand (volume times strength over the strength of the stock,
measures by the handbooks) against the bench, the page and the command.
"""

import json
import re

import pytest
from click.testing import CliRunner

from brood.catalogue.loader import shipped
from brood.cli.main import main
from brood.core.mixing.dilution import to_ml
from brood.errors import InputError
from brood.services.treatment.bench import MixCommand, mix, plain

CATALOGUE = shipped()
BY_STRENGTH = [
    ("insecticidal-soap", "true-soap", 750, "ml", 1, 40, 18.75),
    ("insecticidal-soap", "true-soap", 750, "ml", 1, None, 7.5),
    ("insecticidal-soap", "true-soap", 1, "gallon", 1, 49, 77.25),
    ("insecticidal-soap", "true-soap", 2, "imp pint", 1.5, 30, 56.83),
    ("insecticidal-soap", "castile-soap", 1, "quart", 1, 33, 28.68),
    ("insecticidal-soap", "true-soap", 12, "tbsp", 2, 40, 8.872),
    ("soap-dip", "true-soap", 5, "l", 0.5, 40, 62.5),
    ("soap-dip", "true-soap", 2, "gallon", 1, 25, 302.8),
    ("axil-brush", "isopropyl-alcohol", 20, "ml", 70, 91, 15.38),
    ("axil-brush", "ethanol", 4, "tsp", 70, 96, 14.38),
    ("axil-brush", "isopropyl-alcohol", 2, "fl oz", 50, 70, 42.25),
    ("axil-brush", "isopropyl-alcohol", 1, "cup", 60, 99, 143.4),
    ("alcohol-swab", "isopropyl-alcohol", 100, "ml", 70, 99, 70.71),
    ("alcohol-swab", "isopropyl-alcohol", 1, "cup", 70, 91, 182.0),
    ("alcohol-swab", "ethanol", 6, "tbsp", 70, 80, 77.63),
    ("alcohol-swab", "isopropyl-alcohol", 400, "drop", 70, 96, 14.58),
    ("alcohol-spray", "isopropyl-alcohol", 1.5, "l", 15, 70, 321.4),
    ("alcohol-spray", "isopropyl-alcohol", 1, "quart", 15, 91, 156.0),
    ("alcohol-spray", "ethanol", 500, "ml", 10, 96, 52.08),
    ("alcohol-spray", "isopropyl-alcohol", 1, "imp gallon", 20, 99, 918.4),
    ("alcohol-spray", "isopropyl-alcohol", 24, "fl oz", 12, 70, 121.7),
    ("paraffinic-oil", "paraffinic-oil", 1, "l", 1, 80, 12.5),
    ("paraffinic-oil", "paraffinic-oil", 1, "gallon", 1, 97, 39.02),
    ("paraffinic-oil", "paraffinic-oil", 2, "imp gallon", 2, 90, 202.0),
    ("paraffinic-oil", "paraffinic-oil", 3, "cup", 0.5, 80, 4.436),
    ("paraffinic-oil", "paraffinic-oil", 350, "ml", 1.5, 98.8, 5.314),
    ("neem-oil", "raw-neem", 500, "ml", 0.5, 100, 2.5),
    ("neem-oil", "raw-neem", 1, "gallon", 0.5, 70, 27.04),
    ("neem-oil", "raw-neem", 1, "quart", 1, 100, 9.464),
    ("neem-oil", "raw-neem", 2, "imp pint", 0.75, 70, 12.18),
    ("peroxide-drench", "hydrogen-peroxide", 1, "l", 0.75, 3, 250.0),
    ("peroxide-drench", "hydrogen-peroxide", 1, "gallon", 0.75, 3, 946.4),
    ("peroxide-drench", "hydrogen-peroxide", 2, "cup", 0.5, 6, 39.43),
    ("peroxide-drench", "hydrogen-peroxide", 1, "imp pint", 0.6, 6, 56.83),
]
BY_LABEL = [
    ("spinosad", 500, "ml", 0.8, 0.4),
    ("btk", 1, "gallon", 1.0, 3.785),
    ("pyrethrins", 1, "imp gallon", 15, 68.19),
    ("insecticidal-soap", 2, "l", 20, 40.0),
    ("azadirachtin", 1, "quart", 6, 5.678),
    ("bti-drench", 3, "cup", 2.5, 1.774),
]


def command(treatment, amount, unit, **more):
    return MixCommand(treatment, to_ml(amount, unit), unit=unit, **more)


@pytest.mark.parametrize(
    ("treatment", "thing", "amount", "unit", "percent", "stock", "ml"), BY_STRENGTH
)
def test_a_mix_by_strength(treatment, thing, amount, unit, percent, stock, ml):
    main = CATALOGUE.recipes.recipe[treatment].parts[0].ingredient
    made = mix(
        CATALOGUE,
        command(
            treatment,
            amount,
            unit,
            stocks={thing: stock} if stock else {},
            instead={main: thing} if thing != main else {},
            strengths={main: percent},
        ),
    )
    line = made.lines[0]
    assert line.ingredient == thing
    assert line.ml == pytest.approx(ml, rel=0.005)
    assert made.said == f"{amount:g} {unit}"
    assert sum(part.ml for part in made.lines) + made.water_ml == pytest.approx(made.volume_ml)
    amounts = {"ml": 1, "l": 1000, "fl oz": 29.5735, "gallon": 3785.41, "imp pint": 568.261}
    number, measure = re.fullmatch(r"([\d.]+) (.+)", line.said).groups()
    assert float(number) * amounts[measure] == pytest.approx(ml, rel=0.006), "as it is shown"
    sold = f"{line.name.capitalize()} is counted as it is sold"
    assert (stock is None) == any(sold in note for note in made.notes)


@pytest.mark.parametrize(("treatment", "amount", "unit", "rate", "ml"), BY_LABEL)
def test_a_mix_by_the_label(treatment, amount, unit, rate, ml):
    made = mix(CATALOGUE, command(treatment, amount, unit, label_rate=rate))
    assert made.lines[0].ml == pytest.approx(ml, rel=0.005)
    assert made.strength == pytest.approx(rate / 10), "also in per cent"


def test_the_page_and_the_command_answer_the_same_from_a_bottle_of_forty_per_cent(client):
    asked = {"treatment": "insecticidal-soap", "amount": "750", "amount_unit": "ml"}
    typed = client.post("/mix", data={**asked, "percent": "40"}).get_data(as_text=True)
    client.post("/shelf/new", data={"name": "Soap", "holds": "stuff:true-soap", "percent": "40"})
    shelf = client.post("/mix", data={**asked, "stock": "shelf:1"}).get_data(as_text=True)
    for page in (typed, shelf):
        assert ">18.75 ml<" in page
        assert "2.5 %" in page
        assert "of 40 %" in re.sub(r"\s+", " ", re.sub(r"<[^>]*>", "", page))
    second = client.post("/mix", data={**asked, "treatment": "alcohol-spray", "percent": "70"})
    assert "4.69 ml" in second.get_data(as_text=True), "the soap of the shelf in another mix"
    told = ["insecticidal-soap", "--amount", "750", "--unit", "ml", "--stock-percent", "40"]
    answer = json.loads(CliRunner().invoke(main, ["mix", *told, "--json"]).output)
    assert answer["ingredients"][0]["ml"] == 18.75
    gallon = CliRunner().invoke(main, ["mix", "insecticidal-soap", "--amount", "1"])
    assert gallon.exit_code
    assert "--unit" in gallon.output
    said = CliRunner().invoke(main, ["mix", *told[:1], "--amount", "1", "--unit", "gallon"]).output
    assert "insecticidal soap, 1 gallon" in said
    assert "1.28 fl oz" in said


def test_a_rate_no_label_gives_is_questioned_and_one_far_above_is_refused_unless_meant():
    usual = mix(CATALOGUE, MixCommand("pyrethrins", 1000, label_rate=15))
    assert not any("read it again" in note for note in usual.notes)
    rare = mix(CATALOGUE, MixCommand("pyrethrins", 1000, label_rate=80))
    assert any("read it again" in note for note in rare.notes)
    with pytest.raises(InputError, match="ready to use"):
        mix(CATALOGUE, MixCommand("pyrethrins", 1000, label_rate=500))
    meant = mix(CATALOGUE, MixCommand("pyrethrins", 1000, label_rate=500, sure=True))
    assert meant.lines[0].ml == 500
    both = MixCommand("insecticidal-soap", 1000, stocks={"true-soap": 40}, label_rate=20)
    assert any("not used" in note for note in mix(CATALOGUE, both).notes)


def test_a_clarified_extract_is_called_what_it_is():
    clarified = MixCommand("neem-oil", 1000, instead={"raw-neem": "clarified-neem"}, label_rate=8)
    made = mix(CATALOGUE, clarified)
    assert made.name == "clarified neem extract"
    assert made.lines[0].name == "the product, clarified neem extract"


def test_what_takes_no_mix_says_what_it_takes():
    mixed = {*CATALOGUE.recipes.recipe}
    for key in CATALOGUE.treatments:
        care = CATALOGUE.care[key]
        assert (key in mixed) or plain(CATALOGUE, key) or care.supply == "product", key
        if care.technique in ("dust", "granules", "trap", "wipe"):
            with pytest.raises(InputError, match=r".{40}"):
                mix(CATALOGUE, MixCommand(key, 500, label_rate=5))
    told = CliRunner().invoke(main, ["mix", "wiping", "--litres", "1"])
    assert told.exit_code == 0
    assert "damp cloth" in told.output


REFUSED = [
    ({"amount": "0"}, "amount"),
    ({"percent": "900"}, "percent"),
    ({"amount": "lots"}, "amount"),
    ({"amount": "9", "amount_unit": "bucket"}, "amount_unit"),
    ({"strength": "30"}, "percent"),
    ({"stock": "shelf:99"}, "stock"),
]


@pytest.mark.parametrize(("more", "name"), REFUSED)
def test_bad_input_gets_a_sentence_and_nothing_is_lost(client, more, name):
    data = {"treatment": "insecticidal-soap", "amount": "500", "amount_unit": "ml", **more}
    answer = client.post("/mix", data=data)
    page = answer.get_data(as_text=True)
    assert answer.status_code == 422
    assert 'role="alert"' in page or 'id="faults"' in page
    for typed in {"amount": "500", **more}.values():
        assert f'value="{typed}"' in page or typed in ("shelf:99", "bucket")


def test_a_bottle_past_its_date_is_refused_with_a_way_round_and_named_by_its_year(client):
    bottle = {
        "name": "Old soap",
        "holds": "stuff:true-soap",
        "percent": "40",
        "expires_on": "2024-01-01",
    }
    client.post("/shelf/new", data=bottle)
    asked = {"treatment": "insecticidal-soap", "amount": "500", "amount_unit": "ml"}
    answer = client.post("/mix", data={**asked, "stock": "shelf:1"})
    assert answer.status_code == 422
    assert "1 January 2024" in answer.get_data(as_text=True)
    sure = client.post("/mix", data={**asked, "stock": "shelf:1", "sure": "1"})
    assert "12.5 ml" in sure.get_data(as_text=True)
    assert "1 January 2024" in client.get("/shelf").get_data(as_text=True)


def test_a_rate_typed_for_a_plain_ingredient_is_asked_about_and_not_dropped(client):
    bottle = {"name": "Soap", "holds": "stuff:true-soap", "label_rate": "20"}
    answer = client.post("/shelf/new", data=bottle)
    assert answer.status_code == 422
    assert "belongs to a product" in answer.get_data(as_text=True)
    assert 'value="20"' in answer.get_data(as_text=True)
