"""The catalogue: what ships is sound, and every fault of a broken one is reported at once."""

import shutil
from importlib.resources import as_file, files

import numpy as np
import pytest
from conftest import MITE, THRIPS, WHITEFLY
from pydantic import ValidationError

from brood.catalogue.loader import load
from brood.catalogue.own import figures, unknown, with_own
from brood.catalogue.schema import PestRecord, cited
from brood.errors import CatalogueError, InputError


@pytest.fixture
def copy(tmp_path):
    with as_file(files("brood.catalogue") / "data") as source:
        shutil.copytree(source, tmp_path / "data")
    return tmp_path / "data"


MITES = "egg larva protonymph deutonymph"
THRIPS_STAGES = "egg larva-1 larva-2 propupa pupa"
APHIDS = "nymph-1 nymph-2 nymph-3 nymph-4"
WITH_EGG, LIVE = "egg nymph-1 nymph-2 nymph-3", "nymph-1 nymph-2 nymph-3"
CATERPILLAR = "egg larva-1 larva-2 larva-3 larva-4 larva-5 pupa"
CONTRACT = {
    MITE: MITES,
    "brevipalpus": MITES,
    "polyphagotarsonemus-latus": "egg larva quiescent",
    THRIPS: THRIPS_STAGES,
    "thrips-tabaci": THRIPS_STAGES,
    "heliothrips-haemorrhoidalis": THRIPS_STAGES,
    "echinothrips-americanus": THRIPS_STAGES,
    "bradysia": "egg larva-1 larva-2 larva-3 larva-4 pupa",
    WHITEFLY: "egg nymph-1 nymph-2 nymph-3 nymph-4 pupa",
    "bemisia-tabaci": "egg nymph-1 nymph-2 nymph-3 nymph-4",
    "myzus-persicae": APHIDS,
    "aphis-gossypii": APHIDS,
    "aphis-nerii": APHIDS,
    "aulacorthum-solani": APHIDS,
    "planococcus-citri": WITH_EGG,
    "pseudococcus-longispinus": LIVE,
    "rhizoecus": WITH_EGG,
    "coccus-hesperidum": LIVE,
    "saissetia-coffeae": WITH_EGG,
    "armored-scale": "egg nymph-1 nymph-2",
    "pieris-rapae": CATERPILLAR,
    "trichoplusia-ni": CATERPILLAR,
    "plutella-xylostella": "egg larva-1 larva-2 larva-3 larva-4 prepupa pupa",
}
TREATMENTS = {
    "insecticidal-soap",
    "alcohol-swab",
    "alcohol-spray",
    "paraffinic-oil",
    "neem-oil",
    "azadirachtin",
    "pyrethrins",
    "permethrin",
    "spinosad",
    "bti-drench",
    "btk",
    "steinernema-feltiae",
    "diatomaceous-earth",
    "peroxide-drench",
    "shower",
    "wiping",
    "pruning",
    "topsoil-change",
    "repotting",
    "hot-water",
    "soil-drying",
    "sticky-cards",
    "imidacloprid-granules",
    "dinotefuran-granules",
}
ENEMIES = {
    "phytoseiulus",
    "hardy-predatory-mites",
    "neoseiulus-cucumeris",
    "amblyseius-swirskii",
    "orius",
    "lacewing-larvae",
    "cryptolaemus",
    "encarsia-formosa",
    "aphidius",
    "stratiolaelaps",
}
ACTS = {"root-wash", "soap-dip", "hot-dip", "sheath-strip", "axil-brush", "wettable-sulphur"}
"""Both beside the contract's treatments."""


def test_pests_treatments_and_stages_are_those_of_the_contract(catalogue):
    assert {
        p: " ".join(s.id for s in pest.development)
        for p, pest in catalogue.pests.items()
        if not catalogue.records[p].variant_of
    } == CONTRACT
    assert {r.variant_of for r in catalogue.records.values()} == {
        None,
        "armored-scale",
        "aulacorthum-solani",
    }
    assert set(catalogue.treatments) == TREATMENTS | ENEMIES | ACTS
    assert {
        row.treatment for table in catalogue.kills.values() for row in table.row
    } == TREATMENTS | ENEMIES | ACTS


