"""The stages of a suspect for the loupe: what each looks like, how long it is, and what
was said of it.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.catalogue.schema import PestRecord
from brood.core.biology.case import Found
from brood.core.biology.unseen import infer_hidden, spread_group
from brood.errors import InputError
from brood.services.cases.chart_data import stage_drawing
from brood.services.cases.commands import stage_choices
from brood.services.diagnosis import look_log
from brood.services.diagnosis.look_page import whole_plant
from brood.services.warmth.hourly import plant_series
from brood.store.queries import looks as queries
from brood.store.tables import Look, StageSeen

LETTERS = {"egg": "E", "larva": "L", "nymph": "N", "pupa": "P", "adult": "A"}


@dataclass(frozen=True)
class LoupeStage:
    """A drawing with its letter, name and shortest and longest length in mm."""

    drawing: str
    letter: str
    name: str
    length_mm: tuple[float, float]

    @property
    def middle_mm(self) -> float:
        """The middle of its lengths in mm."""
        return sum(self.length_mm) / 2


@dataclass(frozen=True)
class Choice:
    """A stage that can be ticked, with what was said of it."""

    stage: str
    name: str
    drawing: str
    said: StageSeen | None


@dataclass(frozen=True)
class Loupe:
    """Everything that a loupe shows. `hidden` are stages that must be there unseen:
    (name, about how many).
    """

    look: Look
    record: PestRecord
    stages: tuple[LoupeStage, ...]
    choices: tuple[Choice, ...]
    hidden: tuple[tuple[str, float], ...]


def build(
    session: Session, catalogue: Catalogue, look_id: int, pest_id: str, *, now: datetime
) -> Loupe:
    """The loupe of a suspect. Raises InputError for what is no pest."""
    catalogue.pest(pest_id)
    row, record = queries.look(session, look_id), catalogue.records[pest_id]
    said = {s.stage: s for s in look_log.seen(row, pest_id)}
    choices = tuple(
        Choice(stage, name, stage_drawing(record, stage), said.get(stage))
        for stage, name in stage_choices(record)
    )
    return Loupe(
        row,
        record,
        loupe_stages(record),
        choices,
        _hidden(session, catalogue, row, record, list(said.values()), now),
    )


def loupe_stages(record: PestRecord) -> tuple[LoupeStage, ...]:
    """One stage for each drawing, in order. Stages that share a drawing share a range
    of lengths.
    """
    by_drawing: dict[str, LoupeStage] = {}
    for stage in record.stage:
        before = by_drawing.get(stage.drawing)
        low, high = stage.length_mm
        name = "adult" if stage.display == "adult" else before.name if before else stage.name
        span = (
            (min(low, before.length_mm[0]), max(high, before.length_mm[1]))
            if before
            else (low, high)
        )
        by_drawing[stage.drawing] = LoupeStage(stage.drawing, LETTERS[stage.display], name, span)
    return tuple(by_drawing.values())


def _hidden(
    session: Session,
    catalogue: Catalogue,
    row: Look,
    record: PestRecord,
    said: list[StageSeen],
    now: datetime,
) -> tuple[tuple[str, float], ...]:
    """The stages that the seen ones imply, by the plant's warmth. Empty where no warmth
    is known.
    """
    pest = catalogue.pests[record.id]
    try:
        series = plant_series(session, row.plant, now.date(), now.date())
    except InputError:
        return ()
    celsius = float(series.celsius.mean())
    found = tuple(
        f
        for s in said
        if s.life != "dead"
        for f in spread_group(pest, Found(now.date(), s.stage, whole_plant(s)), celsius)
    )
    names = {s.id: s.plural for s in record.stage}
    return tuple(
        (names[f.stage], f.count)
        for f in infer_hidden(pest, found, series)
        if f.inferred and f.count >= 0.5
    )
