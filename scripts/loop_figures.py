"""What learning and clearing are worth against a simulated truth: `make bench` prints
it. Give a number of seeds and of households to shorten it.
"""

from __future__ import annotations

import sys
from collections import Counter
from dataclasses import replace
from datetime import date, datetime, time, timedelta
from multiprocessing import Pool
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests"))

from simulated import Plant, Story, follow

from brood.catalogue.loader import shipped
from brood.core.biology.case import Case, Found
from brood.core.climate.series import constant
from brood.core.course import planner
from brood.core.followup.alive_odds import Ask, Question, fates
from brood.core.followup.posterior import even_speed, stacked
from brood.core.population.steps import steps_of

DAY = date(2026, 6, 1)
CATALOGUE = shipped()
SEEN = {
    "myzus-persicae": [("nymph-2", 60.0), ("nymph-3", 40.0), ("adult", 20.0)],
    "tetranychus-urticae": [("egg", 60.0), ("protonymph", 30.0), ("adult", 8.0)],
    "trialeurodes-vaporariorum": [("egg", 60.0), ("nymph-2", 40.0), ("adult", 10.0)],
}


def soaped(
    pest_id: str,
    celsius: float,
    acts: tuple[str, ...] = ("insecticidal-soap",),
    *,
    kill: float | None = None,
    reach: float = 1.0,
) -> Case:
    """A case at a constant temperature; with `kill` one act that takes that share of
    everything but eggs.
    """
    pest = CATALOGUE.pest(pest_id)
    series = constant(
        datetime.combine(DAY, time()) - timedelta(days=1), 24 * 420, celsius, spread_c=0.7
    )
    every = {s.id: 0.0 if s.display == "egg" else kill for s in pest.development} | {"adult": kill}
    own = [CATALOGUE.act(a, pest_id) for a in acts]
    given = (
        [replace(a, kill=every, min_gap_days=2, max_applications=None) for a in own]
        if kill
        else own
    )  # type: ignore[arg-type]
    return Case(
        pest,
        DAY,
        tuple(Found(DAY, stage, count) for stage, count in SEEN[pest_id]),
        series,
        tuple(given),
        reach=reach,
    )


def closed(job: tuple[float, int]) -> Story:
    """One course by a catalogue that says 0.9, of an evening that takes so much."""
    effective, seed = job
    case = soaped("myzus-persicae", 21.0, kill=0.9)
    return follow(case, Plant(case, 21.0, effective / 0.9, seed), days=120, declare=False)


def mixed(seed: int) -> tuple[Story, float, bool]:
    """A household that follows its plan, or as every other one stops half way; of each
    pest as many.
    """
    stops = bool(seed // 3 % 2)
    return *household(seed, stops=stops), stops


def household(seed: int, *, stops: bool = False) -> tuple[Story, float]:
    """One household with some pest, warmth and reach of its own, and the days of a slow
    generation there.
    """
    rng = np.random.default_rng([seed, 7])
    pest, acts = [
        ("tetranychus-urticae", ("wiping", "insecticidal-soap")),
        ("myzus-persicae", ("shower", "insecticidal-soap")),
        ("trialeurodes-vaporariorum", ("wiping", "insecticidal-soap")),
    ][seed % 3]
    celsius, reach = float(rng.uniform(19, 24)), float(rng.uniform(0.6, 0.97))
    case = soaped(pest, celsius, acts, reach=0.9)
    slow = planner.plan(planner.problem_of(case)).generation.slow or 60.0
    plant = Plant(case, celsius, reach, seed)
    story = follow(case, plant, days=120 if stops else 300, stops=stops)
    if story.declared_on:
        story.true_chance = true_chance(case, plant, story)
    return story, slow


def true_chance(case: Case, plant: Plant, story: Story) -> float:
    """The chance that anything is alive when all clear is declared, looks having found
    nothing, for somebody who knows the reach and the warmth.
    """
    day = story.declared_on
    series = constant(
        datetime.combine(DAY, time()) - timedelta(days=1), 24 * 420, plant.celsius, spread_c=0.0
    )
    case = replace(
        case,
        series=series,
        reach=plant.reach,
        done=tuple(story.done),
    )
    steps = even_speed(steps_of(case, day + timedelta(days=1)))
    survive, fresh = stacked(
        case,
        steps,
        case.done,
        np.array([plant.reach]),
    )
    clean = tuple(x for x in story.looks if not x.live)
    p = fates(
        case,
        steps,
        survive,
        fresh,
        [Question(day, Ask.ALIVE, clean), Question(day, Ask.SEEN, clean)],
        DAY,
    )
    there = sum(f.count * steps.chain.met(case.pest.index(f.stage)) for f in case.found)
    hiding = np.array([1 - case.refuge, case.refuge])
    either, seen = (np.exp(-np.einsum("t,tsk,k->s", hiding, p[:, q, 0], there)) for q in (0, 1))
    return float((seen - either) @ steps.weights / (seen @ steps.weights))


def main() -> None:
    """Print all figures."""
    seeds, houses = map(int, sys.argv[1:3]) if len(sys.argv) > 2 else (100, 200)
    with Pool(2) as pool:
        for effective in (0.6, 0.9):
            stories = pool.map(closed, [(effective, n) for n in range(seeds)], chunksize=4)
            said = Counter(s.verdict for s in stories)
            print(
                f"effective {effective}: {dict(said)}; mean in 0.5 to 0.7: "
                f"{sum(0.5 <= s.effective <= 0.7 for s in stories)}; "
                f"evenings added: {sum(s.kept > s.first_planned for s in stories)}; truths "
                f"clear: {sum(s.extinct_on is not None for s in stories)} "
                f"of {seeds}"
            )
        told = pool.map(mixed, range(houses), chunksize=1)
    _of_households("that follow the plan", [(s, slow) for s, slow, stops in told if not stops])
    _of_households("that stop half way", [(s, slow) for s, slow, stops in told if stops])
    _of_households("of both", [(s, slow) for s, slow, _ in told])


def _of_households(which: str, told: list[tuple[Story, float]]) -> None:
    """Print what became of the households: `clear` are those in which nothing lived
    when all clear was declared, or at the end.
    """
    clear = [(s, slow) for s, slow in told if s.extinct_on and not s.alive_then]
    declared = [s for s, _ in told if s.declared_on]
    wrong = [s for s in declared if s.alive_then]
    in_time = [
        s
        for s, slow in clear
        if s.declared_on and (s.declared_on - max(s.done[-1].on, s.extinct_on)).days <= 1.5 * slow
    ]
    known = [s.true_chance for s in declared]
    waits = sorted((s.declared_on - s.done[-1].on).days / slow for s, slow in told if s.declared_on)
    print(
        f"{len(told)} households {which}: clear {len(clear)}, of them declared within 1.5 "
        "slow generations of the last evening or death "
        f"{len(in_time)}; not clear {len(told) - len(clear)}, of them declared "
        f"{len(wrong)}; median wait {np.median(waits):.2f} slow generations; "
        "chance alive of the declared, mean, claimed "
        f"{np.mean([s.claimed for s in declared]):.2%}, by the true reach and warmth "
        f"{np.mean(known):.2%} (most {max(known):.1%}), found {len(wrong) / len(declared):.2%}",
        flush=True,
    )


if __name__ == "__main__":
    main()