def test_every_figure_leads_to_a_source_and_representative_tables_say_so(catalogue):
    for record in (
        *catalogue.records.values(),
        *catalogue.treatments.values(),
        *catalogue.kills.values(),
    ):
        named = [source for _, source in cited(record)]
        assert named
        assert set(named) <= set(catalogue.sources)
    every = (
        *catalogue.records.values(),
        *catalogue.kills.values(),
        *catalogue.treatments.values(),
        catalogue.evidence.words,
        *catalogue.care.values(),
        catalogue.sensitivity,
        catalogue.recipes,
        catalogue.evenings,
        catalogue.hiding,
        *catalogue.groups.values(),
    )
    used = {s for r in every for _, s in cited(r)}
    assert used == set(catalogue.sources), "a source that nothing cites"
    plain = (
        "Representative",
        "Share",
        "How soon",
        "Spread",
        "Shares",
        "Usual",
        "Lengths",
        "Diagnostic",
    )
    assert all(
        (s.kind == "representative") == s.text.startswith(plain)
        for s in catalogue.sources.values()
        if s.kind != "derived"
    )


def test_groups_that_change_timing_say_where_their_stages_are(catalogue):
    habitat = {p: {s.id: s.habitat for s in r.stage} for p, r in catalogue.records.items()}
    assert habitat[THRIPS]["egg"] == habitat["heliothrips-haemorrhoidalis"]["egg"] == "in-tissue"
    assert habitat[THRIPS]["pupa"] == "in-soil"
    assert habitat["echinothrips-americanus"]["pupa"] == "exposed"
    assert {
        habitat[p]["egg"] for p in ("armored-scale", "saissetia-coffeae", "aspidiotus-nerii")
    } == {"under-cover"}
    assert habitat["planococcus-citri"]["egg"] == "in-wax"
    assert set(habitat["rhizoecus"].values()) == {"in-soil"}
    assert habitat["plutella-xylostella"]["larva-1"] == "in-tissue"
    for record in catalogue.records.values():
        assert record.live_birth == ("egg" not in habitat[record.id])


def test_every_group_has_drawings_and_none_is_unused(catalogue):
    wanted = {s.drawing for r in catalogue.records.values() for s in r.stage} | {
        g.drawing for g in catalogue.groups.values()
    }
    wanted |= {r.adult_drawing for r in catalogue.records.values()}
    there = {
        p.stem
        for p in (files("brood.charts") / "drawings").iterdir()
        if not p.name.startswith(("plant-", "sign-"))
    }
    signs = {
        p.stem.removeprefix("sign-")
        for p in (files("brood.charts") / "drawings").iterdir()
        if p.name.startswith("sign-")
    }
    assert signs == {d.id for d in catalogue.evidence.folk.drawn}
    assert wanted <= there
    assert there - wanted <= {"mite-rest"}
    assert len(there) <= 40


@pytest.mark.parametrize(
    ("treatment", "pest", "stage", "kill"),
    [
        ("insecticidal-soap", MITE, "egg", 0.30),
        ("insecticidal-soap", MITE, "larva", 0.6 * 0.85 + 0.4 * 0.55),
        ("paraffinic-oil", MITE, "adult", 0.85),
        ("wiping", WHITEFLY, "egg", 0.70),
        ("insecticidal-soap", WHITEFLY, "nymph-4", 0.65),
        ("insecticidal-soap", THRIPS, "egg", 0.0),
        ("wiping", THRIPS, "pupa", 0.15 * 0.75),
        ("shower", THRIPS, "preoviposition", 0.35),
        ("btk", "plutella-xylostella", "larva-1", 0.5),
        ("btk", "pieris-rapae", "larva-4", 0.85),
        ("pruning", MITE, "egg", 0.33),
        ("bti-drench", "bradysia", "larva-2", 0.85),
        ("alcohol-swab", "coccus-hesperidum", "nymph-1", 0.05 * 0.98 + 0.95 * 0.95),
        ("btk", MITE, "egg", 0.0),
    ],
)
def test_kill_by_stage_is_the_time_weighted_mean_of_its_columns(
    catalogue, treatment, pest, stage, kill
):
    assert catalogue.kill(treatment, pest)[stage] == pytest.approx(kill)


