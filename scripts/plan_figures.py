"""Prints how fast plans are made, against a plain loop and an adaptive solver, and how
well chances agree with animals simulated one by one.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from datetime import date, datetime, timedelta
from datetime import time as clock
from pathlib import Path

import numpy as np
from scipy.integrate import solve_ivp

from brood.catalogue.loader import shipped
from brood.core.biology.case import Case, Evening, Found, Limits
from brood.core.biology.pest import ADULT
from brood.core.biology.substages import chain_of
from brood.core.climate.series import constant, daily
from brood.core.course.outcome import outcomes
from brood.core.course.planner import plan, problem_of, rule_evenings
from brood.core.course.problem import Problem
from brood.core.course.windows import windows
from brood.core.population.extinction import clearing

sys.path[:0] = [
    str(Path(__file__).parents[1] / "tests"),
    str(Path(__file__).parents[1] / "tests" / "core" / "population"),
]
DAY = date(2026, 6, 1)
EACH = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
MITE, THRIPS, WHITEFLY, APHID = (
    "tetranychus-urticae",
    "frankliniella-occidentalis",
    "trialeurodes-vaporariorum",
    "myzus-persicae",
)
SCALE, MOTH, GNAT = "coccus-hesperidum", "plutella-xylostella", "bradysia"
HAND = ("wiping", "insecticidal-soap")


def case(
    pest: str,
    found: list[tuple[str, float]],
    acts: tuple[str, ...],
    low: float,
    high: float,
    **more: object,
) -> Case:
    series = daily(DAY - timedelta(days=1), [low] * 300, [high] * 300, spread_c=0.5)
    groups = tuple(Found(DAY, stage, count) for stage, count in found)
    catalogue = shipped()
    return Case(
        catalogue.pest(pest),
        DAY,
        groups,
        series,
        tuple(catalogue.act(a, pest) for a in acts),
        **more,
    )  # type: ignore[arg-type]


STRESS = Limits(min_gap_days=2, max_applications=20)
MITES = [("egg", 120.0), ("protonymph", 60.0), (ADULT, 20.0)]
PLANS = {
    "mites, wiping and soap": case(MITE, MITES, HAND, 17, 25, refuge=0.0, limits=STRESS),
    "mites, wiping and oil": case(
        MITE, MITES, ("wiping", "paraffinic-oil"), 17, 25, reach=0.85, refuge=0.0, limits=STRESS
    ),
    "mites, soap": case(
        MITE, MITES, ("insecticidal-soap",), 17, 25, reach=0.95, refuge=0.0, limits=STRESS
    ),
    "mites, found early": case(MITE, [("egg", 20.0), ("larva", 6.0), (ADULT, 3.0)], HAND, 17, 25),
    "aphids": case(APHID, [("nymph-1", 20.0), (ADULT, 4.0)], HAND, 17, 25, refuge=0.0),
    "whitefly": case(
        WHITEFLY, [("egg", 30.0), ("nymph-1", 20.0), (ADULT, 4.0)], HAND, 18, 24, refuge=0.0
    ),
    "thrips": case(
        THRIPS,
        [("larva-1", 9.0), (ADULT, 3.0)],
        ("wiping", "spinosad", "steinernema-feltiae"),
        19,
        25,
    ),
    "diamondback moth (slow)": case(
        MOTH, [("egg", 4.0), ("larva-2", 11.0)], ("wiping", "btk"), 10, 20
    ),
    "soft scale (slow)": case(
        SCALE, [("nymph-1", 30.0), ("nymph-2", 15.0), (ADULT, 5.0)], ("alcohol-swab",), 20, 24
    ),
}


def median_ms(run: Callable[[], object], times: int = 9) -> float:
    """Median time of a call, ms, after one to warm up."""
    run()
    taken = []
    for _ in range(times):
        begun = time.perf_counter()
        run()
        taken.append(time.perf_counter() - begun)
    return 1000 * sorted(taken)[times // 2]


def whole(one: Case) -> tuple[int, int]:
    """A plan with windows, reasons and the nine rules; its dates and length."""
    problem = problem_of(one)
    answer = plan(problem)
    outcomes(problem, [answer.evenings, *rule_evenings(problem).values()])
    return len(answer.applications), (answer.applications[-1].target - DAY).days


def plain_loop(one: Case, days: int) -> float:
    """Expected numbers of one scenario, hour by hour, in plain Python: what a first
    attempt would do.
    """
    chain = chain_of(one.pest)
    rates = [n / s.rate.days(21.0) / 24 for n, s in zip(chain.counts, one.pest.stages, strict=True)]
    moves = [rates[stage] for stage in chain.stage_of]
    x = [0.0] * (chain.size + 1)
    x[0] = 100.0
    for _ in range(24 * days):
        flow = [m * v for m, v in zip(moves, x[:-1], strict=True)]
        x = [
            v + (flow[k - 1] if k else x[-1] * 0.2) - (flow[k] if k < chain.size else x[-1] * 0.003)
            for k, v in enumerate(x)
        ]
    return sum(x)


def adaptive(one: Case, days: int) -> float:
    """The same by an adaptive solver."""
    chain = chain_of(one.pest)
    rates = np.array(
        [n / s.rate.days(21.0) for n, s in zip(chain.counts, one.pest.stages, strict=True)]
    )[chain.stage_of]

    def flow(_: float, x: np.ndarray) -> np.ndarray:
        out = np.append(-rates * x[:-1], -x[-1] * 0.05)
        out[1:] += rates * x[:-1]
        out[0] += x[-1] * 4
        return out

    start = np.zeros(chain.size + 1)
    start[0] = 100
    return float(solve_ivp(flow, (0, days), start, rtol=1e-8, atol=1e-10).y[:, -1].sum())


def speed() -> None:
    """Times and ratios."""
    for name, one in PLANS.items():
        dates, days = whole(one)
        print(
            f"plan, windows and nine rules: {name:26s} {dates:3d} dates over {days:3d} "
            f"days  {median_ms(lambda one=one: whole(one)):6.0f} ms"
        )
    one = PLANS["mites, found early"]
    problem = problem_of(one)
    planned = plan(problem).evenings
    moved = tuple(replace(e, on=e.on + timedelta(days=n > 2)) for n, e in enumerate(planned))
    one_date = median_ms(lambda: outcomes(problem, [moved]))
    with_windows = median_ms(lambda: windows(problem, moved, 0.9, 0.95))
    print(
        f"a moved date, tables at hand: {one_date:.1f} ms; the windows of all dates after "
        f"it: {with_windows:.1f} ms"
    )
    share = Problem(one, DAY + timedelta(days=45), DAY + timedelta(days=45)).shares[0]
    built = median_ms(lambda: Problem(one, DAY + timedelta(days=45), DAY + timedelta(days=45)))
    judged = median_ms(lambda: clearing(share.table, share.effects.exposure([planned])))
    solver, loop = (
        median_ms(lambda: adaptive(one, 45), 3),
        median_ms(lambda: plain_loop(one, 45), 3),
    )
    print(f"45 days, nine scenarios: tables {built:.1f} ms, a schedule {judged:.1f} ms")
    print(f"one scenario by the adaptive solver {solver:.0f} ms, by a plain loop {loop:.0f} ms")
    per = (built + judged) / 9
    print(
        f"per scenario, tables included: {solver / per:.0f} times the solver's speed, "
        f"{loop / per:.0f} times that of the plain loop"
    )


CROWDS = [
    (MITE, 21.0, [("egg", 20), ("protonymph", 10), (ADULT, 4)], HAND, 0.85, 0.02, range(0, 15, 3)),
    (MITE, 27.0, [("egg", 10), (ADULT, 3)], ("paraffinic-oil",), 0.9, 0.0, (0, 3, 6, 9)),
    (MITE, 17.0, [("larva", 12), (ADULT, 2)], ("wiping",), 0.95, 0.02, range(0, 25, 4)),
    (MITE, 30.0, [("egg", 8), (ADULT, 2)], HAND, 0.8, 0.02, range(0, 12, 2)),
    (
        THRIPS,
        22.0,
        [("larva-1", 8), (ADULT, 2)],
        ("insecticidal-soap",),
        0.9,
        0.02,
        range(0, 27, 3),
    ),
    (
        THRIPS,
        25.0,
        [("larva-2", 6), ("pupa", 4)],
        ("insecticidal-soap", "topsoil-change"),
        0.9,
        0.0,
        range(0, 20, 4),
    ),
    (WHITEFLY, 20.0, [("egg", 20), ("nymph-1", 10), (ADULT, 2)], HAND, 0.8, 0.0, range(0, 40, 8)),
    (
        WHITEFLY,
        24.0,
        [("nymph-3", 12), (ADULT, 2)],
        ("insecticidal-soap",),
        0.9,
        0.02,
        range(0, 24, 6),
    ),
    (
        APHID,
        19.0,
        [("nymph-1", 10), (ADULT, 2)],
        ("insecticidal-soap",),
        0.85,
        0.02,
        range(0, 18, 3),
    ),
    (APHID, 23.0, [("nymph-2", 8), (ADULT, 1)], ("shower",), 0.95, 0.0, range(0, 16, 2)),
    (
        MOTH,
        20.0,
        [("egg", 10), ("larva-3", 5)],
        ("wiping", "insecticidal-soap"),
        0.9,
        0.02,
        range(0, 30, 3),
    ),
    (
        GNAT,
        22.0,
        [("larva-2", 8), (ADULT, 2)],
        ("topsoil-change", "insecticidal-soap"),
        0.9,
        0.0,
        range(0, 28, 4),
    ),
]


def crowd(n: int) -> tuple[str, float, float]:
    """The chance by the table and by animals simulated one by one, of one case at a
    constant temperature.
    """
    from test_population import USUAL, Individuals

    pest, celsius, found, acts, reach, refuge, days = CROWDS[n]
    one = case(
        pest, [(s, float(c)) for s, c in found], acts, celsius, celsius, reach=reach, refuge=refuge
    )
    one = replace(
        one,
        series=constant(
            datetime.combine(DAY, clock()) - timedelta(days=1), 24 * 160, celsius, spread_c=0.0
        ),
    )
    one = replace(one, acts=tuple(replace(a, residual_days=0.0) for a in one.acts))
    problem = Problem(one, DAY + timedelta(days=60), DAY + timedelta(days=60))
    chance = float(
        problem.chances([tuple(Evening(DAY + timedelta(days=d), problem.acts) for d in days)])[
            0, USUAL
        ]
    )
    animals = Individuals(one, list(days), celsius, 100 + n)
    return (
        f"{pest} {celsius:g} °C reach {reach:g} refuge {refuge:g}",
        chance,
        float(np.mean([animals.clears() for _ in range(EACH)])),
    )


def crowds() -> None:
    """Both chances of every case, and how many standard errors lie between them."""
    with ProcessPoolExecutor(2) as pool:
        for name, chance, seen in pool.map(crowd, range(len(CROWDS))):
            error = max((chance * (1 - chance) / EACH) ** 0.5, 0.5 / EACH)
            print(
                f"{name:58s} computed {chance:.3f}, {EACH} crowds {seen:.3f}, "
                f"{abs(seen - chance) / error:.1f} standard errors"
            )


if __name__ == "__main__":
    speed()
    crowds()
