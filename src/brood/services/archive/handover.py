"""The note for whoever takes a plant: what it has or had, what was put on it, what is still
to be done.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from brood.services.cases import history, plans
from brood.services.house import events, load
from brood.services.house.plants import is_eaten
from brood.services.house.quarantine import apart_of
from brood.services.voice import words
from brood.services.voice.desk import Desk
from brood.store.queries import cases
from brood.store.tables import PestCase, Plant

LATELY_DAYS = 400


@dataclass(frozen=True)
class PestLine:
    """A pest that the plant has or had: since when, until when (None while it has it), what
    was done on how many evenings, the set evenings to come and how many more at most, and
    the day from which it may stand among others if every look finds nothing.
    """

    pest_id: str
    pest: str
    since: date
    until: date | None
    acts: str
    evenings: int
    coming: tuple[date, ...]
    spare: int
    back: date | None
    look: str


@dataclass(frozen=True)
class Note:
    """Everything that the note says. `carries` is what the receiver must know, as the end of
    a sentence; `apart` is since when the plant is kept away from others.
    """

    plant: Plant
    carries: str
    apart: date | None
    had: tuple[PestLine, ...]
    last: load.Had | None
    pick_from: date | None
    injuries: tuple[load.Injury, ...]


def of_plant(desk: Desk, plant_id: int) -> Note:
    """The note for a plant as it stands."""
    plant = cases.plant(desk.session, plant_id)
    known = [c for c in plant.cases if _matters(desk, c)]
    ends = plans.ends_of(desk, [c for c in known if c.closed_at is None])
    kept = apart_of(desk.session, plant_id)
    every = load.had(desk.catalogue, plant)
    picked = load.pick_from(desk.catalogue, plant) if is_eaten(plant) else None
    return Note(
        plant,
        events.what_it_carries(desk.session, desk.catalogue, plant),
        kept.since_on if kept else None,
        tuple(_pest_line(desk, c, ends[c.id].back if c.id in ends else None) for c in known),
        every[-1] if every else None,
        picked if picked is not None and picked > desk.today else None,
        tuple(load.injuries(desk.catalogue, plant)),
    )


def _matters(desk: Desk, row: PestCase) -> bool:
    """Whether a case is under way, or was over a year ago at most."""
    return row.closed_at is None or (desk.today - row.closed_at.date()).days <= LATELY_DAYS


def _pest_line(desk: Desk, row: PestCase, back: date | None) -> PestLine:
    done = history.evenings_done(row)
    acts = dict.fromkeys(act for record in done for act in record.treatments)
    record = desk.catalogue.records[row.pest_id]
    coming = history.planned(row) if row.closed_at is None else []
    return PestLine(
        row.pest_id,
        record.name,
        row.start_on,
        row.closed_at.date() if row.closed_at else None,
        words.act_names(list(acts), desk.catalogue.treatments) if acts else "",
        len({r.done_on for r in done}),
        tuple(a.target_on for a in coming if not history.is_spare(a)),
        sum(history.is_spare(a) for a in coming),
        back if row.closed_at is None else None,
        desk.catalogue.groups[record.group].look,
    )