def test_a_natural_enemy_takes_its_weekly_share_day_by_day_and_only_of_its_prey(catalogue):
    """What is left of a stage after seven days is 1 − the week's share; long-tailed
    mealybugs and oleander aphids have rows of their own.
    """
    for group, table in catalogue.kills.items():
        for row in (r for r in table.row if r.per_week and r.pest is None):
            pest = next(
                r.id
                for r in catalogue.records.values()
                if r.group == group and catalogue.kill_row(row.treatment, r.id) is row
            )
            act = catalogue.act(row.treatment, pest)
            assert act.lasts_days >= 7, row.treatment
            for stage in catalogue.records[pest].stage:
                week = 1 - (1 - act.kill[stage.id]) ** 7
                assert min(row.kill.values()) - 1e-9 <= week <= max(row.kill.values()) + 1e-9
                if len(stage.columns) == 1:
                    assert week == pytest.approx(row.kill[next(iter(stage.columns))])
    assert (
        catalogue.act("aphidius", "aphis-nerii").kill["adult"]
        < catalogue.act("aphidius", "aphis-gossypii").kill["adult"]
    )
    assert (
        catalogue.act("cryptolaemus", "pseudococcus-longispinus").kill["adult"]
        < catalogue.act("cryptolaemus", "planococcus-citri").kill["adult"]
    )
    assert not any(
        catalogue.act("stratiolaelaps", "frankliniella-occidentalis").kill[s]
        for s in ("larva-1", "adult")
    )


def test_every_fault_is_reported_at_once_with_file_record_and_key(copy):
    mite = copy / "pests" / f"{MITE}.toml"
    text = mite.read_text("utf-8").replace(
        'days = 14.3, source = "sabelis-1981", grade = "A"',
        'days = 14.3, source = "sabelis-1981", grade = "Z"',
    )
    text = text.replace('source = "mite-representative"', 'source = "nobody"', 1)
    mite.write_text(text.replace("rest_share = 0.4", "rest_share = 4.0", 1), "utf-8")
    soap = copy / "kill" / "whitefly.toml"
    soap.write_text(soap.read_text("utf-8").replace("egg = 0.15", "egg = 1.5", 1), "utf-8")
    (copy / "pests" / "broken.toml").write_text("id = [", "utf-8")
    with pytest.raises(CatalogueError) as caught:
        load(copy)
    told = "\n".join(caught.value.faults)
    for part in (
        "stage.0.development.1.grade",
        "stage.1.rest_share",
        "whitefly.toml: row.0.kill.egg",
        "broken.toml",
    ):
        assert part in told


def test_a_figure_without_a_source_and_a_column_without_a_figure_are_faults(copy):
    whitefly = copy / "pests" / f"{WHITEFLY}.toml"
    whitefly.write_text(
        whitefly.read_text("utf-8").replace(
            'source = "whitefly-representative"', 'source = "nobody"', 1
        ),
        "utf-8",
    )
    table = copy / "kill" / "soil-thrips.toml"
    table.write_text(table.read_text("utf-8").replace("soil-pupa = 0.0, ", "", 1), "utf-8")
    with pytest.raises(CatalogueError) as caught:
        load(copy)
    told = "\n".join(caught.value.faults)
    assert "no source 'nobody'" in told
    assert "no figure, or one too many, for soil-pupa" in told


