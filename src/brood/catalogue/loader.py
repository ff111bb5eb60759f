"""Reads the catalogue, collects every fault in it, and fits the development constants
of each stage.
"""

from __future__ import annotations

import math
import tomllib
from collections.abc import Callable, Mapping, Sequence
from functools import cache
from importlib.resources import files
from importlib.resources.abc import Traversable
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from brood.catalogue import mixes, signs
from brood.catalogue.care import CareRecord, EveningBook, Sensitivity
from brood.catalogue.holdings import Catalogue
from brood.catalogue.recipes import RecipeBook
from brood.catalogue.schema import (
    GroupRecord,
    HidingBook,
    KillTable,
    PestRecord,
    PreventionRecord,
    Source,
    StageRecord,
    StateRecord,
    TreatmentRecord,
    WayInRecord,
    cited,
)
from brood.core.biology.fitting import LINE_TOLERANCE, Point, fit_line
from brood.core.biology.pest import Pest, Stage
from brood.core.biology.rates import RateModel, model_of
from brood.core.biology.substages import SHARE_CELSIUS
from brood.errors import CatalogueError, ModelError

WEIGHT = {"A": 4.0, "B": 1.0, "C": 0.25}
"""How much a tabulated stage time counts in the fit, by its grade. Outside the pest's
fitted range it is only shown.
"""

PRE_TOLERANCE = 0.15
"""The line of a pre-oviposition table, which is rough, describes a row when it comes
within this share of it.
"""

Model = TypeVar("Model", bound=BaseModel)


def _toml(path: Traversable, faults: list[str]) -> dict[str, Any]:
    try:
        return tomllib.loads(path.read_text("utf-8"))
    except (tomllib.TOMLDecodeError, UnicodeDecodeError, OSError) as error:
        faults.append(f"{path.name}: {error}")
        return {}


def _record(
    kind: Callable[..., Model], data: object, where: str, faults: list[str]
) -> Model | None:
    try:
        return kind.model_validate(data)  # type: ignore[attr-defined, no-any-return]
    except ValidationError as error:
        for fault in error.errors():
            key = ".".join(str(part) for part in fault["loc"])
            faults.append(f"{where}: {key or 'record'}: {fault['msg']}")
        return None


def points(record: PestRecord, stage: StageRecord) -> list[Point]:
    """A stage's tabulated times with their weights in the fit. Pre-oviposition is
    fitted over its whole table.
    """
    low, high = record.fitted_c if stage is not record.stage[-1] else (-30.0, 60.0)
    return [
        Point(row.celsius, row.days, WEIGHT[row.grade] if low <= row.celsius <= high else 0.0)
        for row in stage.development
    ]


def rate_of(record: PestRecord, stage: StageRecord) -> RateModel:
    """The development model of a stage: its kept constants, or the line through its
    table. Raises ModelError.
    """
    if stage.fitted is not None:
        return model_of(
            stage.model or record.model, {**stage.fitted, "stop_c": record.upper_c.value}
        )
    tolerance = LINE_TOLERANCE if stage is not record.stage[-1] else PRE_TOLERANCE
    return fit_line(points(record, stage), record.upper_c.value, tolerance)


def pest_of(record: PestRecord, hiding: HidingBook, usual_gap_days: float) -> Pest:
    """A record as the computation takes it. Raises ModelError."""
    rates = [rate_of(record, stage) for stage in record.stage]
    lives = survivals(record, rates)
    switching = {mobility: figure.value for mobility, figure in hiding.switching.items()}
    return Pest(
        id=record.id,
        name=record.name,
        scientific=record.scientific,
        live_birth=record.live_birth,
        stages=tuple(
            Stage(
                s.id,
                s.name,
                s.plural,
                s.display,
                s.ends_with,
                s.habitat,
                rate,
                s.rest_share,
                share,
                switching[s.mobility],
            )
            for s, rate, share in zip(record.stage, rates, lives, strict=True)
        ),
        cv=record.cv.value,
        female_share=record.female_share.value,
        fecundity=tuple((row.celsius, row.per_day) for row in record.fecundity),
        longevity=tuple((row.celsius, row.days) for row in record.longevity),
        laid_out=laid_out(record),
        usual_gap_days=usual_gap_days,
        switching=switching[record.adult_mobility or record.stage[-1].mobility],
    )


def survivals(record: PestRecord, rates: Sequence[RateModel]) -> tuple[float, ...]:
    """The share that lives through each stage untreated.

    Their product is the record's survival to the adult. The loss falls as the record
    says, and what is left of it over the other stages by their length.
    """
    days = [rate.days(SHARE_CELSIUS) for rate in rates[:-1]]
    rest = {
        s.id: d
        for s, d in zip(record.stage, days, strict=False)
        if s.id not in record.survival_lost_in
    }
    left, total = 1 - sum(record.survival_lost_in.values()), sum(rest.values())
    parts = [
        record.survival_lost_in.get(s.id, left * rest.get(s.id, 0.0) / total)
        for s in record.stage[:-1]
    ]
    return (*(record.survival.value**part for part in parts), 1.0)


