"""Stage times at one temperature, and the dated events of a group under a logger's temperatures."""

from __future__ import annotations

import math
from datetime import date, datetime, time, timedelta
from typing import Any

from brood.catalogue.holdings import Catalogue
from brood.catalogue.schema import PestRecord
from brood.core.biology.pest import ADULT, DateSpan, Pest
from brood.core.biology.stage_times import events, stage_times, time_between
from brood.core.biology.substages import chain_of, clock, require_development
from brood.core.climate.hours import evening
from brood.core.climate.logger_table import parse
from brood.core.climate.series import check_celsius, from_readings, window
from brood.errors import InputError
from brood.services.documents.case_document import dates_json, span_json

HORIZON_DAYS = 400
FIRST_YOUNG = ("first-egg", "first-birth")


def at_celsius(
    catalogue: Catalogue, pest_id: str, celsius: float, spread_c: float = 0.0
) -> dict[str, Any]:
    """Days in each stage at a constant temperature, with sources."""
    pest = catalogue.pest(pest_id)
    check_celsius(celsius)
    times = stage_times(pest, celsius, spread_c=spread_c)
    answer: dict[str, Any] = {
        "schema": 1,
        "pest": pest.id,
        "celsius": celsius,
        "stages": [
            {
                "stage": stage,
                **_place(catalogue.records[pest.id], stage),
                "days": {**span_json(span), "mean": _mean(pest, stage, celsius)},
            }
            for stage, span in times.stages
        ],
        "egg_to_adult": span_json(times.egg_to_adult),
        "preoviposition": span_json(times.preoviposition),
        "generation": span_json(times.generation),
        "live_birth": pest.live_birth,
        "model": catalogue.records[pest.id].model,
        "sources": sources(catalogue, catalogue.records[pest_id]),
    }
    if times.generation.typical is None:
        answer["note"] = (
            f"At {celsius:g} °C at least one stage does not develop, or takes more than 800 days."
        )
    return answer


def _place(record: PestRecord, stage: str) -> dict[str, str]:
    """What a stage is called, its habitat, and where to look for it."""
    found = next(s for s in record.stage if s.id == stage)
    return {"term": found.term, "habitat": found.habitat, "where": found.where}


def _mean(pest: Pest, stage: str, celsius: float) -> float | None:
    """The mean days in a stage, as the tables give it. The typical time is the median,
    a little shorter.
    """
    days = pest.stages[pest.index(stage)].rate.days(celsius)
    return round(days, 2) if math.isfinite(days) else None


def sources(catalogue: Catalogue, record: PestRecord) -> list[dict[str, str]]:
    """The sources of a pest's development figures, each with the best grade that it was given."""
    graded: dict[str, str] = {}
    for stage in record.stage:
        for row in stage.development:
            graded[row.source] = min(graded.get(row.source, "C"), row.grade)
    return [
        {"text": catalogue.sources[source].text, "confidence": grade}
        for source, grade in graded.items()
    ]


def from_logger(
    catalogue: Catalogue, pest_id: str, data: bytes, stage: str, start: date
) -> dict[str, Any]:
    """The dated events of a group that enters a stage on the evening of a day."""
    pest = catalogue.pest(pest_id)
    known = [*(s.id for s in pest.stages), ADULT]
    if stage not in known:
        raise InputError(
            f"There is no stage '{stage[:40]}' in {pest.name}.",
            field="from",
            value=stage[:40],
            allowed=", ".join(known),
        )
    log = parse(data)
    series = from_readings((r.at, r.celsius) for r in log.readings)
    _check_start(start, series.start, series.end)
    series = window(
        series, datetime.combine(start, time()), evening(start) + timedelta(days=HORIZON_DAYS)
    )
    chain = chain_of(pest)
    require_development(chain, series)
    ticking = clock(chain, series)
    found = events(ticking, stage, evening(start))
    laying = next(
        (e.when for e in found if e.event in FIRST_YOUNG),
        DateSpan(evening(start), evening(start), evening(start)),
    )
    hatch = time_between(ticking, evening(start), 0, 1)
    last = DateSpan(*(None if d is None else evening(start) + timedelta(days=d) for d in hatch))
    return {
        "schema": 1,
        "pest": pest.id,
        "from": stage,
        "start": start.isoformat(),
        "events": [{"event": e.event, "stage": e.stage, "date": dates_json(e.when)} for e in found],
        "first_breeding": dates_json(laying),
        "last_hatch": dates_json(last),
        "readings": len(log.readings),
        "refused": [{"row": r.row, "text": r.text, "reason": r.reason} for r in log.refused],
        "notes": list(log.notes),
    }


def _check_start(start: date, first: datetime, end: datetime) -> None:
    if not first.date() - timedelta(days=14) <= start <= end.date() + timedelta(days=60):
        raise InputError(
            f"The file runs from {first:%Y-%m-%d} to {end:%Y-%m-%d}: the start must lie in "
            "or near that time.",
            field="start",
            value=start.isoformat(),
            allowed=f"{first:%Y-%m-%d} to {end:%Y-%m-%d}",
        )
