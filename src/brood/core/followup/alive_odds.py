"""The chance that the line of one animal is alive on a day, or was seen by a look, for
every kind of animal at a moment before.

This is the backward equation of the branching process (see `half_days`) with another
question at its end: on a day's evening every living animal counts as 1, males too. A
look adds what it would see: p becomes 1 − (1 − d)(1 − p), with d the chance to see an
animal in the open. When the number of founders is Poisson with mean n, P(nothing alive
and nothing seen) = exp(−Σ n·p). The same with 0 at the end is P(nothing seen).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date

import numpy as np

from brood.core.biology.case import Case, Inspection
from brood.core.biology.substages import Array
from brood.core.climate.hours import MORNING
from brood.core.followup.detection import HIDDEN_SEEN, seen_share
from brood.core.population.half_days import Steps, back, lives_on


@dataclass(frozen=True)
class AliveQuestion:
    """Is anything alive on the evening of a day (`alive`)? Or was it only seen by then,
    by looks up to that day?
    """

    until: date
    alive: bool
    looks: tuple[Inspection, ...] = ()


@dataclass(frozen=True, eq=False)
class _Fate:
    """The chances by what one animal is, in the open and in a refuge [2 tracks,
    questions, rows, scenarios, …]: immatures […, size], females and males.
    """

    young: Array
    female: Array
    male: Array

    def treated(self, survive: Array) -> _Fate:
        """The chances before an evening's acts, which meet what is in the open.
        `survive` is [rows, 1, size + 1].
        """
        parts = (survive[..., :-1], survive[..., -1], survive[..., -1])
        return _Fate(
            *(
                np.stack((p[0] * s, p[1]))
                for p, s in zip((self.young, self.female, self.male), parts, strict=True)
            )
        )

    def looked(self, see: Array) -> _Fate:
        """The chances before a look. `see` [questions, 1, 1, size + 1] is what it sees
        in the open; of what is hidden it sees a part of that.
        """
        shares = (see[..., :-1], see[..., -1], see[..., -1])
        unseen = [np.stack((1 - s, 1 - HIDDEN_SEEN * s)) for s in shares]
        return _Fate(
            *(
                1 - (1 - p) * u
                for p, u in zip((self.young, self.female, self.male), unseen, strict=True)
            )
        )


def fates(
    case: Case,
    steps: Steps,
    survive: dict[date, Array],
    fresh: Array,
    questions: Sequence[AliveQuestion],
    since: date,
) -> Array:
    """The answer to every question for one animal on a morning: [2 tracks, questions,
    rows, scenarios, size + 1]. A grown animal is of either sex.

    `survive` and `fresh` are those of `posterior.stacked`, one row for each reach. They
    act from that morning on. A day outside the steps counts as the nearest within.
    """
    last = steps.ends[-1].date()
    questions = [replace(q, until=min(max(q.until, since), last)) for q in questions]
    # Backward from the last day asked about; each question joins on the evening that it asks
    # about.
    order = sorted(range(len(questions)), key=lambda q: questions[q].until, reverse=True)
    asked = [questions[q] for q in order]
    looks, shape = _looks_on(case, steps, asked), (2, 0, fresh.shape[1], len(steps.weights))
    fate = _Fate(*(_light(np.zeros(form)) for form in ((*shape, steps.chain.size), shape, shape)))
    # Half the memory is twice the speed here.
    steps = replace(
        steps, moves=_light(steps.moves), births=_light(steps.births), deaths=_light(steps.deaths)
    )
    survive, fresh = {day: _light(share) for day, share in survive.items()}, _light(fresh)
    looks = {day: _light(share) for day, share in looks.items()}
    for n in range(len(steps.ends) - 1, -1, -1):
        day = steps.ends[n].date()
        if steps.ends[n].time() == MORNING:
            if day <= since:
                break
            if day in looks:
                fate = fate.looked(looks[day][: fate.female.shape[1]])
        else:
            if day in survive:
                fate = fate.treated(survive[day])
            fate = _joined(fate, [float(q.alive) for q in asked if q.until == day])
        fate = _before(case, steps, n, fate, fresh[n])
    phi = case.pest.female_share
    grown = phi * fate.female + (1 - phi) * fate.male
    out: Array = np.concatenate((fate.young, grown[..., None]), axis=-1)[:, np.argsort(order)]
    return out


def _light(values: Array) -> Array:
    """In single precision: a hundred times finer than needed and twice as quick."""
    out: Array = values.astype(np.float32)
    return out


def _looks_on(case: Case, steps: Steps, questions: Sequence[AliveQuestion]) -> dict[date, Array]:
    """For each day: what the looks of every question see of a sub-stage in the open,
    [questions, 1, 1, size + 1].
    """
    out: dict[date, Array] = {}
    for q, question in enumerate(questions):
        for look in question.looks:
            if look.on <= question.until:
                row = out.setdefault(
                    look.on, np.zeros((len(questions), 1, 1, steps.chain.size + 1))
                )
                share = seen_share(case.pest, look)
                row[q, 0, 0] = 1 - (1 - row[q, 0, 0]) * (
                    1 - np.append(share[steps.chain.stage_of], share[-1])
                )
    return out


def _joined(fate: _Fate, ends: list[float]) -> _Fate:
    """The chances with the questions that end on this evening added at their end."""
    if not ends:
        return fate
    fill = _light(np.array(ends).reshape(-1, 1, 1))
    young = np.broadcast_to(fill[..., None], (2, len(ends), *fate.young.shape[2:]))
    grown = np.broadcast_to(fill, (2, len(ends), *fate.female.shape[2:]))
    return _Fate(
        *(
            np.concatenate(pair, axis=1)
            for pair in ((fate.young, young), (fate.female, grown), (fate.male, grown))
        )
    )


def _before(case: Case, steps: Steps, n: int, fate: _Fate, fresh: Array) -> _Fate:
    """The chances one step earlier."""
    phi, refuge, deaths = case.pest.female_share, case.refuge, steps.deaths[n]
    open_to = (1 - refuge) * fresh

    def born(young: Array) -> Array:
        """The chance for an animal just laid, in the open or hidden."""
        out: Array = open_to[..., 0] * young[0][..., 0] + refuge * young[1][..., 0]
        return out

    male = fate.male * np.exp(-deaths)
    first = lives_on(fate.female, steps.births[n] * born(fate.young), deaths)
    grown = phi * (fate.female + first) / 2 + (1 - phi) * (fate.male + male) / 2
    entering = (1 - refuge) * grown[0] + refuge * grown[1]
    young = np.stack(back(steps, n, fate.young[0], fate.young[1], entering, open_to, refuge))
    female = lives_on(fate.female, steps.births[n] * (born(fate.young) + born(young)) / 2, deaths)
    return _Fate(young, female, male)
