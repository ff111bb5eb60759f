"""Half-days that repeat are worked out once, and do what they did before."""

from datetime import datetime, time, timedelta

import numpy as np
import pytest
from conftest import DAY, MITE, THRIPS

from brood.catalogue.loader import shipped
from brood.core.biology.case import Case, Found
from brood.core.climate.series import daily, day_night
from brood.core.population import one_step, repeated
from brood.core.population.repeated import OFTEN, matrix_of
from brood.core.population.steps import steps_of

CATALOGUE = shipped()


@pytest.fixture(autouse=True)
def _afresh(monkeypatch):
    for held in ("_times", "_known"):
        monkeypatch.setattr(repeated, held, type(getattr(repeated, held))())


def steps(pest, *, light):
    kind = CATALOGUE.pest(pest)
    start = datetime.combine(DAY, time()) - timedelta(days=1)
    series = day_night(start, 600, day=23, night=17, day_from=time(7), night_from=time(21))
    case = Case(kind, DAY, (Found(DAY, "adult", 1.0),), series, ())
    found = steps_of(case, DAY + timedelta(days=20))
    return found.light() if light else found


@pytest.mark.parametrize("light", [False, True])
@pytest.mark.parametrize("pest", [MITE, THRIPS])
def test_a_repeated_half_day_does_what_one_step_does(pest, light):
    held, rng = steps(pest, light=light), np.random.default_rng(4)
    kind, dtype = np.float32 if light else np.float64, {"rtol": 2e-4 if light else 1e-9}
    size, scenarios, stages = held.chain.size, len(held.weights), len(held.chain.counts)
    fresh = np.ones((1, 1, stages + 1), kind)
    for n in (2, 3, 2, 4, 5, 6, 7, 8, 9):
        x = rng.random((2, 5, scenarios, size + 2)).astype(kind)
        given = held, n, x, 0.6, 0.05, fresh
        np.testing.assert_allclose(one_step.ahead(*given), one_step._ahead(*given), **dtype)
        for rows in ((3,), (4, 3)):
            p = rng.random((2, *rows, scenarios, size)).astype(kind)
            grown = rng.random((*rows, scenarios)).astype(kind)
            back = held, n, p, grown, kind(0.95) * fresh, 0.05
            np.testing.assert_allclose(one_step.back(*back), one_step._back(*back), **dtype)
    assert len(repeated._known) == 4, "a day and a night, ahead and back"


def test_where_every_day_differs_nothing_is_kept():
    kind = CATALOGUE.pest(MITE)
    days = [20 + n / 7 for n in range(25)]
    series = daily(DAY - timedelta(days=1), [c - 4 for c in days], days)
    held = steps_of(Case(kind, DAY, (Found(DAY, "adult", 1.0),), series, ()), DAY + timedelta(20))
    assert not any(held.repeats(n) for n in range(len(held.ends)))
    x = np.ones((2, 1, len(held.weights), held.chain.size + 2))
    for _ in range(OFTEN + 1):
        one_step.ahead(held, 4, x, 0.6, 0.05, np.ones((1, 1, len(held.chain.counts) + 1)))
    assert not repeated._known


def test_what_a_residue_takes_is_worked_out_step_by_step():
    held = steps(MITE, light=False)
    fresh = np.full((1, 1, len(held.chain.counts) + 1), 0.7)
    x = np.ones((2, 1, len(held.weights), held.chain.size + 2))
    for n in range(2, 12):
        one_step.ahead(held, n, x, 0.6, 0.05, fresh)
    assert not repeated._known


def test_only_so_many_bytes_are_kept(monkeypatch):
    monkeypatch.setattr(repeated, "BYTES", 2000)
    made = []
    for n in range(8):
        for _ in range(OFTEN + 1):
            matrix_of(n, lambda n=n: made.append(n) or np.full(100, float(n)))
    assert made == list(range(8)), "each once"
    assert sum(m.nbytes for m in repeated._known.values()) <= 2000
    assert matrix_of(7, lambda: None)[0] == 7
