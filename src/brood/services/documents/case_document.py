"""A case as a JSON document, as `brood plan` reads it, and its plan as JSON."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta
from typing import Any

import numpy as np

from brood.catalogue.holdings import Catalogue
from brood.core.biology.case import Act, Case, Evening, Found, Inspection, Limits
from brood.core.biology.pest import ADULT, DateSpan, Pest, Span
from brood.core.biology.stage_classes import ROUGH_COUNTS, StageClass, class_of
from brood.core.biology.unseen import infer_hidden, spread_group
from brood.core.climate.series import MEASURED, HourlySeries, constant, daily, day_night, window
from brood.core.course.plan import Plan
from brood.core.course.planner import DEFAULT_HORIZON_DAYS
from brood.core.course.problem import Problem
from brood.core.course.rules_of_thumb import considered
from brood.core.followup.posterior import learn, updated
from brood.errors import InputError
from brood.services.documents.assess import figures, improvements_json, rules_json
from brood.services.documents.case_form import (
    WEEKDAYS,
    CaseForm,
    ConstantForm,
    DailyForm,
    DayNightForm,
    DoneForm,
    FoundForm,
    HourlyForm,
    InspectionForm,
    LimitsForm,
    PestForm,
    TreatmentForm,
    read_form,
    short,
)
from brood.services.documents.clear_date import course_json
from brood.services.documents.courses import aimed_at
from brood.services.documents.handled import under_way
from brood.services.documents.reading import Json
from brood.services.voice import words
from brood.services.voice.speech import Speech

SPEECH = Speech()


def read_case(data: Json, catalogue: Catalogue) -> tuple[Case, list[str]]:
    """The case of a document, as its inspections leave it, with warnings. Raises
    InputError naming the field.
    """
    case, _looks, warnings = follow_case(data, catalogue)
    return case, warnings


def follow_case(data: Json, catalogue: Catalogue) -> tuple[Case, tuple[Inspection, ...], list[str]]:
    """The same with the inspections themselves."""
    case, looks, warnings = read_followed(data, catalogue)
    if looks and case.done:
        case = updated(learn(case, looks, [], max(x.on for x in looks)))
    case, told = aimed_at(case, looks, read_form(data).aim)
    return case, looks, [*warnings, *told]


def group_of(data: Json) -> int:
    """How many plants a document is about."""
    return read_form(data).group


def read_followed(
    data: Json, catalogue: Catalogue
) -> tuple[Case, tuple[Inspection, ...], list[str]]:
    """The case of a document, its inspections, and warnings. Raises InputError naming
    the field.
    """
    form = read_form(data)
    pests = [
        _pest(form, catalogue, "", form.place),
        *(_pest(one, catalogue, f"also.{n}.", form.place) for n, one in enumerate(form.also)),
    ]
    common = _common(form, pests)
    items = {item.id: item for one in reversed(pests) for item in one.treatments}
    cases = [_of_pest(common, one, list(items.values()), catalogue, form) for one in pests]
    case = replace(cases[0], also=tuple(cases[1:]))
    looks = _inspections(form.inspections, case.pest)
    seen = [f.on for f in case.found] + [x.on for x in looks if x.live]
    done = _done(form.done, case.acts)
    case = replace(case, done=done, seen_on=max(seen))
    return under_way(case, form, catalogue), looks, _warnings(form.limits)


def _common(form: CaseForm, pests: Sequence[_Infested]) -> Case:
    """What the cases of all pests share."""
    first = min([form.start, *(f.on for one in pests for f in one.found)])
    ahead = 2 * (form.horizon_days or DEFAULT_HORIZON_DAYS) + 30
    return Case(
        pest=pests[0].pest,
        start=form.start,
        found=(),
        series=_temperature(form, first, form.start + timedelta(days=ahead)),
        acts=(),
        limits=_limits(form.limits),
        horizon_days=form.horizon_days,
        reach=form.reach,
        test_patch=form.test_patch,
        keep_below=form.keep_below,
        refuge=form.refuge,
        target=form.target,
    )


def _inspections(items: Sequence[InspectionForm], pest: Pest) -> tuple[Inspection, ...]:
    """The looks of a document. Counts of the same day are one look. `stage` may be left
    out or be any class of stages. A count of 0 is a look that found none.
    """
    looks: dict[date, Inspection] = {}
    for n, item in enumerate(items):
        number = _number(item.count)
        kind = _class(item.stage, pest, f"inspections.{n}") if number else ""
        alone = Inspection(item.date, {}, item.share, item.thorough, item.within_days)
        before = looks.get(item.date, alone)
        counts = dict(before.counts)
        if number:
            counts[kind] = counts.get(kind, 0.0) + number
        looks[item.date] = Inspection(
            item.date,
            counts,
            min(item.share, before.share),
            min(item.thorough, before.thorough),
            max(item.within_days, before.spread_days),
        )
    return tuple(looks[day] for day in sorted(looks))


def _number(count: str | float) -> float:
    """The number that a count stands for, rough or not."""
    return ROUGH_COUNTS[count] if isinstance(count, str) else count


def _class(stage: object, pest: Pest, where: str) -> str:
    try:
        return class_of(pest, str(stage))
    except KeyError:
        known = ", ".join([*(s.id for s in pest.development), *StageClass])
        raise _no_such_stage(pest, str(stage), where, known) from None


def _no_such_stage(pest: Pest, stage: str, where: str, known: str) -> InputError:
    return InputError(
        f"{pest.name.capitalize()} has no stage '{short(stage)}'.",
        field=f"{where}.stage",
        value=short(stage),
        allowed=known,
    )


@dataclass(frozen=True)
class _Infested:
    """One pest of a case document: what was found of it, and the treatments listed with it."""

    pest: Pest
    found: list[Found]
    treatments: list[TreatmentForm]


def _pest(form: PestForm, catalogue: Catalogue, where: str, place: str | None) -> _Infested:
    pest = catalogue.pest(form.pest, outdoors=_stands_outdoors(form.pest, place, catalogue))
    for item in form.treatments:
        _act(item, pest, catalogue)
    return _Infested(pest, _found(form.found, pest, f"{where}found"), form.treatments)


def _stands_outdoors(pest_id: str, place: str | None, catalogue: Catalogue) -> bool:
    """Whether adults may fly off: as the document says of the place, otherwise where the
    pest is one that comes and goes.
    """
    if place is not None:
        return place in ("outdoor", "balcony")
    record = catalogue.records.get(pest_id)
    return record is not None and record.leaves_outdoors is not None


def _of_pest(
    common: Case,
    one: _Infested,
    items: list[TreatmentForm],
    catalogue: Catalogue,
    form: CaseForm,
) -> Case:
    """The case of one pest. Every act of the plant does to it what the catalogue says,
    or what the document gives.
    """
    own = {item.id: item for item in one.treatments}
    acts = [own.get(item.id, item.model_copy(update={"kill": None})) for item in items]
    celsius = float(common.series.celsius[: 24 * 7].mean())
    found = tuple(piece for group in one.found for piece in spread_group(one.pest, group, celsius))
    return replace(
        common,
        pest=_switching(one.pest, form.switching),
        found=infer_hidden(one.pest, found, common.series) if form.infer_hidden else found,
        acts=tuple(_act(item, one.pest, catalogue) for item in acts),
    )


def _switching(pest: Pest, given: Mapping[str, float]) -> Pest:
    """The pest with changes of place a day as given, by stage id or "adult". Raises
    InputError for a stage that it does not have.
    """
    known = [*(s.id for s in pest.stages), ADULT]
    for stage in given:
        if stage not in known:
            raise _no_such_stage(pest, stage, "switching", ", ".join(known))
    stages = tuple(replace(s, switching=given.get(s.id, s.switching)) for s in pest.stages)
    return replace(pest, stages=stages, switching=given.get(ADULT, pest.switching))


def _found(items: list[FoundForm], pest: Pest, field: str) -> list[Found]:
    out = []
    for n, item in enumerate(items):
        number = _number(item.count)
        share = 1.0 if isinstance(item.count, str) else item.share
        group = Found(item.date, item.stage, number / share)
        _known_stage(group, pest, f"{field}.{n}")
        out.append(group)
    if not any(group.count for group in out):
        raise InputError(
            f"Every number in '{field}' is zero: with nothing found there is nothing to "
            "plan. Look again in a week.",
            field=f"{field}.0.count",
            value=0,
            allowed="more than 0 for one group",
        )
    return [group for group in out if group.count]


def _known_stage(group: Found, pest: Pest, where: str) -> None:
    try:
        spread_group(pest, group, 22.0)
    except KeyError:
        known = ", ".join([*(s.id for s in pest.development), "adult"])
        raise _no_such_stage(pest, group.stage, where, known) from None


def _act(item: TreatmentForm, pest: Pest, catalogue: Catalogue) -> Act:
    act = catalogue.act(
        item.id,
        pest.id,
        min_gap_days=item.min_gap_days,
        max_applications=item.max_applications,
        kill=item.kill,
    )
    return replace(act, when=item.when)


def _limits(form: LimitsForm) -> Limits:
    days = form.weekdays
    return Limits(
        form.min_gap_days,
        form.max_applications,
        None if days is None else frozenset(WEEKDAYS.index(day) for day in days),
        tuple((first, last) for first, last in form.away),
        form.harvest,
    )


def _warnings(form: LimitsForm) -> list[str]:
    if form.min_gap_days is None and form.max_applications is None:
        return []
    return ["The limits of this case replace the treatments' own: check them against the label."]


def _done(items: Sequence[DoneForm], acts: tuple[Act, ...]) -> tuple[Evening, ...]:
    every = [act.id for act in acts]
    done = [
        Evening(item.date, tuple(map(str, every if item.treatments is None else item.treatments)))
        for item in items
    ]
    return tuple(sorted(done, key=lambda evening: evening.on))


def _temperature(form: CaseForm, first: date, last: date) -> HourlySeries:
    """The hourly temperatures from the first day to the last, continued where needed."""
    start, end = datetime.combine(first, time()), datetime.combine(last, time(23))
    hours = int((end - start) / timedelta(hours=1)) + 1
    given, inside = form.temperature, form.temperature_sd.inside
    if isinstance(given, ConstantForm):
        return constant(start, hours, given.celsius, spread_c=inside)
    if isinstance(given, DayNightForm):
        return day_night(
            start,
            hours,
            day=given.day,
            night=given.night,
            spread_c=inside,
            day_from=given.day_from,
            night_from=given.night_from,
        )
    known = _measured(given, inside)
    return window(known, start, end, beyond_c=form.temperature_sd.beyond)


def _measured(given: HourlyForm | DailyForm, spread_c: float) -> HourlySeries:
    """Temperatures that were measured, by the hour or by the day."""
    if isinstance(given, HourlyForm):
        at = given.start.replace(minute=0, second=0, microsecond=0, tzinfo=None)
        even = constant(at, len(given.celsius), 20.0, spread_c=spread_c)
        known = replace(even, celsius=np.array(given.celsius))
    else:
        known = daily(given.start, given.min, given.max, spread_c=spread_c)
    return replace(known, origin=np.full(len(known), MEASURED, dtype=np.uint8))


def span_json(span: Span, digits: int = 2) -> dict[str, float | None]:
    """A quantity as JSON."""
    return {
        key: None if (v := getattr(span, key)) is None else round(v, digits)
        for key in ("fast", "typical", "slow")
    }


def dates_json(span: DateSpan) -> dict[str, str | None]:
    """A moment as JSON: ISO dates."""
    return {
        key: None if (v := getattr(span, key)) is None else v.date().isoformat()
        for key in ("fast", "typical", "slow")
    }


def plan_json(
    problem: Problem,
    plan: Plan,
    warnings: list[str],
    catalogue: Catalogue,
    looks: Sequence[Inspection] = (),
    plants: int = 1,
) -> dict[str, Any]:
    """A plan as JSON, with its chance, what looks decide, the rules of thumb for
    comparison, and what would help where it falls short. It treats so many `plants`.
    """
    case = problem.case
    outcome, rules = considered(problem, plan)
    course = course_json(case, plan, looks, catalogue, plants)
    helps = (
        []
        if plan.reaches or case.keep_below is not None
        else improvements_json(problem, plan, catalogue)
    )
    return {
        "schema": 1,
        "pest": case.pest.id,
        "group": plants,
        "applications": [
            {
                "n": a.n,
                "earliest": a.earliest.isoformat(),
                "target": a.target.isoformat(),
                "latest": a.latest.isoformat(),
                "short_by_days": a.short_by_days,
                "treatments": list(a.acts),
                "serves": list(a.serves),
                "set": n < course["set"],
                "without": a.reason.without,
                "why": words.reason(case.pest, a.reason, SPEECH, a.short_by_days),
            }
            for n, a in enumerate(plan.applications)
        ],
        "done": [
            {"date": d.on.isoformat(), "treatments": list(d.acts)} for d in case.evenings_done
        ],
        **figures(outcome),
        "reaches_target": plan.reaches,
        "last_treatment": (
            plan.applications[-1].target
            if plan.applications
            else case.evenings_done[-1].on
            if case.evenings_done
            else case.start
        ).isoformat(),
        **course,
        "first_breeding": dates_json(plan.first_breeding),
        "last_hatch": dates_json(plan.last_hatch),
        "generation": span_json(plan.generation),
        "guard": plan.guard,
        "spared": list(plan.spared),
        "escaped": [
            {
                "done": s.done.isoformat(),
                "latest": s.latest.isoformat(),
                "breeding_from": s.breeds.date().isoformat(),
                "message": words.slip_cost(case.pest, s, SPEECH),
            }
            for s in plan.slips
        ],
        "rules": rules_json(rules),
        "improvements": helps,
        "warnings": [*warnings, *plan.warnings],
    }
