"""Observations and the causes behind them: files of graded words, read into the
evidence model.
"""

from __future__ import annotations

import csv
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from importlib.resources.abc import Traversable
from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError

from brood.catalogue.schema import Id, PestRecord, Positive, Record, Text
from brood.catalogue.sign_tables import (
    Background,
    Folk,
    Hosts,
    PlaceKind,
    Season,
    Tables,
    Waits,
    Walk,
    Weight,
    Word,
    Words,
)
from brood.core.biology.stage_classes import BY_DISPLAY
from brood.core.diagnosis.evidence import Cause, EvidenceModel, Sign
from brood.core.diagnosis.own_words import Index

Tool = Literal[
    "none", "phone", "lens", "trowel", "water", "paper", "tissue", "swab", "knife or nail", "card"
]

SIZE_BINS: dict[str, tuple[float, float]] = {
    "size-under-0-3": (0.0, 0.3),
    "size-0-3-to-0-6": (0.3, 0.6),
    "size-0-6-to-1": (0.6, 1.0),
    "size-1-to-2": (1.0, 2.0),
    "size-2-to-4": (2.0, 4.0),
    "size-4-to-8": (4.0, 8.0),
    "size-8-to-15": (8.0, 15.0),
    "size-15-plus": (15.0, 200.0),
}
"""Size observations with their bounds in mm; the lower edge belongs to the bin."""
NEXT_BIN = 0.35
"""The share of a size bin that is reported as the bin beside it: keepers misjudge by one."""
EDGE = 0.1
"""A length so near the edge of a bin, as a share of itself, counts for both bins."""
OF_ADULTS, OF_YOUNG, OF_EGGS = 0.85, 0.5, 0.06
"""How often the body that is measured is an adult, a young stage or an egg."""


class Observation(Record):
    """Something that a keeper can report.

    A `plate` is what one look takes in, `kin` names those that go together, `stages`
    the kinds of stage it shows.
    """

    id: Id
    theme: Id
    group: str
    plate: str
    kin: str
    stages: tuple[Literal["egg", "young", "pupa", "adult"], ...]
    background: Background
    phrase: Text
    how_to_check: Text
    tool: Tool
    effort_minutes: Annotated[float, Field(gt=0, le=60)]


class CauseRecord(Record):
    """A cause as it stands in the files: graded words with the signs that they are said
    of. Harmless ones have a name, a reason and an advice. `elsewhere` says that they do
    harm and are not treated here.
    """

    base: str = ""
    name: str = ""
    why: str = ""
    instead: str = ""
    elsewhere: bool = False
    common: Literal["common", "usual", "uncommon", "rare"] = "usual"
    size_mm: tuple[Positive, Positive] | None = None
    places: dict[PlaceKind, Weight] = Field(default_factory=dict)
    kinds: dict[Id, Weight] = Field(default_factory=dict)
    seasons: dict[Season, Weight] = Field(default_factory=dict)
    words: dict[Word, list[Id]]


@dataclass(frozen=True)
class Evidence:
    """What identification works with: the model, the observations and causes behind it,
    what their words stand for, and how keepers speak of them.
    """

    model: EvidenceModel
    observations: Mapping[str, Observation]
    causes: Mapping[str, CauseRecord]
    words: Words
    walk: Walk
    folk: Folk
    hosts: Hosts
    waits: Waits

    @cached_property
    def own_words(self) -> Index:
        """The observations, ready to be searched by a keeper's own words."""
        every = self.observations.values()
        return Index(
            {o.id: (o.phrase, self.folk.words[o.id], o.how_to_check) for o in every},
            [o.id for o in every if o.theme in ASIDE_THEMES],
        )


ASIDE_THEMES = ("where", "size", "context")
"""Themes that say where, how big or when, and not what was seen."""


def read(
    folder: Traversable,
    table: Traversable,
    pests: Mapping[str, PestRecord],
    sources: Mapping[str, object],
    faults: list[str],
) -> Evidence | None:
    """The observations, causes and the evidence model made of them; None when faults
    were noted, with file, record and key.
    """
    observations, tables = _observations(table, faults), Tables.of(folder, faults)
    if tables is None:
        return None
    bases = _records(folder / "bases.toml", observations, faults)
    causes = {
        **_records(folder / "pests.toml", observations, faults),
        **_records(folder / "harmless.toml", observations, faults),
    }
    faults += _of_causes(bases, causes, pests)
    faults += tables.faults(observations, causes, sources)
    if faults:
        return None
    words, aside = tables.words, tables.together.aside
    model = EvidenceModel(
        [_sign(o, words) for o in observations.values()],
        [
            replace(_cause(key, r, bases, words, pests.get(key)), aside=key in aside)
            for key, r in causes.items()
        ],
        tables.together.matrix([*causes]),
    )
    return Evidence(
        model,
        observations,
        causes,
        words,
        tables.walk,
        tables.folk,
        tables.hosts,
        tables.waits,
    )


def _of_causes(
    bases: Mapping[str, CauseRecord],
    causes: Mapping[str, CauseRecord],
    pests: Mapping[str, PestRecord],
) -> list[str]:
    """What is wrong with the causes."""
    return [
        *(
            f"signs: {key}: there is no base '{r.base}'"
            for key, r in {**bases, **causes}.items()
            if r.base and r.base not in bases
        ),
        *(
            f"signs: {key}: is neither a pest nor has it a name, a why and an instead"
            for key, r in causes.items()
            if key not in pests and not (r.name and r.why and r.instead)
        ),
    ]


