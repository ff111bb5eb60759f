"""A pasted list of plants: what it would make, and making it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime, time
from difflib import get_close_matches

from sqlalchemy import insert, select
from sqlalchemy.orm import Session

from brood.core.climate.logger_table import text_of
from brood.services.house import places
from brood.services.house.list_text import ListedLine, lines_of
from brood.services.house.plants import KINDS
from brood.store.queries import cases
from brood.store.tables import Plant, Stay

MOST_PLANTS, MOST_ON_A_LINE, LONGEST_NAME = 10_000, 1000, 80
PLAIN_KINDS = {
    "cactus-succulent": "cactus cacti succulent succulents",
    "orchid": "orchid orchids",
    "seedling-herb": "herb herbs seedling seedlings basil mint parsley",
    "woody-citrus": "citrus lemon orange lime woody tree shrub",
    "fruiting-vegetable": "vegetable tomato tomatoes pepper chilli cucumber aubergine",
    "cabbage-family": "cabbage kale brassica radish rocket",
    "flowering": "flowering flower flowers",
    "foliage": "foliage leaves fern ferns houseplant",
    "rosette": "rosette hairy",
}
"""What keepers call a kind, in words of their own."""
ONLY_AS_KIND = {"tree", "flower", "flowers", "leaves", "lime", "orange"}
"""Words that say a kind in its own column, and too little within a name."""


@dataclass(frozen=True)
class Usual:
    """What counts for lines that do not say it: the name of a place, and a kind."""

    place: str = ""
    kind: str = ""


@dataclass(frozen=True)
class PastedLine:
    """What one line would make. `place_id` is None where the place is new. `fault` says
    in a sentence why the line cannot be used, `remark` what to know of it.
    """

    n: int
    names: tuple[str, ...]
    place: str
    place_id: int | None
    kind: str
    fault: str = ""
    remark: str = ""
    placeless: bool = False


@dataclass(frozen=True)
class Pasted:
    """What a list would make. `too_many` says that it goes beyond what is made at once:
    what follows was not read.
    """

    rows: tuple[PastedLine, ...] = ()
    too_many: bool = False

    @property
    def usable(self) -> tuple[PastedLine, ...]:
        """The lines of which plants can be made."""
        return tuple(r for r in self.rows if not r.fault and not r.placeless)

    @property
    def faulty(self) -> tuple[PastedLine, ...]:
        """The lines that cannot be used."""
        return tuple(r for r in self.rows if r.fault)

    @property
    def placeless(self) -> int:
        """How many lines do not say where the plant stands."""
        return sum(r.placeless for r in self.rows)

    @property
    def plants(self) -> int:
        """How many plants it would make."""
        return sum(len(r.names) for r in self.rows)

    @property
    def new_places(self) -> tuple[str, ...]:
        """The places that are not there yet, as first written."""
        new = [r.place for r in self.usable if r.place_id is None]
        return tuple({name.casefold(): name for name in reversed(new)}.values())[::-1]


def of_file(data: bytes) -> str:
    """The list in a file, whatever its encoding. Raises InputError for what is no text."""
    return text_of(data)


def lines(session: Session, text: str, usual: Usual | None = None) -> Pasted:
    """What a list would make; nothing is kept."""
    usual = usual or Usual()
    here = {p.name.casefold(): p.id for p in cases.places(session)}
    names = {p.name.casefold(): p.name for p in cases.places(session)}
    if len(here) == 1 and not usual.place:
        usual = Usual(next(iter(names.values())), usual.kind)
    taken = {name.casefold() for name in session.scalars(select(Plant.name))}
    rows, made = [], 0
    for line in lines_of(text):
        row = _row(line, usual, here, names, taken)
        made += len(row.names)
        taken |= {name.casefold() for name in row.names}
        rows.append(row)
        if made > MOST_PLANTS:
            return Pasted(tuple(rows), too_many=True)
    return Pasted(tuple(rows))


def _row(
    line: ListedLine,
    usual: Usual,
    here: Mapping[str, int],
    called: Mapping[str, str],
    taken: set[str],
) -> PastedLine:
    place = line.place or usual.place
    key = place.casefold()
    kind, guessed = _kind(line, usual)
    fault = _fault(line, place, kind)
    near = [] if key in here or not place else get_close_matches(key, here, n=1, cutoff=0.8)
    remarks = [
        f"A new place, though much like “{called[near[0]]}”." if near else "",
        "The kind was taken from the name." if guessed else "",
        "One of that name is here already; this makes another."
        if line.many == 1 and line.name.casefold() in taken
        else "",
    ]
    return PastedLine(
        line.n,
        () if fault else tuple(_names(line, taken)),
        called.get(key, place),
        here.get(key),
        kind or "",
        fault,
        " ".join(filter(None, remarks)),
        placeless=not place,
    )


def _kind(line: ListedLine, usual: Usual) -> tuple[str | None, bool]:
    """The kind, and whether it was taken from the name; None for an unknown one."""
    if line.kind:
        return kind_of(line.kind), False
    words = [w for w in line.name.casefold().replace("-", " ").split() if w not in ONLY_AS_KIND]
    named = next((k for k in map(_plain, words) if k), None)
    return (named, True) if named else (usual.kind, False)


def kind_of(said: str) -> str | None:
    """The kind of plant that a word or two say. None where that is no kind."""
    key = said.casefold().strip()
    full = {name.casefold(): k for k, name in KINDS.items()}
    if key in KINDS or key in full:
        return key if key in KINDS else full[key]
    return next((k for k in map(_plain, key.replace("-", " ").split()) if k), None)


def _plain(word: str) -> str | None:
    return next((kind for kind, words in PLAIN_KINDS.items() if word in words.split()), None)


def _fault(line: ListedLine, place: str, kind: str | None) -> str:
    for what, said in (("name", line.name), ("place's name", place)):
        if len(said) > LONGEST_NAME or set(said) & set("<>") or not said.isprintable():
            return (
                f"The {what} is longer than 80 characters, or holds a sign that no name can, "
                "such as <."
            )
    if not line.name:
        return "The name is missing."
    if line.many is None or not 1 <= line.many <= MOST_ON_A_LINE:
        return "How many there are must be a whole number from 1 to 1000."
    if kind is None:
        return f"“{line.kind[:40]}” is no kind of plant that is known here."
    return ""


def _names(line: ListedLine, taken: set[str]) -> Iterator[str]:
    """The names of the plants: numbered on from those that are there, where there are
    several.
    """
    if line.many == 1:
        yield line.name
        return
    name, number, left = line.name[: LONGEST_NAME - 6].strip(), 1, line.many or 0
    name = name[:1].upper() + name[1:]
    while left:
        if f"{name} {number}".casefold() not in taken:
            yield f"{name} {number}"
            left -= 1
        number += 1


def keep(session: Session, found: Pasted, celsius: float, *, now: datetime) -> int:
    """Make the plants of a list, and its new places with one temperature; how many plants.
    Lines that cannot be used are passed over.
    """
    new = {
        name.casefold(): places.add(session, _place(name, celsius), now=now)
        for name in found.new_places
    }
    if not found.usable:
        return 0
    added = session.scalars(
        insert(Plant).returning(Plant.id, sort_by_parameter_order=True),
        [
            {"name": name, "kind": r.kind, "created_at": now, "marks": []}
            for r in found.usable
            for name in r.names
        ],
    ).all()
    stood = [r.place_id or new[r.place.casefold()] for r in found.usable for _ in r.names]
    stays = [
        {"plant_id": plant, "place_id": place, "since_on": now.date(), "recorded_at": now}
        for plant, place in zip(added, stood, strict=True)
    ]
    session.execute(insert(Stay), stays)
    return len(stays)


def _place(name: str, celsius: float) -> places.PlaceCommand:
    warmth = places.Warmth(celsius, celsius, time(7), time(21))
    return places.PlaceCommand(name, "", "constant", warmth)
