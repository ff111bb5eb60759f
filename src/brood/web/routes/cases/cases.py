"""Cases: opening one, its page, what is recorded in it, its calendar file."""

from __future__ import annotations

from dataclasses import replace

from flask import Blueprint, Response, make_response, request, url_for

from brood.errors import FieldErrors, InputError
from brood.services.archive import calendar
from brood.services.cases import assumptions, case_page, commands, history, plans, trial
from brood.services.cases.chart_data import stage_drawing
from brood.services.diagnosis import look_log, look_page
from brood.services.documents import develop
from brood.services.followup import ending
from brood.services.guide import guide, own_figures
from brood.services.house import plant_states, progress
from brood.services.house.plants import is_eaten
from brood.services.treatment import chance_page, choose, defaults, evening_page, questions
from brood.services.treatment.permitted import offers
from brood.services.voice.desk import Desk
from brood.services.warmth import rain
from brood.services.warmth.rain import reaches
from brood.store.queries import cases as queries
from brood.store.queries import looks as look_queries
from brood.store.queries.lasting import of_plant
from brood.store.tables import PestCase
from brood.web import drawings, mending, render, undo
from brood.web.context import (
    catalogue,
    household,
    now,
    own,
    prefs,
    reading,
    speech,
    today,
    writing,
)
from brood.web.forms.cases import cases as form
from brood.web.forms.reader import Reader, key_of

bp = Blueprint("cases", __name__)


@bp.get("/plants/<int:plant_id>/case")
def new(plant_id: int) -> Response:
    """Which pest, then what was seen."""
    pest_id, values = request.args.get("pest", ""), {}
    number = key_of(request.args.get("look", ""))
    if number is not None:
        with household().store.reading() as session:
            values = look_page.carried_over(look_queries.look(session, number), pest_id)
    held = catalogue()
    with reading() as desk:
        session = desk.session
        plant = queries.plant(session, plant_id)
        place = plant.stays[-1].place if plant.stays else None
        if pest_id not in held.records:
            words = request.args.get("q", "").strip()[:60]
            return render.page(
                "cases/cases/which.html",
                plant=plant,
                place=place,
                groups=guide.found_by(guide.by_group(held), words),
                q=words,
            )
        record = held.records[pest_id]
        here = choose.setting_of(session, plant, today=today())
        proposed = defaults.of_plant(held, pest_id, here)
        return render.page(
            "cases/cases/new.html",
            plant=plant,
            place=place,
            record=record,
            stages=commands.stage_choices(record),
            rough=form.ROUGH,
            offers=[o for o in offers(held, pest_id, here) if o.care.supply != "living"],
            ticked=set(proposed.acts),
            proposed=proposed,
            own={},
            drawings={
                stage: stage_drawing(record, stage) for stage, _ in commands.stage_choices(record)
            },
            values=values,
            eaten=is_eaten(plant),
            look_id=request.values.get("look", ""),
        )


@bp.post("/plants/<int:plant_id>/case")
def open_case(plant_id: int) -> Response:
    """Open a case and plan it."""
    held = catalogue()
    pest_id = request.form.get("pest", "")
    record = held.records[held.pest(pest_id).id]
    command = form.open_case(
        _reader(), plant_id, pest_id, commands.stage_choices(record), held.treatments
    )
    with reading() as desk:
        here = choose.setting_of(desk.session, queries.plant(desk.session, plant_id), today=today())
        command = replace(command, acts=choose.check(held, here, command.acts))
        commands.check_case(desk, command)
    with writing() as desk:
        case_id = commands.open_case(desk, command)
        plant_states.follow_choice(
            desk.session,
            held,
            plant_id,
            chosen=[a.treatment_id for a in command.acts],
            now=now(),
        )
        look_id = key_of(request.form.get("look", ""))
        if look_id is not None:
            look_log.close(desk.session, look_id, now=now(), case_id=case_id)
    return render.go(url_for("cases.page", case_id=case_id))


@bp.get("/cases/<int:case_id>")
def page(case_id: int) -> Response:
    """A case: what to do next, and why."""
    return _page(case_id)


