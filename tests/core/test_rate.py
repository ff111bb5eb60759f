"""The rate of development and its fit: one contract over every shipped stage."""

import math
import tomllib
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brood.catalogue.loader import WEIGHT, shipped
from brood.core.rate import Point, RateModel, fit
from brood.core.timeline import stage_times
from brood.errors import ModelError

STAGES = [(pest.id, stage) for pest in shipped().pests.values() for stage in pest.stages]
SABELIS = tomllib.loads((Path(__file__).parent / "published/sabelis-1981.toml").read_text("utf-8"))
BROKEN = [(20, 50, 15, 25, 35), (10, -5, 20, 25, 35), (10, 0, 20, 25, 35), (10, 50, 26, 25, 35), (10, 50, 20, 36, 35), (math.nan, 50, 20, 25, 35)]


@pytest.mark.parametrize(("pest", "stage"), STAGES, ids=lambda v: v if isinstance(v, str) else v.id)
def test_every_stage_keeps_the_contract_of_a_rate(pest, stage):
    model = stage.rate
    grid = np.linspace(-20, 55, 301)
    rates = model.per_day(grid)
    assert np.array_equal(rates, [float(model.per_day(t)) for t in grid])
    assert (rates >= 0).all()
    assert (rates[(grid <= model.lower_c) | (grid >= model.upper_c)] == 0).all()
    rising = (grid >= model.lower_c) & (grid <= model.plateau_to_c)
    assert (np.diff(rates[rising]) >= -1e-12).all()
    assert np.isnan(model.per_day(np.array([math.nan, 20.0]))[0])
    assert model.days(model.lower_c - 1) == math.inf


@pytest.mark.parametrize("pest", list(shipped().pests))
def test_fitted_times_keep_to_the_tables_inside_the_fitted_range(pest):
    record, misses = shipped().records[pest], []
    for stage, rows in zip(shipped().pests[pest].stages, record.stage, strict=True):
        worst = 0.15 if stage.id == "preoviposition" else 0.12
        for row in rows.development:
            if WEIGHT[row.grade] and row.celsius <= stage.rate.plateau_to_c:
                miss = abs(stage.rate.days(row.celsius) / row.days - 1)
                assert miss <= worst, (stage.id, row.celsius)
                misses.append(miss)
    assert np.median(misses) <= 0.05


@pytest.mark.parametrize("row", SABELIS["row"], ids=lambda r: str(r["celsius"]))
def test_the_engine_returns_the_published_mite_table(row):
    times = stage_times(shipped().pests[SABELIS["pest"]], row["celsius"])
    got = {**{stage: span.typical for stage, span in times.stages}, "egg_to_adult": times.egg_to_adult.typical,
           "preoviposition": times.preoviposition.typical, "generation": times.generation.typical}  # fmt: skip
    misses = [abs(got[key] / row[key] - 1) for key in got if key != "preoviposition"]
    assert np.median(misses) <= 0.05
    assert max(misses) <= 0.12
    assert got["preoviposition"] == pytest.approx(row["preoviposition"], rel=0.20), "a short Erlang stage has its median under its mean"


@given(st.floats(3, 14), st.floats(20, 400))
def test_a_fit_finds_the_line_that_made_its_table(lower, k):
    points = [Point(t, k / (t - lower)) for t in (16, 18, 21, 24, 27)]
    model = fit(points, 38.0)
    assert model.lower_c == pytest.approx(lower, abs=0.02)
    assert model.k_dd == pytest.approx(k, rel=0.005)
    assert model.plateau_from_c == model.plateau_to_c == 27


def test_a_table_that_levels_off_gets_a_plateau_and_ungraded_points_do_not_count():
    rising = [Point(t, 100 / (t - 10), 4.0) for t in (14, 17, 20, 23, 26)]
    model = fit([*rising, Point(30, 6.2), Point(33, 6.1), Point(36, 8.0), Point(11, 12.0, 0.0)], 40.0)
    assert (model.plateau_from_c, model.plateau_to_c) == (26, 33)
    assert model.lower_c == pytest.approx(10, abs=0.02)
    assert model.days(31) == pytest.approx(100 / 16, rel=0.01)


@pytest.mark.parametrize("figures", BROKEN)
def test_impossible_figures_are_refused(figures):
    with pytest.raises(ModelError):
        RateModel(*figures)


def test_two_temperatures_are_not_enough_for_a_line():
    with pytest.raises(ModelError, match="three temperatures"):
        fit([Point(15, 10), Point(20, 6), Point(20, 6.1)], 38.0)
