"""What the keeper's own cases teach of each treatment."""

from __future__ import annotations

from dataclasses import dataclass

from brood.services import kept
from brood.services.cases import history
from brood.services.desk import Desk
from brood.services.voice.speech import listed
from brood.store.queries import cases
from brood.store.tables import PestCase


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
    uses: dict[str, list[tuple[PestCase, int]]] = {}
    marked: dict[str, list[str]] = {}
    effects: dict[int, tuple[float, float]] = {}
    rows_ = cases.every(desk.session)
    looked = {r.outlook_key: r.id for r in rows_ if history.looks(r) and r.outlook_key}
    for key, found in kept.several(desk.session, list(looked)).items():
        if found.counted is not None and found.counted.verdict:
            effects[looked[key]] = (found.counted.effective, found.counted.expected)
    for row in rows_:
        done = history.evenings_done(row)
        for key in {t for r in done for t in r.treatments}:
            uses.setdefault(key, []).append((row, sum(key in r.treatments for r in done)))
        for patch in (p for p in row.patches if p.outcome == "marked" and p.withdrawn_at is None):
            marked.setdefault(patch.treatment_id, []).append(row.plant.name)
    out = []
    for key, rows in uses.items():
        known = [effects[r.id] for r, _ in rows if r.id in effects]
        mean = [sum(v) / len(known) for v in zip(*known, strict=True)] if known else [None, None]
        hurt = listed(sorted(set(marked.get(key, []))))
        out.append(
            Lesson(
                desk.catalogue.treatments[key].name,
                len(rows),
                sum(n for _, n in rows),
                mean[0],
                mean[1],
                hurt,
            )
        )
    return sorted(out, key=lambda lesson: (-lesson.evenings, lesson.name))
