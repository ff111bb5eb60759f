"""Stage times at a constant temperature, and the dated events of a group."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

import numpy as np
from numpy.typing import NDArray
from scipy.special import gammaincinv

from brood.core.biology.pest import ADULT, DateSpan, Pest, Span
from brood.core.biology.rates import RateModel
from brood.core.biology.substages import Chain, Clock, chain_of, clock
from brood.core.climate.hours import EVENING
from brood.core.climate.series import HourlySeries, constant, covering

STEP_MOVES = 0.4
LONGEST_DAYS = 800.0
_EPOCH = datetime(2000, 1, 1)


@dataclass(frozen=True)
class StageTimes:
    """Days in each stage, egg (or birth) to adult, and egg to egg, at one temperature."""

    stages: tuple[tuple[str, Span], ...]
    egg_to_adult: Span
    preoviposition: Span
    generation: Span


@dataclass(frozen=True)
class Event:
    """What happens to a group: `event` at the end of `stage`."""

    event: str
    stage: str
    when: DateSpan


def stage_times(pest: Pest, celsius: float, *, spread_c: float = 0.0) -> StageTimes:
    """Fast, typical and slow stage times in days at a constant temperature (°C).

    `spread_c` is the standard deviation of the temperature's own offset. With 0 it is
    exactly that temperature, and only the individuals differ. A quantity is None where
    it does not end within 800 days.
    """
    chain = chain_of(pest)
    last = len(pest.stages) - 1
    each = [_days(chain, celsius, spread_c, i, i + 1) for i in range(len(pest.stages))]
    return StageTimes(
        stages=tuple(
            (stage.id, span) for stage, span in zip(pest.stages[:-1], each[:-1], strict=True)
        ),
        egg_to_adult=_days(chain, celsius, spread_c, 0, last),
        preoviposition=each[-1],
        generation=_days(chain, celsius, spread_c, 0, last + 1),
    )


def _days(chain: Chain, celsius: float, spread_c: float, first: int, target: int) -> Span:
    """Passage times in days. The clock's "hour" is stretched so that no sub-stage is
    left more than 0.4 times in it.
    """
    still = constant(_EPOCH, 1, celsius, spread_c=spread_c)
    one = clock(chain, still)
    moves = one.total[:, 1, :]
    if moves[1, first:target].min() <= 0:
        return Span(None, None, None)
    stretch = STEP_MOVES / moves[:, first:target].max()
    steps = round(LONGEST_DAYS * 24 / stretch)
    total = np.arange(steps + 1)[:, None] * (moves * stretch)[:, None, :]
    long = Clock(chain, still, total, one.weights, 1.0)
    quantiles = long.passages(chain.entering(first), 0.0, [target])[0]
    return Span(*(None if q is None else float(q * stretch / 24) for q in quantiles))


def rate_sum(
    models: Sequence[RateModel], celsius: NDArray[np.float64], *, most_days: float = LONGEST_DAYS
) -> list[float]:
    """Days until each of several stages in a row is complete for a mean individual: its
    rate is summed hour by hour.

    `celsius` holds hourly temperatures from the start of the first stage; they are
    repeated as often as needed. Infinite from the first stage that is not complete
    within `most_days`. Source: rate summation (Kaufmann 1932, Z. Morphol. Ökol. Tiere
    25:353–361).
    """
    hours = np.resize(celsius, math.ceil(most_days * 24))
    at = 0.0
    out: list[float] = []
    for model in models:
        done = np.concatenate(([0.0], np.cumsum(model.per_day(hours) / 24)))
        goal = float(np.interp(at, np.arange(len(done)), done)) + 1.0
        after = int(np.searchsorted(done, goal))
        if after >= len(done):
            return [*out, *([math.inf] * (len(models) - len(out)))]
        at = after - (done[after] - goal) / (done[after] - done[after - 1])
        out.append(at / 24)
    return out


def gamma_span(mean_days: float, substages: int) -> Span:
    """Fast, typical and slow days of a chain of equal sub-stages at one temperature,
    from its mean in days: 5 %, 50 % and 95 % of a gamma distribution.

    All are None for an infinite mean.
    """
    if not math.isfinite(mean_days):
        return Span(None, None, None)
    shares = gammaincinv(substages, [0.05, 0.5, 0.95])
    return Span(*(float(mean_days * share / substages) for share in shares))


def dates(series_clock: Clock, quantiles: list[float | None]) -> DateSpan:
    """Hours after the start of the series, as moments."""
    return DateSpan(*(None if q is None else series_clock.series.moment(q) for q in quantiles))


def events(
    series_clock: Clock, stage: str, at: datetime, *, spread_over: bool = False
) -> tuple[Event, ...]:
    """The dated events of a group that is in `stage` at a moment: the end of each stage
    up to its first own egg.

    With `spread_over` the group is spread evenly over the stage, as when it is found.
    Otherwise it has just entered the stage. The fast, typical and slow dates include
    the spread of the temperature. Adults have no further event.
    """
    chain = series_clock.chain
    first = chain.pest.index(stage)
    if stage == ADULT:
        return ()
    state = chain.spread(first) if spread_over else chain.entering(first)
    targets = list(range(first + 1, len(chain.pest.stages) + 1))
    hour = (at - series_clock.series.start) / timedelta(hours=1)
    found = series_clock.passages(state, hour, targets)
    return tuple(
        Event(
            chain.pest.stages[target - 1].ends_with,
            chain.pest.stages[target - 1].id,
            dates(series_clock, quantiles),
        )
        for target, quantiles in zip(targets, found, strict=True)
    )


def time_between(
    series_clock: Clock, at: datetime, first: int, target: int, *, until: float = 0.95
) -> list[float | None]:
    """Days from entering stage index `first` at a moment to entering `target`: 5 %, 50
    % and 95 %.
    """
    hour = (at - series_clock.series.start) / timedelta(hours=1)
    quantiles = series_clock.passages(series_clock.chain.entering(first), hour, [target], until)[0]
    return [None if q is None else (q - hour) / 24 for q in quantiles]


def generation_ends(pest: Pest, series: HourlySeries, since: date, until: date) -> date | None:
    """The day by whose evening a slow generation from the evening of a day on is over. None
    where it is not by `until`.

    It is over when 95 in 100 of the eggs of the first day have grown up and laid, over the spread
    of the temperature.
    """
    if until <= since:
        return None
    begin = datetime.combine(since, EVENING)
    watch = clock(chain_of(pest), covering(series, begin, (until - since).days * 24))
    over = watch.passages(watch.chain.entering(0), 0.0, [len(pest.stages)])[0][2]
    return None if over is None else since + timedelta(days=math.ceil(over / 24))
