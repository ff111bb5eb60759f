"""The command line: JSON by contract, words on standard error, true exit codes, help
with an example.
"""

import itertools
import json
import shutil
import subprocess
import sys
from datetime import date
from pathlib import Path

import pytest
from click.testing import CliRunner
from conftest import MITE, NOW

from brood.cli.main import main
from brood.cli.output import finite
from brood.demo import tern_cottage

EXAMPLES = Path(__file__).parents[2] / "docs" / "examples"


def run(*args, stdin=None):
    return CliRunner().invoke(main, list(args), input=stdin)


@pytest.mark.parametrize(
    ("celsius", "egg", "generation"),
    [(20, (6.2, 7.2), (15, 18)), (15, (13, 16), (33, 40)), (30, (2.6, 3.1), (6.6, 8.0))],
)
def test_develop_gives_the_mites_times(celsius, egg, generation):
    answer = json.loads(
        run("develop", "tetranychus-urticae", "--celsius", str(celsius), "--json").stdout
    )
    assert egg[0] <= answer["stages"][0]["days"]["typical"] <= egg[1]
    assert generation[0] <= answer["generation"]["typical"] <= generation[1]
    assert [s["stage"] for s in answer["stages"]] == ["egg", "larva", "protonymph", "deutonymph"]
    assert {s["confidence"] for s in answer["sources"]} == {"A", "B"}


