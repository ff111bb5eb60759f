"""The command line: JSON by contract, words on standard error, true exit codes, help with an example."""

import itertools
import json
import subprocess
import sys
from datetime import date
from pathlib import Path

import pytest
from click.testing import CliRunner

from brood.cli.main import main
from brood.cli.output import finite

EXAMPLES = Path(__file__).parents[2] / "docs" / "examples"


def run(*args, stdin=None):
    return CliRunner().invoke(main, list(args), input=stdin)


@pytest.mark.parametrize(("celsius", "egg", "generation"), [(20, (6.2, 7.2), (15, 18)), (15, (13, 16), (33, 40)), (30, (2.6, 3.1), (6.6, 8.0))])
def test_develop_gives_the_mites_times(celsius, egg, generation):
    answer = json.loads(run("develop", "tetranychus-urticae", "--celsius", str(celsius), "--json").stdout)
    assert egg[0] <= answer["stages"][0]["days"]["typical"] <= egg[1]
    assert generation[0] <= answer["generation"]["typical"] <= generation[1]
    assert [s["stage"] for s in answer["stages"]] == ["egg", "larva", "protonymph", "deutonymph"]
    assert {s["confidence"] for s in answer["sources"]} == {"A", "B"}


def test_develop_in_the_cold_is_null_with_a_note():
    answer = json.loads(run("develop", "tetranychus-urticae", "--celsius", "8", "--json").stdout)
    assert answer["generation"] == {"fast": None, "typical": None, "slow": None}
    assert "does not develop" in answer["note"]


def test_develop_reads_the_simulated_loggers_file(tmp_path):
    log = run("logger", "--start", "2026-06-01", "--days", "30").stdout
    file = tmp_path / "balcony.csv"
    file.write_text(log)
    args = ("develop", "frankliniella-occidentalis", "--from", "egg", "--start", "2026-06-03", "--json")
    answer = json.loads(run(*args, "--temperature", str(file)).stdout)
    assert json.loads(run(*args, "--temperature", "-", stdin=log).stdout) == answer
    assert [e["event"] for e in answer["events"]][-2:] == ["emergence", "first-egg"]
    assert date.fromisoformat(answer["first_breeding"]["fast"]) < date.fromisoformat(answer["first_breeding"]["slow"])
    assert len(answer["refused"]) == 2


def test_plan_gaps_by_warmth_and_pest_as_the_examples_show():
    def gaps(name):
        days = [date.fromisoformat(a["target"]) for a in json.loads(run("plan", str(EXAMPLES / name), "--json").stdout)["applications"]]
        return [(b - a).days for a, b in itertools.pairwise(days)]

    assert max(gaps("mite-27.json")) < min(gaps("mite-20.json"))
    assert sum(gaps("mite-20.json")) > sum(gaps("mite-27.json"))
    assert max(gaps("thrips-22.json")) <= 2


def test_words_go_to_standard_error_and_data_to_standard_output():
    result = run("plan", str(EXAMPLES / "mite-20.json"))
    assert result.exit_code == 0
    assert "not computed yet" in result.stderr
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
        (("develop", "tetranychus-urticae", "--temperature", "-", "--from", "egg", "--start", "2026-06-01"), "%PDF-1.7", "file"),
        (("develop", "tetranychus-urticae", "--temperature", "-", "--from", "pip", "--start", "2026-06-01"), "time,temperature_c\n", "from"),
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


@pytest.mark.parametrize("args", [("develop", "tetranychus-urticae"), ("fly",), ("logger", "--days", "0"), ("plan",)])
def test_misuse_exits_2(args):
    assert run(*args).exit_code == 2


@pytest.mark.parametrize("command", sorted(main.commands))
def test_every_command_has_help_with_an_example(command):
    help_text = run(command, "--help").output
    assert f"brood {command}" in help_text.replace("Usage: main", "")
    assert "--json" in help_text or command == "logger"


def test_the_demo_household_is_made_without_serving(tmp_path):
    for _ in range(2):
        result = run("demo", "--data", str(tmp_path / "demo"), "--no-serve")
        assert result.exit_code == 0
        assert "http://127.0.0.1:8000" in result.stdout


def test_nothing_that_is_not_finite_leaves_as_a_number():
    assert finite({"a": [1.5, float("inf")], "b": float("nan")}) == {"a": [1.5, None], "b": None}


def test_the_command_starts_quickly_without_the_heavy_packages():
    code = "import sys, brood.cli.main; print(sorted(m for m in ('scipy', 'alembic', 'flask', 'sqlalchemy') if m in sys.modules))"
    assert subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.strip() == "[]"
