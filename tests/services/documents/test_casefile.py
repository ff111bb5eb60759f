"""The contract's JSON: good cases planned, bad ones answered with field and reason."""

import copy
import json
from pathlib import Path
from unittest.mock import patch

import pytest
from conftest import MITE

from brood.core.course import planner
from brood.core.course.outcome import outcomes
from brood.errors import InputError
from brood.services.documents import case_document
from brood.services.documents.case_document import figures, plan_json, read_case
from brood.services.documents.reading import parse_json

EXAMPLES = Path(__file__).parents[3] / "docs" / "examples"
BASE = json.loads((EXAMPLES / "mite-20.json").read_text("utf-8"))
TEMPERATURES = [
    {"kind": "constant", "celsius": 22},
    {"kind": "day-night", "day": 24, "night": 17, "day_from": "07:00", "night_from": "21:00"},
    {"kind": "hourly", "start": "2026-05-30T00:00", "celsius": [18, 20, 24, 20] * 42},
    {"kind": "daily", "start": "2026-05-30", "min": [14] * 9, "max": [27] * 9},
]


def plan(data, catalogue):
    case, warnings = read_case(data, catalogue)
    problem = planner.problem_of(case)
    return plan_json(problem, planner.plan(problem), warnings, catalogue)


def briefly(data, catalogue):
    """The same without what looks will decide, which takes most of the time."""
    with patch.object(case_document, "course_json", lambda *_: {"set": 1}):
        return plan(data, catalogue)


def dates(data, catalogue):
    """The plan alone, and the numbers that it leaves: what is likely is a second more."""
    case, _ = read_case(data, catalogue)
    problem = planner.problem_of(case)
    answer = planner.plan(problem)
    return answer, figures(outcomes(problem, [answer.evenings])[0])


@pytest.mark.parametrize("temperature", TEMPERATURES, ids=lambda t: t["kind"])
def test_every_kind_of_temperature_is_planned(catalogue, temperature):
    answer = briefly({**BASE, "temperature": temperature}, catalogue)
    assert answer["schema"] == 1
    assert all(a["earliest"] <= a["target"] <= a["latest"] for a in answer["applications"])
    assert 0 < answer["chance_in_90"] <= answer["chance_of_clearing"] < 1
    assert (len(answer["rules"]), answer["improvements"]) == (9, [])


def test_why_names_stage_event_and_temperature(catalogue):
    for row in briefly(BASE, catalogue)["applications"][1:]:
        assert "ggs" in row["why"]
        assert "hatch" in row["why"]
        assert "20 °C" in row["why"]


def test_evenings_done_count_and_a_slip_is_reported(catalogue):
    done = [{"date": "2026-06-01"}, {"date": "2026-06-14", "treatments": ["wiping"]}]
    answer = briefly({**BASE, "start": "2026-06-14", "done": done}, catalogue)
    assert [d["date"] for d in answer["done"]] == ["2026-06-01", "2026-06-14"]
    assert answer["applications"][0]["n"] == 3
    assert "probably laid" in answer["escaped"][0]["message"]


def test_limits_replace_the_treatments_own_with_a_warning(catalogue):
    answer = briefly(
        {
            **BASE,
            "limits": {"min_gap_days": 5, "weekdays": ["mon", "sat"], "harvest": "2026-07-01"},
        },
        catalogue,
    )
    assert any("label" in w for w in answer["warnings"])


def test_the_keepers_own_kill_and_label_are_used(catalogue):
    soap = {
        "id": "insecticidal-soap",
        "kill": {"egg": 0.9, "larva": 0.1},
        "min_gap_days": 6,
        "max_applications": 3,
    }
    answer = briefly({**BASE, "treatments": [soap]}, catalogue)
    assert answer["guard"] == "deutonymph"
    assert len(answer["applications"]) == 3
    assert answer["reaches_target"] is False
    assert {"change", "chance_of_clearing", "applications"} <= set(answer["improvements"][0])


