"""Observations and the causes behind them: files of graded words, read into the
evidence model.
"""

from __future__ import annotations

import csv
import re
import tomllib
from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from importlib.resources.abc import Traversable
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field, ValidationError

from brood.catalogue.schema import Grade, Id, PestRecord, Positive, Record, Share, Text
from brood.core.biology.stage_classes import BY_DISPLAY
from brood.core.diagnosis.evidence import Cause, EvidenceModel, Floats, Sign
from brood.core.diagnosis.own_words import Index

Word = Literal["nearly-always", "often", "sometimes", "rarely", "never"]
Background = Literal["hardly", "seldom", "now-and-then", "commonly", "half", "mostly"]
Weight = Literal["much-more", "more", "as-usual", "less", "much-less"]
Season = Literal["spring", "summer", "autumn", "winter"]
PlaceKind = Literal["indoor", "glasshouse", "balcony", "outdoor"]
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


class Words(Record):
    """What the graded words stand for."""

    source: str
    grade: Grade
    sign: dict[Word, Share]
    background: dict[Background, Share]
    weight: dict[Weight, Positive]
    common: dict[Literal["common", "usual", "uncommon", "rare"], Positive]


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


class Zone(Record):
    """A part of a plant to look at: how, and the observations that are asked there first."""

    name: Text
    how: Text
    ask: Annotated[list[Id], Field(min_length=2)]


class Walk(Record):
    """Zones by id, their order for every build of plant, and the build of every plant kind."""

    zone: dict[Id, Zone]
    build: dict[Id, list[Id]]
    build_of: dict[Id, Id]

    def of(self, kind: str) -> str:
        """The build of a plant kind; upright where nothing is known."""
        return self.build_of.get(kind, "upright")


class Pair(Record):
    """Causes that come together: those `of` with those of `with`, or with any."""

    of: list[Id]
    with_: list[Id] = Field(default_factory=list, alias="with")
    times: Id


class Together(Record):
    """How causes come together on one plant, and what its words stand for; "apart" is said
    of pairs that have nothing to do with each other.
    """

    source: str
    grade: Grade
    times: dict[Id, Positive]
    pair: list[Pair]

    def matrix(self, causes: list[str]) -> Floats:
        """[causes, causes]: how much more often two come together than by chance."""
        at = {cause: n for n, cause in enumerate(causes)}
        out = np.full((len(causes), len(causes)), self.times["apart"])
        for pair in self.pair:
            rows, columns = ([at[c] for c in ids] for ids in (pair.of, pair.with_ or causes))
            times = self.times[pair.times]
            out[np.ix_(rows, columns)] = out[np.ix_(columns, rows)] = times
        return out

    @property
    def aside(self) -> frozenset[str]:
        """What comes beside anything."""
        return frozenset(c for pair in self.pair if not pair.with_ for c in pair.of)

    def faults(self, causes: Collection[str], sources: Collection[str]) -> list[str]:
        """What is wrong with it."""
        named = {c for pair in self.pair for c in (*pair.of, *pair.with_)}
        out = [f"together.toml: there is no cause '{c}'" for c in sorted(named - {*causes})]
        words = {"apart", *(pair.times for pair in self.pair)}
        out += [f"together.toml: times: '{w}' is missing" for w in sorted(words - {*self.times})]
        if self.source not in sources:
            out.append(f"together.toml: source: there is no source '{self.source}'")
        return out


class Hosts(Record):
    """Words by which a plant is known that a cause likes: genera and common names."""

    source: str
    grade: Grade
    likes: dict[Id, list[Text]]

    def of(self, *names: str) -> frozenset[str]:
        """The causes that like a plant of these names (its species, what it is called)."""
        said = " ".join(names).lower()
        return frozenset(
            cause
            for cause, words in self.likes.items()
            if any(re.search(rf"\b{re.escape(word)}s?\b", said) for word in words)
        )


class Wait(Record):
    """Checks that take some days: what is done at once, and what is looked at later."""

    of: list[Id]
    days: Annotated[int, Field(ge=0, le=60)]
    begin: Text
    look: Text


