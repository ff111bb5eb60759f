"""A case on one page, for asking somebody who knows: evidence, stages, warmth, what was
done, photos.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np
from sqlalchemy.orm import Session

from brood.catalogue.schema import PestRecord
from brood.errors import InputError
from brood.services.archive.record import Entry, build
from brood.services.cases import history, plans
from brood.services.cases.commands import stage_choices
from brood.services.diagnosis.look_log import standing
from brood.services.followup import inspections
from brood.services.voice.desk import Desk
from brood.services.warmth.hourly import plant_series
from brood.store.queries import cases, looks
from brood.store.tables import PestCase, Photo

DAYS = 14


@dataclass(frozen=True)
class Report:
    """Everything that the page shows. `warmth` is the lowest, mean and highest °C of
    the last fortnight; None where nothing is known.
    """

    row: PestCase
    pest: PestRecord
    warmth: tuple[float, float, float] | None
    evidence: tuple[tuple[str, str, bool], ...]
    stages: dict[str, str]
    done: tuple[Entry, ...]
    photos: tuple[Photo, ...]
    verdict: str


def report(desk: Desk, case_id: int) -> Report:
    """A case as a report."""
    session, catalogue, today = desk.session, desk.catalogue, desk.today
    row = cases.case(session, case_id)
    held = plans.outlook_of(desk, row)
    record = catalogue.records[row.pest_id]
    looked = [
        k for k in looks.of_plant(session, row.plant_id) if k.case_id == row.id or not k.case_id
    ]
    book = catalogue.evidence.observations
    evidence = tuple(
        (book[a.observation].phrase, a.said, a.sure)
        for k in looked
        for a in standing(k)
        if a.observation in book
    )
    photos = [p for k in looked for p in looks.look(session, k.id).photos] + [
        p for i in row.inspections for p in i.photos
    ]
    stages = {
        **{s.id: s.plural for s in record.stage},
        **dict(stage_choices(record)),
        **inspections.class_names(record),
    }
    lines = build(desk, plant_id=row.plant_id).entries
    done = tuple(e for e in reversed(lines) if e.url.startswith(f"/cases/{row.id}"))
    return Report(
        row,
        record,
        _warmth(session, row, today),
        evidence,
        stages,
        done,
        tuple(p for p in photos if p.withdrawn_at is None),
        held.counted.said if held and held.counted else "",
    )


def _warmth(session: Session, row: PestCase, today: date) -> tuple[float, float, float] | None:
    first = min((f.found_on for f in history.standing(row.findings)), default=today)
    try:
        series = plant_series(
            session, row.plant, max(first - timedelta(days=2), today - timedelta(days=DAYS)), today
        )
    except InputError:
        return None
    return (
        float(np.min(series.celsius)),
        float(series.celsius.mean()),
        float(np.max(series.celsius)),
    )