@pytest.mark.parametrize(
    ("path", "value", "field"),
    [
        (("pest",), "dragon", "pest"),
        (("pest",), None, "pest"),
        (("start",), "1800-01-01", "start"),
        (("start",), "June", "start"),
        (("found",), [], "found"),
        (("found", 0, "count"), -3, "found.0.count"),
        (("found", 0, "count"), 1e9, "found.0.count"),
        (("found", 0, "count"), float("nan"), "found.0.count"),
        (("found", 0, "count"), True, "found.0.count"),
        (("found", 0, "stage"), "pupa", "found.0.stage"),
        (("found", 0), "egg", "found.0"),
        (("found", 0, "date"), 7, "found.0.date"),
        (("temperature",), {"kind": "fire"}, "temperature.kind"),
        (("temperature", "celsius"), 99, "temperature.celsius"),
        (
            ("temperature",),
            {"kind": "hourly", "start": "2026-06-01T00:00", "celsius": []},
            "temperature.celsius",
        ),
        (("temperature",), "warm", "temperature"),
        (("treatments",), [{"id": "tobacco"}], "treatments"),
        (("treatments",), [3], "treatments.0"),
        (("treatments", 0, "min_gap_days"), 1.5, "treatments.0.min_gap_days"),
        (("reach",), 0, "reach"),
        (("schema",), 2, "schema"),
        (("limits",), {"weekdays": ["funday"]}, "limits.weekdays"),
        (("limits",), {"away": [["2026-06-01"]]}, "limits.away.0"),
        (("done",), {"date": 1}, "done"),
        (("done",), [3], "done.0"),
        (("done",), [{"date": "2026-06-02", "treatments": 0.5}], "done.0.treatments"),
        (("temperature_sd",), "x", "temperature_sd"),
        (("limits",), {"away": True}, "limits.away"),
        (("infer_hidden",), 3, "infer_hidden"),
        (("limits",), [1], "limits"),
        (("horizon_days",), 3, "horizon_days"),
        (("also",), [3], "also.0"),
        (("also",), [{}] * 7, "also"),
        (("limits",), {"weekdays": []}, "limits.weekdays"),
        (
            ("inspections",),
            [{"date": "2026-06-05", "count": 2, "within_days": 99}],
            "inspections.0.within_days",
        ),
        (("temperature",), {"celsius": 20}, "temperature.kind"),
        (("found",), [{"date": "2026-06-01", "stage": "egg", "count": 0}], "found.0.count"),
        (("treatments", 0, "when"), "often", "treatments.0.when"),
    ],
)
def test_a_bad_case_names_the_field(catalogue, path, value, field):
    data = copy.deepcopy(BASE)
    at = data
    for key in path[:-1]:
        at = at[key]
    at[path[-1]] = value
    with pytest.raises(InputError) as caught:
        plan(data, catalogue)
    assert caught.value.field == field
    assert caught.value.message.endswith(".")


def test_a_garden_may_ask_to_hold_a_number_instead_of_clearing(catalogue):
    held = plan({**BASE, "keep_below": 60, "horizon_days": 45}, catalogue)
    assert held["reaches_target"]
    assert held["improvements"] == []
    assert "past your number" in held["applications"][0]["why"]


def test_a_second_pest_shares_the_dates_and_the_acts_of_both(catalogue):
    flies = {
        "pest": "trialeurodes-vaporariorum",
        "found": [{"date": "2026-06-01", "stage": "nymph", "count": "few"}],
    }
    answer = briefly({**BASE, "also": [{**flies, "treatments": [{"id": "shower"}]}]}, catalogue)
    assert {s for a in answer["applications"] for s in a["serves"]} == {BASE["pest"], flies["pest"]}
    assert {"wiping", "insecticidal-soap"} <= {
        t for a in answer["applications"] for t in a["treatments"]
    }
    with pytest.raises(InputError) as caught:
        plan(
            {
                **BASE,
                "also": [{**flies, "found": [{"date": "2026-06-01", "stage": "wing", "count": 3}]}],
            },
            catalogue,
        )
    assert caught.value.field == "also.0.found.0.stage"


@pytest.mark.parametrize("text", ["", "[]", "{", '"x"', "[" * 100_000])
def test_what_is_no_json_object_is_refused(text):
    with pytest.raises(InputError):
        parse_json(text)


@pytest.mark.long
def test_the_examples_in_the_docs_are_planned(catalogue):
    for path in EXAMPLES.glob("*-*.json"):
        assert briefly(json.loads(path.read_text("utf-8")), catalogue)["applications"]
    assert BASE["pest"] == MITE


