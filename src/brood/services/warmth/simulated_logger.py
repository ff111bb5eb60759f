"""A simulated temperature logger. It writes the kind of file that a cheap device
writes, faults included.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np

STEP = timedelta(minutes=10)
HEADER = "time,temperature_c"


@dataclass(frozen=True)
class LoggerPlan:
    """What to simulate: °C of a usual night and of a sunny afternoon, the length, the
    first moment and the seed.
    """

    start: datetime
    days: int = 35
    seed: int = 3
    low_c: float = 15.0
    high_c: float = 27.5
    faults: bool = True


def temperatures(plan: LoggerPlan) -> list[tuple[datetime, float]]:
    """(moment, °C) every ten minutes: sun by day, weather that changes over days, small
    quick swings, slow drift of the device.
    """
    rng = np.random.default_rng(plan.seed)
    count = plan.days * 144
    t = np.arange(count) / 144
    clock = (t + (plan.start.hour * 60 + plan.start.minute) / 1440) % 1
    sky = np.repeat(rng.uniform(0.35, 1.0, plan.days + 2), 144)[:count]
    sky = np.convolve(np.pad(sky, 36, mode="edge"), np.ones(73) / 73, mode="valid")
    fronts = np.convolve(rng.normal(0, 1.0, plan.days + 12), np.ones(4) / 2.2, mode="same")
    weather = np.interp(t, np.arange(len(fronts)), fronts)
    sun = np.clip(np.sin(np.pi * (clock - 0.25) / 0.54), 0, None) ** 1.3 * (
        (clock > 0.25) & (clock < 0.79)
    )
    lag = np.convolve(np.pad(sun, (18, 0), mode="edge"), np.ones(19) / 19, mode="valid")
    quick = np.convolve(rng.normal(0, 0.5, count + 5), np.ones(6) / 4, mode="valid")[:count]
    celsius = (
        plan.low_c
        + weather
        + (plan.high_c - plan.low_c) * lag * sky
        + quick * (0.3 + lag)
        + 0.004 * t * 10
    )
    return [(plan.start + i * STEP, round(float(c), 1)) for i, c in enumerate(celsius)]


def csv_text(plan: LoggerPlan) -> str:
    """The device's file. With `faults`: a short gap, a night without power, a repeated
    row, two readings of a sensor that came loose, and a clock that is set back by an
    hour two thirds through.
    """
    rows = temperatures(plan)
    if not plan.faults or plan.days < 6:
        return "\n".join([HEADER, *(f"{at:%Y-%m-%d %H:%M},{c:.1f}" for at, c in rows)]) + "\n"
    rng = np.random.default_rng(plan.seed + 1)
    day = 144
    short, long = int(plan.days * 0.25) * day + 60, int(plan.days * 0.45) * day + 110
    change = int(plan.days * 0.66) * day + 18
    skip = {*range(short, short + 8), *range(long, long + 55)}
    loose = {
        int(i) for i in rng.choice(np.arange(2 * day, len(rows) - day), 2, replace=False)
    } - skip
    lines = [HEADER]
    for i, (at, c) in enumerate(rows):
        if i in skip:
            continue
        shown = at - timedelta(hours=1) if i >= change else at
        lines.append(f"{shown:%Y-%m-%d %H:%M},{-127.0 if i in loose else c:.1f}")
        if i == short - 30:
            lines.append(lines[-1])
    return "\n".join(lines) + "\n"