def laid_out(record: PestRecord) -> float:
    """The rate a day at which living females stop laying: what is laid early tells the
    rate at which laying ends by that and by death, at the mean of the table of lives.
    """
    early = record.laying_early
    if early is None:
        return 0.0
    ends = -math.log(1 - early.share) / early.days
    dies = len(record.longevity) / sum(row.days for row in record.longevity)
    return max(0.0, ends - dies)


def load(root: Traversable) -> Catalogue:
    """Read a catalogue folder. Raises CatalogueError, which lists every fault with
    file, record and key.
    """
    faults: list[str] = []
    sources = _keyed(Source, root / "sources.toml", faults)
    groups = _keyed(GroupRecord, root / "groups.toml", faults)
    records = _folder(PestRecord, root / "pests", "id", faults)
    kills = _folder(KillTable, root / "kill", "group", faults)
    treatments = {}
    for position, data in enumerate(_toml(root / "treatments.toml", faults).get("treatment", [])):
        treatment = _record(TreatmentRecord, data, f"treatments.toml: {position + 1}", faults)
        if treatment:
            treatments[treatment.id] = treatment
    _check_sources(sources, records, treatments, kills, faults)
    _check_links(records, groups, treatments, kills, faults)
    hiding = _record(HidingBook, _toml(root / "hiding.toml", faults), "hiding.toml", faults)
    pests = _pests(records, groups, hiding, faults)
    evidence = signs.read(root / "signs", root / "observations.csv", records, sources, faults)
    handling = _handling(root, treatments, kills, sources, faults)
    states = _states(root, groups, treatments, sources, faults)
    prevention = _prevention(root, groups, states, sources, faults)
    ways_in = _ways_in(root, groups, sources, faults)
    courses = mixes.read(root / "mixes.json", records, treatments, faults)
    if faults or evidence is None or handling is None or hiding is None:
        raise CatalogueError(faults)
    return Catalogue(
        pests,
        records,
        groups,
        treatments,
        kills,
        sources,
        evidence,
        *handling,
        hiding,
        states,
        courses,
        prevention,
        ways_in,
    )


def _pests(
    records: Mapping[str, PestRecord],
    groups: Mapping[str, GroupRecord],
    hiding: HidingBook | None,
    faults: list[str],
) -> dict[str, Pest]:
    """The pests as the computation takes them."""
    pests: dict[str, Pest] = {}
    for record in records.values():
        if hiding is None:
            break
        try:
            gap = groups[record.group].usual_gap_days.value if record.group in groups else 7.0
            pests[record.id] = pest_of(record, hiding, gap)
        except ModelError as error:
            faults.append(f"{record.id}.toml: {error.field}: {error.message}")
    return pests


def _prevention(
    root: Traversable,
    groups: Mapping[str, GroupRecord],
    states: Mapping[str, StateRecord],
    sources: Mapping[str, Source],
    faults: list[str],
) -> dict[str, PreventionRecord]:
    """What keeps off the pests of every group."""
    found = _keyed(PreventionRecord, root / "prevention.toml", faults)
    for group in sorted({*groups} ^ {*found}):
        faults.append(f"prevention.toml: {group}: it stands here or in groups.toml alone")
    for group, one in found.items():
        if one.source not in sources:
            faults.append(f"prevention.toml: {group}: there is no source '{one.source}'")
        if one.state is not None and one.state not in states:
            faults.append(f"prevention.toml: {group}: there is no state '{one.state}'")
    return found


def _ways_in(
    root: Traversable,
    groups: Mapping[str, GroupRecord],
    sources: Mapping[str, Source],
    faults: list[str],
) -> dict[str, WayInRecord]:
    """How pests come into a house."""
    found = _keyed(WayInRecord, root / "ways_in.toml", faults)
    for name, one in found.items():
        if one.source not in sources:
            faults.append(f"ways_in.toml: {name}: there is no source '{one.source}'")
        for group in one.brings:
            if group not in groups:
                faults.append(f"ways_in.toml: {name}: there is no group '{group}'")
    return found


def _states(
    root: Traversable,
    groups: Mapping[str, GroupRecord],
    treatments: Mapping[str, TreatmentRecord],
    sources: Mapping[str, Source],
    faults: list[str],
) -> dict[str, StateRecord]:
    """The states that last on a plant, and what always belongs to a group's course, checked
    against treatments and sources.
    """
    states = _keyed(StateRecord, root / "states.toml", faults)
    faults += [
        f"states.toml: {name}: there is no source '{one.source}'"
        for name, one in states.items()
        if one.source not in sources
    ]
    named = [(f"states.toml: {name}", [one.act] if one.act else []) for name, one in states.items()]
    named += [(f"groups.toml: {name}", group.always) for name, group in groups.items()]
    named += [
        (f"groups.toml: {name}: on_build: {build}", acts)
        for name, group in groups.items()
        for build, acts in group.on_build.items()
    ]
    faults += [
        f"{where}: there is no treatment '{key}'"
        for where, keys in named
        for key in keys
        if key not in treatments
    ]
    return states


