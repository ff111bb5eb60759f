"""How long the computation and the pages take. Run with `make bench`; nothing here can
fail a test run.
"""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from importlib.resources import files
from pathlib import Path

import pytest

from brood.catalogue.loader import load, shipped
from brood.core.biology.case import Case, Found
from brood.core.biology.stage_times import stage_times
from brood.core.climate.series import daily
from brood.core.course.planner import plan, problem_of
from brood.core.population.projection import project
from brood.demo import tern_cottage
from brood.services.documents.identify import answer
from brood.services.treatment import defaults
from brood.services.warmth.simulated_logger import LoggerPlan, csv_text
from brood.settings import Settings
from brood.web.app import create_app

DAY = date(2026, 6, 1)
PESTS = sorted(shipped().pests)


def case(pest: str) -> Case:
    catalogue = shipped()
    found = (
        Found(DAY, catalogue.pests[pest].stages[0].id, 60.0),
        Found(DAY, catalogue.pests[pest].stages[1].id, 30.0),
        Found(DAY, "adult", 12.0),
    )
    acts = tuple(
        catalogue.act(a, pest) for a in defaults.of_plant(catalogue, pest, defaults.nobodys()).acts
    )
    return Case(
        catalogue.pest(pest),
        DAY,
        found,
        daily(DAY - timedelta(days=2), [15] * 220, [27] * 220, spread_c=1.5),
        acts,
    )


def test_read_the_catalogue(benchmark):
    benchmark(load, files("brood.catalogue") / "data")


@pytest.mark.parametrize("pest", PESTS)
def test_plan(benchmark, pest):
    benchmark(lambda: plan(problem_of(case(pest))))


@pytest.mark.parametrize("pest", PESTS)
def test_project_45_days(benchmark, pest):
    one = case(pest)
    benchmark(
        project,
        one,
        [(DAY + timedelta(days=d), one.acts) for d in range(0, 30, 4)],
        DAY + timedelta(days=45),
    )


def test_identify_with_next_checks(benchmark):
    evidence = {
        "observations": {
            "stipple-pale-dots": True,
            "web-fine": True,
            "tap-specks-walk": True,
            "sticky-plant": False,
            "black-specks": False,
        }
    }
    answer(shipped(), evidence)
    benchmark(answer, shipped(), evidence)


def test_stage_times(benchmark):
    benchmark(stage_times, shipped().pests[PESTS[0]], 21.0)


@pytest.mark.parametrize(
    "page", ["/plants", "/places/1", "/cases/1", "/cases/3", "/looks/1/suspects"]
)
def test_page(benchmark, tmp_path: Path, page: str):
    tern_cottage.seed(tmp_path / "household.sqlite", now=datetime.combine(DAY, time(18)))
    client = create_app(
        Settings(data=tmp_path), lambda: datetime.combine(DAY, time(18))
    ).test_client()
    assert client.get(page).status_code == 200
    benchmark(client.get, page)


def test_read_a_years_file(benchmark):
    from brood.core.climate.logger_table import parse

    benchmark.pedantic(
        parse, (csv_text(LoggerPlan(datetime(2026, 1, 1), days=365)).encode(),), rounds=3
    )


@pytest.mark.parametrize("month", [1, 4, 7, 11])
def test_the_demo_household_is_laid_out_in_every_season(benchmark, tmp_path, month):
    benchmark.pedantic(
        tern_cottage.seed,
        (tmp_path / "household.sqlite",),
        {"now": datetime(2026, month, 16, 18)},
        rounds=1,
        iterations=1,
    )
