"""Why a course does not do what it should: the usual causes in the order in which to
check them, with what the record says of each.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.core.course.plan import Plan
from brood.services.cases import history
from brood.services.cases.beside import beside
from brood.services.cases.outlook import Counted
from brood.services.voice.desk import Desk
from brood.services.voice.speech import Speech, days, listed
from brood.store.queries import looks
from brood.store.states import EveningState
from brood.store.tables import ApplicationRecord, PestCase

OFTEN = 3
SPARED = 0.25


@dataclass(frozen=True)
class Explanation:
    """One possible cause. `speaks` says whether the record points to it. Then what is
    known, what to do, and where.
    """

    id: str
    title: str
    speaks: bool
    known: str
    todo: str
    link: str


def causes(desk: Desk, row: PestCase, held: Counted, plan: Plan) -> list[Explanation]:
    """All seven causes, in order."""
    done = history.evenings_done(row)
    return [
        _coverage(row, done, held),
        _mix(row, done, desk.today),
        _stage(desk.catalogue, row),
        _identity(desk.session, row),
        _timing(row, plan, desk.speech),
        _reentry(desk.session, row),
        _resistance(desk.catalogue, row, done),
    ]


def _coverage(row: PestCase, done: list[ApplicationRecord], held: Counted) -> Explanation:
    missed = sorted({p for r in done for p in r.missed})
    spots = {
        i.spot
        for i in history.looks(row)
        if i.live and i.spot in ("undersides", "axils", "new-growth")
    }
    known = (
        f"Not treated so far: {listed(missed)}."
        if missed
        else "Every part on the list was ticked, or there was no list."
    )
    if spots:
        known += f" The living ones sit mostly in: {listed(sorted(spots))}."
    known += (
        f" By your counts an evening kills about {held.effective * 100:.0f} in 100 of the young in "
        f"the open. {held.expected * 100:.0f} was expected."
    )
    return Explanation(
        "coverage",
        "Is every part treated?",
        bool(missed or spots),
        known,
        "Go by the list, part by part. Do undersides and axils first. Look under a leaf "
        "afterwards: it should be wet.",
        f"/cases/{row.id}/evening",
    )


def _mix(row: PestCase, done: list[ApplicationRecord], today: date) -> Explanation:
    used = {t for r in done for t in r.treatments}
    old = [
        a.stock.name
        for a in row.acts
        if a.stock and a.stock.expires_on and a.stock.expires_on < today
    ]
    unknown = [
        a.treatment_id
        for a in row.acts
        if a.treatment_id in used and a.stock is None and a.min_gap_days is None
    ]
    known = f"Past its date: {listed(old)}." if old else "No bottle used here is past its date."
    if unknown:
        known += " No label figures are recorded for some of what was used."
    return Explanation(
        "mix",
        "Was the mix strong enough, and fresh?",
        bool(old),
        known,
        "Measure it again from the label. Mix it the same day. Shake while you spray. Hard water "
        "weakens soap.",
        f"/mix?case={row.id}",
    )


def _stage(catalogue: Catalogue, row: PestCase) -> Explanation:
    pest = catalogue.pest(row.pest_id)
    kills = [catalogue.kill(a.treatment_id, row.pest_id) for a in row.acts]
    spared = [s.plural for s in pest.development if all(k.get(s.id, 0.0) < SPARED for k in kills)]
    known = (
        f"Nothing chosen here kills {listed(spared)}."
        if spared
        else "Every stage is killed by something that you chose."
    )
    return Explanation(
        "stage",
        "Is a stage left out?",
        bool(spared),
        known,
        "The dates meet what comes out of hiding. If it lives in the soil or in folded leaves, add "
        "a treatment that gets there.",
        f"/cases/{row.id}/means",
    )


def _identity(session: Session, row: PestCase) -> Explanation:
    looked = [
        k
        for k in looks.of_plant(session, row.plant_id)
        if k.case_id == row.id and any(a.withdrawn_at is None for a in k.answers)
    ]
    known = (
        f"It was checked with tests {days_ago(len(looked))}."
        if looked
        else "No test has confirmed it in this case."
    )
    return Explanation(
        "identity",
        "Is it really this pest?",
        not looked,
        known,
        "Check it again with the tests before you use anything stronger.",
        f"/cases/{row.id}/look",
    )


def days_ago(times: int) -> str:
    """How often something was, in words."""
    return "once" if times == 1 else f"{times} times"


def _timing(row: PestCase, plan: Plan, speech: Speech) -> Explanation:
    late = [
        a
        for a in row.applications
        if a.status in (EveningState.LATE, EveningState.SKIPPED)
        or (a.status == EveningState.PLANNED and a.missed_on)
    ]
    slips = plan.slips
    known = (
        "Every evening was in its window."
        if not late and not slips
        else f"{len(late) or len(slips)} of the evenings came late or not at all."
    )
    if slips:
        known += (
            f" The longest gap: {days(max((s.done - s.latest).days for s in slips))} over, "
            f"before {speech.day(slips[-1].done)}."
        )
    return Explanation(
        "timing",
        "Were the evenings in time?",
        bool(late or slips),
        known,
        "Do the next one inside its window. The dates already count with what bred in the gap.",
        f"/cases/{row.id}#dates",
    )


def _reentry(session: Session, row: PestCase) -> Explanation:
    near = [
        n for n in beside(session, row.plant) if n.plant.id not in {m.plant_id for m in row.members}
    ]
    ill = [
        n.plant.name
        for n in near
        if any(c.pest_id == row.pest_id and c.closed_at is None for c in n.plant.cases)
    ]
    unlooked = [n.plant.name for n in near if not n.looked_since(row.start_on)]
    many = any(i.spot == "everywhere" and i.live for i in history.looks(row))
    known = (
        f"Beside it, with the same pest: {listed(ill)}."
        if ill
        else "No neighbour has an open case of it."
    )
    if unlooked:
        known += f" Not looked at since it began: {listed(unlooked)}."
    return Explanation(
        "re-entry",
        "Does it come back from somewhere?",
        bool(ill or many),
        known,
        "Look at the neighbours the same day, and keep this plant away from them. More of a "
        "product does not help against newcomers.",
        f"/places/{row.plant.stays[-1].place_id}/plan" if row.plant.stays else "/plants",
    )


def _resistance(catalogue: Catalogue, row: PestCase, done: list[ApplicationRecord]) -> Explanation:
    uses: dict[str, int] = {}
    for r in done:
        for key in r.treatments:
            record = catalogue.treatments[key]
            if not record.by_hand and record.resistance_group not in ("", "none"):
                uses[record.resistance_group] = uses.get(record.resistance_group, 0) + 1
    often = [group for group, n in uses.items() if n >= OFTEN]
    known = (
        f"{listed(often)} was used {OFTEN} times or more."
        if often
        else "No mode of action was used so often that resistance is likely."
    )
    return Explanation(
        "resistance",
        "Can it have become resistant?",
        bool(often),
        known,
        "Only when all above is in order, change to another mode of action. Never use a stronger "
        "dose of the same.",
        f"/cases/{row.id}/means",
    )