def _handling(
    root: Traversable,
    treatments: Mapping[str, TreatmentRecord],
    kills: Mapping[str, KillTable],
    sources: Mapping[str, Source],
    faults: list[str],
) -> tuple[Mapping[str, CareRecord], Sensitivity, RecipeBook, EveningBook] | None:
    """The files about handling treatments, checked against the treatments and groups."""
    care = _keyed(CareRecord, root / "care.toml", faults)
    sensitivity = _record(
        Sensitivity, _toml(root / "sensitive.toml", faults), "sensitive.toml", faults
    )
    recipes = _record(RecipeBook, _toml(root / "recipes.toml", faults), "recipes.toml", faults)
    evenings = _record(EveningBook, _toml(root / "evening.toml", faults), "evening.toml", faults)
    if sensitivity is None or recipes is None or evenings is None:
        return None
    faults += [f"care.toml: {t}: missing" for t in treatments if t not in care]
    faults += [f"care.toml: {t}: there is no such treatment" for t in care if t not in treatments]
    hurt = {t for one in sensitivity.named for t in one.injured_by} | {
        t for mark in sensitivity.marked for t in mark.injured_by
    }
    named = [
        ("sensitive.toml", hurt),
        ("recipes.toml", {*recipes.recipe, *recipes.plain}),
        ("evening.toml: care", {*evenings.care}),
    ]
    faults += [
        f"{where}: there is no treatment '{t}'"
        for where, ids in named
        for t in sorted(ids - {*treatments})
    ]
    faults += [
        f"evening.toml: sits: no share for the group '{g}'" for g in kills if g not in evenings.sits
    ]
    faults += [f"recipes.toml: {text}" for text in recipes.faults()] + [
        f"evening.toml: {text}" for text in evenings.faults()
    ]
    for name, record in [
        *care.items(),
        ("sensitive", sensitivity),
        ("recipes", recipes),
        ("evening", evenings),
    ]:
        faults += [
            f"{name}: {path}: there is no source '{source}'"
            for path, source in cited(record)
            if source not in sources
        ]
    return care, sensitivity, recipes, evenings


def _keyed(kind: type[Model], path: Traversable, faults: list[str]) -> dict[str, Model]:
    """A file of records by key."""
    return {
        key: r
        for key, data in _toml(path, faults).items()
        if (r := _record(kind, data, f"{path.name}: {key}", faults))
    }


def _folder(
    kind: type[Model], folder: Traversable, key: str, faults: list[str]
) -> dict[str, Model]:
    """A folder of records, one a file, each named after its own id."""
    records = {}
    for path in sorted(folder.iterdir(), key=lambda p: p.name):
        record = _record(kind, _toml(path, faults), path.name, faults)
        if record:
            own = getattr(record, key)
            records[own] = record
            if path.name != f"{own}.toml":
                faults.append(f"{path.name}: {key}: the file must be named after its {key} '{own}'")
    return records


def _check_sources(
    sources: Mapping[str, Source],
    records: Mapping[str, PestRecord],
    treatments: Mapping[str, TreatmentRecord],
    kills: Mapping[str, KillTable],
    faults: list[str],
) -> None:
    every: list[tuple[str, BaseModel]] = [(f"{k}.toml", r) for k, r in records.items()]
    every += [(f"treatments.toml: {k}", t) for k, t in treatments.items()] + [
        (f"kill/{k}.toml", t) for k, t in kills.items()
    ]
    for name, record in every:
        for path, source in cited(record):
            if source not in sources:
                faults.append(f"{name}: {path}: there is no source '{source}'")


def _check_links(
    records: Mapping[str, PestRecord],
    groups: Mapping[str, GroupRecord],
    treatments: Mapping[str, TreatmentRecord],
    kills: Mapping[str, KillTable],
    faults: list[str],
) -> None:
    for pest in records.values():
        if pest.group not in groups:
            faults.append(f"{pest.id}.toml: group: there is no group '{pest.group}'")
        if pest.variant_of is not None and pest.variant_of not in records:
            faults.append(f"{pest.id}.toml: variant_of: there is no pest '{pest.variant_of}'")
        if pest.group not in kills:
            faults.append(f"{pest.id}.toml: group: there is no kill table '{pest.group}'")
            continue
        missing = {column for stage in pest.stage for column in stage.columns} - set(
            kills[pest.group].columns
        )
        if missing:
            faults.append(
                f"kill/{pest.group}.toml: columns: no column {', '.join(sorted(missing))} "
                f"for {pest.id}"
            )
    for name, table in kills.items():
        for row in table.row:
            if row.treatment not in treatments:
                faults.append(f"kill/{name}.toml: row: there is no treatment '{row.treatment}'")
            if row.pest is not None and row.pest not in records:
                faults.append(f"kill/{name}.toml: row: there is no pest '{row.pest}'")


@cache
def shipped() -> Catalogue:
    """The catalogue that ships with the program, read once."""
    return load(files("brood.catalogue") / "data")
