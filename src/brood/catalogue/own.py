"""A keeper's own figures: which constants can be set, and a catalogue with some of them
replaced.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from brood.catalogue.holdings import Catalogue
from brood.catalogue.schema import KillTable, PestRecord
from brood.core.biology.pest import Pest, Stage
from brood.core.biology.rates import model_of
from brood.errors import InputError

FIGURE_NAMES = {
    "lower_c": "threshold",
    "k_dd": "heat sum",
    "plateau_from_c": "plateau from",
    "plateau_to_c": "plateau to",
    "upper_c": "upper limit",
    "a": "factor of the curve",
    "fastest_c": "fastest at",
    "stop_c": "stops at",
    "rho": "ρ of the curve",
    "t_max_c": "Tmax of the curve",
    "delta_c": "Δ of the curve",
    "lam": "λ of the curve",
}


@dataclass(frozen=True)
class SettableFigure:
    """One constant that can be set: its key, plain name, unit, shipped value, and the
    source and grade behind it.
    """

    key: str
    part: str
    name: str
    unit: str
    value: float
    source: str
    grade: str


def figures(catalogue: Catalogue, pest_id: str) -> tuple[SettableFigure, ...]:
    """Every constant of a pest that can be set, in the order of the page."""
    record, pest = catalogue.records[pest_id], catalogue.pest(pest_id)
    out = []
    for shown, stage in zip(record.stage, pest.stages, strict=True):
        best = min(shown.development, key=lambda row: row.grade)
        for name, value in stage.rate.figures.items():
            unit = stage.rate.units[name]
            out.append(
                SettableFigure(
                    f"stage.{stage.id}.{name}",
                    stage.name,
                    FIGURE_NAMES[name],
                    unit,
                    value,
                    best.source,
                    best.grade,
                )
            )
    out.append(
        SettableFigure(
            "cv",
            "all stages",
            "spread between individuals",
            "",
            record.cv.value,
            record.cv.source,
            record.cv.grade,
        )
    )
    share = record.female_share
    out.append(
        SettableFigure(
            "female_share",
            "breeding",
            "share of females",
            "",
            share.value,
            share.source,
            share.grade,
        )
    )
    young = "young" if record.live_birth else "eggs"
    out += [
        SettableFigure(
            f"fecundity.{r.celsius:g}",
            "breeding",
            f"{young} a day at {r.celsius:g} °C",
            "",
            r.per_day,
            r.source,
            r.grade,
        )
        for r in record.fecundity
    ]
    out += [
        SettableFigure(
            f"longevity.{r.celsius:g}",
            "breeding",
            f"days of laying life at {r.celsius:g} °C",
            "d",
            r.days,
            r.source,
            r.grade,
        )
        for r in record.longevity
    ]
    return (*out, *_kill_figures(catalogue, record))


def _kill_figures(catalogue: Catalogue, record: PestRecord) -> list[SettableFigure]:
    table, out = catalogue.kills[record.group], []
    for treatment in catalogue.treatments.values():
        row = catalogue.kill_row(treatment.id, record.id)
        if row is not None:
            for column, share in row.kill.items():
                name = f"share killed: {column.replace('-', ' ')}"
                out.append(
                    SettableFigure(
                        f"kill.{treatment.id}.{column}",
                        treatment.name,
                        name,
                        "",
                        share,
                        table.source,
                        row.grade,
                    )
                )
    return out


def with_own(catalogue: Catalogue, own: Mapping[str, Mapping[str, float]]) -> Catalogue:
    """The catalogue with the figures of `own` (pest id, then key) in it. Raises
    InputError for an unknown key or an impossible value.
    """
    pests, kills = dict(catalogue.pests), dict(catalogue.kills)
    for pest_id, values in own.items():
        pest = catalogue.pest(pest_id)
        for key, value in values.items():
            if key.startswith("kill."):
                group = catalogue.records[pest_id].group
                kills[group] = _with_kill(kills[group], pest_id, key, value)
        pests[pest_id] = _with_figures(
            pest, {k: v for k, v in values.items() if not k.startswith("kill.")}
        )
    return replace(catalogue, pests=pests, kills=kills)


def unknown(catalogue: Catalogue, pest_id: str, keys: Iterable[str]) -> list[str]:
    """The keys for which the catalogue, as it ships now, has no constant."""
    known = {f.key for f in figures(catalogue, pest_id)} if pest_id in catalogue.pests else set()
    return [key for key in keys if key not in known]


def _share(key: str, value: float) -> float:
    if not 0 <= value <= 1:
        raise InputError(
            "A share must lie between 0 and 1.", field=key, value=value, allowed="0 to 1"
        )
    return value


def _with_kill(table: KillTable, pest_id: str, key: str, value: float) -> KillTable:
    """The group's table with a row of the pest's own."""
    _, treatment, column = key.split(".", 2)
    if column not in table.columns:
        raise InputError("There is no such figure.", field=key, allowed=", ".join(table.columns))
    rows = {(row.treatment, row.pest): row for row in table.row}
    row = rows.get((treatment, pest_id)) or rows.get((treatment, None))
    if row is None:
        raise InputError("There is no such treatment for this pest.", field=key)
    rows[treatment, pest_id] = row.model_copy(
        update={"pest": pest_id, "kill": {**row.kill, column: _share(key, value)}}
    )
    return table.model_copy(update={"row": list(rows.values())})


def _with_figures(pest: Pest, values: Mapping[str, float]) -> Pest:
    stages = {s.id: s for s in pest.stages}
    tables = {"fecundity": dict(pest.fecundity), "longevity": dict(pest.longevity)}
    cv, female = pest.cv, pest.female_share
    by_stage: dict[str, dict[str, float]] = {}
    for key, value in values.items():
        kind, _, rest = key.partition(".")
        if key == "cv":
            cv = _between(key, value, 0.05, 0.6)
        elif key == "female_share":
            female = _share(key, value)
        elif kind == "stage" and rest.rpartition(".")[0] in stages:
            by_stage.setdefault(rest.rpartition(".")[0], {})[rest.rpartition(".")[2]] = value
        elif kind in tables and rest and float(rest) in tables[kind]:
            tables[kind][float(rest)] = _between(key, value, 1e-3, 2000)
        else:
            raise InputError("There is no such figure.", field=key)
    for stage_id, own in by_stage.items():
        stages[stage_id] = _with_rate(stages[stage_id], own)
    return replace(
        pest,
        stages=tuple(stages.values()),
        cv=cv,
        female_share=female,
        fecundity=tuple(tables["fecundity"].items()),
        longevity=tuple(tables["longevity"].items()),
    )


def _between(key: str, value: float, low: float, high: float) -> float:
    if not low <= value <= high:
        raise InputError(
            f"This figure must lie between {low:g} and {high:g}.",
            field=key,
            value=value,
            allowed=f"{low:g} to {high:g}",
        )
    return value


def _with_rate(stage: Stage, own: Mapping[str, float]) -> Stage:
    unknown_names = set(own) - set(stage.rate.figures)
    if unknown_names:
        raise InputError(
            "There is no such figure.", field=f"stage.{stage.id}.{next(iter(unknown_names))}"
        )
    return replace(stage, rate=model_of(stage.rate.name, {**stage.rate.figures, **own}))
