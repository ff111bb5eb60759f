"""What the keeper's own cases teach of each treatment."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from brood.services.cases import plans
from brood.services.voice.desk import Desk
from brood.services.voice.speech import listed
from brood.store.queries import said
from brood.store.states import LeafOutcome
from brood.store.tables import PatchTest, PestCase, Plant


@dataclass(frozen=True)
class Lesson:
    """What own cases say of a treatment: in how many cases and on how many evenings it
    was used, what an evening took of the pest compared with what it should, and on
    which plants it marked the test leaves.
    """

    name: str
    cases: int
    evenings: int
    took: float | None
    should: float | None
    marked: str


def lessons(desk: Desk) -> list[Lesson]:
    """Own experience by treatment, the most used first. Evenings with several
    treatments count for each.
    """
    uses: dict[str, Counter[int]] = {}
    for word in said.last_words(desk.session):
        for key in word.treatments if word.day else ():
            uses.setdefault(key, Counter())[word.case_id] += 1
    marked = _marked(desk.session)
    effects, out = plans.effects(desk.session), []
    for key, by_case in uses.items():
        known = [effects[case_id] for case_id in by_case if case_id in effects]
        mean = [sum(v) / len(known) for v in zip(*known, strict=True)] if known else [None, None]
        out.append(
            Lesson(
                desk.catalogue.treatments[key].name,
                len(by_case),
                by_case.total(),
                mean[0],
                mean[1],
                listed(sorted(marked.get(key, set()))),
            )
        )
    return sorted(out, key=lambda lesson: (-lesson.evenings, lesson.name))


def _marked(session: Session) -> dict[str, set[str]]:
    """The plants whose test leaves each treatment marked."""
    found = (
        select(PatchTest.treatment_id, Plant.name)
        .join(PestCase, PestCase.id == PatchTest.case_id)
        .join(Plant, Plant.id == PestCase.plant_id)
        .where(PatchTest.outcome == LeafOutcome.MARKED, PatchTest.withdrawn_at.is_(None))
    )
    out: dict[str, set[str]] = {}
    for key, plant in session.execute(found):
        out.setdefault(key, set()).add(plant)
    return out
