"""Where the animals that a look saw came from: eggs, the soil, folded growth, missed in
the open, or from outside the course.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta

import numpy as np

from brood.core.biology.case import Case, Inspection
from brood.core.biology.stage_classes import classes
from brood.core.biology.substages import Array
from brood.core.climate.hours import EVENING, MORNING
from brood.core.followup.detection import HIDDEN_SEEN, seen_share
from brood.core.followup.posterior import Belief, at_reach, even_speed, stacked
from brood.core.population.half_days import by_stage, walk, walk_on
from brood.core.population.steps import Steps, steps_of

ORIGINS = ("eggs", "soil", "folds", "missed", "outside")


def origins(belief: Belief, look: Inspection) -> dict[str, float]:
    """The shares, adding to 1, of where the live animals of a look came from, by the
    mean course that the counts speak for.

    `eggs`, `soil`, `folds` and `missed` say what they were right after the last evening
    before the look. The model is linear, so each part can be followed by itself.
    `outside` is what is seen beyond twice the number that the course can explain:
    missed at the find, or come since.
    """
    case = at_reach(
        replace(
            belief.case,
            found=tuple(replace(f, count=f.count * belief.scale) for f in belief.case.found),
        ),
        belief.reach,
    )
    steps = even_speed(steps_of(case, max(look.on, belief.first + timedelta(days=1))))
    schedule = [d for d in case.done if d.on < look.on]
    survive, fresh = stacked(case, steps, schedule, np.array([case.reach]))
    step, state = _after_last(case, steps, survive, fresh, look)
    parts = _parts(case, steps, state)
    wide = {day: np.repeat(share, len(parts[0]), axis=0) for day, share in survive.items()}
    end = next(
        (n for n, at in enumerate(steps.ends) if at.date() == look.on and at.time() == MORNING),
        step,
    )
    for n, x in walk_on(
        case, steps, wide, np.repeat(fresh, len(parts[0]), axis=1), np.stack(parts), step + 1
    ):
        if n >= end:
            parts = (x[0], x[1])
            break
    return _shares(case, steps, parts, look)


def _after_last(
    case: Case, steps: Steps, survive: dict[date, Array], fresh: Array, look: Inspection
) -> tuple[int, Array]:
    """The step of the last evening before a look, or of the first morning, with the
    numbers then.
    """
    kept: tuple[int, Array] | None = None
    for n, x in walk(case, steps, survive, fresh, 1):
        if steps.ends[n].date() >= look.on and kept is not None:
            break
        if kept is None or (steps.ends[n].time() == EVENING and steps.ends[n].date() in survive):
            kept = (n, x)
    assert kept is not None
    return kept


def _parts(case: Case, steps: Steps, x: Array) -> tuple[Array, Array]:
    """The numbers divided by what they were, one row each and for either track: eggs,
    in the soil, in a refuge, in the open.
    """
    pest = case.pest
    egg = np.array([*(s.display == "egg" for s in pest.stages), False])
    soil = np.array([*(s.habitat == "in-soil" and s.display != "egg" for s in pest.stages), False])
    masks = [steps.chain.of_states(mask) for mask in (egg, soil, ~(egg | soil), ~(egg | soil))]
    tracks = ((1, 1), (1, 1), (0, 1), (1, 0))
    out = [
        np.concatenate(
            [x[track] * mask * on[track] for mask, on in zip(masks, tracks, strict=True)]
        )
        for track in (0, 1)
    ]
    return out[0], out[1]


def _shares(
    case: Case, steps: Steps, parts: tuple[Array, Array], look: Inspection
) -> dict[str, float]:
    share, kinds = seen_share(case.pest, look), np.array(classes(case.pest))
    seen = np.array([k in look.counts for k in kinds]) * share
    known = (
        (by_stage(steps.chain, parts[0]) + HIDDEN_SEEN * by_stage(steps.chain, parts[1])) @ seen
    ) @ steps.weights
    beyond = max(0.0, 1 - 2 * float(known.sum()) / look.live) if look.live else 0.0
    total = float(known.sum()) or 1.0
    return {
        **{name: float(v) / total * (1 - beyond) for name, v in zip(ORIGINS, known, strict=False)},
        "outside": beyond,
    }
