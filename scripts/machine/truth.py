"""The hidden truth of a household: how warm it really is, and every animal followed one by one."""

from __future__ import annotations

import math
from datetime import date, timedelta
from functools import lru_cache

import numpy as np

from brood.core.biology.case import Act
from brood.core.biology.kill import effect
from brood.core.biology.pest import ADULT, PREOVIPOSITION, Pest
from brood.core.biology.stage_classes import classes
from brood.core.biology.substages import chain_of
from brood.core.followup.detection import HIDDEN_SEEN, shown

MOST = 2500
HALF = 0.5
REFUGE = 0.02
SPEED_CV = 0.05
YEARLY = {
    "outdoor": (9.5, 7.0, 4.0),
    "balcony": (12.5, 7.5, 4.5),
    "glasshouse": (15.5, 7.5, 6.0),
    "indoor": (20.0, 2.0, 2.5),
}
"""Yearly mean, half the swing over the year, half the swing over a day, °C (made up)."""


class Climate:
    """The true lowest and highest of every day at a place, °C: as its keeper set it, or
    by the season and the days' own moods.
    """

    def __init__(
        self,
        setting: str,
        seed: int,
        hemisphere: str,
        points: tuple[float, float] | None,
        error: float,
    ) -> None:
        self.setting, self.seed, self.points, self.error = setting, seed, points, error
        self.turn = 0 if hemisphere == "north" else 182

    def day(self, on: date) -> tuple[float, float]:
        """Lowest and highest of a day."""
        if self.points is not None:
            return self.points[1] + self.error, self.points[0] + self.error
        mean, year, half = YEARLY[self.setting]
        at = (on.timetuple().tm_yday + self.turn - 205) / 365 * 2 * math.pi
        mood = 1.5 * math.sin(on.toordinal() / 3.7 + self.seed) + 1.2 * math.sin(
            on.toordinal() / 9.1 + 2 * self.seed
        )
        middle = mean + year * math.cos(at) + mood
        return round(middle - half, 1), round(middle + half, 1)


@lru_cache(maxsize=4096)
def _speeds(pest: Pest, low: float, high: float) -> np.ndarray:
    hours = (high + low) / 2 - (high - low) / 2 * np.cos((np.arange(24) - 5) / 24 * 2 * math.pi)
    return np.array([float(stage.rate.per_day(hours).mean()) for stage in pest.stages])


class Colony:
    """One pest on one plant: gamma stage times that run with the warmth, a hiding place
    drawn at every moult, adults that die at their rate.
    """

    def __init__(self, pest: Pest, on: date, seed: list[int]) -> None:
        self.pest, self.rng, self.on = pest, np.random.default_rng(seed), on
        self.pace = 1 + self.rng.normal(0, SPEED_CV)
        self.shapes = np.array(chain_of(pest).counts)
        self.laying = len(pest.stages)
        self.stage = np.zeros(0, dtype=int)
        self.left = np.zeros(0)
        self.hidden, self.female = np.zeros(0, dtype=bool), np.zeros(0, dtype=bool)

    @property
    def alive(self) -> int:
        """How many live."""
        return len(self.stage)

    def arrive(self, stage: int, number: int) -> None:
        """Some come, at any age in their stage."""
        grown = stage >= self.laying
        left = (
            np.full(number, np.inf)
            if grown
            else self._lengths(np.full(number, stage)) * self.rng.random(number)
        )
        self._add(min(stage, self.laying), left)

    def _lengths(self, stages: np.ndarray) -> np.ndarray:
        return self.rng.gamma(self.shapes[stages], 1 / self.shapes[stages])

    def _add(self, stage: int, left: np.ndarray) -> None:
        n = len(left)
        self.stage = np.append(self.stage, np.full(n, stage))
        self.left = np.append(self.left, left)
        self.hidden = np.append(self.hidden, self.rng.random(n) < REFUGE)
        self.female = np.append(self.female, self.rng.random(n) < self.pest.female_share)

    def _keep(self, which: np.ndarray) -> None:
        self.stage, self.left, self.hidden, self.female = (
            a[which] for a in (self.stage, self.left, self.hidden, self.female)
        )

    def until(self, day: date, climate: Climate) -> None:
        """Live on to the morning of a day."""
        while self.on < day:
            if self.alive:
                low, high = climate.day(self.on)
                for _ in range(2):
                    self._grow(_speeds(self.pest, low, high) * self.pace * HALF, (low + high) / 2)
            self.on += timedelta(days=1)

    def _grow(self, moves: np.ndarray, celsius: float) -> None:
        born, lives = (
            float(np.interp(celsius, *np.array(t).T))
            for t in (self.pest.fecundity, self.pest.longevity)
        )
        laying = self.stage == self.laying
        births = (
            int(self.rng.poisson(born * HALF * (laying & self.female).sum()))
            if self.alive < MOST
            else 0
        )
        self._keep(~laying | (self.rng.random(self.alive) < math.exp(-HALF / lives)))
        young = self.stage < self.laying
        self.left[young] -= moves[self.stage[young]]
        moult = self.left <= 0
        while moult.any():
            self.stage[moult] += 1
            still = moult & (self.stage < self.laying)
            self.left[still] += self._lengths(self.stage[still])
            self.left[moult & ~still] = np.inf
            self.hidden[moult] = self.rng.random(int(moult.sum())) < REFUGE
            moult = self.left <= 0
        self._add(0, self._lengths(np.zeros(births, dtype=int)))

    def treat(self, acts: list[Act], reach: float) -> None:
        """An evening."""
        named = [*(ADULT if s.id == PREOVIPOSITION else s.id for s in self.pest.stages), ADULT]
        kills = np.array([effect(acts, name, reach) for name in named])
        self._keep(~((self.rng.random(self.alive) < kills[self.stage]) & ~self.hidden))

    def cut(self, share: float) -> None:
        """A share of it leaves with what is cut off."""
        self._keep(self.rng.random(self.alive) >= share)

    def seen(self, care: float) -> dict[str, int]:
        """What a look counts, by class; eggs only where nothing else is there."""
        chance = shown(self.pest)[self.stage] * care * np.where(self.hidden, HIDDEN_SEEN, 1.0)
        kinds = np.array(classes(self.pest))[self.stage]
        met = self.rng.random(self.alive) < chance
        counts = {kind: int((met & (kinds == kind)).sum()) for kind in ("young", "pupa", "adult")}
        if met.any() and not any(counts.values()):
            counts["egg"] = int(met.sum())
        return {kind: n for kind, n in counts.items() if n}

    def by_stage(self, care: float) -> dict[str, int]:
        """What somebody who searches finds, by stage id; laying adults and those before
        as adults.
        """
        met = self.stage[self.rng.random(self.alive) < care]
        names = [*(ADULT if s.id == PREOVIPOSITION else s.id for s in self.pest.stages), ADULT]
        out: dict[str, int] = {}
        for stage in met:
            out[names[int(stage)]] = out.get(names[int(stage)], 0) + 1
        return out
