"""A pest with its stages, and quantities with their uncertainty."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime

from brood.core.biology.rates import RateModel

PREOVIPOSITION = "preoviposition"
ADULT = "adult"


@dataclass(frozen=True)
class Stage:
    """One stage of development.

    `display` is one of egg, larva, nymph, pupa, adult. `ends_with` is one of hatch,
    moult, enters-soil, emergence, first-egg, first-birth. `habitat` is one of exposed,
    in-tissue, in-soil, under-cover, in-wax, in-furled-leaf. `rest_share` is the share
    of the stage that is spent resting at its end (0 to 1). `survival` is the share that
    lives through the stage untreated; deaths fall evenly over its development.
    `switching` is how often a day an animal changes its place on the plant, and may come
    out of hiding or go into it.
    """

    id: str
    name: str
    plural: str
    display: str
    ends_with: str
    habitat: str
    rate: RateModel
    rest_share: float = 0.0
    survival: float = 1.0
    switching: float = 0.0


@dataclass(frozen=True)
class Pest:
    """A pest: its development stages in order, the last of them `preoviposition`, and
    what its laying adults do.

    `cv` is the coefficient of variation of the egg-to-adult time between individuals.
    `fecundity` is a table of (°C, eggs or young a day of a laying female's life).
    `longevity` is a table of (°C, days that a laying adult lives). `female_share` is 0
    to 1. With `live_birth` there is no egg: development runs from birth, and
    `preoviposition` is the time to the first birth. `laid_out` is the rate a day at
    which living females have laid all they will; where it is above 0, a female lays
    faster while she lays, so that her total stays the same. `switching` is that of
    `Stage`, of laying adults. `leaves` is the rate a day at which adults fly off.
    `usual_gap_days` is the usual time between treatments at
    20 °C.
    """

    id: str
    name: str
    scientific: str
    stages: tuple[Stage, ...]
    cv: float
    female_share: float
    fecundity: tuple[tuple[float, float], ...]
    longevity: tuple[tuple[float, float], ...]
    live_birth: bool = False
    laid_out: float = 0.0
    switching: float = 0.0
    leaves: float = 0.0
    usual_gap_days: float = 7.0

    def index(self, stage: str) -> int:
        """Position of a stage id; `len(stages)` for laying adults. Raises KeyError for
        an unknown id.
        """
        if stage == ADULT:
            return len(self.stages)
        for position, candidate in enumerate(self.stages):
            if candidate.id == stage:
                return position
        raise KeyError(stage)

    @property
    def switchings(self) -> tuple[float, ...]:
        """How often a day an animal changes its place, in every stage and, last, as a
        laying adult.
        """
        return (*(stage.switching for stage in self.stages), self.switching)

    def lives_from(self, stage: int) -> float:
        """The share that lives untreated from entering a stage index to laying."""
        return math.prod(one.survival for one in self.stages[stage:])

    @property
    def still_laying(self) -> float:
        """Of laying adults met at any age, the share that has not laid out yet: deaths
        against laying out, at the mean of the table of lives.
        """
        lasts = sum(days for _, days in self.longevity) / len(self.longevity)
        return 1 / (1 + self.laid_out * lasts)

    @property
    def development(self) -> tuple[Stage, ...]:
        """The stages from egg (or birth) to adult, without pre-oviposition."""
        return self.stages[:-1]


@dataclass(frozen=True)
class Span:
    """A quantity with its uncertainty: 5 %, 50 % and 95 %. None where it lies beyond
    what could be computed.
    """

    fast: float | None
    typical: float | None
    slow: float | None


@dataclass(frozen=True)
class DateSpan:
    """A moment with its uncertainty: 5 %, 50 % and 95 %."""

    fast: datetime | None
    typical: datetime | None
    slow: datetime | None
