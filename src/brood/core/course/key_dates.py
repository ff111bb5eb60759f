"""The dates on which every plan stands: first breeding, last hatch, one generation. And
the stage that hides from an evening.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from functools import cached_property

import numpy as np

from brood.core.biology.case import Case
from brood.core.biology.kill import effect
from brood.core.biology.pest import DateSpan, Span
from brood.core.climate.hours import evening
from brood.core.course.plan import Slip
from brood.core.population.day_table import DayTable

SPARED_BELOW = 0.25
"""An evening spares a stage when reach × kill, over all its acts, is under this share."""


def spared_stages(case: Case) -> tuple[str, ...]:
    """The ids of the immature stages that an evening with all the case's acts spares,
    in order of development.
    """
    return tuple(
        s.id for s in case.pest.development if effect(case.acts, s.id, case.reach) < SPARED_BELOW
    )


def guard_stage(case: Case) -> str:
    """The last stage that is spared, or the least affected one where none is. What
    leaves this stage is what the evenings must catch.
    """
    spared = spared_stages(case)
    if spared:
        return spared[-1]
    return min(
        case.pest.development, key=lambda s: round(effect(case.acts, s.id, case.reach), 6)
    ).id


@dataclass
class Backbone:
    """The fast and slow dates of a case, from its day table."""

    case: Case
    table: DayTable

    def __post_init__(self) -> None:
        self.pest = self.case.pest
        self.guard = guard_stage(self.case)
        self.out = self.pest.index(self.guard) + 1
        self.laying = len(self.pest.stages)

    @property
    def event(self) -> str:
        """How the guard stage ends."""
        return self.pest.stages[self.out - 1].ends_with

    def fastest(self, day: date) -> float | None:
        """Days from leaving the guard stage on that evening to the first own egg, for a
        quick animal in a warm place.
        """
        return self.table.passage(max(day, self.table.first), self.out, self.laying)[0]

    def last_hatch(self, laid_until: date) -> DateSpan:
        """When the last eggs, laid on that evening, have left the guard stage."""
        return _dates(evening(laid_until), self.table.passage(laid_until, 0, self.out))

    def generation(self) -> Span:
        """Days from egg to egg, from the first evening on."""
        return Span(*self.table.passage(self.case.start, 0, self.laying))

    def celsius(self, day: date, days: float) -> float:
        """The mean temperature of so many days from an evening on, °C."""
        return self.case.series.mean(evening(day), evening(day) + timedelta(days=max(days, 1.0)))

    @cached_property
    def first_breeding(self) -> DateSpan:
        """When the immatures found, or the first hatchlings of eggs that must be there,
        could first lay.

        The earliest group counts. Adults that were found lay already, so their eggs
        count as about to hatch.
        """
        spans = []
        for group in self.table.founders:
            found = self.table.first + timedelta(
                days=int(np.searchsorted(self.table.evenings, group.interval))
            )
            if group.share is None:
                spans.append(
                    _dates(
                        evening(found),
                        self.table.passage(found, 0 if self.pest.live_birth else 1, self.laying),
                    )
                )
            else:
                spans.append(
                    _dates(datetime.combine(found, time(9)), self.table.founder_passage(group))
                )
        # A group that never breeds within the table sets no date.
        known = [span for span in spans if span.fast is not None]
        return min(
            known, key=lambda span: span.fast or datetime.max, default=DateSpan(None, None, None)
        )

    def slips(self, least_gap: int) -> tuple[Slip, ...]:
        """What late evenings let through: the quickest animal that came out after one
        evening could lay before the next. Evenings from before the count are history.
        """
        done = sorted({d.on for d in self.case.evenings_done if d.on >= self.table.first})
        out = []
        for earlier, later in itertools.pairwise(done):
            fast = self.fastest(earlier)
            if fast is None:
                continue
            latest = earlier + timedelta(days=max(0, math.ceil(fast) - 1, least_gap))
            if later > latest:
                out.append(
                    Slip(
                        later,
                        latest,
                        evening(earlier) + timedelta(days=fast),
                        self.guard,
                        self.event,
                    )
                )
        return tuple(out)


def _dates(start: datetime, days: tuple[float | None, ...]) -> DateSpan:
    return DateSpan(*(None if d is None else start + timedelta(days=d) for d in days))
