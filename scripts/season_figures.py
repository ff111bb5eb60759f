"""How well the arrival forecast does over simulated years: `python scripts/season_figures.py
[YEARS]`. `make bench` runs it.

A pest is first seen at 300 ± 25 degree-days above 8.5 °C, in weather that differs from year to
year by whole seasons, by four weeks and by days. Its keeper remembers two to six years, one of
them without a sighting. Each forecast is the one that stands on the day when prevention begins.
"""

from __future__ import annotations

import sys
from datetime import date, timedelta

import numpy as np

from brood.core.season import arrival, heat_sums
from brood.core.season.arrival import Band, Sighting
from brood.core.season.biofix import DAYS
from brood.core.season.heat_sums import YearOfDays
from brood.services.warmth.hourly import normal_of
from brood.services.warmth.weather import COAST

LOWER, UPPER, HEAT, SPREAD = 8.5, 30.0, 300.0, 25.0
SEASON_C, WEEKS_C, DAY_C, STAYS = 0.7, 0.7, 1.2, 0.7
MEMORY = (2, 6)


def weather(rng: np.random.Generator) -> YearOfDays:
    """A year of days around the normals of a made-up coast."""
    normals = [list(month) for month in COAST]
    base = np.array([normal_of(normals, date(2025, 1, 1) + timedelta(days=n)) for n in range(DAYS)])
    weeks = np.repeat(rng.normal(0, WEEKS_C, DAYS // 28 + 1), 28)[:DAYS]
    day, days = 0.0, np.zeros(DAYS)
    for n in range(DAYS):
        day = STAYS * day + rng.normal(0, DAY_C)
        days[n] = day
    off = rng.normal(0, SEASON_C) + weeks
    low = base[:, 0] + off + 0.8 * days
    return YearOfDays(low, np.maximum(base[:, 1] + off + 1.2 * days, low + 1))


def first_seen(year: YearOfDays, rng: np.random.Generator) -> Sighting:
    """The day on which the pest is first seen in a year, and its degree-days."""
    come = np.cumsum(heat_sums.of_days(year, LOWER, UPPER))
    day = int(np.searchsorted(come, rng.normal(HEAT, SPREAD)))
    return Sighting(day, heat_sums.heat_at(year, day, LOWER, UPPER))


def stands_at_begin(seen: list[Sighting], this: YearOfDays, years: list[YearOfDays]) -> Band:
    """The forecast as it stands on the day when it says that prevention begins."""
    known = 0
    for _ in range(3):
        hidden = np.arange(DAYS) >= known
        so_far = YearOfDays(np.where(hidden, np.nan, this.low), np.where(hidden, np.nan, this.high))
        band = arrival.forecast(seen, heat_sums.sums(so_far, years, LOWER, UPPER))
        assert band is not None
        known = max(int(band.begin), 0)
    return band


def one(rng: np.random.Generator) -> tuple[Band, float, float]:
    """A forecast, the day on which the pest came, and the day of last year."""
    memory = int(rng.integers(MEMORY[0], MEMORY[1] + 1))
    years = [weather(rng) for _ in range(memory + 1)]
    seen = [first_seen(year, rng) for year in years]
    told = list(seen[:-1])
    told.pop(int(rng.integers(0, memory)))
    return stands_at_begin(told, years[-1], years[:-1]), seen[-1].day, told[-1].day


def main() -> None:
    """Print the figures."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 300
    rng = np.random.default_rng(20261130)
    rows = [one(rng) for _ in range(count)]
    held = sum(arrival.held(band, day) == "right" for band, day, _ in rows)
    early = sum(arrival.held(band, day) == "early" for band, day, _ in rows)
    later, heat = count - held - early, np.mean([band.by_heat for band, _, _ in rows])
    error = np.mean([abs(band.likely - day) for band, day, _ in rows])
    last = np.mean([abs(before - day) for _, day, before in rows])
    before_own = [band.early - band.begin for band, _, _ in rows]
    lead = np.percentile([day - band.begin for band, day, _ in rows], [10, 50, 90])
    widths = np.mean([band.width for band, _, _ in rows])
    print(f"{count} years of sightings, memory of {MEMORY[0]} to {MEMORY[1]} years, one missed")
    print(
        f"  bands of 80 in 100 held {100 * held / count:.0f} in 100 "
        f"(came earlier {100 * early / count:.0f}, later {100 * later / count:.0f})"
    )
    print(f"  bands are {widths:.0f} days wide, {heat:.0%} by heat")
    print(
        f"  prevention begins {min(before_own):.0f} to {max(before_own):.0f} days before the "
        "earliest likely day"
    )
    print(
        f"  and {lead[1]:.0f} days ({lead[0]:.0f} to {lead[2]:.0f} in eight of ten) before the pest"
    )
    print(
        f"  the middle is off by {error:.1f} days, the date of last year by {last:.1f}: "
        f"{100 * (1 - error / last):.0f} in 100 less"
    )


if __name__ == "__main__":
    main()
