"""Looking a plant over: every tap is kept at once, and no answer is overwritten."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import datetime

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.errors import FieldErrors
from brood.store.queries import cases, looks
from brood.store.tables import Look, LookAnswer, StageSeen

SAID = ("yes", "no", "old", "")
TOOLS = {
    "phone": "phone with a light",
    "lens": "lens, 10× or more",
    "paper": "white paper",
    "tissue": "damp tissue",
    "swab": "cotton swab and alcohol",
    "knife or nail": "knife or nail",
    "water": "water",
    "card": "sticky card",
    "trowel": "trowel or stick",
}
"""What a check may need, by its name in the catalogue."""


@dataclass(frozen=True)
class StageCommand:
    """A stage as seen: a number or a rough class, the share of the plant that was
    looked at, alive or not, and the clue for that.
    """

    stage: str
    number: float | None
    rough: str | None
    share: float | None
    life: str
    clue: str


def begin(session: Session, plant_id: int, *, now: datetime, case_id: int | None = None) -> int:
    """The id of the plant's open look, or of a new one. A look at a case asks again
    what it is, beginning with the answers given before.
    """
    plant = cases.plant(session, plant_id)
    before = looks.of_plant(session, plant.id)
    still = next((row for row in before if row.closed_at is None and row.case_id == case_id), None)
    if still is not None:
        return still.id
    row = Look(
        plant_id=plant.id,
        case_id=case_id,
        tools=list(TOOLS),
        started_at=now,
        answers=[],
        stages=[],
        photos=[],
    )
    session.add(row)
    earlier = next((b for b in before if case_id is not None and b.case_id == case_id), None)
    if earlier is not None:
        row.answers = [
            LookAnswer(
                observation=a.observation,
                said=a.said,
                sure=a.sure,
                how=_earlier(a),
                recorded_at=now,
            )
            for a in standing(earlier)
        ]
    session.flush()
    return row.id


def _earlier(answer: LookAnswer) -> str:
    return answer.how or f"from the look of {answer.recorded_at:%Y-%m-%d}"


def standing(row: Look) -> list[LookAnswer]:
    """The answers that count now."""
    return [a for a in row.answers if a.withdrawn_at is None]


def seen(row: Look, pest_id: str | None = None) -> list[StageSeen]:
    """The stages that count now, of one pest or of all."""
    return [s for s in row.stages if s.withdrawn_at is None and pest_id in (None, s.pest_id)]


def answer(
    session: Session,
    catalogue: Catalogue,
    look_id: int,
    said: dict[str, str],
    *,
    now: datetime,
    sure: bool = True,
    how: str = "",
) -> None:
    """Keep answers by observation: yes, no, old, or empty for not looked. Earlier
    answers are withdrawn and stay in the log.
    """
    row = looks.look(session, look_id)
    wrong = [
        o
        for o, word in said.items()
        if o not in catalogue.evidence.observations or word not in SAID
    ]
    if wrong:
        raise FieldErrors({"answer": "This question is not known. Reload the page and try again."})
    for given in standing(row):
        if given.observation in said:
            given.withdrawn_at = now
    row.answers += [
        LookAnswer(observation=o, said=word, sure=sure, how=how, recorded_at=now)
        for o, word in said.items()
        if word
    ]
    row.closed_at = None


def choose(
    session: Session,
    catalogue: Catalogue,
    look_id: int,
    options: Sequence[str],
    chosen: Sequence[str],
    *,
    none: bool,
    now: datetime,
) -> None:
    """Keep what was chosen among the outcomes of one look, or that it was `none` of them.
    Of the others nothing is said. Raises FieldErrors where nothing was told.
    """
    answers = dict.fromkeys(options, "no") if none else dict.fromkeys(chosen, "yes")
    if not answers:
        raise FieldErrors({"chosen": "Tick what you see, or say that it is none of these."})
    answer(session, catalogue, look_id, answers, now=now)


def pass_over(session: Session, look_id: int, options: Sequence[str]) -> None:
    """Keep that the keeper cannot tell: these are not asked again, and nothing is said of
    them.
    """
    row = looks.look(session, look_id)
    row.passed = list(dict.fromkeys([*row.passed, *options]))


def take_back(session: Session, look_id: int, at: datetime, *, now: datetime) -> None:
    """Take back the answers that were given at a moment: those that they replaced stand
    again. Twice changes nothing.
    """
    row = looks.look(session, look_id)
    for given in row.answers:
        if given.recorded_at == at and given.withdrawn_at is None:
            given.withdrawn_at = now
        elif given.withdrawn_at == at:
            given.withdrawn_at = None


def set_tools(session: Session, look_id: int, tools: Sequence[str], looker: str) -> None:
    """Keep which tools are at hand and who looks."""
    row = looks.look(session, look_id)
    row.tools, row.looker = [t for t in TOOLS if t in tools], looker


def keep_stages(
    session: Session,
    look_id: int,
    pest_id: str,
    found: Sequence[StageCommand],
    *,
    now: datetime,
    affected: float | None = None,
) -> None:
    """Keep the stages of a pest as seen, and the share of the leaves that shows it.
    What was said before is withdrawn and stays in the log.
    """
    row = looks.look(session, look_id)
    row.affected = affected
    for before in seen(row, pest_id):
        before.withdrawn_at = now
    row.stages += [StageSeen(pest_id=pest_id, recorded_at=now, **asdict(f)) for f in found]


def close(session: Session, look_id: int, *, now: datetime, case_id: int | None = None) -> None:
    """End a look: it led to a case, or there is nothing to treat."""
    row = looks.look(session, look_id)
    row.closed_at = now
    if case_id is not None:
        row.case_id = case_id


def reopen_of_case(session: Session, case_id: int, *, now: datetime) -> int:
    """A new look that asks again what a case's plant has; its id."""
    row = cases.case(session, case_id)
    return begin(session, row.plant_id, now=now, case_id=case_id)