@pytest.mark.long
def test_rain_states_cuttings_and_repotting_reach_the_plan(catalogue):
    _, leaf = dates(BASE, catalogue)
    shorter = {**BASE, "cut": [{"date": BASE["start"], "leaves": 6, "of": 18}]}
    assert dates(shorter, catalogue)[1]["expected_survivors"] < leaf["expected_survivors"]
    assert briefly(shorter, catalogue)["done"] == [], "cutting is no evening"
    gnats = {
        **BASE,
        "pest": "bradysia",
        "found": [{"date": BASE["start"], "stage": "larva", "count": 30}],
        "treatments": [{"id": "bti-drench"}],
    }
    dry = {"state": "dry-surface", "from": BASE["start"], "to": "2026-09-01"}
    (wet, left), (below, _) = (dates({**gnats, "states": s}, catalogue) for s in ([], [dry]))
    assert below.growth < wet.growth
    kept = plan({**gnats, "treatments": [{"id": "bti-drench"}, {"id": "soil-drying"}]}, catalogue)
    assert kept["kept"] == ["soil-drying"]
    assert kept["growth"] == pytest.approx(below.growth, abs=0.001)
    assert all(e["treatments"] == ["bti-drench"] for e in kept["applications"])
    _, repotted = dates({**gnats, "repotted": [BASE["start"]]}, catalogue)
    assert repotted["expected_survivors"] < left["expected_survivors"]
    bed = {
        **BASE,
        "pest": "pieris-rapae",
        "place": "outdoor",
        "found": [{"date": BASE["start"], "stage": "larva", "count": 12}],
        "treatments": [{"id": "btk"}],
        "done": [{"date": BASE["start"]}],
        "start": "2026-06-04",
    }
    rain = [{"date": f"2026-06-{n:02d}", "mm": 0} for n in range(3, 20)]
    after_dry, after_rain = (
        dates({**bed, "rain": [*rain, {"date": "2026-06-02", "mm": mm, "hour": 8}]}, catalogue)[0]
        for mm in (0, 18)
    )
    assert after_rain.applications[0].target < after_dry.applications[0].target


@pytest.mark.parametrize(
    ("more", "field"),
    [
        ({"rain": [{"date": "2026-06-02", "mm": -3}]}, "rain.0.mm"),
        ({"rain": [{"date": "2026-06-02", "mm": 900}]}, "rain.0.mm"),
        ({"rain": [{"date": "2026-06-02", "mm": 3, "hour": 24}]}, "rain.0.hour"),
        ({"states": [{"state": "lasso", "from": "2026-06-01"}]}, "states.0.state"),
        (
            {"states": [{"state": "netting", "from": "2026-06-09", "to": "2026-06-01"}]},
            "states.0.to",
        ),
        ({"cut": [{"date": "2026-06-01", "leaves": 30, "of": 20}]}, "cut.0.leaves"),
        ({"place": "attic"}, "place"),
    ],
)
def test_what_cannot_be_of_rain_states_and_cuts_is_said_with_its_field(catalogue, more, field):
    with pytest.raises(InputError) as refused:
        plan({**BASE, **more}, catalogue)
    assert refused.value.field == field
    assert refused.value.message.endswith(".")


@pytest.mark.long
def test_an_aim_takes_the_way_that_is_best_at_it_and_a_group_its_hours(catalogue):
    answers = {
        aim: plan({**BASE, **({"aim": aim} if aim else {})}, catalogue)
        for aim in (None, "fewest", "soonest")
    }
    courses = {c["aim"]: c for c in answers[None]["courses"]}
    assert {"fewest", "soonest"} <= {*courses}
    for aim in ("fewest", "soonest"):
        likely = answers[aim]["likely"]
        assert abs(likely["evenings"] - courses[aim]["evenings"]) <= 1
        assert all(c["policy_chance"] >= 0.9 for c in answers[aim]["courses"])
    assert answers["soonest"]["likely"]["last"] <= answers["fewest"]["likely"]["last"]
    one, many = answers[None]["courses"], courses_of(BASE, catalogue, 29)
    assert [c["hours"] for c in many] == pytest.approx([29 * c["hours"] for c in one], rel=0.03)


def courses_of(data, catalogue, plants):
    case, warnings = read_case({**data, "group": plants}, catalogue)
    problem = planner.problem_of(case)
    answer = plan_json(problem, planner.plan(problem), warnings, catalogue, (), plants)
    assert answer["group"] == plants
    return answer["courses"]


@pytest.mark.long
def test_no_course_by_hand_alone_is_said_and_a_wrong_aim_or_group_is_named(catalogue):
    case, warnings = read_case({**BASE, "aim": "gentlest"}, catalogue)
    assert any(not a.by_hand for a in case.acts)
    assert "by hand alone" in warnings[-1]
    for wrong in ({"aim": "quickest"}, {"group": 0}, {"group": 2.5}):
        with pytest.raises(InputError) as error:
            read_case({**BASE, **wrong}, catalogue)
        assert error.value.field in wrong
