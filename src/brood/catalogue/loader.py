"""Reads the catalogue, gathers every fault in it, and fits the development constants of each stage."""

from __future__ import annotations

import tomllib
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from importlib.resources.abc import Traversable
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from brood.catalogue.schema import PestRecord, Source, StageRecord, TreatmentRecord
from brood.core.rate import Point, fit
from brood.core.types import ADULT, PREOVIPOSITION, Act, Pest, Stage
from brood.errors import CatalogueError, InputError, ModelError

WEIGHT = {"A": 4.0, "B": 1.0, "C": 0.0}
"""How much a tabulated stage time counts in the fit, by grade: those of grade C (close to the threshold) are only shown."""

Model = TypeVar("Model", bound=BaseModel)


@dataclass(frozen=True)
class Catalogue:
    """All that ships: pests as the core knows them, their records, treatments and sources, by id."""

    pests: Mapping[str, Pest]
    records: Mapping[str, PestRecord]
    treatments: Mapping[str, TreatmentRecord]
    sources: Mapping[str, Source]

    def pest(self, pest_id: str) -> Pest:
        """The pest of that id; raises InputError with the ids there are."""
        if pest_id not in self.pests:
            known = ", ".join(sorted(self.pests))
            raise InputError(f"There is no pest '{pest_id[:60]}' in the catalogue.", field="pest", value=pest_id[:60], allowed=known)
        return self.pests[pest_id]

    def act(self, treatment_id: str, pest_id: str, *, min_gap_days: int | None = None, max_applications: int | None = None,
            kill: Mapping[str, float] | None = None) -> Act:  # fmt: skip
        """A treatment as it acts on a pest, with the keeper's own label figures where given; raises InputError."""
        if treatment_id not in self.treatments:
            known = ", ".join(sorted(self.treatments))
            raise InputError(
                f"There is no treatment '{treatment_id[:60]}' in the catalogue.", field="treatments", value=treatment_id[:60], allowed=known
            )
        record = self.treatments[treatment_id]
        return Act(
            id=record.id, name=record.name, verb=record.verb, by_hand=record.by_hand,
            kill=dict(kill) if kill is not None else self.kill(treatment_id, pest_id),
            min_gap_days=record.min_gap_days if min_gap_days is None else min_gap_days,
            max_applications=record.max_applications if max_applications is None else max_applications,
        )  # fmt: skip

    def kill(self, treatment_id: str, pest_id: str) -> dict[str, float]:
        """Kill by stage id and "adult": the time-weighted mean of the columns that each stage spans."""
        record = self.records[pest_id]
        row = self.treatments[treatment_id].kill.get(record.kill_group)
        table: Mapping[str, float] = (row.__pydantic_extra__ or {}) if row else {}
        by_stage = {s.id: sum(share * table.get(column, 0.0) for column, share in s.columns.items()) for s in record.stage}
        return {**by_stage, ADULT: by_stage[PREOVIPOSITION]}


def _toml(path: Traversable, faults: list[str]) -> dict[str, Any]:
    try:
        return tomllib.loads(path.read_text("utf-8"))
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        faults.append(f"{path.name}: {error}")
        return {}


def _record(kind: Callable[..., Model], data: object, where: str, faults: list[str]) -> Model | None:
    try:
        return kind.model_validate(data)  # type: ignore[attr-defined, no-any-return]
    except ValidationError as error:
        for fault in error.errors():
            key = ".".join(str(part) for part in fault["loc"])
            faults.append(f"{where}: {key or 'record'}: {fault['msg']}")
        return None


def _cited(record: BaseModel, path: str = "") -> Iterator[tuple[str, str]]:
    """Every (path, source id) in a record."""
    for name in type(record).model_fields:
        value = getattr(record, name)
        here = f"{path}.{name}" if path else name
        if name == "source":
            yield here, value
        for position, item in enumerate(value if isinstance(value, list) else [value]):
            if isinstance(item, BaseModel):
                yield from _cited(item, f"{here}.{position}" if isinstance(value, list) else here)


def _stage(record: StageRecord, upper_c: float) -> Stage:
    points = [Point(row.celsius, row.days, WEIGHT[row.grade]) for row in record.development]
    return Stage(record.id, record.name, record.plural, record.display, record.ends_with, record.habitat, fit(points, upper_c), record.rest_share)


def _pest(record: PestRecord) -> Pest:
    return Pest(
        id=record.id, name=record.name, scientific=record.scientific,
        stages=tuple(_stage(stage, record.upper_c) for stage in record.stage),
        cv=record.cv.value, female_share=record.female_share.value,
        fecundity=tuple((row.celsius, row.eggs_per_day) for row in record.fecundity),
        longevity=tuple((row.celsius, row.days) for row in record.longevity),
    )  # fmt: skip


def load(root: Traversable) -> Catalogue:
    """Read a catalogue folder. Raises CatalogueError that lists every fault with file, record and key."""
    faults: list[str] = []
    sources = {key: r for key, data in _toml(root / "sources.toml", faults).items()
               if (r := _record(Source, data, f"sources.toml: {key}", faults))}  # fmt: skip
    records = {}
    for path in sorted((root / "pests").iterdir(), key=lambda p: p.name):
        record = _record(PestRecord, _toml(path, faults), path.name, faults)
        if record:
            records[record.id] = record
            if path.name != f"{record.id}.toml":
                faults.append(f"{path.name}: id: the file must be named after its id '{record.id}'")
    treatments = {}
    for position, data in enumerate(_toml(root / "treatments.toml", faults).get("treatment", [])):
        treatment = _record(TreatmentRecord, data, f"treatments.toml: {position + 1}", faults)
        if treatment:
            treatments[treatment.id] = treatment
    _cross_check(sources, records, treatments, faults)
    pests = {}
    for record in records.values():
        try:
            pests[record.id] = _pest(record)
        except ModelError as error:
            faults.append(f"{record.id}.toml: {error.field}: {error.message}")
    if faults:
        raise CatalogueError(faults)
    return Catalogue(pests, records, treatments, sources)


def _cross_check(
    sources: Mapping[str, Source], records: Mapping[str, PestRecord], treatments: Mapping[str, TreatmentRecord], faults: list[str]
) -> None:
    for name, record in (*((f"{k}.toml", r) for k, r in records.items()), *((f"treatments.toml: {k}", t) for k, t in treatments.items())):
        for path, source in _cited(record):
            if source not in sources:
                faults.append(f"{name}: {path}: there is no source '{source}'")
    for pest in records.values():
        columns = {column for stage in pest.stage for column in stage.columns}
        for key, treatment in treatments.items():
            row = treatment.kill.get(pest.kill_group)
            missing = columns - set((row.__pydantic_extra__ or {}) if row else columns)
            if missing:
                faults.append(f"treatments.toml: {key}: kill.{pest.kill_group}: no figure for {', '.join(sorted(missing))}")


@cache
def shipped() -> Catalogue:
    """The catalogue that ships with the program, read once."""
    return load(files("brood.catalogue") / "data")
