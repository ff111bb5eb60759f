"""The catalogue: what ships is sound, and every fault of a broken one is told at once."""

import shutil
from importlib.resources import as_file, files

import pytest
from conftest import MITE, THRIPS, WHITEFLY

from brood.catalogue.loader import load
from brood.errors import CatalogueError, InputError


@pytest.fixture
def copy(tmp_path):
    with as_file(files("brood.catalogue") / "data") as source:
        shutil.copytree(source, tmp_path / "data")
    return tmp_path / "data"


def test_what_ships_has_three_pests_and_four_treatments_with_sources(catalogue):
    assert set(catalogue.pests) == {MITE, THRIPS, WHITEFLY}
    assert set(catalogue.treatments) == {"insecticidal-soap", "paraffinic-oil", "wiping", "shower"}
    cited = {row.source for record in catalogue.records.values() for stage in record.stage for row in stage.development}
    assert cited <= set(catalogue.sources)
    assert not any(catalogue.sources[s].kind == "published" and "representative" in s for s in cited)


def test_stage_ids_are_those_of_the_contract(catalogue):
    ids = {pest: [s.id for s in catalogue.pests[pest].development] for pest in catalogue.pests}
    assert ids == {
        MITE: ["egg", "larva", "protonymph", "deutonymph"],
        THRIPS: ["egg", "larva-1", "larva-2", "propupa", "pupa"],
        WHITEFLY: ["egg", "nymph-1", "nymph-2", "nymph-3", "nymph-4", "pupa"],
    }


@pytest.mark.parametrize(
    ("treatment", "pest", "stage", "kill"),
    [
        ("insecticidal-soap", MITE, "egg", 0.30), ("insecticidal-soap", MITE, "larva", 0.6 * 0.85 + 0.4 * 0.55),
        ("paraffinic-oil", MITE, "adult", 0.85), ("wiping", WHITEFLY, "egg", 0.70), ("insecticidal-soap", WHITEFLY, "nymph-4", 0.65),
        ("insecticidal-soap", THRIPS, "egg", 0.0), ("wiping", THRIPS, "pupa", 0.15 * 0.75), ("shower", THRIPS, "preoviposition", 0.35),
    ],
)  # fmt: skip
def test_kill_by_stage_is_the_time_weighted_mean_of_its_columns(catalogue, treatment, pest, stage, kill):
    assert catalogue.kill(treatment, pest)[stage] == pytest.approx(kill)


def test_every_fault_is_reported_at_once_with_file_record_and_key(copy):
    mite = copy / "pests" / f"{MITE}.toml"
    text = mite.read_text("utf-8").replace('grade = "A"', 'grade = "Z"', 1).replace('source = "mite-representative"', 'source = "nobody"', 1)
    mite.write_text(text.replace("rest_share = 0.4", "rest_share = 4.0", 1), "utf-8")
    treatments = copy / "treatments.toml"
    treatments.write_text(treatments.read_text("utf-8").replace("egg = 0.15", "egg = 1.5", 1).replace("soil-pupa = 0.0\n", "", 1), "utf-8")
    (copy / "pests" / "broken.toml").write_text("id = [", "utf-8")
    with pytest.raises(CatalogueError) as caught:
        load(copy)
    told = "\n".join(caught.value.faults)
    for part in ("stage.0.development.1.grade", "stage.1.rest_share", "treatments.toml: 1: kill.whitefly", "broken.toml"):
        assert part in told


def test_a_figure_without_a_source_and_a_column_without_a_figure_are_faults(copy):
    whitefly = copy / "pests" / f"{WHITEFLY}.toml"
    whitefly.write_text(whitefly.read_text("utf-8").replace('source = "whitefly-representative"', 'source = "nobody"', 1), "utf-8")
    treatments = copy / "treatments.toml"
    treatments.write_text(treatments.read_text("utf-8").replace("soil-pupa = 0.0\n", "", 1), "utf-8")
    with pytest.raises(CatalogueError) as caught:
        load(copy)
    assert len(caught.value.faults) == 2
    assert "no source 'nobody'" in caught.value.faults[0]
    assert "no figure for soil-pupa" in caught.value.faults[1]


def test_unknown_ids_are_answered_with_those_there_are(catalogue):
    with pytest.raises(InputError) as caught:
        catalogue.pest("dragon")
    assert MITE in caught.value.allowed
    with pytest.raises(InputError, match="no treatment"):
        catalogue.act("tobacco", MITE)
