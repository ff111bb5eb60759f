"""The rate of development and its fit: one contract over every shipped stage."""

import math
import tomllib
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brood.catalogue.loader import points, shipped
from brood.core.biology.fitting import Point, fit_all, fit_line
from brood.core.biology.rates import MODELS, Briere1, Lactin2, LinearPlateau, model_of
from brood.core.biology.stage_times import stage_times
from brood.errors import ModelError

STAGES = [(pest.id, stage) for pest in shipped().pests.values() for stage in pest.stages]
SABELIS = tomllib.loads(
    (Path(__file__).parents[1] / "published/sabelis-1981.toml").read_text("utf-8")
)
CURVES = [
    LinearPlateau(11.3, 126, 30, 32, 39),
    Briere1(1.2e-4, 9.4, 40.0, 32.0, 38.0),
    Lactin2(0.011, 36.0, 1.5, -1.13, 30.0, 40.0),
]
SHAPES = [*STAGES, *((m.name, m) for m in CURVES)]
BROKEN = [
    (20, 50, 15, 25, 35),
    (10, -5, 20, 25, 35),
    (10, 0, 20, 25, 35),
    (10, 50, 26, 25, 35),
    (10, 50, 20, 36, 35),
    (math.nan, 50, 20, 25, 35),
]


@pytest.mark.parametrize(
    ("pest", "stage"), SHAPES, ids=lambda v: v if isinstance(v, str) else getattr(v, "id", "model")
)
def test_every_model_keeps_the_contract_of_a_rate(pest, stage):
    model = getattr(stage, "rate", stage)
    lower, fastest, upper = model.limits
    grid = np.linspace(-20, 55, 301)
    rates = model.per_day(grid)
    assert np.array_equal(rates, [float(model.per_day(t)) for t in grid])
    assert (rates >= 0).all()
    assert (rates[(grid <= lower) | (grid >= upper)] == 0).all()
    if model.name == "linear-plateau":
        assert (np.diff(rates[(grid >= lower) & (grid <= fastest)]) >= -1e-12).all()
    assert (rates[grid > fastest] <= float(model.per_day(fastest)) + 1e-12).all(), (
        "never faster above the fastest tabulated temperature"
    )
    assert np.isnan(model.per_day(np.array([math.nan, 20.0]))[0])
    assert model.days(lower - 1) == model.days(upper + 1) == math.inf
    assert model_of(model.name, model.figures) == model


@pytest.mark.parametrize("pest", list(shipped().pests))
def test_fitted_times_keep_to_the_tables_inside_the_fitted_range(pest):
    record, misses = shipped().records[pest], []
    for stage, rows in zip(shipped().pests[pest].stages, record.stage, strict=True):
        worst = 0.15 if stage.id == "preoviposition" else 0.12
        for row in rows.development:
            inside = (
                stage.id == "preoviposition"
                or record.fitted_c[0] <= row.celsius <= record.fitted_c[1]
            )
            if row.grade != "C" and inside:
                miss = abs(stage.rate.days(row.celsius) / row.days - 1)
                assert miss <= worst, (stage.id, row.celsius)
                misses.append(miss)
    assert not misses or np.median(misses) <= 0.05


@pytest.mark.long
def test_the_kept_constants_of_curves_are_those_that_a_fit_to_their_table_gives():
    kept = [(r, s) for r in shipped().records.values() for s in r.stage if s.fitted]
    assert {r.id for r, _ in kept} >= {"bradysia", "myzus-persicae", "aulacorthum-solani"}
    for record, stage in kept[::3]:
        fits = {f.model.name: f for f in fit_all([p for p in points(record, stage) if p.weight])}
        again = fits[stage.model or record.model]
        assert again.aicc == min(
            f.aicc for f in fits.values() if f.aicc is not None and f.model.name != "lactin-2"
        )
        for p in again.residuals:
            assert p.fitted_days == pytest.approx(
                shipped().pests[record.id].stages[record.stage.index(stage)].rate.days(p.celsius),
                rel=0.01,
            )


