"""The chance that the line of one animal is alive on a day, or was seen by a look, for
every kind of animal at a moment before.

This is the backward equation of the branching process (see `half_days`) with another
question at its end. On a day's evening every living animal counts as 1, males too; or
each counts with the chance that its line lives on untreated. A
look adds what it would see: p becomes 1 − (1 − d)(1 − p), with d the chance to see an
animal in the open. When the number of founders is Poisson with mean n, P(nothing alive
and nothing seen) = exp(−Σ n·p). The same with 0 at the end is P(nothing seen).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from enum import Enum

import numpy as np

from brood.core.biology.case import Case, Inspection
from brood.core.biology.substages import Array
from brood.core.climate.hours import MORNING
from brood.core.followup.detection import HIDDEN_SEEN, seen_share
from brood.core.population.half_days import Line, lives_on
from brood.core.population.one_step import back
from brood.core.population.steps import Steps
from brood.core.population.tracks import placed_before


class Ask(Enum):
    """What is asked of one animal: does its line live on for ever from a day if nothing
    more is done, is anything of it alive on that day, or was it only seen by then?
    """

    LINE = "line"
    ALIVE = "alive"
    SEEN = "seen"


@dataclass(frozen=True)
class Question:
    """What is asked on the evening of a day `until`, where looks up to that day would
    answer with yes.
    """

    until: date
    ask: Ask
    looks: tuple[Inspection, ...] = ()


@dataclass(frozen=True, eq=False)
class _Fate:
    """The chances by what one animal is, in the open and in a refuge [2 tracks,
    questions, rows, scenarios, …]: immatures […, size], females that lay, and others:
    grown males, and females that have laid out.
    """

    young: Array
    female: Array
    other: Array

    def treated(self, survive: Array) -> _Fate:
        """The chances before an evening's acts, which meet what is in the open.
        `survive` is [questions or 1, rows, 1, size + 2].
        """
        parts = (survive[..., :-2], survive[..., -2], survive[..., -1])
        return _Fate(
            *(
                np.stack((p[0] * s, p[1]))
                for p, s in zip((self.young, self.female, self.other), parts, strict=True)
            )
        )

    def looked(self, see: Array) -> _Fate:
        """The chances before a look. `see` [questions, 1, 1, size + 2] is what it sees
        in the open; of what is hidden it sees a part of that.
        """
        shares = (see[..., :-2], see[..., -2], see[..., -1])
        unseen = [np.stack((1 - s, 1 - HIDDEN_SEEN * s)) for s in shares]
        return _Fate(
            *(
                1 - (1 - p) * u
                for p, u in zip((self.young, self.female, self.other), unseen, strict=True)
            )
        )


def fates(
    case: Case,
    steps: Steps,
    survive: dict[date, Array],
    fresh: Array,
    questions: Sequence[Question],
    since: date,
) -> Array:
    """The answer to every question for one animal on a morning: [2 tracks, questions,
    rows, scenarios, size + 2]. A grown animal is of either sex.

    `survive` and `fresh` are those of `posterior.stacked`, one row for each reach; both
    may have an axis of questions before the rows. They act from that morning on. A day
    outside the steps counts as the nearest within.
    """
    last = steps.ends[-1].date()
    questions = [replace(q, until=min(max(q.until, since), last)) for q in questions]
    # Backward from the last day asked about; each question joins on the evening that it asks
    # about.
    order = sorted(range(len(questions)), key=lambda q: questions[q].until, reverse=True)
    asked = [questions[q] for q in order]
    fresh = fresh[:, None] if fresh.ndim == 4 else fresh[:, order]
    looks, shape = _looks_on(case, steps, asked), (2, 0, fresh.shape[2], len(steps.weights))
    ends = _ends(case, steps)
    fate = _Fate(*(light(np.zeros(form)) for form in ((*shape, steps.chain.size), shape, shape)))
    # Half the memory is twice the speed here.
    steps = steps.light()
    fresh = light(fresh)
    survive = {
        day: light(share if share.ndim == 3 else share[order]).reshape(-1, *share.shape[-3:])
        for day, share in survive.items()
    }
    looks = {day: light(share) for day, share in looks.items()}
    begun = max((n for n, end in enumerate(steps.ends) if end.date() <= asked[0].until), default=-1)
    for n in range(begun, -1, -1):
        day = steps.ends[n].date()
        if steps.ends[n].time() == MORNING:
            if day <= since:
                break
            if day in looks:
                fate = fate.looked(looks[day][: fate.female.shape[1]])
        else:
            if day in survive:
                fate = fate.treated(survive[day][: fate.female.shape[1]])
            fate = _joined(fate, [ends[q.ask] for q in asked if q.until == day])
        fate = _before(case, steps, n, fate, fresh[n][: fate.female.shape[1]])
    phi = case.pest.female_share
    grown = phi * fate.female + (1 - phi) * fate.other
    adults = np.stack((grown, fate.other), axis=-1)
    out: Array = np.concatenate((fate.young, adults), axis=-1)[:, np.argsort(order)]
    return out


def light(values: Array) -> Array:
    """In single precision: a hundred times finer than needed and twice as quick."""
    out: Array = values.astype(np.float32)
    return out


def _looks_on(case: Case, steps: Steps, questions: Sequence[Question]) -> dict[date, Array]:
    """For each day: what the looks of every question see of each state in the open,
    [questions, 1, 1, size + 2].
    """
    out: dict[date, Array] = {}
    for q, question in enumerate(questions):
        for look in question.looks:
            if look.on <= question.until:
                row = out.setdefault(
                    look.on, np.zeros((len(questions), 1, 1, steps.chain.size + 2))
                )
                share = seen_share(case.pest, look)
                row[q, 0, 0] = 1 - (1 - row[q, 0, 0]) * (1 - steps.chain.of_states(share))
    return out


def _ends(case: Case, steps: Steps) -> dict[Ask, Array]:
    """The answers on the last evening itself, by scenario and state: [scenarios, size + 2]."""
    line = Line.at_the_end(case, steps, 1)
    lives = np.concatenate((line.young[0, 0], line.female[0, 0, :, None]), axis=-1)
    every = np.ones((len(steps.weights), steps.chain.size + 2))
    return {
        Ask.LINE: light(np.append(lives, 0 * lives[:, :1], axis=1)),
        Ask.ALIVE: light(every),
        Ask.SEEN: light(0 * every),
    }


def _joined(fate: _Fate, ends: list[Array]) -> _Fate:
    """The chances with the questions that end on this evening added at their end."""
    if not ends:
        return fate
    rows = fate.young.shape[2]
    fill = np.stack([np.broadcast_to(end, (2, rows, *end.shape)) for end in ends], axis=1)
    return _Fate(
        *(
            np.concatenate(pair, axis=1)
            for pair in (
                (fate.young, fill[..., :-2]),
                (fate.female, fill[..., -2]),
                (fate.other, fill[..., -1]),
            )
        )
    )


def _before(case: Case, steps: Steps, n: int, fate: _Fate, fresh: Array) -> _Fate:
    """The chances one step earlier."""
    phi, refuge, deaths = case.pest.female_share, case.refuge, steps.deaths[n]
    moved, stops = steps.switched(n), steps.laid_out[n]
    later = _Fate(
        placed_before(fate.young, moved[:-2], refuge),
        placed_before(fate.female, moved[-1], refuge),
        placed_before(fate.other, moved[-1], refuge),
    )
    open_to = (1 - refuge) * fresh

    def born(young: Array) -> Array:
        """The chance for an animal just laid, in the open or hidden."""
        out: Array = open_to[..., 0] * young[0][..., 0] + refuge * young[1][..., 0]
        return out

    def laying(births: Array) -> Array:
        """Of a female that lays: births that count, against death and laying out."""
        after = births + stops * (later.other + other) / 2
        return lives_on(later.female, births, deaths + stops, after)

    other = later.other * np.exp(-deaths)
    first = laying(steps.births[n] * born(later.young))
    grown = phi * (later.female + first) / 2 + (1 - phi) * (later.other + other) / 2
    entering = (1 - refuge) * grown[0] + refuge * grown[1]
    young = back(steps, n, later.young, entering, open_to, refuge)
    female = laying(steps.births[n] * (born(later.young) + born(young)) / 2)
    return _Fate(young, female, other)
