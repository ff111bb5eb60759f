"""What the page of a case shows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.catalogue.schema import PestRecord, TreatmentRecord
from brood.core.biology.case import Case
from brood.core.biology.pest import ADULT, Pest, Stage
from brood.core.course.hold_below import LOOK_AHEAD_DAYS
from brood.core.course.plan import Plan, PlannedEvening
from brood.core.followup.all_clear import LOOK_GAP_DAYS
from brood.errors import InputError, LeftAlone, NothingDevelops
from brood.services.cases import aim, assemble, history, plans, test_leaves
from brood.services.cases.aftercare import open_tasks
from brood.services.cases.chart_data import ChartData, chart_data
from brood.services.cases.test_leaves import Patch
from brood.services.cases.verdict import line as verdict_line
from brood.services.voice import words
from brood.services.voice.speech import Speech
from brood.store.queries import cases
from brood.store.states import EveningOutcome, EveningState
from brood.store.tables import AfterTask, Application, ApplicationRecord, PestCase


@dataclass(frozen=True)
class EveningRow:
    """One row of the table of dates."""

    slot: Application
    n: int
    record: ApplicationRecord | None
    verb: str
    names: str
    when: date
    why: str
    is_next: bool
    overdue: bool


@dataclass(frozen=True)
class CaseResult:
    """Everything that the page of a case shows. `problem` says in a sentence why there
    is no plan. `meanwhile` is the evening that went by while the case was left alone.
    """

    row: PestCase
    pest: PestRecord
    treatments: tuple[TreatmentRecord, ...]
    gaps: tuple[tuple[str, int, int | None], ...]
    headline: str
    why: str
    next: EveningRow | None
    evenings: tuple[EveningRow, ...]
    plan: Plan | None
    case: Case | None
    chart: ChartData | None
    guard: Stage | None
    problem: str
    today: date
    next_window: str = ""
    alive: tuple[tuple[str, str, str, float], ...] = ()
    kills: tuple[tuple[str, tuple[float, ...]], ...] = ()
    cautions: tuple[str, ...] = ()
    sprays: bool = False
    aim: str = ""
    patches: tuple[Patch, ...] = ()
    tasks: tuple[AfterTask, ...] = ()
    now: datetime | None = None
    verdict: str = ""
    meanwhile: Application | None = None

    @property
    def hold_days(self) -> int:
        """For how many days ahead a number is held."""
        return LOOK_AHEAD_DAYS

    @property
    def corrected(self) -> set[int]:
        """The ids of the finds that another find corrects."""
        return {f.corrects_id for f in self.row.findings if f.corrects_id}


def build(
    session: Session, catalogue: Catalogue, case_id: int, *, now: datetime, speech: Speech
) -> CaseResult:
    """A case as its page shows it now."""
    row = cases.case(session, case_id)
    bare = _bare(row, catalogue, now, speech)
    try:
        case = assemble.model(session, catalogue, row, now.date())
        plan = plans.plan_of(case)
    except InputError as error:
        headline, why = _without_a_plan(row, error, speech)
        return replace(
            bare, headline=headline, why=why, problem=why, meanwhile=_meanwhile(row, error)
        )
    planned = _planned(bare, case, plan, catalogue, now, speech)
    return replace(planned, verdict=verdict_line(session, catalogue, row, now.date()))


def _bare(row: PestCase, catalogue: Catalogue, now: datetime, speech: Speech) -> CaseResult:
    """What the page shows of a case without a plan."""
    chosen = tuple(catalogue.treatments[a.treatment_id] for a in row.acts)
    gaps = tuple(
        (t.name, a.min_gap_days or t.min_gap_days, a.max_applications or t.max_applications)
        for t, a in zip(chosen, row.acts, strict=True)
    )
    return CaseResult(
        row,
        catalogue.records[row.pest_id],
        chosen,
        gaps,
        headline="",
        why="",
        next=None,
        evenings=_evenings(row, catalogue, {}, now.date()),
        plan=None,
        case=None,
        chart=None,
        guard=None,
        problem="",
        today=now.date(),
        aim=aim.summary(row, speech),
        patches=_patches(catalogue, row, now),
        tasks=open_tasks(row, now),
        now=now,
    )


def _planned(
    bare: CaseResult,
    case: Case,
    plan: Plan,
    catalogue: Catalogue,
    now: datetime,
    speech: Speech,
) -> CaseResult:
    """The page with the plan of the case."""
    row, today = bare.row, now.date()
    by_slot = _by_slot(row, plan)
    evenings = _evenings(row, catalogue, _whys(case.pest, by_slot, speech), today)
    following = next((e for e in evenings if e.is_next), None)
    headline, why = _headline(row, plan, following, by_slot, catalogue, case, today, speech)
    chart = chart_data(case, plan, bare.pest, _done_and_planned(evenings), now=now)
    coming = following.slot.treatments if following else []
    tonight = [t for t in bare.treatments if t.id in coming]
    open_window = by_slot and row.closed_at is None
    bands = tuple(zip("ENRAB", chart.letters, chart.names, chart.alive, strict=True))
    return replace(
        bare,
        headline=headline,
        why=why,
        next=following,
        evenings=evenings,
        plan=plan,
        case=case,
        chart=chart,
        guard=case.pest.stages[case.pest.index(plan.guard)],
        next_window=words.window(by_slot[0][1], today, speech) if open_window else "",
        alive=bands[1:] if case.pest.live_birth else bands,
        kills=_kills(case),
        cautions=tuple(text for t in tonight for text in t.cautions),
        sprays=any(not t.by_hand for t in tonight),
    )


def _without_a_plan(row: PestCase, error: InputError, speech: Speech) -> tuple[str, str]:
    """The headline of a case that has no dates, and why."""
    if row.closed_at is not None:
        return _closed(row, speech)
    if isinstance(error, LeftAlone):
        return "Count again first.", (
            f"Nothing was recorded since {speech.day(error.since)}. After so long nobody "
            "knows how many live there now. "
            "The old dates are history; a new course begins from what you count."
        )
    if isinstance(error, NothingDevelops):
        again = (
            f" Look again on {speech.day(error.inspect_on)} at the latest."
            if error.inspect_on
            else ""
        )
        return "Nothing to do while nothing develops.", f"{error}{again}"
    return "There is no plan yet.", str(error)


def _closed(row: PestCase, speech: Speech) -> tuple[str, str]:
    assert row.closed_at is not None
    return (
        f"Closed {speech.day(row.closed_at)}.",
        "Everything recorded is kept. Open it again if anything living turns up.",
    )


def _meanwhile(row: PestCase, error: InputError) -> Application | None:
    """The evening that went by while a case was left alone: it may have been done and
    only not marked.
    """
    if not isinstance(error, LeftAlone):
        return None
    gone = [
        a
        for a in row.applications
        if a.status == EveningState.DROPPED and a.target_on > error.since
    ]
    return min(gone, key=lambda a: (a.target_on, a.number), default=None)


def _patches(catalogue: Catalogue, row: PestCase, now: datetime) -> tuple[Patch, ...]:
    return tuple(p for p in test_leaves.states(catalogue, row, now) if p.state != "fine")


def _kills(case: Case) -> tuple[tuple[str, tuple[float, ...]], ...]:
    """The share that each act removes of each stage, by the name of the stage."""
    stages = [*((s.id, s.name) for s in case.pest.development), (ADULT, "adult")]
    return tuple(
        (name, tuple(act.kill.get(stage, 0.0) for act in case.acts)) for stage, name in stages
    )


def _whys(
    pest: Pest, by_slot: list[tuple[Application, PlannedEvening]], speech: Speech
) -> dict[int, str]:
    """The reason of every planned evening. It is brief where the evening before has one
    of the same kind.
    """
    out, before = {}, ""
    for slot, a in by_slot:
        say = words.brief if a.reason.kind == before else words.reason
        out[slot.id], before = say(pest, a.reason, speech, a.short_by_days), a.reason.kind
    return out


def _by_slot(row: PestCase, plan: Plan) -> list[tuple[Application, PlannedEvening]]:
    return list(zip(history.planned(row), plan.applications, strict=False))


def _evenings(
    row: PestCase, catalogue: Catalogue, whys: dict[int, str], today: date
) -> tuple[EveningRow, ...]:
    shown = [a for a in row.applications if a.status != EveningState.DROPPED]
    dated = sorted(
        ((history.evening_day(a), a) for a in shown), key=lambda pair: (pair[0], pair[1].number)
    )
    first = next((a.id for _, a in dated if a.status == EveningState.PLANNED), None)
    out, n = [], 0
    for when, slot in dated:
        n += slot.status != EveningState.SKIPPED
        record = history.last_word(slot)
        acts = (
            record.treatments
            if record and record.outcome == EveningOutcome.DONE
            else slot.treatments
        )
        out.append(
            EveningRow(
                slot,
                n,
                record,
                words.evening_verb(acts, catalogue.treatments),
                words.act_names(acts, catalogue.treatments),
                when,
                whys.get(slot.id, slot.why),
                slot.id == first,
                slot.status == EveningState.PLANNED
                and (slot.missed_on is not None or slot.target_on < today),
            )
        )
    return tuple(out)


def _headline(
    row: PestCase,
    plan: Plan,
    following: EveningRow | None,
    by_slot: list[tuple[Application, PlannedEvening]],
    catalogue: Catalogue,
    case: Case,
    today: date,
    speech: Speech,
) -> tuple[str, str]:
    if row.closed_at is not None:
        return _closed(row, speech)
    if row.keep_below is not None and not by_slot:
        return (
            "Nothing to do yet.",
            f"They stay under {row.keep_below:g} for now. Look again in a week, and add "
            "what you find.",
        )
    if all(f.inferred for f in case.found):
        looked = max([case.found[0].on, *(i.looked_on for i in history.looks(row))])
        due = looked + timedelta(days=LOOK_GAP_DAYS)
        return (
            "Nothing alive was seen. Look closely again "
            f"{speech.day(due) if due > today else 'now'}.",
            (
                f"On {speech.day(case.found[0].on)} nothing alive was found, after a long "
                "time without a look. So there is nothing to treat. Two clean "
                "looks and the time that the last of them would need to show itself are "
                "needed; one living find starts a new course."
            ),
        )
    if following is None or not by_slot:
        last = plan.last_hatch.slow
        return "The course is done. Look closely, twice.", (
            f"By {speech.day(last) if last else 'now'} the slowest of what was there had "
            "come out and has been met at least twice. "
            "Two clean looks a week apart are needed; one living find starts the clock again."
        )
    application = by_slot[0][1]
    headline = words.next_step(application, today, bool(case.done), speech, catalogue.treatments)
    why = words.reason(case.pest, application.reason, speech, application.short_by_days)
    gone = history.went_by(row)
    if gone is not None and gone.missed_on is not None:
        why = (
            f"{speech.day(gone.missed_on)} is not marked. If you did it then, say so under "
            "“Another day”. " + why
        )
    return headline, why


def _done_and_planned(evenings: Sequence[EveningRow]) -> list[tuple[date, tuple[str, ...], str]]:
    """(day, acts, state) of every evening that was or will be: state done, next or planned."""
    out = []
    for e in evenings:
        if e.record and e.record.outcome == EveningOutcome.DONE and e.record.done_on:
            out.append((e.record.done_on, tuple(e.record.treatments), "done"))
        elif e.slot.status == EveningState.PLANNED:
            out.append(
                (e.slot.target_on, tuple(e.slot.treatments), "next" if e.is_next else "planned")
            )
    return out
