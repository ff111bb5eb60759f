"""Fits a table of stage times: from CSV to the JSON answer."""

from __future__ import annotations

import csv
import io
import re
from typing import Any

from brood.core.biology.fitting import Fit, Point, fit_all
from brood.core.climate.logger_table import text_of
from brood.errors import InputError, ModelError

COLUMNS = {
    "celsius": r"^(temp|celsius|°c|t$|temp_c|temperature)",
    "days": r"^(day|time|duration)",
    "stage": r"^stage",
    "n": r"^(n|number)$",
}
MOST_ROWS = 500


def of_file(data: bytes, upper_c: float | None = None) -> dict[str, Any]:
    """Fit every stage of a table with the columns temperature and days and, if present,
    stage and n. Raises InputError that names the row.
    """
    return {
        "schema": 1,
        "stages": [_stage(stage, points, upper_c) for stage, points in table(data).items()],
    }


def table(data: bytes) -> dict[str, list[Point]]:
    """Stage times by stage, or as "all" where the table names none."""
    text = text_of(data)
    first = next(iter(text.splitlines()), "")
    separator = next((s for s in (";", "\t", ",") if s in first), ",")
    try:
        rows = list(csv.reader(io.StringIO(text, newline=None), delimiter=separator))[
            : MOST_ROWS + 1
        ]
    except csv.Error as error:
        raise InputError(
            f"This table cannot be read: {error}.", field="file", allowed="a CSV table"
        ) from None
    if not rows:
        raise InputError(
            "There is nothing in this table.", field="file", allowed="temperature,days,stage,n"
        )
    names = [cell.strip().lower() for cell in rows[0]]
    found = {
        key: next((i for i, n in enumerate(names) if re.match(pattern, n)), None)
        for key, pattern in COLUMNS.items()
    }
    if found["celsius"] is None or found["days"] is None:
        raise InputError(
            "The table needs the columns temperature and days.",
            field="file",
            value=first[:60],
            allowed="temperature,days,stage,n",
        )
    out: dict[str, list[Point]] = {}
    for number, row in enumerate(rows[1:], start=2):
        if any(cell.strip() for cell in row):
            stage = (
                row[found["stage"]].strip()
                if found["stage"] is not None and len(row) > found["stage"]
                else ""
            )
            out.setdefault(stage or "all", []).append(_point(number, row, found))
    if not out:
        raise InputError(
            "The table has a heading and no rows.", field="file", allowed="rows such as 20,6.7"
        )
    return out


def _point(number: int, row: list[str], found: dict[str, int | None]) -> Point:
    values = {}
    for key in ("celsius", "days", "n"):
        column = found[key]
        if column is None:
            values[key] = 1.0
            continue
        cell = row[column].strip().replace(",", ".") if len(row) > column else ""
        try:
            values[key] = float(cell)
        except ValueError:
            raise InputError(
                f"Row {number}: '{cell[:20]}' is no number.",
                field=key,
                value=cell[:20],
                allowed="a number",
            ) from None
    if not 0 < values["n"] < 1e6:
        raise InputError(
            f"Row {number}: n must be more than 0.", field="n", value=values["n"], allowed="> 0"
        )
    return Point(values["celsius"], values["days"], values["n"])


def _stage(stage: str, points: list[Point], upper_c: float | None) -> dict[str, Any]:
    try:
        fits = fit_all(points, upper_c)
    except ModelError as error:
        raise InputError(
            f"Stage {stage}: {error.message}",
            field=error.field,
            value=error.value,
            allowed=error.allowed,
        ) from None
    return {
        "stage": stage,
        "n": len(points),
        "best": fits[0].model.name,
        "models": [_model(f) for f in fits],
    }


def _model(fit: Fit) -> dict[str, Any]:
    return {
        "model": fit.model.name,
        "r_squared": round(fit.r_squared, 5),
        "aicc": None if fit.aicc is None else round(fit.aicc, 2),
        "parameters": [
            {
                "name": p.name,
                "value": float(f"{p.value:.6g}"),
                "unit": p.unit,
                "standard_error": None
                if p.standard_error is None
                else float(f"{p.standard_error:.3g}"),
            }
            for p in fit.parameters
        ],
        "residuals": [
            {
                "celsius": r.celsius,
                "days": r.tabulated_days,
                "fitted_days": round(r.fitted_days, 3),
                "residual_days": round(r.days, 3),
            }
            for r in fit.residuals
        ],
    }