@pytest.mark.parametrize("model", CURVES, ids=lambda m: m.name)
def test_a_fit_finds_the_curve_that_made_its_table(model):
    rows = [Point(t, model.days(t)) for t in range(14, 35, 2) if model.days(t) < 100]
    fit = next(
        f
        for f in fit_all(rows, model.limits[2] if model.name == "linear-plateau" else None)
        if f.model.name == model.name
    )
    assert fit.r_squared > 0.999
    assert (
        max(abs(r.days / r.tabulated_days) for r in fit.residuals if r.celsius <= model.limits[1])
        < 0.02
    )
    assert all(p.standard_error is None or p.standard_error >= 0 for p in fit.parameters)
    assert {f.model.name for f in fit_all(rows)} == set(MODELS)
    assert [f.model.name for f in fit_all(rows[:3])] == ["linear-plateau"]


@pytest.mark.parametrize("row", SABELIS["row"], ids=lambda r: str(r["celsius"]))
def test_the_engine_returns_the_published_mite_table(row):
    times = stage_times(shipped().pests[SABELIS["pest"]], row["celsius"])
    got = {
        **{stage: span.typical for stage, span in times.stages},
        "egg_to_adult": times.egg_to_adult.typical,
        "preoviposition": times.preoviposition.typical,
        "generation": times.generation.typical,
    }
    misses = [abs(got[key] / row[key] - 1) for key in got if key != "preoviposition"]
    assert np.median(misses) <= 0.05
    assert max(misses) <= 0.12
    assert got["preoviposition"] == pytest.approx(row["preoviposition"], rel=0.20), (
        "a short Erlang stage has its median under its mean"
    )


@given(st.floats(3, 14), st.floats(20, 400))
def test_a_fit_finds_the_line_that_made_its_table(lower, k):
    model = fit_line([Point(t, k / (t - lower)) for t in (16, 18, 21, 24, 27)], 38.0)
    assert model.lower_c == pytest.approx(lower, abs=0.02)
    assert model.k_dd == pytest.approx(k, rel=0.005)
    assert model.plateau_from_c == model.plateau_to_c == 27


def test_a_table_that_levels_off_gets_a_plateau_and_ungraded_points_do_not_count():
    rising = [Point(t, 100 / (t - 10), 4.0) for t in (14, 17, 20, 23, 26)]
    model = fit_line(
        [*rising, Point(30, 6.2), Point(33, 6.1), Point(36, 8.0), Point(11, 12.0, 0.0)], 40.0
    )
    assert (model.plateau_from_c, model.plateau_to_c) == (26, 33)
    assert model.lower_c == pytest.approx(10, abs=0.02)
    assert model.days(31) == pytest.approx(100 / 16, rel=0.01)


@pytest.mark.parametrize("figures", BROKEN)
def test_impossible_figures_are_refused(figures):
    with pytest.raises(ModelError):
        LinearPlateau(*figures)


@pytest.mark.parametrize(
    ("name", "figures"),
    [
        ("briere-1", {"a": -1, "lower_c": 9, "upper_c": 38, "fastest_c": 30, "stop_c": 38}),
        ("briere-1", {"a": 1e-4}),
        ("weibull", {}),
        (
            "lactin-2",
            {"rho": 0.01, "t_max_c": 36, "delta_c": 2, "lam": -9, "fastest_c": 30, "stop_c": 40},
        ),
    ],
)
def test_an_impossible_curve_or_an_unknown_model_is_refused(name, figures):
    with pytest.raises(ModelError):
        model_of(name, figures)


@pytest.mark.parametrize(("rho", "delta"), [(-0.01, 2.0), (0.01, -2.0)])
def test_a_lactin_curve_names_the_constant_that_must_be_positive(rho, delta):
    with pytest.raises(ModelError, match="must be more than 0") as caught:
        Lactin2(rho, 36.0, delta, -1.1, 30.0, 38.0)
    assert caught.value.field == "rho"


def test_two_temperatures_are_not_enough_for_a_line():
    with pytest.raises(ModelError, match="three temperatures"):
        fit_line([Point(15, 10), Point(20, 6), Point(20, 6.1)], 38.0)
