"""A case as a JSON document, as `brood plan` reads it, and its plan as JSON."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta
from typing import Any, TypeVar

import numpy as np

from brood.catalogue.holdings import Catalogue
from brood.core.biology.case import Act, Case, Evening, Found, Inspection, Limits
from brood.core.biology.pest import DateSpan, Pest, Span
from brood.core.biology.stage_classes import ROUGH_COUNTS, StageClass, class_of
from brood.core.biology.unseen import infer_hidden, spread_group
from brood.core.climate.series import SPREAD_C, HourlySeries, constant, daily, day_night, window
from brood.core.course.plan import Plan
from brood.core.course.planner import DEFAULT_HORIZON_DAYS
from brood.core.course.problem import Problem
from brood.core.followup.detection import THOROUGH
from brood.core.followup.posterior import learn, updated
from brood.errors import InputError
from brood.services.documents.assess import considered, figures, rules_json
from brood.services.documents.clear_date import all_clear
from brood.services.documents.improvements import improvements_json
from brood.services.documents.reading import Json
from brood.services.voice import words
from brood.services.voice.speech import Speech

T = TypeVar("T")
WEEKDAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
MOST_COUNT = 1_000_000
MOST_HOURS = 24 * 366 * 3
MOST_ALSO = 6
SPEECH = Speech()


def _given(data: Json, key: str, kind: type | tuple[type, ...], where: str = "") -> Any:
    name = f"{where}.{key}" if where else key
    if key not in data:
        raise InputError(f"'{name}' is missing.", field=name, allowed="see docs/cli.md")
    value = data[key]
    if not isinstance(value, kind) or (isinstance(value, bool) and kind is not bool):
        raise InputError(
            f"'{name}' has the wrong form.",
            field=name,
            value=_short(value),
            allowed="see docs/cli.md",
        )
    return value


def _maybe(data: Json, key: str, kind: type[T], default: T, where: str = "") -> T:
    """An optional value of the right form. null counts as left out."""
    value: T = default if data.get(key) is None else _given(data, key, kind, where)
    return value


def _short(value: object) -> str:
    return str(value)[:60]


def _number(value: object, field: str, low: float, high: float) -> float:
    if (
        isinstance(value, bool)
        or not isinstance(value, int | float)
        or not math.isfinite(value)
        or not low <= value <= high
    ):
        raise InputError(
            f"'{field}' must be a number from {low:g} to {high:g}.",
            field=field,
            value=_short(value),
            allowed=f"{low:g} to {high:g}",
        )
    return float(value)


def _whole(value: object, field: str, low: int, high: int) -> int:
    if isinstance(value, float) and not value.is_integer():
        raise InputError(
            f"'{field}' must be a whole number.",
            field=field,
            value=value,
            allowed=f"{low} to {high}",
        )
    return int(_number(value, field, low, high))


def _iso(value: object, field: str, read: Callable[[str], T], example: str) -> T:
    try:
        return read(str(value))
    except ValueError:
        raise InputError(
            f"'{field}' must read like {example}.",
            field=field,
            value=_short(value),
            allowed=example,
        ) from None


def _day(value: object, field: str) -> date:
    day = _iso(value, field, date.fromisoformat, "2026-06-01")
    if not 1990 <= day.year <= 2200:
        raise InputError(
            f"The year {day.year} in '{field}' cannot be right.",
            field=field,
            value=day.isoformat(),
            allowed="1990 to 2200",
        )
    return day


def read_case(data: Json, catalogue: Catalogue) -> tuple[Case, list[str]]:
    """The case of a document, as its inspections leave it, with warnings. Raises
    InputError naming the field.
    """
    case, looks, warnings = read_followed(data, catalogue)
    if looks and case.done:
        case = updated(learn(case, looks, [], max(x.on for x in looks)))
    return case, warnings


def read_followed(
    data: Json, catalogue: Catalogue
) -> tuple[Case, tuple[Inspection, ...], list[str]]:
    """The case of a document, its inspections, and warnings. Raises InputError naming
    the field.
    """
    if data.get("schema", 1) != 1:
        raise InputError(
            "This case has another schema than 1.",
            field="schema",
            value=_short(data["schema"]),
            allowed="1",
        )
    pests = [
        _pest(data, catalogue, ""),
        *(_pest(item, catalogue, f"also.{n}.") for n, item in enumerate(_also(data))),
    ]
    start = _day(_given(data, "start", str), "start")
    limits, warnings = _limits(_maybe(data, "limits", dict, {}))
    horizon = (
        _whole(data["horizon_days"], "horizon_days", 7, 730)
        if data.get("horizon_days") is not None
        else None
    )
    first = min([start, *(f.on for one in pests for f in one.found)])
    series = _temperature(
        _given(data, "temperature", dict),
        _maybe(data, "temperature_sd", dict, {}),
        first,
        start + timedelta(days=2 * (horizon or DEFAULT_HORIZON_DAYS) + 30),
    )
    common = Case(
        pest=pests[0].pest,
        start=start,
        found=(),
        series=series,
        acts=(),
        limits=limits,
        horizon_days=horizon,
        reach=_number(data.get("reach", 0.9), "reach", 0.01, 1),
        test_patch=_maybe(data, "test_patch", bool, False),
        keep_below=None
        if data.get("keep_below") is None
        else _number(data["keep_below"], "keep_below", 1, MOST_COUNT),
        refuge=_number(data.get("refuge", 0.02), "refuge", 0, 0.9),
        target=_number(data.get("target", 0.95), "target", 0.01, 0.999),
    )
    infer = _maybe(data, "infer_hidden", bool, True)
    items = {str(item["id"]): item for one in reversed(pests) for item in one.treatments}
    cases = [_of_pest(common, one, list(items.values()), catalogue, infer=infer) for one in pests]
    case = replace(cases[0], also=tuple(cases[1:]))
    looks = _inspections(_maybe(data, "inspections", list, []), case.pest)
    return replace(case, done=_done(_maybe(data, "done", list, []), case.acts)), looks, warnings


def _inspections(items: list[Any], pest: Pest) -> tuple[Inspection, ...]:
    """The looks of a document. Counts of the same day are one look. `stage` may be left
    out or be any class of stages. A count of 0 is a look that found none.
    """
    looks: dict[date, Inspection] = {}
    for n, item in enumerate(items):
        where = f"inspections.{n}"
        if not isinstance(item, dict):
            raise InputError(
                f"'{where}' must be an object.",
                field=where,
                value=_short(item),
                allowed='{"date": …, "count": …}',
            )
        on = _day(_given(item, "date", str, where), f"{where}.date")
        number, share = (
            _count(item.get("count"), f"{where}.count"),
            _number(item.get("share", 1), f"{where}.share", 0.001, 1),
        )
        how = item.get("thorough", "usual")
        thorough = (
            THOROUGH[how]
            if isinstance(how, str) and how in THOROUGH
            else _number(how, f"{where}.thorough", 0.01, 1)
        )
        spread = _whole(item.get("within_days", 0), f"{where}.within_days", 0, 60)
        kind = _class(item.get("stage"), pest, where) if number else ""
        before = looks.get(on, Inspection(on, {}, share, thorough, spread))
        counts = (
            {**before.counts, kind: before.counts.get(kind, 0.0) + number}
            if number
            else before.counts
        )
        looks[on] = Inspection(
            on,
            counts,
            min(share, before.share),
            min(thorough, before.thorough),
            max(spread, before.spread_days),
        )
    return tuple(looks[day] for day in sorted(looks))


def _class(stage: object, pest: Pest, where: str) -> str:
    try:
        return class_of(pest, str(stage))
    except KeyError:
        known = ", ".join([*(s.id for s in pest.development), *StageClass])
        raise InputError(
            f"{pest.name.capitalize()} has no stage '{_short(stage)}'.",
            field=f"{where}.stage",
            value=_short(stage),
            allowed=known,
        ) from None


def _count(count: object, field: str) -> float:
    return (
        ROUGH_COUNTS[count]
        if isinstance(count, str) and count in ROUGH_COUNTS
        else _number(count, field, 0, MOST_COUNT)
    )


@dataclass(frozen=True)
class _Infested:
    """One pest of a case document: what was found of it, and the treatments listed with it."""

    pest: Pest
    found: list[Found]
    treatments: list[Json]


def _also(data: Json) -> list[Json]:
    items: list[Json] = _maybe(data, "also", list, [])
    if len(items) > MOST_ALSO or not all(isinstance(item, dict) for item in items):
        raise InputError(
            "'also' must be a list of further pests.",
            field="also",
            value=len(items),
            allowed=f"up to {MOST_ALSO} objects",
        )
    return items


def _pest(data: Json, catalogue: Catalogue, where: str) -> _Infested:
    pest = catalogue.pest(str(_given(data, "pest", str, where.rstrip("."))))
    found = _found(_given(data, "found", list, where.rstrip(".")), pest, f"{where}found")
    treatments = (
        _given(data, "treatments", list) if not where else _maybe(data, "treatments", list, [])
    )
    for n, item in enumerate(treatments):
        _act(item, f"{where}treatments.{n}", pest, catalogue)
    return _Infested(pest, found, treatments)


def _of_pest(
    common: Case, one: _Infested, items: list[Json], catalogue: Catalogue, *, infer: bool
) -> Case:
    """The case of one pest. Every act of the plant does to it what the catalogue says,
    or what the document gives.
    """
    own = {str(item["id"]): item for item in one.treatments}
    acts = [
        own.get(str(item["id"]), {k: v for k, v in item.items() if k != "kill"}) for item in items
    ]
    celsius = float(common.series.celsius[: 24 * 7].mean())
    found = tuple(piece for group in one.found for piece in spread_group(one.pest, group, celsius))
    return replace(
        common,
        pest=one.pest,
        found=infer_hidden(one.pest, found, common.series) if infer else found,
        acts=tuple(_act(item, "treatments", one.pest, catalogue) for item in acts),
    )


def _found(items: list[Any], pest: Pest, field: str) -> list[Found]:
    if not items:
        raise InputError(
            f"'{field}' is empty: say what was found.", field=field, allowed="one group or more"
        )
    out = []
    for n, item in enumerate(items):
        where = f"{field}.{n}"
        if not isinstance(item, dict):
            raise InputError(
                f"'{where}' must be an object.",
                field=where,
                value=_short(item),
                allowed="an object",
            )
        share = _number(item.get("share", 1), f"{where}.share", 0.001, 1)
        count = item.get("count")
        number = (
            ROUGH_COUNTS[count]
            if isinstance(count, str) and count in ROUGH_COUNTS
            else _count(count, f"{where}.count") / share
        )
        group = Found(
            _day(_given(item, "date", str, where), f"{where}.date"),
            str(_given(item, "stage", str, where)),
            number,
        )
        _known_stage(group, pest, where)
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
        raise InputError(
            f"{pest.name.capitalize()} has no stage '{group.stage[:40]}'.",
            field=f"{where}.stage",
            value=group.stage[:40],
            allowed=known,
        ) from None


def _act(item: object, where: str, pest: Pest, catalogue: Catalogue) -> Act:
    if not isinstance(item, dict):
        raise InputError(
            f"'{where}' must be an object.", field=where, value=_short(item), allowed="an object"
        )
    gap, most, kill = item.get("min_gap_days"), item.get("max_applications"), item.get("kill")
    if kill is not None and not isinstance(kill, dict):
        raise InputError(
            f"'{where}.kill' must be an object.",
            field=f"{where}.kill",
            value=_short(kill),
            allowed="stage: 0 to 1",
        )
    act = catalogue.act(
        str(_given(item, "id", str, where)),
        pest.id,
        min_gap_days=None if gap is None else _whole(gap, f"{where}.min_gap_days", 1, 120),
        max_applications=None
        if most is None
        else _whole(most, f"{where}.max_applications", 1, 100),
        kill=None
        if kill is None
        else {str(k): _number(v, f"{where}.kill.{k}", 0, 1) for k, v in kill.items()},
    )
    when = _maybe(item, "when", str, "planner", where)
    if not re.fullmatch(r"always|first|planner|every-[1-9][0-9]?", when):
        raise InputError(
            f"'{where}.when' is not known.",
            field=f"{where}.when",
            value=_short(when),
            allowed="always, first, every-N, planner",
        )
    return replace(act, when=when)


def _limits(data: Json) -> tuple[Limits, list[str]]:
    names = data.get("weekdays")
    if names is not None and (
        not isinstance(names, list) or not names or any(d not in WEEKDAYS for d in names)
    ):
        raise InputError(
            "'limits.weekdays' must list days such as mon, tue.",
            field="limits.weekdays",
            value=_short(names),
            allowed=", ".join(WEEKDAYS),
        )
    away = []
    for n, pair in enumerate(_maybe(data, "away", list, [], "limits")):
        if not isinstance(pair, list) or len(pair) != 2:
            raise InputError(
                f"'limits.away.{n}' must be two dates.",
                field=f"limits.away.{n}",
                value=_short(pair),
                allowed="[from, to]",
            )
        away.append((_day(pair[0], f"limits.away.{n}"), _day(pair[1], f"limits.away.{n}")))
    gap, most = data.get("min_gap_days"), data.get("max_applications")
    limits = Limits(
        None if gap is None else _whole(gap, "limits.min_gap_days", 1, 120),
        None if most is None else _whole(most, "limits.max_applications", 1, 100),
        None if names is None else frozenset(WEEKDAYS.index(d) for d in names),
        tuple(away),
        None if data.get("harvest") is None else _day(data["harvest"], "limits.harvest"),
    )
    overridden = gap is not None or most is not None
    return limits, [
        "The limits of this case replace the treatments' own: check them against the label."
    ] if overridden else []


def _done(items: list[Any], acts: tuple[Act, ...]) -> tuple[Evening, ...]:
    every, done = [a.id for a in acts], []
    for n, item in enumerate(items):
        where = f"done.{n}"
        if not isinstance(item, dict):
            raise InputError(
                f"'{where}' must be an object.",
                field=where,
                value=_short(item),
                allowed='{"date": …}',
            )
        ids = [str(i) for i in _maybe(item, "treatments", list, every, where)]
        done.append(Evening(_day(_given(item, "date", str, where), f"{where}.date"), tuple(ids)))
    return tuple(sorted(done, key=lambda d: d.on))


def _temperature(data: Json, sd: Json, first: date, last: date) -> HourlySeries:
    inside = _number(sd.get("inside", SPREAD_C[0]), "temperature_sd.inside", 0, 10)
    beyond = _number(sd.get("beyond", SPREAD_C[3]), "temperature_sd.beyond", 0, 10)
    start, end = datetime.combine(first, time()), datetime.combine(last, time(23))
    hours = int((end - start) / timedelta(hours=1)) + 1
    kind = data.get("kind")
    if kind == "constant":
        return constant(start, hours, _celsius(data, "celsius"), spread_c=inside)
    if kind == "day-night":
        return day_night(
            start,
            hours,
            day=_celsius(data, "day"),
            night=_celsius(data, "night"),
            spread_c=inside,
            day_from=_iso(
                data.get("day_from", "07:00"), "temperature.day_from", time.fromisoformat, "07:00"
            ),
            night_from=_iso(
                data.get("night_from", "21:00"),
                "temperature.night_from",
                time.fromisoformat,
                "21:00",
            ),
        )
    if kind == "hourly":
        values = _celsius_list(data, "celsius")
        at = _iso(
            _given(data, "start", str, "temperature"),
            "temperature.start",
            datetime.fromisoformat,
            "2026-06-01T00:00",
        )
        given = constant(
            at.replace(minute=0, second=0, microsecond=0, tzinfo=None),
            len(values),
            20.0,
            spread_c=inside,
        )
        given = replace(
            given, celsius=np.array(values), origin=np.zeros(len(values), dtype=np.uint8)
        )
    elif kind == "daily":
        given = daily(
            _day(_given(data, "start", str, "temperature"), "temperature.start"),
            _celsius_list(data, "min"),
            _celsius_list(data, "max"),
            spread_c=inside,
        )
        given = replace(given, origin=np.zeros(len(given), dtype=np.uint8))
    else:
        raise InputError(
            "'temperature.kind' is not known.",
            field="temperature.kind",
            value=_short(kind),
            allowed="constant, day-night, hourly, daily",
        )
    return window(given, start, end, beyond_c=beyond)


def _celsius(data: Json, key: str) -> float:
    return _number(data.get(key), f"temperature.{key}", -30, 60)


def _celsius_list(data: Json, key: str) -> list[float]:
    values = _given(data, key, list, "temperature")
    if not 1 <= len(values) <= MOST_HOURS:
        raise InputError(
            f"'temperature.{key}' must hold 1 to {MOST_HOURS} values.",
            field=f"temperature.{key}",
            value=len(values),
            allowed=f"1 to {MOST_HOURS}",
        )
    return [_number(v, f"temperature.{key}.{n}", -30, 60) for n, v in enumerate(values)]


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
    problem: Problem, plan: Plan, warnings: list[str], catalogue: Catalogue
) -> dict[str, Any]:
    """A plan as JSON, with its chance, the rules of thumb for comparison, and what
    would help where it falls short.
    """
    case = problem.case
    outcome, rules = considered(problem, plan)
    helps = (
        []
        if plan.reaches or case.keep_below is not None
        else improvements_json(problem, plan, catalogue)
    )
    return {
        "schema": 1,
        "pest": case.pest.id,
        "applications": [
            {
                "n": a.n,
                "earliest": a.earliest.isoformat(),
                "target": a.target.isoformat(),
                "latest": a.latest.isoformat(),
                "short_by_days": a.short_by_days,
                "treatments": list(a.acts),
                "serves": list(a.serves),
                "without": a.reason.without,
                "why": words.reason(case.pest, a.reason, SPEECH, a.short_by_days),
            }
            for a in plan.applications
        ],
        "done": [{"date": d.on.isoformat(), "treatments": list(d.acts)} for d in case.done],
        **figures(outcome),
        "reaches_target": plan.reaches,
        "last_treatment": (
            plan.applications[-1].target
            if plan.applications
            else case.done[-1].on
            if case.done
            else case.start
        ).isoformat(),
        "all_clear": all_clear(case, plan),
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
