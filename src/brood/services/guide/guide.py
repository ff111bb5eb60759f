"""The field guide: pests by group, and what a pest's page shows."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np
from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.catalogue.schema import GroupRecord, PestRecord, Source, StageRecord, cited
from brood.core.biology.pest import Pest, Span
from brood.core.biology.rates import RateModel
from brood.core.biology.stage_times import gamma_span, rate_sum
from brood.core.biology.substages import chain_of
from brood.core.climate.hours import EVENING
from brood.errors import InputError
from brood.services.warmth.hourly import place_series
from brood.store.place_tables import Place
from brood.store.queries import cases

AHEAD_DAYS, MOST_PLACES = 14, 12
WHOLE = "egg-to-adult"


@dataclass(frozen=True)
class GroupListing:
    """A group with its pests, and for each pest the records that stand beside it."""

    id: str
    group: GroupRecord
    pests: tuple[tuple[PestRecord, tuple[PestRecord, ...]], ...]


@dataclass(frozen=True)
class CurvePoint:
    """A tabulated time, and what the model gives at its temperature."""

    celsius: float
    days: float
    fitted: float
    source: str
    grade: str
    used: bool


@dataclass(frozen=True, eq=False)
class Curve:
    """Days against temperature for one stage, or from egg (or birth) to adult: the
    mean, and the spread between individuals.

    `celsius`, `means` and `spans` have one entry for each temperature drawn. `limits`
    are threshold, fastest and end, °C.
    """

    key: str
    name: str
    celsius: tuple[float, ...]
    means: tuple[float, ...]
    spans: tuple[Span, ...]
    limits: tuple[float, float, float]
    points: tuple[CurvePoint, ...]


@dataclass(frozen=True)
class AtPlace:
    """A pest at one of the keeper's places: mean days by stage, summed hour by hour,
    and by the mean temperature alone.
    """

    place: Place
    low_c: float
    high_c: float
    stages: tuple[float | None, ...]
    whole: Span
    generation: float | None
    by_mean: float | None
    by_hours: float | None = None
    refused: str = ""


@dataclass(frozen=True, eq=False)
class PestGuide:
    """Everything that a pest's page shows. `numbers` gives each cited source its number
    on the page; so many places are `left_out`.
    """

    record: PestRecord
    pest: Pest
    group: GroupRecord
    beside: tuple[PestRecord, ...]
    curve: Curve
    curves: tuple[tuple[str, str], ...]
    places: tuple[AtPlace, ...]
    sources: tuple[tuple[str, Source], ...]
    numbers: dict[str, int]
    left_out: int = 0


def by_group(catalogue: Catalogue) -> tuple[GroupListing, ...]:
    """Every group in order with its pests."""
    return tuple(
        GroupListing(
            key,
            group,
            tuple(
                (r, catalogue.variants(r.id))
                for r in catalogue.records.values()
                if r.group == key and r.variant_of is None
            ),
        )
        for key, group in catalogue.groups.items()
    )


def found_by(listings: tuple[GroupListing, ...], words: str) -> tuple[GroupListing, ...]:
    """The groups with those pests that go by some words: the name of a pest or its group."""
    wanted = words.lower().split()

    def fits(group: GroupRecord, record: PestRecord) -> bool:
        text = f"{group.name} {group.brief} {record.name} {record.scientific}".lower()
        return all(word in text for word in wanted)

    kept = (
        GroupListing(
            one.id,
            one.group,
            tuple(
                (r, beside)
                for r, beside in one.pests
                if any(fits(one.group, every) for every in (r, *beside))
            ),
        )
        for one in listings
    )
    return tuple(one for one in kept if one.pests)


def build(
    session: Session,
    catalogue: Catalogue,
    pest_id: str,
    stage: str,
    *,
    today: date,
    every: bool = False,
) -> PestGuide:
    """A pest's page. `stage` chooses the curve; the whole of development when it is
    empty or unknown. Of many places only the first are shown, unless `every` one is
    asked for.
    """
    pest = catalogue.pest(pest_id)
    record = catalogue.records[pest_id]
    named = list(dict.fromkeys(source for _, source in cited(record)))
    main = record.variant_of or record.id
    beside = tuple(
        r for r in (catalogue.records[main], *catalogue.variants(main)) if r.id != record.id
    )
    whole = "birth to adult" if record.live_birth else "egg to adult"
    known = cases.places(session)
    places = known if every else known[:MOST_PLACES]
    choices = ((WHOLE, whole), *((s.id, s.name) for s in record.stage))
    key = stage if stage in dict(choices) else WHOLE
    return PestGuide(
        record,
        pest,
        catalogue.groups[record.group],
        beside,
        curve(record, pest, key, dict(choices)[key]),
        choices,
        tuple(at_place(session, pest, place, today) for place in places),
        tuple((s, catalogue.sources[s]) for s in named),
        {s: n for n, s in enumerate(named, start=1)},
        len(known) - len(places),
    )


def _models(pest: Pest, key: str) -> tuple[Sequence[RateModel], int]:
    """The models that add up to a curve, and the number of sub-stages that they share."""
    chain = chain_of(pest)
    if key == WHOLE:
        return [s.rate for s in pest.development], sum(chain.counts[:-1])
    position = pest.index(key)
    return [pest.stages[position].rate], chain.counts[position]


def _mean_days(models: Sequence[RateModel], celsius: float) -> float:
    return sum(m.days(celsius) for m in models)


def curve(record: PestRecord, pest: Pest, key: str, name: str) -> Curve:
    """Days against temperature for a stage id or the whole of development."""
    models, size = _models(pest, key)
    low = max(m.threshold_c for m in models) + 1.0
    high = min(m.stops_c for m in models)
    celsius = [float(c) for c in np.arange(math.ceil(low * 2) / 2, high, 0.5)]
    means = [_mean_days(models, c) for c in celsius]
    spans = [gamma_span(days, size) for days in means]
    fastest = min((m.fastest_at_c for m in models), default=high)
    rows = _points(
        record, record.stage[:-1] if key == WHOLE else [s for s in record.stage if s.id == key]
    )
    limits = (max(m.threshold_c for m in models), fastest, high)
    return Curve(
        key,
        name,
        tuple(celsius),
        tuple(means),
        tuple(spans),
        limits,
        tuple(
            CurvePoint(
                c,
                days,
                _mean_days(models, c),
                source,
                grade,
                record.fitted_c[0] <= c <= record.fitted_c[1],
            )
            for c, days, source, grade in rows
        ),
    )


def _points(
    record: PestRecord, stages: Sequence[StageRecord]
) -> list[tuple[float, float, str, str]]:
    """(°C, days, source, grade) of every temperature at which all the stages have a
    row. The worst grade of the rows counts.
    """
    tables = [{row.celsius: row for row in s.development} for s in stages]
    shared = sorted(set.intersection(*(set(t) for t in tables)))
    return [
        (
            c,
            round(sum(t[c].days for t in tables), 2),
            tables[0][c].source,
            max(t[c].grade for t in tables),
        )
        for c in shared
    ]


def at_place(session: Session, pest: Pest, place: Place, today: date) -> AtPlace:
    """Days at a place over its next fortnight, which is repeated as long as needed."""
    try:
        hours = place_series(session, place, today, today + timedelta(days=AHEAD_DAYS - 1)).celsius
    except InputError as error:
        return AtPlace(place, 0.0, 0.0, (), Span(None, None, None), None, None, None, error.message)
    mean = float(hours.mean())
    ends = rate_sum([s.rate for s in pest.stages], np.roll(hours, -EVENING.hour))
    each = [_finite(end - before) for before, end in zip((0.0, *ends), ends, strict=False)]
    whole, generation = _finite(ends[-2]), _finite(ends[-1])
    by_mean = _finite(_mean_days([s.rate for s in pest.development], mean))
    span = (
        Span(None, None, None)
        if whole is None
        else gamma_span(whole, sum(chain_of(pest).counts[:-1]))
    )
    return AtPlace(
        place, float(hours.min()), float(hours.max()), tuple(each), span, generation, by_mean, whole
    )


def _finite(days: float) -> float | None:
    return days if math.isfinite(days) and days < 2000 else None