@bp.get("/cases/<int:case_id>/ready")
def ready(case_id: int) -> Response:
    """Whether the plan of a case is worked out: 204 with a nudge once it is."""
    with reading() as desk:
        row = queries.bare_case(desk.session, case_id)
        found = plans.outlook_of(desk, row)
        unready = history.plan_is_due(row, desk.today) or (found is not None and found.brief)
    if unready and not household().planning.want(case_id):
        return render.page("cases/cases/_due.html", case_id=case_id)
    return render.go(url_for("cases.page", case_id=case_id))


def _lasting(desk: Desk, row: PestCase) -> list[plant_states.StateLine]:
    """What lasts on the plant of a case."""
    states = of_plant(desk.session, row.plant_id)
    return plant_states.lines(desk.session, desk.catalogue, states, desk.today)


def _fallen(desk: Desk, row: PestCase) -> float | None:
    """The rain since the last evening of a case, in mm."""
    done = max((r.done_on for r in history.evenings_done(row) if r.done_on), default=None)
    if done is None or not row.plant.stays:
        return None
    return rain.since(desk.session, row.plant.stays[-1].place, done, desk.today)


def _page(case_id: int, *, waits: bool = True) -> Response:
    with reading() as desk:
        result = case_page.build(desk, case_id)
        if waits and result.unready and household().planning.want(case_id):
            return _page(case_id, waits=False)
        following = result.next if result.row.closed_at is None else None
        not_tonight = (
            evening_page.why_not_tonight(desk, result.row, following.slot) if following else ""
        )
        drawings.begin(result, now(), speech())
        answer = render.page(
            "cases/cases/page.html",
            part="cases/cases/_case.html",
            r=result,
            not_tonight=not_tonight,
            steps=progress.of_case(desk, result.row),
            question=questions.of_case(desk.session, result.row),
            rough=form.ROUGH,
            stages=commands.stage_choices(result.pest),
            stage_names=_stage_names(case_id, result),
            sources=develop.sources(desk.catalogue, result.pest),
            own_figures=own_figures.in_use(own(), result.pest.id),
            lasting=_lasting(desk, result.row),
            place=result.row.plant.stays[-1].place if result.row.plant.stays else None,
            rains=result.row.plant.stays and reaches(result.row.plant.stays[-1].place),
            fallen=_fallen(desk, result.row),
        )
    drawings.end(result)
    return answer


def _stage_names(case_id: int, result: case_page.CaseResult) -> dict[str, str]:
    return {
        **{s.id: s.plural for s in result.pest.stage},
        **dict(commands.stage_choices(result.pest)),
    }


def _after(case_id: int) -> Response:
    return (
        _page(case_id) if render.wants_part() else render.go(url_for("cases.page", case_id=case_id))
    )


@bp.post("/evenings/<int:application_id>")
def mark(application_id: int) -> Response:
    """Record an evening as done today, done on another day, or skipped."""
    with household().store.reading() as session:
        row, _ = queries.case_of_application(session, application_id)
    said = form.mark(_reader(), catalogue().treatments)
    with writing() as desk:
        commands.mark(desk, application_id, said)
    undo.offer(
        f"{row.plant.name}: {'evening skipped' if said.outcome == 'skipped' else 'evening done'}.",
        f"/evenings/{application_id}/withdraw",
    )
    return render.back("") if request.form.get("back") else _after(row.id)


@bp.post("/evenings/<int:application_id>/withdraw")
def unmark(application_id: int) -> Response:
    """Withdraw what was recorded of an evening."""
    with writing() as desk:
        case_id = commands.unmark(desk, application_id)
    return render.back("") if request.form.get("back") else _after(case_id)


@bp.post("/cases/<int:case_id>/finds")
def add_find(case_id: int) -> Response:
    """Add a find."""
    with household().store.reading() as session:
        record = catalogue().records[queries.case(session, case_id).pest_id]
    command = form.find(_reader(), commands.stage_choices(record))
    with writing() as desk:
        commands.add_find(desk, case_id, command)
    return _after(case_id)


@bp.post("/finds/<int:finding_id>")
def correct_find(finding_id: int) -> Response:
    """Correct or withdraw a find."""
    with household().store.reading() as session:
        row, finding = queries.case_of_finding(session, finding_id)
        record = catalogue().records[row.pest_id]
        stages = [*commands.stage_choices(record), (finding.stage, finding.stage)]
    command = None if request.form.get("act") == "withdraw" else form.find(_reader(), stages)
    with writing() as desk:
        commands.correct_find(desk, finding_id, command)
    return _after(row.id)