def test_an_unknown_id_is_answered_with_the_known_ones(catalogue):
    with pytest.raises(InputError) as caught:
        catalogue.pest("dragon")
    assert MITE in caught.value.allowed
    with pytest.raises(InputError, match="no treatment"):
        catalogue.act("tobacco", MITE)


def test_own_figures_replace_constants_and_impossible_or_unknown_ones_are_refused(catalogue):
    shipped = {f.key: f.value for f in figures(catalogue, MITE)}
    changed = with_own(
        catalogue,
        {
            MITE: {
                "stage.egg.k_dd": 70.0,
                "cv": 0.2,
                "longevity.25": 9.0,
                "kill.insecticidal-soap.egg": 0.6,
            }
        },
    )
    assert changed.pests[MITE].stages[0].rate.figures["k_dd"] == 70.0 != shipped["stage.egg.k_dd"]
    assert (changed.pests[MITE].cv, dict(changed.pests[MITE].longevity)[25.0]) == (0.2, 9.0)
    assert (
        changed.kill("insecticidal-soap", MITE)["egg"],
        catalogue.kill("insecticidal-soap", MITE)["egg"],
    ) == (0.6, 0.3)
    assert changed.pests[THRIPS] is catalogue.pests[THRIPS]
    assert unknown(catalogue, MITE, ["stage.egg.k_dd", "stage.grub.k_dd"]) == ["stage.grub.k_dd"]
    for bad in (
        {"stage.egg.lower_c": 50.0},
        {"cv": 3.0},
        {"female_share": 2.0},
        {"stage.egg.wing": 1.0},
        {"age": 1.0},
        {"kill.btk.egg": 0.5},
    ):
        with pytest.raises(InputError):
            with_own(catalogue, {MITE: bad})


def test_faults_of_the_graded_words_are_reported_with_file_and_key(copy):
    harmless = copy / "signs" / "harmless.toml"
    harmless.write_text(
        harmless.read_text("utf-8")
        .replace('"springs-off", ', '"springs-of", ')
        .replace('why = "Fruit', 'whi = "Fruit'),
        "utf-8",
    )
    table = copy / "observations.csv"
    table.write_text(
        table.read_text("utf-8")
        .replace(",hardly,Runs", ",x,Runs")
        .replace("hardly,Springs or hops", "often,Springs or hops"),
        "utf-8",
    )
    with pytest.raises(CatalogueError) as caught:
        load(copy)
    told = "\n".join(caught.value.faults)
    for part in (
        "springtail: there is no observation 'springs-of'",
        "harmless.toml: fruit-fly",
        "observations.csv: row",
    ):
        assert part in told


def test_a_record_that_lays_more_than_its_own_total_is_refused(catalogue):
    record = catalogue.records["tetranychus-urticae"]
    data = record.model_dump(by_alias=True)
    assert PestRecord.model_validate(data) == record
    data["longevity"] = [{**row, "days": 2 * row["days"]} for row in data["longevity"]]
    with pytest.raises(ValidationError, match="more than the total of 150"):
        PestRecord.model_validate(data)


def test_the_young_that_die_untreated_and_the_early_laying_follow_the_record(catalogue):
    for pest_id, record in catalogue.records.items():
        pest = catalogue.pests[pest_id]
        assert pest.lives_from(0) == pytest.approx(record.survival.value), pest_id
        early = record.laying_early
        if early:
            ends = pest.laid_out + len(pest.longevity) / sum(d for _, d in pest.longevity)
            assert 1 - np.exp(-ends * early.days) == pytest.approx(early.share, abs=0.02)
    scale = catalogue.pests["coccus-hesperidum"].stages
    assert scale[0].survival == pytest.approx(0.3**0.75)
    assert catalogue.pests["planococcus-citri"].switching == 0.0, "she sits still and lays"
    hiding = catalogue.hiding
    assert hiding.of_plant("", "orchid") > hiding.of_plant("upright", "orchid")
    assert hiding.of_plant("tray", "") < hiding.of_plant("", "")
