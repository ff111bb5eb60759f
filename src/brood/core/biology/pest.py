"""The nouns of the computation: a pest with its stages, an act, a case, a plan."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from brood.core.biology.rates import RateModel

PREOVIPOSITION = "preoviposition"
ADULT = "adult"


@dataclass(frozen=True)
class Stage:
    """One stage of development.

    `display` is one of egg, larva, nymph, pupa, adult; `ends_with` one of hatch, moult,
    enters-soil, emergence, first-egg, first-birth; `habitat` one of exposed, in-tissue,
    in-soil, under-cover, in-wax, in-furled-leaf; `rest_share` is the share of the stage
    spent quiescent at its end (0 to 1).
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
    """A pest: development stages in order, the last of them `preoviposition`, and what
    its laying adults do.

    `cv` is the coefficient of variation of egg-to-adult time between individuals.
    `fecundity` and `longevity` are tables of (°C, eggs or young per laying female per
    day) and (°C, days that a laying adult lives); `female_share` is 0 to 1. With
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
    """A quantity with its uncertainty: 5 %, 50 % and 95 %; None where it lies beyond
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
