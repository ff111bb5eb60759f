"""The tables beside the observations and causes: what words stand for, the walk round a plant,
how keepers speak, what comes together, who lives on what, and what takes days.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Collection
from dataclasses import dataclass
from importlib.resources.abc import Traversable
from typing import Annotated, Literal, TypeVar

import numpy as np
from pydantic import Field, ValidationError

from brood.catalogue.schema import Grade, Id, Positive, Record, Share, Text
from brood.core.diagnosis.evidence import Floats

Word = Literal["nearly-always", "often", "sometimes", "rarely", "never"]
Background = Literal["hardly", "seldom", "now-and-then", "commonly", "half", "mostly"]
Weight = Literal["much-more", "more", "as-usual", "less", "much-less"]
Season = Literal["spring", "summer", "autumn", "winter"]
PlaceKind = Literal["indoor", "glasshouse", "balcony", "outdoor"]


class Words(Record):
    """What the graded words stand for."""

    source: str
    grade: Grade
    sign: dict[Word, Share]
    background: dict[Background, Share]
    weight: dict[Weight, Positive]
    common: dict[Literal["common", "usual", "uncommon", "rare"], Positive]


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

    def faults(self, observations: Collection[str]) -> list[str]:
        """What is wrong with it."""
        asked = [(key, o) for key, zone in self.zone.items() for o in zone.ask]
        gone = [(key, z) for key, zones in self.build.items() for z in zones]
        return [
            *(
                f"walk.toml: {key}: there is no observation '{o}'"
                for key, o in asked
                if o not in observations
            ),
            *(f"walk.toml: {key}: there is no zone '{z}'" for key, z in gone if z not in self.zone),
        ]


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

    def faults(self, observations: Collection[str]) -> list[str]:
        """What is wrong with it."""
        named = [o for wait in self.wait for o in wait.of]
        return [
            f"waits.toml: there is no observation '{o}'" for o in named if o not in observations
        ]


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

    def faults(self, observations: Collection[str], sources: Collection[str]) -> list[str]:
        """What is wrong with it."""
        drawn = {o for d in self.drawn for o in (*d.means, *d.asks)}
        named, known = {*self.words, *self.places, *drawn}, {*observations}
        out = [f"folk.toml: there is no observation '{o}'" for o in sorted(named - known)]
        out += [f"folk.toml: words: '{o}' is missing" for o in sorted(known - {*self.words})]
        out += [
            f"folk.toml: {d.id}: means or asks" for d in self.drawn if bool(d.means) == bool(d.asks)
        ]
        if self.source not in sources:
            out.append(f"folk.toml: source: there is no source '{self.source}'")
        return out


@dataclass(frozen=True)
class Tables:
    """The tables, each from a file of its name."""

    words: Words
    walk: Walk
    folk: Folk
    together: Together
    hosts: Hosts
    waits: Waits

    @classmethod
    def of(cls, folder: Traversable, faults: list[str]) -> Tables | None:
        """Read from a folder. None when a file cannot be read, which is noted."""
        words = _table(folder / "words.toml", Words, faults)
        walk = _table(folder / "walk.toml", Walk, faults)
        folk = _table(folder / "folk.toml", Folk, faults)
        together = _table(folder / "together.toml", Together, faults)
        hosts = _table(folder / "hosts.toml", Hosts, faults)
        waits = _table(folder / "waits.toml", Waits, faults)
        if words and walk and folk and together and hosts and waits:
            return cls(words, walk, folk, together, hosts, waits)
        return None

    def faults(
        self, observations: Collection[str], causes: Collection[str], sources: Collection[str]
    ) -> list[str]:
        """What in them names nothing that there is."""
        out = [
            *self.folk.faults(observations, sources),
            *self.walk.faults(observations),
            *self.together.faults(causes, sources),
            *self.waits.faults(observations),
        ]
        out += [f"hosts.toml: there is no cause '{c}'" for c in self.hosts.likes if c not in causes]
        if self.words.source not in sources:
            out.append(f"words.toml: source: there is no source '{self.words.source}'")
        return out


R = TypeVar("R", bound=Record)


def _table(path: Traversable, kind: type[R], faults: list[str]) -> R | None:
    try:
        return kind.model_validate(tomllib.loads(path.read_text("utf-8")))
    except (ValidationError, tomllib.TOMLDecodeError) as error:
        faults.append(f"{path.name}: {error}")
        return None