def _sign(o: Observation, words: Words) -> Sign:
    return Sign(
        o.id,
        o.theme,
        o.group,
        o.plate,
        o.kin,
        o.stages,
        o.effort_minutes,
        o.tool,
        words.background[o.background],
    )


def _observations(table: Traversable, faults: list[str]) -> dict[str, Observation]:
    out = {}
    for n, row in enumerate(csv.DictReader(table.read_text("utf-8").splitlines()), start=2):
        try:
            record = Observation.model_validate({**row, "stages": tuple(row["stages"].split())})
        except ValidationError as error:
            faults += [
                f"{table.name}: row {n}: {'.'.join(map(str, e['loc']))}: {e['msg']}"
                for e in error.errors()
            ]
            continue
        if record.id in out:
            faults.append(f"{table.name}: row {n}: '{record.id}' stands twice")
        out[record.id] = record
    return out


def _records(
    path: Traversable, observations: Mapping[str, Observation], faults: list[str]
) -> dict[str, CauseRecord]:
    known = set(CauseRecord.model_fields) - {"words"}
    out = {}
    for key, data in tomllib.loads(path.read_text("utf-8")).items():
        shaped: dict[str, Any] = {k: v for k, v in data.items() if k in known} | {
            "words": {k: v for k, v in data.items() if k not in known}
        }
        try:
            out[key] = CauseRecord.model_validate(shaped)
        except ValidationError as error:
            faults += [
                f"{path.name}: {key}: {'.'.join(map(str, e['loc']))}: {e['msg']}"
                for e in error.errors()
            ]
            continue
        said = [sign for signs in out[key].words.values() for sign in signs]
        faults += [
            f"{path.name}: {key}: there is no observation '{sign}'"
            for sign in said
            if sign not in observations
        ]
        faults += [
            f"{path.name}: {key}: '{sign}' stands twice"
            for sign in sorted({s for s in said if said.count(s) > 1})
        ]
    return out


def _shares(
    record: CauseRecord, bases: Mapping[str, CauseRecord], words: Words
) -> dict[str, float]:
    """Shares by sign. A record's own word overrides that of its base."""
    shares = _shares(bases[record.base], bases, words) if record.base else {}
    return shares | {
        sign: words.sign[word] for word, signs in record.words.items() for sign in signs
    }


def _cause(
    key: str,
    record: CauseRecord,
    bases: Mapping[str, CauseRecord],
    words: Words,
    pest: PestRecord | None,
) -> Cause:
    shares = _shares(record, bases, words) | size_shares(_lengths(record, pest))
    weights = [
        {name: words.weight[w] for name, w in table.items()}
        for table in (record.places, record.kinds, record.seasons)
    ]
    return Cause(
        key,
        pest is None,
        pest.group if pest else key,
        words.common[record.common],
        shares,
        weights[0],
        weights[1],
        weights[2],
        _bodies(pest) if pest else {},
    )


def _lengths(
    record: CauseRecord, pest: PestRecord | None
) -> list[tuple[float, tuple[float, float]]]:
    """(How often such a body is the one measured, its shortest and longest in mm)."""
    if record.size_mm is not None:
        return [(1.0, record.size_mm)]
    if pest is None:
        return []
    often = {
        "egg": OF_EGGS,
        "pupa": OF_YOUNG,
        "adult": OF_ADULTS if pest.group != "caterpillar" else OF_YOUNG,
    }
    return [
        (often.get(s.display, OF_YOUNG if pest.group != "caterpillar" else OF_ADULTS), s.length_mm)
        for s in pest.stage
    ]


def _bodies(pest: PestRecord) -> dict[str, dict[str, float]]:
    """How often a body of each kind of stage falls into a size."""
    by_kind: dict[str, list[tuple[float, tuple[float, float]]]] = {}
    for stage in pest.stage:
        by_kind.setdefault(BY_DISPLAY[stage.display], []).append((1.0, stage.length_mm))
    return {kind: size_shares(lengths) for kind, lengths in by_kind.items()}


def size_shares(lengths: list[tuple[float, tuple[float, float]]]) -> dict[str, float]:
    """How often each size bin is true: the best of the bodies that fall in it, and part
    of that for the bins beside.
    """
    if not lengths:
        return {}
    bins = list(SIZE_BINS.values())
    own = [max([often * _overlap(length, b) for often, length in lengths]) for b in bins]
    beside = [
        max([own[n] for n in (k - 1, k + 1) if 0 <= n < len(own)]) * NEXT_BIN
        for k in range(len(own))
    ]
    return {name: max(a, b) for name, a, b in zip(SIZE_BINS, own, beside, strict=True)}


def sizes_of(mm: float) -> list[str]:
    """The size observations that a length in mm is taken for: near an edge both."""
    return [
        name
        for name, (low, high) in SIZE_BINS.items()
        if low <= mm * (1 + EDGE) and mm * (1 - EDGE) < high
    ]


def _overlap(length: tuple[float, float], bounds: tuple[float, float]) -> float:
    """The part of a range of lengths that lies in a bin."""
    low, high = length
    if high <= low:
        return float(bounds[0] <= low < bounds[1])
    return max(min(high, bounds[1]) - max(low, bounds[0]), 0.0) / (high - low)