@pytest.mark.parametrize(
    "celsius", [20, *(pytest.param(c, marks=pytest.mark.long) for c in (15, 25, 30))]
)
def test_develop_gives_every_pests_tabulated_means(catalogue, celsius):
    off = []
    for pest, record in catalogue.records.items():
        answer = json.loads(run("develop", pest, "--celsius", str(celsius), "--json").stdout)
        assert [s["stage"] for s in answer["stages"]] == [s.id for s in record.stage[:-1]]
        assert answer["live_birth"] == (answer["stages"][0]["stage"] != "egg")
        if celsius >= record.upper_c.value:
            assert answer["egg_to_adult"]["typical"] is None
            assert answer["note"]
            continue
        for said, stage in zip(answer["stages"], record.stage, strict=False):
            row = next((r for r in stage.development if r.celsius == celsius), None)
            if row is not None and row.grade != "C":
                off.append(abs(said["days"]["mean"] / row.days - 1))
                assert said["days"]["typical"] == pytest.approx(
                    row.days, rel=0.12 if record.cv.value <= 0.12 else 0.16
                )
    assert max(off) <= 0.12
    assert sorted(off)[len(off) // 2] <= 0.05


def test_develop_says_where_thrips_pupate_and_scale_eggs_are():
    def where(pest, stage):
        return next(
            s
            for s in json.loads(run("develop", pest, "--celsius", "22", "--json").stdout)["stages"]
            if s["stage"] == stage
        )

    flower = where("frankliniella-occidentalis", "pupa")
    assert (flower["habitat"], "soil" in flower["where"]) == ("in-soil", True)
    assert "leaf" in where("heliothrips-haemorrhoidalis", "pupa")["where"]
    assert (
        where("armored-scale", "egg")["habitat"]
        == where("saissetia-coffeae", "egg")["habitat"]
        == "under-cover"
    )


def test_fit_returns_every_model_with_errors_and_residuals():
    answer = json.loads(run("fit", str(EXAMPLES / "mite-stage-times.csv"), "--json").stdout)
    assert [s["stage"] for s in answer["stages"]] == ["egg", "larva"]
    egg = answer["stages"][0]
    assert egg["best"] == "linear-plateau"
    assert {m["model"] for m in egg["models"]} == {"linear-plateau", "briere-1", "lactin-2"}
    line = next(m for m in egg["models"] if m["model"] == "linear-plateau")
    figures = {p["name"]: p for p in line["parameters"]}
    assert figures["lower_c"]["value"] == pytest.approx(11.2, abs=0.4)
    assert 0 < figures["k_dd"]["standard_error"] < 3
    assert len(line["residuals"]) == 8
    assert "best is linear-plateau" in run("fit", str(EXAMPLES / "mite-stage-times.csv")).stdout
    few = json.loads(run("fit", "-", "--json", stdin="temp,days\n15,14\n20,7\n25,4.5\n").stdout)[
        "stages"
    ][0]
    assert [m["model"] for m in few["models"]] == ["linear-plateau"]


def test_degree_days_of_a_table_by_hand_and_of_the_loggers_file():
    days = "date;min;max\n01.06.2026;10,0;20,0\n02.06.2026;12,0;22,0\n03.06.2026;14,0;24,0\n"
    answer = json.loads(run("degree-days", "-", "--lower", "10", "--json", stdin=days).stdout)
    assert [d["degree_days"] for d in answer["days"]] == [5, 7, 9]
    late = json.loads(
        run(
            "degree-days", "-", "--lower", "10", "--biofix", "2026-06-02", "--json", stdin=days
        ).stdout
    )
    assert (answer["total"], late["total"]) == (21, 16)
    sums = {}
    for method in ("single-sine", "double-sine", "single-triangle", "hourly"):
        args = (
            "degree-days",
            str(EXAMPLES / "balcony-logger.csv"),
            "--lower",
            "11.3",
            "--upper",
            "32",
            "--method",
            method,
        )
        sums[method] = json.loads(run(*args, "--json").stdout)
    assert max(s["total"] for s in sums.values()) < 1.25 * min(s["total"] for s in sums.values())
    assert sums["hourly"]["filled_hours"] > 0
    args = ("degree-days", str(EXAMPLES / "balcony-logger.csv"), "--lower", "11.3", "--upper", "20")
    vertical = run(*args, "--method", "hourly", "--cutoff", "vertical", "--csv")
    assert "vertical cut-off" in vertical.stderr
    assert vertical.stdout.startswith("date,degree_days,total,kind")


def test_forecast_of_a_table_by_heat_by_date_and_of_an_empty_household(tmp_path):
    table = (str(EXAMPLES / "sightings.csv"), "--lower", "8.5", "--year", "2026", "--json")
    weather = ("--weather", str(EXAMPLES / "years.csv"))
    (heat,) = json.loads(run("forecast", *table, *weather).stdout)["forecasts"]
    (dates,) = json.loads(run("forecast", *table).stdout)["forecasts"]
    assert (heat["from"], dates["from"]) == ("heat", "date")
    assert heat["years"] == 3
    assert heat["begin_prevention"] < heat["early"] < heat["likely"] < heat["late"]
    assert "2026-06-01" < heat["early"] < "2026-06-25" < heat["late"] < "2026-07-20"
    empty = run("forecast", "--data", str(tmp_path), "--json")
    assert json.loads(empty.stdout)["forecasts"] == []


def test_develop_in_the_cold_is_null_with_a_note():
    answer = json.loads(run("develop", "tetranychus-urticae", "--celsius", "8", "--json").stdout)
    assert answer["generation"] == {"fast": None, "typical": None, "slow": None}
    assert "does not develop" in answer["note"]


def test_develop_reads_the_simulated_loggers_file(tmp_path):
    log = run("logger", "--start", "2026-06-01", "--days", "30").stdout
    file = tmp_path / "balcony.csv"
    file.write_text(log)
    args = (
        "develop",
        "frankliniella-occidentalis",
        "--from",
        "egg",
        "--start",
        "2026-06-03",
        "--json",
    )
    answer = json.loads(run(*args, "--temperature", str(file)).stdout)
    assert json.loads(run(*args, "--temperature", "-", stdin=log).stdout) == answer
    assert [e["event"] for e in answer["events"]][-2:] == ["emergence", "first-egg"]
    assert date.fromisoformat(answer["first_breeding"]["fast"]) < date.fromisoformat(
        answer["first_breeding"]["slow"]
    )
    assert len(answer["refused"]) == 2


@pytest.mark.long
def test_plan_gaps_by_warmth_and_pest_as_the_examples_show():
    def gaps(name):
        days = [
            date.fromisoformat(a["target"])
            for a in json.loads(run("plan", str(EXAMPLES / name), "--json").stdout)["applications"]
        ]
        return [(b - a).days for a, b in itertools.pairwise(days)]

    assert min(gaps("mite-27.json")) <= min(gaps("mite-20.json"))
    assert min(gaps("mite-20.json")) >= 4, "soap is usual every four days at most"
    assert max(gaps("thrips-22.json")) <= 7


@pytest.mark.long
def test_words_go_to_standard_error_and_data_to_standard_output():
    result = run("plan", str(EXAMPLES / "mite-20.json"))
    assert result.exit_code == 0
    assert "chance of clearing 0." in result.stdout
    assert "2026-06-01" in result.stdout
    table = run("develop", "tetranychus-urticae", "--celsius", "20")
    assert "generation" in table.stdout
    assert "Sabelis" in table.stderr


@pytest.mark.parametrize(
    ("args", "stdin", "field"),
    [
        (("develop", "dragon", "--celsius", "20"), None, "pest"),
        (("develop", "tetranychus-urticae", "--celsius", "99"), None, "celsius"),
        (("plan", "-"), "{}", "pest"),
        (("plan", "-"), "", "case"),
        (("plan", "-"), "\xff\x00", "case"),
        (("plan", "no-such-file.json"), None, "file"),
        (("fit", "-"), "a,b\n1,2\n", "file"),
        (("fit", "-"), "temperature,days\n15,14\n20,x\n", "days"),
        (("fit", "-"), "temperature,days\n15,14\n20,7\n", "development"),
        (("degree-days", "-", "--lower", "10"), "a,b\n", "file"),
        (("forecast", "-", "--lower", "8", "--year", "2026"), "date\n2026-99-01\n", "sightings"),
        (("forecast", "-", "--lower", "8", "--year", "2026"), "2025-06-01,hot\n", "sightings"),
        (("forecast", "-", "--lower", "8", "--year", "2020"), "2025-06-01\n", "year"),
        (
            ("degree-days", "-", "--lower", "10", "--upper", "5"),
            "date,min,max\n2026-06-01,10,20\n",
            "upper",
        ),
        (
            ("degree-days", "-", "--lower", "10", "--biofix", "2020-01-01"),
            "date,min,max\n2026-06-01,10,20\n",
            "biofix",
        ),
        (
            (
                "develop",
                "tetranychus-urticae",
                "--temperature",
                "-",
                "--from",
                "egg",
                "--start",
                "2026-06-01",
            ),
            "%PDF-1.7",
            "file",
        ),
        (
            (
                "develop",
                "tetranychus-urticae",
                "--temperature",
                "-",
                "--from",
                "pip",
                "--start",
                "2026-06-01",
            ),
            "time,temperature_c\n",
            "from",
        ),
    ],
)
def test_errors_under_json_name_the_field_and_exit_1(args, stdin, field):
    result = run(*args, "--json", stdin=stdin)
    error = json.loads(result.stdout)["error"]
    assert result.exit_code == 1
    assert error["field"] == field
    assert error["message"].endswith(".")
    plain = run(*args, stdin=stdin)
    assert plain.exit_code == 1
    assert error["message"] in plain.stderr


@pytest.mark.parametrize(
    "args", [("develop", "tetranychus-urticae"), ("fly",), ("logger", "--days", "0"), ("plan",)]
)
def test_misuse_exits_2(args):
    assert run(*args).exit_code == 2


@pytest.mark.parametrize("command", sorted(main.commands))
def test_every_command_has_help_with_an_example(command):
    help_text = run(command, "--help").output
    assert f"brood {command}" in help_text.replace("Usage: main", "")
    assert "--json" in help_text or command == "logger"


def test_the_demo_household_is_made_without_serving(demo_household, tmp_path, monkeypatch):
    """Over what an earlier start has left; the household itself is the one that the
    pages are tested on.
    """
    monkeypatch.setattr(
        tern_cottage, "seed", lambda path, **more: shutil.copy(demo_household, path)
    )
    (tmp_path / "demo").mkdir()
    (tmp_path / "demo" / "household.sqlite").write_text("an earlier household")
    result = run("demo", "--data", str(tmp_path / "demo"), "--no-serve")
    assert result.exit_code == 0
    assert "http://127.0.0.1:8000" in result.stdout
    assert (tmp_path / "demo" / "household.sqlite").read_bytes() == demo_household.read_bytes()


def test_nothing_that_is_not_finite_leaves_as_a_number():
    assert finite({"a": [1.5, float("inf")], "b": float("nan")}) == {"a": [1.5, None], "b": None}


def test_the_command_starts_quickly_without_the_heavy_packages():
    code = (
        "import sys, brood.cli.main; print(sorted(m for m in ('scipy', 'alembic', 'flask', "
        "'sqlalchemy') if m in sys.modules))"
    )
    assert (
        subprocess.run(
            [sys.executable, "-c", code], capture_output=True, text=True, check=True
        ).stdout.strip()
        == "[]"
    )


def test_identify_answers_by_the_contract_and_observations_lists_what_it_takes(catalogue):
    answer = json.loads(run("identify", str(EXAMPLES / "evidence.json"), "--json").stdout)
    assert answer["present"] == ["tetranychus-urticae"]
    assert not answer["undecided"]
    assert len(answer["suspects"]) == 44
    best = answer["suspects"][0]
    assert (best["id"], set(best["for"])) == (
        "tetranychus-urticae",
        {"stipple-pale-dots", "web-fine", "tap-specks-walk"},
    )
    assert {s["stage"] for s in answer["stages"]} == {"egg", "nymph", "adult"}
    assert {"observation", "minutes", "gain"} <= set(answer["next_checks"][0])
    listed = json.loads(run("observations", "--json").stdout)["observations"]
    assert [row["id"] for row in listed] == list(catalogue.evidence.observations)
    assert json.loads(run("identify", "-", "--json", stdin='{"observations": {}}').stdout)[
        "undecided"
    ]


@pytest.mark.parametrize(
    "evidence",
    [
        '{"observations": {"no-such": true}}',
        '{"observations": {"web-fine": "yes"}}',
        '{"observations": []}',
        '{"observations": {}, "place": "moon"}',
        "[]",
        "nonsense",
    ],
)
def test_identify_refuses_what_it_cannot_read_with_a_sentence(evidence):
    result = run("identify", "-", "--json", stdin=evidence)
    assert result.exit_code == 1
    assert json.loads(result.stdout)["error"]["message"].endswith(".")


@pytest.mark.long
def test_a_plan_tells_its_chance_beside_the_rules_and_assess_judges_any_dates():
    case = json.loads((EXAMPLES / "mite-20.json").read_text("utf-8"))
    own = json.dumps({**case, "limits": {"min_gap_days": 4}})
    answer = json.loads(run("plan", "-", "--json", stdin=own).stdout)
    assert all(len(row["treatments"]) == 2 for row in answer["applications"])
    assert 0 < answer["chance_in_90"] <= answer["chance_of_clearing"] < 1
    assert answer["reaches_target"] == (answer["chance_in_90"] >= 0.95)
    rules = {r["id"]: r for r in answer["rules"]}
    assert len(rules) == 9
    assert (
        rules["twice-weekly-4-weeks"]["chance_of_clearing"]
        > rules["days-0-7-14"]["chance_of_clearing"]
    )
    assert rules["four-days-running"]["breaks_label"]
    dates = ",".join(row["target"] for row in answer["applications"])
    judged = json.loads(run("assess", "-", "--dates", dates, "--json", stdin=own).stdout)
    assert judged["chance_of_clearing"] == pytest.approx(answer["chance_of_clearing"], abs=1e-6)
    assert set(judged["by_day"][0]["stages"]) == {
        "egg",
        "larva",
        "protonymph",
        "deutonymph",
        "preoviposition",
        "adult",
    }
    assert (
        "chance of clearing"
        in run("assess", str(EXAMPLES / "mite-20.json"), "--dates", dates).stdout
    )


@pytest.mark.parametrize("dates", ["", "2026-13-01", "1999-01-01", "2100-01-01", "soon"])
def test_assess_refuses_dates_that_cannot_be_computed(dates):
    result = run("assess", str(EXAMPLES / "mite-20.json"), "--dates", dates, "--json")
    assert result.exit_code == 1
    assert json.loads(result.stdout)["error"]["field"] == "dates"


def test_mix_answers_by_contract_and_refuses_with_the_reason():
    answer = json.loads(
        run("mix", "alcohol-spray", "--litres", "1.5", "--stock-percent", "70", "--json").stdout
    )
    assert [(i["id"], round(i["ml"], 2)) for i in answer["ingredients"]] == [
        ("isopropyl-alcohol", 321.43),
        ("true-soap", 3.75),
        ("water", 1174.82),
    ]
    assert answer["ingredients"][1]["spoons"] == "3/4 tsp"
    assert answer["keeps_days"] == 30
    weak = run("mix", "alcohol-swab", "--litres", "1", "--stock-percent", "60", "--json")
    assert weak.exit_code == 1
    assert "60 % undiluted is the most" in json.loads(weak.stdout)["error"]["message"]
    vinegar = run("mix", "peroxide-drench", "--litres", "1", "--with", "vinegar")
    assert (vinegar.exit_code, vinegar.stdout) == (1, "")
    assert "peracetic acid" in vinegar.stderr
    neem = run(
        "mix",
        "neem-oil",
        "--litres",
        "1",
        "--stock",
        "clarified-neem",
        "--stock-percent",
        "70",
        "--json",
    )
    assert "Follow the label" in json.loads(neem.stdout)["error"]["message"]
    assert "true potassium soap" in run("mix", "insecticidal-soap", "--litres", "1").stdout


def test_treatments_give_kill_by_group_hazards_and_what_bears_them_badly(catalogue):
    rows = {row["id"]: row for row in json.loads(run("treatments", "--json").stdout)["treatments"]}
    assert set(rows) == set(catalogue.treatments)
    assert rows["paraffinic-oil"]["kill"]["spider-mite"]["by_stage"]["egg"] == 0.8
    assert rows["permethrin"]["hazards"]["cats"]["level"] == "danger"
    assert "ferns" in rows["insecticidal-soap"]["unsuitable_plants"]
    assert rows["phytoseiulus"]["kill"]["spider-mite"]["per"] == "week"
    assert all(row["mode_of_action_group"] and row["cautions"] for row in rows.values())
    assert "paraffinic oil" in run("treatments").stdout


def test_clear_date_by_the_contract():
    answer = json.loads(run("clear-date", str(EXAMPLES / "mite-counted.json"), "--json").stdout)
    days = [date.fromisoformat(d["date"]) for d in answer["chance_alive_by_day"]]
    chances = [d["chance"] for d in answer["chance_alive_by_day"]]
    assert all((b - a).days == 1 for a, b in itertools.pairwise(days))
    assert all(b <= a + 1e-6 for a, b in itertools.pairwise(chances)), "what is dead stays dead"
    assert answer["last_live"] == "2026-06-06"
    looks = answer["needed_looks"]
    assert looks[-1]["date"] == answer["all_clear"]
    assert answer["all_clear"] >= max(answer["matured"], answer["hatched"])
    assert chances[-1] < 0.01
    assert len(looks) >= 1, "one clean look is recorded, and it came too early to be the last"


@pytest.mark.long
def test_inspections_move_a_plan_and_nonsense_names_its_field():
    case = json.loads((EXAMPLES / "mite-counted.json").read_text("utf-8"))
    many = {
        **case,
        "inspections": [
            {"date": d, "stage": "nymph", "count": n}
            for d, n in (("2026-06-06", 160), ("2026-06-10", 220))
        ],
    }
    plans = [
        json.loads(run("plan", "-", "--json", stdin=json.dumps(c)).stdout)
        for c in ({**case, "inspections": []}, many)
    ]
    assert plans[1]["chance_of_clearing"] < plans[0]["chance_of_clearing"] or len(
        plans[1]["applications"]
    ) > len(plans[0]["applications"])
    fixed = [a["target"] for a in plans[0]["applications"] if a["set"]]
    assert plans[0]["closed"] >= plans[0]["all_clear"] > fixed[-1]
    for item, field in (
        ({"date": "soon"}, ".date"),
        ({"count": 2, "stage": "imago"}, ".stage"),
        ({"count": -1}, ".count"),
        ({"count": 0, "share": 2}, ".share"),
        ({"count": 0, "thorough": "very"}, ".thorough"),
        (7, ""),
    ):
        item = {"date": "2026-06-06", **item} if isinstance(item, dict) else item
        wrong = run("clear-date", "-", "--json", stdin=json.dumps({**case, "inspections": [item]}))
        assert wrong.exit_code == 1
        assert json.loads(wrong.stdout)["error"]["field"] == f"inspections.0{field}"


def test_a_household_goes_out_and_in_by_command(demo_household, tmp_path):
    here, there = tmp_path / "here", tmp_path / "there"
    here.mkdir()
    (here / "household.sqlite").write_bytes(demo_household.read_bytes())
    document = run("export", "--data", str(here)).stdout
    (tmp_path / "household.json").write_text(document, "utf-8")
    assert (
        json.loads(
            run("import", str(tmp_path / "household.json"), "--data", str(there), "--json").stdout
        )["kept"]
        is None
    )
    assert run("export", "--data", str(there)).stdout == document
    assert "already" in run("import", str(tmp_path / "household.json"), "--data", str(there)).stderr
    assert run("export", "--data", str(there), "--csv", str(tmp_path / "tables.zip")).exit_code == 0
    again = json.loads(
        run(
            "import", str(tmp_path / "tables.zip"), "--replace", "--data", str(there), "--json"
        ).stdout
    )
    assert Path(again["kept"]).is_file()
    assert run("export", "--data", str(there)).stdout == document
    assert run("backup", str(tmp_path / "copy.sqlite"), "--data", str(here)).exit_code == 0
    assert json.loads(
        run("restore", str(tmp_path / "copy.sqlite"), "--data", str(there), "--json").stdout
    )["kept"]
    assert run("restore", str(tmp_path / "household.json"), "--data", str(there)).exit_code == 1
    assert run("export", "--data", str(there)).stdout == document


@pytest.mark.long
def test_a_household_of_more_than_twenty_megabytes_goes_out_and_in_by_command(
    demo_household, tmp_path
):
    from brood.store.session import Store
    from brood.store.tables import Look, Photo, Plant

    folder = tmp_path / "large"
    folder.mkdir()
    shutil.copy(demo_household, folder / "household.sqlite")
    store = Store(folder / "household.sqlite")
    with store.writing() as session:
        look = Look(plant_id=session.query(Plant.id).limit(1).scalar(), tools=[], started_at=NOW)
        session.add(look)
        session.flush()
        session.add_all(
            Photo(
                look_id=look.id,
                filename="leaf.jpg",
                jpeg=b"\xff\xd8" * 400_000,
                width=9,
                height=9,
                lengths_mm=[],
                recorded_at=NOW,
            )
            for _ in range(22)
        )
    store.close()
    document = run("export", "--data", str(folder)).output
    assert len(document) > 20_000_000
    (tmp_path / "large.json").write_text(document, "utf-8")
    taken = run("import", str(tmp_path / "large.json"), "--data", str(tmp_path / "other"), "--json")
    assert json.loads(taken.output)["rows"] > 100
    assert run("export", "--data", str(tmp_path / "other")).output == document


@pytest.mark.parametrize(
    "table", [b"temperature,days\r20,6.7\r25,4.4\r30,3.3", b"", b'temperature,days\n"20\r,6.7']
)
def test_fit_answers_a_table_of_odd_lines_with_a_sentence(table):
    answer = run("fit", "-", "--json", stdin=table)
    assert answer.exit_code in (0, 1)
    assert "Traceback" not in answer.output
    json.loads(answer.output)


def test_a_number_of_five_thousand_digits_is_refused_in_a_sentence():
    answer = run("plan", "-", "--json", stdin=b'{"schema": 1, "start": ' + b"9" * 5000 + b"}")
    assert answer.exit_code == 1
    assert "more digits" in json.loads(answer.output)["error"]["message"]


@pytest.mark.long
def test_eggs_found_three_weeks_after_the_first_are_planned():
    case = {
        "schema": 1,
        "pest": MITE,
        "start": "2026-06-22",
        "found": [
            {"date": "2026-05-12", "stage": "egg", "count": 30},
            {"date": "2026-06-01", "stage": "egg", "count": 30},
        ],
        "treatments": [{"id": "wiping"}, {"id": "insecticidal-soap"}],
        "temperature": {"kind": "day-night", "day": 24, "night": 18},
    }
    answer = run("plan", "-", "--json", stdin=json.dumps(case).encode())
    assert answer.exit_code == 0, answer.output
    assert json.loads(answer.output)["applications"]


def test_defaults_answer_treatments_what_they_lead_to_and_what_is_left_out():
    said = run(
        "defaults", "coccus-hesperidum", "--plant-kind", "orchid", "--build", "orchid", "--json"
    )
    answer = json.loads(said.stdout)
    assert answer["treatments"] == ["sheath-strip", "alcohol-swab", "paraffinic-oil"]
    assert answer["policy_chance"] > 0.9
    assert answer["likely"]["low"] <= answer["likely"]["evenings"] <= answer["likely"]["high"]
    succulent = json.loads(
        run("defaults", "tetranychus-urticae", "--plant-kind", "cactus-succulent", "--json").stdout
    )
    why = {one["id"]: one["why"] for one in succulent["left_out"]}
    assert "injures" in why["insecticidal-soap"]
    words = run("defaults", "myzus-persicae", "--plant-kind", "foliage").stdout
    assert "insecticidal-soap, shower" in words
    wrong = run(
        "defaults", "myzus-persicae", "--plant-kind", "foliage", "--place", "moon", "--json"
    )
    assert json.loads(wrong.stdout)["error"]["field"] == "place"
