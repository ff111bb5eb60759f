"""The degree-day bench: from a place or a file to degree-days by day and in sum."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from brood.core.climate import daily_table, logger_table
from brood.core.climate.degree_days import check, from_extremes, from_hours, vertical_error
from brood.core.climate.series import EXPECTED, FILLED, FORECAST, HourlySeries, daily, from_readings
from brood.errors import InputError
from brood.services.warmth.hourly import place_series
from brood.store.queries import cases

LONGEST_DAYS = 800


@dataclass(frozen=True)
class Bench:
    """Thresholds in °C, the method of summing, and the biofix: the day from which the
    sum counts (None: the first day).
    """

    lower: float
    upper: float | None = None
    method: str = "single-sine"
    cutoff: str = "horizontal"
    biofix: date | None = None


@dataclass(frozen=True)
class DayLine:
    """A day: degree-days, the sum since the biofix, and whether the day is measured,
    forecast or expected.
    """

    day: date
    degree_days: float
    total: float
    kind: str


@dataclass(frozen=True)
class BenchResult:
    """Days in order. `total` counts from the biofix on."""

    bench: Bench
    days: tuple[DayLine, ...]
    total: float
    filled_hours: int
    warnings: tuple[str, ...]


def of_file(data: bytes, bench: Bench, *, day_first: bool = True) -> BenchResult:
    """Degree-days of a file with daily minima and maxima or with a logger's series.
    Raises InputError.
    """
    check(bench.lower, bench.upper)
    table = daily_table.parse(data, day_first=day_first)
    if table is not None:
        return _of_table(table, bench)
    log = logger_table.parse(data, day_first=day_first)
    series = from_readings((r.at, r.celsius) for r in log.readings)
    warnings = [*log.notes, *(f"Row {r.row} refused: {r.reason}." for r in log.refused[:20])]
    return _of_series(_whole_days(series, warnings), bench, warnings)


def _of_table(table: daily_table.DailyFile, bench: Bench) -> BenchResult:
    warnings = [*table.notes, *(f"Row {r.row} refused: {r.reason}." for r in table.refused[:20])]
    if not table.days:
        raise InputError(
            "No day of this file could be read. " + " ".join(warnings[:1]),
            field="file",
            allowed="rows such as 2026-05-01,11.5,24",
        )
    days, lows, highs = (list(column) for column in zip(*table.days, strict=True))
    missing = (days[-1] - days[0]).days + 1 - len(days)
    if missing:
        warnings.append(
            f"{missing} days between the first and the last are missing; their degree-days "
            "are not counted."
        )
    if bench.method == "hourly":
        sums = np.concatenate(
            [
                from_hours(
                    daily(d, [a], [b]).celsius, bench.lower, bench.upper, cutoff=bench.cutoff
                )
                for d, a, b in table.days
            ]
        )
    else:
        sums = from_extremes(
            lows, highs, bench.lower, bench.upper, method=bench.method, cutoff=bench.cutoff
        )
    return _answer(days, sums, ["measured"] * len(days), 0, bench, warnings)


def _whole_days(series: HourlySeries, warnings: list[str]) -> HourlySeries:
    """The series without the incomplete days at its ends. Raises InputError when no
    whole day is left.
    """
    first = (24 - series.start.hour) % 24
    last = first + (len(series) - first) // 24 * 24
    if last - first < 24:
        raise InputError(
            "Degree-days need at least one whole day from midnight to midnight.",
            field="file",
            allowed="a whole day or more",
        )
    if first or last < len(series):
        warnings.append("The parts of days at the ends of the file are not counted.")
    cut = slice(first, last)
    return HourlySeries(
        series.moment(first), series.celsius[cut], series.spread_c[cut], series.origin[cut]
    )


def _of_series(series: HourlySeries, bench: Bench, warnings: list[str]) -> BenchResult:
    hours = series.celsius.reshape(-1, 24)
    if bench.method == "hourly":
        sums = from_hours(series.celsius, bench.lower, bench.upper, cutoff=bench.cutoff)
    else:
        sums = from_extremes(
            list(hours.min(axis=1)),
            list(hours.max(axis=1)),
            bench.lower,
            bench.upper,
            method=bench.method,
            cutoff=bench.cutoff,
        )
    origin = series.origin.reshape(-1, 24)
    kinds = [
        "expected" if (o == EXPECTED).any() else "forecast" if (o == FORECAST).any() else "measured"
        for o in origin
    ]
    days = [(series.start + timedelta(days=n)).date() for n in range(len(hours))]
    return _answer(days, sums, kinds, int((series.origin == FILLED).sum()), bench, warnings)


def _answer(
    days: list[date], sums: Any, kinds: list[str], filled: int, bench: Bench, warnings: list[str]
) -> BenchResult:
    if bench.biofix is not None and not days[0] <= bench.biofix <= days[-1]:
        raise InputError(
            f"The biofix must lie between {days[0].isoformat()} and {days[-1].isoformat()}.",
            field="biofix",
            value=bench.biofix.isoformat(),
            allowed=f"{days[0].isoformat()} to {days[-1].isoformat()}",
        )
    if bench.method == "hourly" and bench.cutoff == "vertical" and bench.upper is not None:
        error = vertical_error(bench.lower, bench.upper)
        warnings.append(
            f"With a vertical cut-off a sum by the hour can miss by up to {error:.2f} °C·d "
            "a day that crosses the upper threshold."
        )
    running, out = 0.0, []
    for day, amount, kind in zip(days, sums, kinds, strict=True):
        running += float(amount) if bench.biofix is None or day >= bench.biofix else 0.0
        out.append(DayLine(day, float(amount), running, kind))
    return BenchResult(bench, tuple(out), running, filled, tuple(warnings))


def of_place(session: Session, place_id: int, bench: Bench, first: date, last: date) -> BenchResult:
    """Degree-days of a place between two days, from measured, forecast and expected
    hours. Raises InputError.
    """
    check(bench.lower, bench.upper)
    if not 0 <= (last - first).days < LONGEST_DAYS:
        raise InputError(
            "The last day must come after the first, by two years at most.",
            field="last",
            value=last.isoformat(),
        )
    series = place_series(session, cases.place(session, place_id), first, last)
    hours = ((last - first).days + 1) * 24
    start = datetime.combine(first, time())
    whole = HourlySeries(
        start, series.celsius[:hours], series.spread_c[:hours], series.origin[:hours]
    )
    return _of_series(whole, bench, [])


def as_json(result: BenchResult) -> dict[str, Any]:
    """The answer as JSON, with the sum since the biofix beside it."""
    return {
        "schema": 1,
        "days": [
            {
                "date": d.day.isoformat(),
                "degree_days": round(d.degree_days, 4),
                "total": round(d.total, 4),
                "kind": d.kind,
            }
            for d in result.days
        ],
        "total": round(result.total, 4),
        "filled_hours": result.filled_hours,
        "warnings": list(result.warnings),
        "biofix": result.bench.biofix.isoformat() if result.bench.biofix else None,
    }


def as_csv(result: BenchResult) -> str:
    """A table: date, degree-days, sum since the biofix, kind of day."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["date", "degree_days", "total", "kind"])
    writer.writerows(
        [d.day.isoformat(), f"{d.degree_days:.3f}", f"{d.total:.3f}", d.kind] for d in result.days
    )
    return out.getvalue()
