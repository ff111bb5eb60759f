"""A pest with its stages, and quantities with their uncertainty."""

from __future__ import annotations

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
    of the stage that is spent resting at its end (0 to 1).
    """

    id: str
    name: str
    plural: str
    display: str
    ends_with: str
    habitat: str
    rate: RateModel
    rest_share: float = 0.0


@dataclass(frozen=True)
class Pest:
    """A pest: its development stages in order, the last of them `preoviposition`, and
    what its laying adults do.

    `cv` is the coefficient of variation of the egg-to-adult time between individuals.
    `fecundity` is a table of (°C, eggs or young a day per laying female). `longevity`
    is a table of (°C, days that a laying adult lives). `female_share` is 0 to 1. With
    `live_birth` there is no egg: development runs from birth, and `preoviposition` is
    the time to the first birth.
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
