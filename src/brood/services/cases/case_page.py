"""What the page of a case shows."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta

from brood.catalogue.holdings import Catalogue
from brood.catalogue.schema import PestRecord, TreatmentRecord
from brood.core.biology.pest import ADULT, Pest, Stage
from brood.core.course.hold_below import LOOK_AHEAD_DAYS
from brood.core.course.plan import Plan
from brood.core.followup.look_days import LOOK_GAP_DAYS
from brood.services.cases import aim, assemble, history, plans, test_leaves
from brood.services.cases.aftercare import open_tasks
from brood.services.cases.chart_data import ChartData, class_names
from brood.services.cases.outlook import SPARES_SHOWN, Outlook, Trouble
from brood.services.cases.test_leaves import Patch
from brood.services.voice import courses, words
from brood.services.voice.desk import Desk
from brood.services.voice.speech import Speech
from brood.store.queries import cases
from brood.store.states import EveningOutcome, EveningState, PlanState
from brood.store.tables import AfterTask, Application, ApplicationRecord, PestCase

COURSE = ("end", "evenings")
"""What a marked evening and a changed plan both say of the course."""
NEWS_DAYS = 14
"""What has changed is said on the page of a case for so many days."""


@dataclass(frozen=True)
class EveningRow:
    """One row of the table of dates. A `spare` evening is only done if a look finds life."""

    slot: Application
    n: int
    record: ApplicationRecord | None
    verb: str
    names: str
    when: date
    why: str
    is_next: bool
    overdue: bool
    spare: bool = False


@dataclass(frozen=True)
class CaseResult:
    """Everything that the page of a case shows. `problem` says in a sentence why there
    is no plan, `due` that it is being worked out again, `moved` why the dates moved of
    late. `meanwhile` is the evening that went by while the case was left alone.
    `course` says how many evenings it will probably take. `released` are the evenings
    that looks have taken back, each with why.
    It `protects` where the pest comes and goes: the course is of one brood.
    """

    row: PestCase
    pest: PestRecord
    treatments: tuple[TreatmentRecord, ...]
    gaps: tuple[tuple[str, int, int | None], ...]
    headline: str
    why: str
    next: EveningRow | None
    evenings: tuple[EveningRow, ...]
    outlook: Outlook | None
    chart: ChartData | None
    guard: Stage | None
    problem: str
    today: date
    due: bool
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
    moved: str = ""
    news: str = ""
    meanwhile: Application | None = None
    course: str = ""
    released: tuple[tuple[date, str], ...] = ()
    protects: bool = False
    drawn: Mapping[str, str] = field(default_factory=dict)

    @property
    def plan(self) -> Plan | None:
        """The plan as last worked out."""
        return self.outlook.plan if self.outlook else None

    @property
    def fixed(self) -> int:
        """How many of the evenings to come are done whatever a look finds."""
        return sum(e.slot.status == EveningState.PLANNED and not e.spare for e in self.evenings)

    @property
    def shown(self) -> tuple[EveningRow, ...]:
        """The evenings with the first of the spare ones."""
        return self.evenings[: len(self.evenings) - len(self.further)]

    @property
    def further(self) -> tuple[EveningRow, ...]:
        """Spare evenings beyond the first few."""
        spare = [e for e in self.evenings if e.spare]
        return tuple(spare[SPARES_SHOWN:])

    @property
    def looks_first(self) -> bool:
        """Whether a look decides about the next evening."""
        return self.next is not None and self.next.spare

    @property
    def look_on(self) -> date | None:
        """The day of the look that decides, which can be tried. None where none does."""
        day = self.outlook.decides_on if self.outlook else None
        return None if day is None or self.row.closed_at is not None else max(day, self.today)

    @property
    def unready(self) -> bool:
        """Whether its figures are still being worked out."""
        return self.due or (self.outlook is not None and self.outlook.brief)

    @property
    def to_come(self) -> int:
        """How many evenings are still planned."""
        return len(history.planned(self.row))

    @property
    def done(self) -> int:
        """How many evenings were done."""
        return len(history.evenings_done(self.row))

    @property
    def hold_days(self) -> int:
        """For how many days ahead a number is held."""
        return LOOK_AHEAD_DAYS

    @property
    def corrected(self) -> set[int]:
        """The ids of the finds that another find corrects."""
        return {f.corrects_id for f in self.row.findings if f.corrects_id}


def build(desk: Desk, case_id: int) -> CaseResult:
    """A case as its page shows it now."""
    row = cases.case(desk.session, case_id)
    found, chart, drawn = plans.with_chart(desk, row)
    bare = _bare(desk, row, found)
    if found is None or found.plan is None:
        headline, why = _without_a_plan(row, found.trouble if found else None, desk.speech)
        gone = _meanwhile(row, found.trouble if found else None)
        return replace(bare, headline=headline, why=why, problem=why, meanwhile=gone)
    return _planned(desk, replace(bare, chart=chart, drawn=drawn), found, found.plan)


def _bare(desk: Desk, row: PestCase, found: Outlook | None) -> CaseResult:
    """What the page shows of a case without a plan."""
    catalogue, now = desk.catalogue, desk.moment
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
        evenings=_evenings(desk, row),
        outlook=found,
        chart=None,
        guard=None,
        problem="",
        today=now.date(),
        due=history.plan_is_due(row, now.date()),
        aim=aim.summary(row, catalogue, desk.speech),
        protects=assemble.protects(catalogue, row),
        patches=_patches(catalogue, row, now),
        tasks=open_tasks(row, now),
        now=now,
        moved=_moved(desk, row),
        news=_news(desk, row),
    )


def _planned(desk: Desk, bare: CaseResult, found: Outlook, plan: Plan) -> CaseResult:
    """The page with the plan of the case."""
    row, catalogue = bare.row, desk.catalogue
    pest = catalogue.pest(row.pest_id)
    following = next((e for e in bare.evenings if e.is_next), None)
    headline, why = _headline(desk, row, found, following)
    chart = bare.chart
    coming = following.slot.treatments if following else []
    tonight = [t for t in bare.treatments if t.id in coming]
    letters, names = class_names(pest)
    alive = chart.alive if chart else ()
    bands = tuple(zip("ENRAB", letters, names, alive, strict=True)) if chart else ()
    shown = following is not None and row.closed_at is None and plan.applications
    return replace(
        bare,
        headline=headline,
        why=why,
        next=following,
        guard=pest.stages[pest.index(plan.guard)],
        next_window=(
            words.window(following.slot, desk.today, desk.speech) if shown and following else ""
        ),
        alive=bands[1:] if pest.live_birth else bands,
        kills=_kills(desk, row, pest),
        cautions=tuple(text for t in tonight for text in t.cautions),
        sprays=any(not t.by_hand for t in tonight),
        verdict=found.counted.said if found.counted else "",
        moved="" if found.released else bare.moved,
        course=_course(desk, row, found),
        released=_released(desk, row, found),
    )


def _course(desk: Desk, row: PestCase, found: Outlook) -> str:
    """How many evenings are set and likely. Empty where nothing is to come."""
    plan = found.plan
    if plan is None or not plan.applications or row.keep_below is not None:
        return ""
    return courses.ahead(
        found.fixed,
        len(plan.applications),
        found.likely,
        plan.growth,
        max(desk.today, plan.applications[0].target),
        more=bool(history.evenings_done(row)),
    )


def _released(desk: Desk, row: PestCase, found: Outlook) -> tuple[tuple[date, str], ...]:
    """The evenings that looks have taken back, with why."""
    if found.ahead is None:
        return ()
    why = courses.released(_looked_on(desk, row), found.ahead.left, desk.speech)
    return tuple((day, why) for day in found.released)


def _looked_on(desk: Desk, row: PestCase) -> date:
    looks = (i.looked_on for i in history.looks(row) if i.looked_on <= desk.today)
    return max(looks, default=desk.today)


def _moved(desk: Desk, row: PestCase) -> str:
    """Why the dates moved of late. Empty where they did not, or where an evening that was
    marked has moved them: then its own news says so; or where the headline does.
    """
    last = row.changes[-1] if row.changes else None
    if last is None or row.closed_at is not None or (desk.moment - last.at).days > NEWS_DAYS:
        return ""
    if last.after.get("state") == PlanState.LEFT_ALONE:
        return ""
    told = [r.told for a in row.applications if (r := history.last_word(a)) and r.told]
    if any(all(t.get(name) == last.after.get(name) for name in COURSE) for t in told):
        return ""
    return words.moved(last.parts, last.before, last.after, last.at.date(), desk.speech)


def _news(desk: Desk, row: PestCase) -> str:
    """What the last evening that was marked has changed. Empty where that was nothing, or
    long ago.
    """
    said = [(record.recorded_at, a) for a in row.applications if (record := history.last_word(a))]
    told = [
        (at, text)
        for at, slot in said
        if (desk.moment - at).days <= NEWS_DAYS
        and (text := plans.change_of(desk.catalogue, row, slot, desk.speech))
    ]
    return max(told)[1] if told else ""


def _without_a_plan(row: PestCase, trouble: Trouble | None, speech: Speech) -> tuple[str, str]:
    """The headline of a case that has no dates, and why."""
    if row.closed_at is not None:
        return _closed(row, speech)
    if trouble is None:
        return "The dates are being worked out.", "They will be here in a moment."
    if trouble.state == PlanState.LEFT_ALONE and trouble.since is not None:
        return "Count again first.", (
            f"Nothing was recorded since {speech.day(trouble.since)}. After so long nobody "
            "knows how many live there now. "
            "The old dates no longer hold. A new course begins from what you count."
        )
    if trouble.state == PlanState.STILL:
        why = words.trouble(
            trouble.message, trouble.limit_c, too_hot=trouble.too_hot, speech=speech
        )
        again = (
            f" Look again on {speech.day(trouble.inspect_on)} at the latest."
            if trouble.inspect_on
            else ""
        )
        return "Nothing to do while nothing develops.", f"{why}{again}"
    return "There is no plan yet.", trouble.message


def _closed(row: PestCase, speech: Speech) -> tuple[str, str]:
    assert row.closed_at is not None
    return (
        f"Closed {speech.day(row.closed_at)}.",
        "Everything recorded is kept. Open it again if anything living turns up.",
    )


def _meanwhile(row: PestCase, trouble: Trouble | None) -> Application | None:
    """The evening that went by while a case was left alone: it may have been done and
    only not marked.
    """
    if trouble is None or trouble.since is None:
        return None
    gone = [
        a
        for a in row.applications
        if a.status == EveningState.DROPPED and a.target_on > trouble.since
    ]
    return min(gone, key=lambda a: (a.target_on, a.number), default=None)


def _patches(catalogue: Catalogue, row: PestCase, now: datetime) -> tuple[Patch, ...]:
    return tuple(p for p in test_leaves.states(catalogue, row, now) if p.state != "fine")


def _kills(desk: Desk, row: PestCase, pest: Pest) -> tuple[tuple[str, tuple[float, ...]], ...]:
    """The share that each act removes of each stage, by the name of the stage."""
    stages = [*((s.id, s.name) for s in pest.development), (ADULT, "adult")]
    kills = [desk.catalogue.kill(a.treatment_id, row.pest_id) for a in row.acts]
    return tuple((name, tuple(k.get(stage, 0.0) for k in kills)) for stage, name in stages)


def _evenings(desk: Desk, row: PestCase) -> tuple[EveningRow, ...]:
    """The evenings in order. The reason of a planned one is brief where the evening
    before it has one of the same kind.
    """
    shown = [a for a in row.applications if a.status != EveningState.DROPPED]
    dated = sorted(
        ((history.evening_day(a), a) for a in shown), key=lambda pair: (pair[0], pair[1].number)
    )
    first = next((a.id for _, a in dated if a.status == EveningState.PLANNED), None)
    treatments, out, n, before = desk.catalogue.treatments, [], 0, ""
    for when, slot in dated:
        n += slot.status != EveningState.SKIPPED
        record, planned = history.last_word(slot), slot.status == EveningState.PLANNED
        done = record is not None and record.outcome == EveningOutcome.DONE
        acts = record.treatments if record and done else slot.treatments
        kind = str(slot.reason.get("kind", ""))
        again, before = planned and bool(kind) and kind == before, kind if planned else ""
        out.append(
            EveningRow(
                slot,
                n,
                record,
                words.evening_verb(acts, treatments),
                words.act_names(acts, treatments),
                when,
                plans.change_of(desk.catalogue, row, slot, desk.speech)
                or plans.why_of(desk.catalogue, row, slot, desk.speech, again=again),
                slot.id == first,
                planned and (slot.missed_on is not None or slot.target_on < desk.today),
                planned and history.is_spare(slot),
            )
        )
    return tuple(out)


def _nothing_seen(desk: Desk, row: PestCase, found: Outlook) -> tuple[str, str]:
    """The headline where nothing alive was found after a long time, and why."""
    first = found.found[0].on
    looked = max([first, *(i.looked_on for i in history.looks(row))])
    due = looked + timedelta(days=LOOK_GAP_DAYS)
    again = desk.speech.day(due) if due > desk.today else "now"
    return f"Nothing alive was seen. Look closely again {again}.", (
        f"On {desk.speech.day(first)} nothing alive was found, after a long time without a look. "
        "So there is nothing to treat. It takes two clean looks, and the time in which the last "
        "of them would show. One living find starts a new course."
    )


def _over(desk: Desk, row: PestCase, found: Outlook) -> tuple[str, str]:
    """The headline where no evening is to come, and why."""
    if found.released and found.ahead is not None:
        needed = found.clearing.needed if found.clearing else ()
        again = needed[0].on if needed else None
        left = found.ahead.left
        return courses.released_headline(_looked_on(desk, row), left, again, desk.speech)
    last = found.plan.last_hatch.slow if found.plan else None
    return "The course is done. Look closely, twice.", (
        f"By {desk.speech.day(last) if last else 'now'} the slowest of what was there had come out "
        "and has been met at least twice. Now look twice, a week between. One living find starts "
        "the clock again."
    )


def _headline(
    desk: Desk, row: PestCase, found: Outlook, following: EveningRow | None
) -> tuple[str, str]:
    speech, today = desk.speech, desk.today
    if row.closed_at is not None:
        return _closed(row, speech)
    if row.keep_below is not None and following is None:
        return (
            "Nothing to do yet.",
            f"They stay under {row.keep_below:g} for now. Look again in a week, and add "
            "what you find.",
        )
    if not found.seen:
        return _nothing_seen(desk, row, found)
    if following is None:
        return _over(desk, row, found)
    slot = following.slot
    done = bool(history.evenings_done(row))
    headline = words.next_step(slot, today, done, speech, desk.catalogue.treatments)
    why = following.why
    if following.spare:
        why = f"{courses.LOOK_FIRST} {why}"
    gone = history.went_by(row)
    if gone is not None and gone.missed_on is not None:
        why = (
            f"{speech.day(gone.missed_on)} is not marked. If you did it then, say so under "
            "“Another day”. " + why
        )
    return headline, why
