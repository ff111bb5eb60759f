"""What dated acts do to a pest: the share of each stage that survives, evening by evening."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from brood.core.biology.case import Act, Case, Evening, Schedule
from brood.core.biology.kill import (
    HALVING_FROM,
    later,
    newly_exposed,
    residue,
    touched,
    treated_as,
)
from brood.core.biology.rain import Exposure as Wet
from brood.core.biology.rain import left_of_film
from brood.core.biology.substages import Array
from brood.core.population.day_table import DayTable
from brood.core.population.extinction import Exposure


class ActEffects:
    """What each act of a case does to one pest, and the exposures that follow for schedules."""

    def __init__(self, table: DayTable, case: Case) -> None:
        self.table, self.reach, self.rain = table, case.reach, case.rain
        pest = table.chain.pest
        self.stages = treated_as(pest)
        self.acts = {a.id: a for a in (*case.past, *case.acts)}
        self.kill = {
            a.id: np.array([a.kill.get(s, 0.0) for s in self.stages]) for a in self.acts.values()
        }
        self.lasting = {i: 1 - kill for i, kill in self.kill.items() if self.acts[i].lasts_days}
        self.eaten = {i: self._faint(a) for i, a in self.acts.items() if later(a)}
        self.entering = np.array(newly_exposed(pest))
        self.residual = {
            i
            for i, a in self.acts.items()
            if not a.eaten
            and a.residual_days >= HALVING_FROM
            and (self.kill[i] * self.entering).any()
        }
        days = np.arange(len(table.evenings) + 400) + 0.5
        self._strength = {
            i: np.array([residue(self.acts[i], float(d)) for d in days]) for i in self.residual
        }
        self.origin = table.first.toordinal()
        self._rows: dict[tuple[tuple[str, ...], float], Array] = {}

    def exposure(self, schedules: Sequence[Schedule]) -> Exposure:
        """The exposure of several schedules. Evenings outside the table do nothing."""
        shape = (len(schedules), self.table.intervals, len(self.stages))
        survive = np.ones(shape)
        fresh = np.ones(shape) if self.residual else None
        for b, schedule in enumerate(schedules):
            for one in schedule:
                self._treat(survive[b], one)
            if fresh is not None:
                self._linger(fresh[b], schedule)
        return Exposure(survive, fresh)

    def _treat(self, survive: Array, one: Evening) -> None:
        evenings, day = self.table.evenings, one.day - self.origin
        if 0 <= day < len(evenings):
            reach = self.reach if one.reach is None else one.reach
            survive[evenings[day]] *= self._row(one.acts, reach)
        for i in one.acts:
            if i in self.eaten:
                self._wait(survive, day, i)
            if i in self.lasting:
                begun = day + self.acts[i].starts_after
                survive[evenings[max(begun, 0) : max(begun + self.acts[i].lasts_days, 0)]] *= (
                    self.lasting[i]
                )

    def _faint(self, act: Act) -> Array:
        """A poison that is eaten goes on for some days, fainter every day: what survives on
        each of the days after an evening [days, stages].
        """
        shares = np.array([share for _, share in later(act)])
        once: Array = 1 - touched(act, self.reach) * self.kill[act.id]
        out: Array = once ** shares[:, None]
        return out

    def _wait(self, survive: Array, day: int, act: str) -> None:
        """What was eaten, on the days after an evening."""
        evenings, faint = self.table.evenings, self.eaten[act]
        begun = max(day + 1, 0)
        on = evenings[begun : max(day + 1 + len(faint), 0)]
        survive[on] *= faint[begun - day - 1 :][: len(on)]

    def _row(self, ids: tuple[str, ...], reach: float) -> Array:
        if (ids, reach) not in self._rows:
            at_once = [
                1 - touched(self.acts[i], reach) * self.kill[i]
                for i in ids
                if i in self.acts and i not in self.lasting
            ]
            self._rows[ids, reach] = (
                np.prod(at_once, axis=0) if at_once else np.ones(len(self.stages))
            )
        return self._rows[ids, reach]

    def _linger(self, fresh: Array, schedule: Schedule) -> None:
        """A residue meets each animal once, when it becomes exposed. The share 1 −
        touched·kill·2^(−Δ/H) survives, Δ days after the latest use of the act.
        """
        evenings = self.table.evenings
        for i in self.residual:
            days = sorted(one.day - self.origin for one in schedule if i in one.acts)
            for day, following in pairwise([*days, len(evenings)]):
                since = np.arange(max(day + 1, 0), min(following + 1, len(evenings)))
                begun = int(since[0]) - day - 1 if len(since) else 0
                strength = self._strength[i][begun : begun + len(since)]
                if self.rain and self.acts[i].rain == Wet.FILM:
                    strength = strength * self._washed(day, since)
                fresh[evenings[since]] *= 1 - touched(self.acts[i], self.reach) * strength[
                    :, None
                ] * (self.kill[i] * self.entering)

    def _washed(self, day: int, since: NDArray[np.int64]) -> Array:
        """What rain has left of a film by each of some days after its evening."""
        used = date.fromordinal(day + self.origin)
        return np.array(
            [left_of_film(self.rain, used, date.fromordinal(int(d) + self.origin)) for d in since]
        )