class Waits(Record):
    """The checks that take days."""

    source: str
    grade: Grade
    wait: list[Wait]

    def for_all(self, observations: Collection[str]) -> Wait | None:
        """What has to be waited for to tell some observations. None where any of them can be
        told at once.
        """
        found = [w for w in self.wait if {*observations} <= {*w.of}]
        return found[0] if observations and found else None


class DrawnSign(Record):
    """A drawing of the first screen: what somebody who taps it has reported (`means`), or
    of which observations it asks for one (`asks`).
    """

    id: Id
    name: Text
    means: list[Id] = Field(default_factory=list)
    asks: list[Id] = Field(default_factory=list)


class Folk(Record):
    """How keepers speak: their words for each observation, the pattern by which each place
    on a plant is known, and the drawings of the first screen.
    """

    source: str
    grade: Grade
    words: dict[Id, Text]
    places: dict[Id, Text]
    drawn: list[DrawnSign]


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
    observations = _observations(table, faults)
    try:
        words = Words.model_validate(tomllib.loads((folder / "words.toml").read_text("utf-8")))
        walk = Walk.model_validate(tomllib.loads((folder / "walk.toml").read_text("utf-8")))
        folk = Folk.model_validate(tomllib.loads((folder / "folk.toml").read_text("utf-8")))
        company = Together.model_validate(
            tomllib.loads((folder / "together.toml").read_text("utf-8"))
        )
        hosts = Hosts.model_validate(tomllib.loads((folder / "hosts.toml").read_text("utf-8")))
        waits = Waits.model_validate(tomllib.loads((folder / "waits.toml").read_text("utf-8")))
    except (ValidationError, tomllib.TOMLDecodeError) as error:
        faults.append(f"words.toml, walk, folk, together, hosts or waits: {error}")
        return None
    faults += _of_folk(folk, observations, sources)
    faults += [
        f"walk.toml: {key}: there is no observation '{o}'"
        for key, zone in walk.zone.items()
        for o in zone.ask
        if o not in observations
    ]
    faults += [
        f"walk.toml: {key}: there is no zone '{z}'"
        for key, zones in walk.build.items()
        for z in zones
        if z not in walk.zone
    ]
    if words.source not in sources:
        faults.append(f"words.toml: source: there is no source '{words.source}'")
    bases = _records(folder / "bases.toml", observations, faults)
    causes = {
        **_records(folder / "pests.toml", observations, faults),
        **_records(folder / "harmless.toml", observations, faults),
    }
    faults += [
        f"signs: {key}: there is no base '{r.base}'"
        for key, r in (bases | causes).items()
        if r.base and r.base not in bases
    ]
    faults += [
        f"signs: {key}: is neither a pest nor has it a name, a why and an instead"
        for key, r in causes.items()
        if key not in pests and not (r.name and r.why and r.instead)
    ]
    faults += company.faults(causes, sources)
    faults += [f"hosts.toml: there is no cause '{c}'" for c in hosts.likes if c not in causes]
    faults += [
        f"waits.toml: there is no observation '{o}'"
        for w in waits.wait
        for o in w.of
        if o not in observations
    ]
    if faults:
        return None
    signs = [
        Sign(
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
        for o in observations.values()
    ]
    model = EvidenceModel(
        signs,
        [
            replace(_cause(key, r, bases, words, pests.get(key)), aside=key in company.aside)
            for key, r in causes.items()
        ],
        company.matrix([*causes]),
    )
    return Evidence(model, observations, causes, words, walk, folk, hosts, waits)


def _of_folk(
    folk: Folk, observations: Mapping[str, Observation], sources: Mapping[str, object]
) -> list[str]:
    """What is wrong with the words of keepers."""
    named = {*folk.words, *folk.places, *(o for d in folk.drawn for o in (*d.means, *d.asks))}
    out = [f"folk.toml: there is no observation '{o}'" for o in sorted(named - {*observations})]
    out += [f"folk.toml: words: '{o}' is missing" for o in sorted({*observations} - {*folk.words})]
    out += [
        f"folk.toml: {d.id}: means or asks" for d in folk.drawn if bool(d.means) == bool(d.asks)
    ]
    if folk.source not in sources:
        out.append(f"folk.toml: source: there is no source '{folk.source}'")
    return out


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
