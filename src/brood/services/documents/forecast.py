"""The arrival forecast of a table of earlier first sightings, without a household."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

import numpy as np

from brood.core.climate import daily_table
from brood.core.climate.degree_days import check
from brood.core.season import arrival, heat_sums
from brood.core.season.arrival import Band, Sighting
from brood.core.season.biofix import DAYS, biofix, day_of, season_of
from brood.core.season.heat_sums import YearOfDays
from brood.errors import InputError

MOST_ROWS = 500


@dataclass(frozen=True)
class Row:
    """A first sighting, with its degree-days where the table has them."""

    on: date
    heat: float | None


def sightings(data: bytes) -> list[Row]:
    """The rows of a table `date[,degree_days]`. Raises InputError, naming the row."""
    text = data.decode("utf-8-sig", "replace")
    out: list[Row] = []
    for number, cells in enumerate(csv.reader(io.StringIO(text)), 1):
        if not cells or not cells[0].strip() or (number == 1 and cells[0].strip() == "date"):
            continue
        out.append(_row(number, cells))
    if not out:
        raise InputError("The table has no sighting.", field="sightings", allowed="date[,sum]")
    if len(out) > MOST_ROWS:
        raise InputError(f"At most {MOST_ROWS} rows.", field="sightings", value=len(out))
    return out


def _row(number: int, cells: list[str]) -> Row:
    try:
        on = date.fromisoformat(cells[0].strip())
    except ValueError:
        raise InputError(
            f"Row {number}: the date is not one.",
            field="sightings",
            value=cells[0][:40],
            allowed="2025-06-03",
        ) from None
    said = cells[1].strip() if len(cells) > 1 else ""
    try:
        heat = float(said) if said else None
    except ValueError:
        heat = -1.0
    if heat is not None and not 0 <= heat < 20_000:
        raise InputError(
            f"Row {number}: the degree-days are not a number of 0 or more.",
            field="sightings",
            value=said[:40],
        )
    return Row(on, heat)


def years_of(data: bytes, hemisphere: str, *, day_first: bool = True) -> dict[int, YearOfDays]:
    """The seasons of a table of daily minima and maxima. Raises InputError."""
    table = daily_table.parse(data, day_first=day_first)
    if table is None or not table.days:
        raise InputError(
            "The weather table needs a date, a lowest and a highest temperature a day.",
            field="weather",
            allowed="2026-05-01,11.5,24",
        )
    out: dict[int, YearOfDays] = {}
    for on, low, high in table.days:
        season = season_of(hemisphere, on)
        blank = np.full(DAYS, np.nan)
        year = out.setdefault(season, YearOfDays(blank.copy(), blank.copy()))
        n = day_of(hemisphere, on)
        if n < DAYS:
            year.low[n], year.high[n] = low, high
    return out


def band(
    rows: list[Row],
    weather: dict[int, YearOfDays],
    year: int,
    hemisphere: str,
    lower: float,
    upper: float | None,
) -> tuple[Band, list[int]]:
    """The band of a season by the first sighting of each earlier one, and those seasons.
    Raises InputError where there is none.
    """
    first: dict[int, Row] = {}
    for row in sorted(rows, key=lambda r: r.on):
        first.setdefault(season_of(hemisphere, row.on), row)
    earlier = {season: row for season, row in first.items() if season < year}
    if not earlier:
        raise InputError(
            f"No sighting is from before {year}.", field="year", value=year, allowed="a later year"
        )
    seen = [
        Sighting(
            day_of(hemisphere, row.on),
            _heat(row, weather.get(season), hemisphere, lower, upper),
        )
        for season, row in sorted(earlier.items())
    ]
    normals = heat_sums.normal_years({s: y for s, y in weather.items() if s != year})
    sums = None
    if normals:
        blank = YearOfDays(np.full(DAYS, np.nan), np.full(DAYS, np.nan))
        sums = heat_sums.sums(weather.get(year, blank), normals, lower, upper)
    found = arrival.forecast(seen, sums)
    assert found is not None
    return found, sorted(earlier)


def _heat(
    row: Row, year: YearOfDays | None, hemisphere: str, lower: float, upper: float | None
) -> float | None:
    if row.heat is not None or year is None:
        return row.heat
    return heat_sums.heat_at(year, day_of(hemisphere, row.on), lower, upper)


def forecast_json(
    sightings_csv: bytes,
    weather_csv: bytes | None,
    *,
    year: int,
    lower: float,
    upper: float | None = None,
    hemisphere: str = "north",
) -> dict[str, Any]:
    """The forecast of a year by the contract. Raises InputError."""
    check(lower, upper)
    rows = sightings(sightings_csv)
    weather = years_of(weather_csv, hemisphere) if weather_csv is not None else {}
    found, years = band(rows, weather, year, hemisphere, lower, upper)
    return {"schema": 1, "forecasts": [as_json(found, biofix(hemisphere, year), years)]}


def as_json(found: Band, first: date, years: list[int]) -> dict[str, Any]:
    """A band as dates, by the contract."""

    def on(day: float) -> str:
        return (first + timedelta(days=int(np.floor(day)))).isoformat()

    return {
        "begin_prevention": on(found.begin),
        "early": on(found.early),
        "likely": on(found.likely),
        "late": on(found.late),
        "from": "heat" if found.by_heat else "date",
        "years": len(years),
        "seen": years,
    }
