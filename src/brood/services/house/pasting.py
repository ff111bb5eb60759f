"""A pasted list of plants: one a line, with place and kind where they are known."""

from __future__ import annotations

import csv
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import insert, select
from sqlalchemy.orm import Session

from brood.services.house.plants import KINDS
from brood.store.queries import cases
from brood.store.tables import Plant, Stay

MOST_LINES, LONGEST_NAME = 10_000, 80


@dataclass(frozen=True)
class PastedLine:
    """One plant of a list. `fault` says in a sentence why it cannot be used; `known`
    that one of that name is here already.
    """

    n: int
    name: str
    place: str
    kind: str
    place_id: int | None
    fault: str = ""
    known: bool = False


def lines(session: Session, text: str) -> tuple[PastedLine, ...]:
    """The plants of a pasted list: name, place, kind, separated by tabs, semicolons or
    commas. A heading is passed over.
    """
    places = {p.name.casefold(): p for p in cases.places(session)}
    kinds = {**{key: key for key in KINDS}, **{name.casefold(): key for key, name in KINDS.items()}}
    known = set(session.scalars(select(Plant.name)))
    usual = next(iter(places.values())) if len(places) == 1 else None
    rows = [r for r in text.split("\n") if r.strip()][: MOST_LINES + 1]
    mark = next((m for m in "\t;," if any(m in r for r in rows)), "\t")
    out = []
    for n, cells in enumerate(csv.reader(rows, delimiter=mark), 1):
        name, place, kind = ([c.strip() for c in cells] + ["", "", ""])[:3]
        if n == 1 and name.casefold() in ("name", "plant"):
            continue
        found = places.get(place.casefold()) if place else usual
        out.append(
            PastedLine(
                n,
                name,
                place or (found.name if found else ""),
                kinds.get(kind.casefold(), ""),
                found.id if found else None,
                _fault(name, place, kind, found is not None, kinds),
                name in known,
            )
        )
    return tuple(out)


def _fault(name: str, place: str, kind: str, placed: bool, kinds: dict[str, str]) -> str:
    if not name or len(name) > LONGEST_NAME or set(name) & set("<>"):
        return "The name is missing, longer than 80 characters, or holds < or >."
    if not placed:
        return (
            f"There is no place called “{place[:40]}”."
            if place
            else "Say in which place it stands."
        )
    return (
        f"“{kind[:40]}” is no kind of plant that is known here."
        if kind.casefold() not in kinds
        else ""
    )


def keep(session: Session, rows: Sequence[PastedLine], *, now: datetime) -> int:
    """Keep the plants of a list that have no fault; how many."""
    good = [r for r in rows if not r.fault]
    added = session.scalars(
        insert(Plant).returning(Plant.id, sort_by_parameter_order=True),
        [{"name": r.name, "kind": r.kind, "created_at": now, "marks": []} for r in good],
    ).all()
    stays = [
        {"plant_id": plant, "place_id": r.place_id, "since_on": now.date(), "recorded_at": now}
        for plant, r in zip(added, good, strict=True)
    ]
    if stays:
        session.execute(insert(Stay), stays)
    return len(good)
