"""Test leaves: two leaves are sprayed first and looked at after 48 hours. Until then
the whole plant is not sprayed. Hand work goes on meanwhile.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta

from brood.catalogue.holdings import Catalogue
from brood.core.climate.hours import EVENING
from brood.errors import FieldErrors, NotFound
from brood.services.cases import history
from brood.services.voice.desk import Desk
from brood.store.queries import cases
from brood.store.states import EveningOutcome, LeafOutcome
from brood.store.tables import PatchTest, PestCase

WAIT = timedelta(hours=48)
NOT_JUDGED = "not-judged"
"""Takes back what was said of the test leaves."""


@dataclass(frozen=True)
class Patch:
    """How far the test of one spray is: none, waiting (until `ready_at`), ready to be
    judged, fine, or marked.
    """

    treatment_id: str
    state: str
    ready_at: datetime | None
    test: PatchTest | None


def latest(row: PestCase, treatment: str) -> PatchTest | None:
    """The newest test of a spray on this case's plant. Withdrawn tests do not count."""
    return next(
        (
            p
            for p in reversed(row.patches)
            if p.treatment_id == treatment and p.withdrawn_at is None
        ),
        None,
    )


def needs_test(catalogue: Catalogue, row: PestCase, treatment: str, done: set[str]) -> bool:
    """Whether leaves must be tested before this is used: only sprays, only where the
    keeper asked for it, and only where the plant has not had it.
    """
    return row.test_patch and catalogue.care[treatment].wears and treatment not in done


def used(row: PestCase) -> set[str]:
    """What the plant has had in this case."""
    said = [history.last_word(a) for a in row.applications]
    return {
        act
        for r in said
        if r is not None and r.outcome == EveningOutcome.DONE
        for act in r.treatments
    }


def states(catalogue: Catalogue, row: PestCase, now: datetime) -> list[Patch]:
    """Every spray of a case that is to be tested, and how far that is."""
    done = used(row)
    return [
        _state(row, a.treatment_id, now)
        for a in row.acts
        if needs_test(catalogue, row, a.treatment_id, done)
    ]


def _state(row: PestCase, treatment: str, now: datetime) -> Patch:
    test = latest(row, treatment)
    if test is None:
        return Patch(treatment, "none", None, None)
    ready = test.started_at + WAIT
    state = test.outcome or ("ready" if now >= ready else "waiting")
    return Patch(treatment, state, ready, test)


def first_evening(catalogue: Catalogue, row: PestCase, treatment: str, today: date) -> date | None:
    """The first evening on which a spray may be used, because of its test. None where
    nothing holds it back; date.max where it marked the leaves.
    """
    if not needs_test(catalogue, row, treatment, used(row)):
        return None
    test = latest(row, treatment)
    if test is None:
        return max(today, row.start_on) + timedelta(days=2)
    if test.outcome:
        return None if test.outcome == LeafOutcome.FINE else date.max
    ready = test.started_at + WAIT
    return ready.date() if ready.time() <= EVENING else ready.date() + timedelta(days=1)


def start(desk: Desk, case_id: int, treatment: str, leaf: str) -> None:
    """Record that test leaves were sprayed now. Raises FieldErrors for what is no spray
    of this case, or when the leaves are not named.
    """
    row, now = cases.case(desk.session, case_id), desk.moment
    if treatment not in {p.treatment_id for p in states(desk.catalogue, row, now)}:
        raise FieldErrors({"patch": "There is no such spray to be tested on this plant."})
    if not leaf:
        raise FieldErrors(
            {
                "patch": "Say which leaves, so that you find them again: “the two lowest on the "
                "left”."
            }
        )
    before = latest(row, treatment)
    if before is not None and not before.outcome:
        before.withdrawn_at = now
    row.patches.append(PatchTest(treatment_id=treatment, leaf=leaf, started_at=now))


def judge(desk: Desk, patch_id: int, outcome: str, note: str) -> int:
    """Record how the leaves look, or take that back; the id of the case. Raises
    FieldErrors before 48 hours are over, unless they are marked already.
    """
    test, now, speech = desk.session.get(PatchTest, patch_id), desk.moment, desk.speech
    if test is None or test.withdrawn_at is not None:
        raise NotFound("There is no such test.")
    if outcome == NOT_JUDGED:
        test.outcome, test.judged_at = "", None
        return test.case_id
    if outcome not in list(LeafOutcome):
        raise FieldErrors({"patch": "Say whether the leaves are fine or marked."})
    if outcome == LeafOutcome.FINE and now < test.started_at + WAIT:
        raise FieldErrors(
            {
                "patch": f"Damage shows late: look again {speech.moment(test.started_at + WAIT)}, "
                "48 hours after."
            }
        )
    test.outcome, test.judged_at, test.note = outcome, now, note
    return test.case_id
