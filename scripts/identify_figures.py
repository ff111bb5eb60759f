"""Prints how well identification does on the stories, and on simulated keepers: 100 of
each cause, 10 % misses, 5 % false reports.
"""

from __future__ import annotations

import csv
import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np
from keepers import Inquiry, Keeper, calibration_error, inquire, typical_setting

from brood.catalogue.loader import shipped
from brood.core.diagnosis.evidence import Circumstances, weigh

EACH = int(sys.argv[1]) if len(sys.argv) > 1 else 100


def of_cause(cause: str) -> list[tuple[int, bool, float, str]]:
    """(answers, right, chance, likeliest) of every keeper of a cause."""
    model = shipped().evidence.model
    rng = np.random.default_rng([ord(c) for c in cause])
    runs: list[Inquiry] = [
        inquire(Keeper(model, (cause,), rng), typical_setting(model, cause, rng))
        for _ in range(EACH)
    ]
    return [(r.answers, r.best[0] == cause, r.best[1], r.best[0]) for r in runs]


def of_stories(half: str) -> str:
    """How the stories of a half come out."""
    model = shipped().evidence.model
    text = (Path(__file__).parents[1] / "tests" / "core" / "stories.csv").read_text("utf-8")
    first, three, mixed, wrong = [], [], [], 0
    said: list[float] = []
    true: list[bool] = []
    for story in csv.DictReader(text.splitlines()):
        if story["half"] != half:
            continue
        told = dict.fromkeys(story["yes"].split(), True)
        told |= dict.fromkeys(story["no"].split(), False)
        verdict = weigh(model, told, Circumstances(story["place"], story["kind"]))
        truth, ranked = set(story["truth"].split()), list(verdict.chances)
        first.append(ranked[0] in truth)
        three.append(truth <= set(ranked[:3]))
        if len(truth) > 1:
            mixed.append(set(verdict.present) == truth)
        wrong += any(p >= 0.9 and c not in truth for c, p in verdict.chances.items())
        said += verdict.chances.values()
        true += [c in truth for c in ranked]
    error = calibration_error(np.array(said), np.array(true, dtype=float))
    return (
        f"{len(first)} stories ({half}): first {np.mean(first):.1%}, among three "
        f"{np.mean(three):.1%}, {len(mixed)} mixed sets right {np.mean(mixed):.1%}, "
        f"confidently wrong {wrong}, calibration error {error:.3f}"
    )


def main() -> None:
    """The figures."""
    for half in ("tune", "report"):
        print(of_stories(half))
    causes = [c.id for c in shipped().evidence.model.causes]
    with ProcessPoolExecutor(2) as pool:
        by_cause = dict(zip(causes, pool.map(of_cause, causes), strict=True))
    rows = [row for rows in by_cause.values() for row in rows]
    answers, right, chance = (np.array([row[k] for row in rows], dtype=float) for k in range(3))
    print(
        f"{len(rows)} keepers: median {np.median(answers):g} answers (mean "
        f"{answers.mean():.1f}), {right.mean():.1%} right, "
        f"calibration error {calibration_error(chance, right):.3f}"
    )
    for cause, held in sorted(by_cause.items(), key=lambda pair: np.mean([r[1] for r in pair[1]]))[
        :8
    ]:
        taken = sorted({r[3] for r in held if not r[1]})
        print(
            f"  {cause:30s}{np.mean([r[1] for r in held]):6.0%} right; taken for {', '.join(taken)}"
        )


if __name__ == "__main__":
    main()