@bp.post("/cases/<int:case_id>/close")
def close(case_id: int) -> Response:
    """Close a case, or open it again, as the form says. A case that its record does not
    show to be clear asks first.
    """
    closed = request.form.get("to") != "open"
    asks = closed and not request.form.get("sure")
    if asks:
        household().planning.want_end([case_id])
    with reading() as desk:
        row = queries.case(desk.session, case_id)
        early = (
            asks
            and row.closed_at is None
            and ending.unsettled(row, plans.outlook_of(desk, row), today())
        )
    if early:
        return render.go(url_for("follow.over", case_id=case_id, closing=1))
    with writing() as desk:
        commands.close(desk, case_id, closed=closed)
    done, back = ("closed", "open") if closed else ("opened again", "closed")
    undo.offer(f"{row.plant.name}: case {done}.", f"/cases/{case_id}/close", to=back, sure="1")
    return render.back("") if request.form.get("back") else _after(case_id)


@bp.get("/cases/<int:case_id>/chance")
def chance(case_id: int) -> Response:
    """The chance that the dates clear the plant, and what common rules would do."""
    household().planning.want_end([case_id])
    with reading() as desk:
        row = queries.case(desk.session, case_id)
        alone = render.wants_part()
        return render.page(
            "cases/cases/chance.html",
            part="cases/cases/_chance.html",
            row=row,
            r=None if alone else chance_page.of_case(desk, row),
            outlook=plans.outlook_of(desk, row),
            evenings_done=history.evenings_done(row),
        )


@bp.get("/cases/<int:case_id>/assumptions")
def rests_on(case_id: int) -> Response:
    """Every number that the chance depends on, and what the chance would be at the ends
    of that number.
    """
    with reading() as desk:
        row = queries.case(desk.session, case_id)
        try:
            held = plans.standing_plan(desk, row)
        except InputError as error:
            return render.page(
                "cases/cases/assumptions.html", row=row, rows=[], plan=None, trouble=error.message
            )
        rows = assumptions.build(held, desk.catalogue, desk.speech)
        return render.page(
            "cases/cases/assumptions.html", row=row, rows=rows, plan=held.plan, trouble=""
        )


@bp.get("/cases/<int:case_id>/try")
def try_dates(case_id: int) -> Response:
    """What other evenings would do: the whole page, the consequences alone, or the chart alone."""
    text = request.args.get("dates") or ",".join(filter(None, request.args.getlist("day")))
    chart = request.args.get("part") == "chart"
    with reading() as desk:
        row = queries.case(desk.session, case_id)
        try:
            return _trial(trial.tried(desk, row, text, chart=chart or not render.wants_part()))
        except FieldErrors as error:
            return mending.asked(_trial(trial.tried(desk, row, "", chart=True)), error)


def _trial(found: trial.TryResult) -> Response:
    chart = request.args.get("part") == "chart"
    return render.page(
        "cases/cases/try.html",
        part="cases/cases/_chart.html" if chart else "cases/cases/_consequences.html",
        t=found,
        chart=found.chart,
        title="Brood chart of the tried evenings",
        was=request.args.get("was", ""),
    )


@bp.post("/cases/<int:case_id>/dates")
def keep_dates(case_id: int) -> Response:
    """Keep the keeper's own evenings, or go back to the planner's when none are given."""
    text, dates = request.form.get("dates", ""), []
    if text:
        with reading() as desk:
            found = trial.tried(desk, queries.case(desk.session, case_id), text)
            dates = [m.tried for m in found.moved]
    with writing() as desk:
        trial.keep(desk, case_id, dates)
    return render.go(url_for("cases.page", case_id=case_id))


@bp.get("/cases/<int:case_id>/calendar.ics")
def ics(case_id: int) -> Response:
    """The dates for a calendar."""
    with household().store.reading() as session:
        name, body = calendar.build(session, catalogue(), case_id, prefs(), now=now())
    response = make_response(body)
    response.headers["Content-Type"] = "text/calendar; charset=utf-8"
    response.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


def _reader() -> Reader:
    return Reader(request.form, speech(), today())
