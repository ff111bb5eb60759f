"""A rehearsal: an infestation, its warmth and two schedules side by side. Nothing of it
is kept.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

from brood.catalogue.holdings import Catalogue
from brood.core.biology.case import Case, Evening, Found
from brood.core.biology.stage_classes import StageClass
from brood.core.biology.unseen import infer_hidden, spread_group
from brood.core.climate.series import day_night
from brood.core.course.outcome import Outcome, outcomes
from brood.core.course.planner import plan, problem_of
from brood.core.course.rules_of_thumb import breaks_label, too_soon
from brood.core.population.half_days import totals
from brood.errors import InputError
from brood.services.cases import assemble, history, plans
from brood.services.voice.desk import Desk
from brood.store.queries import cases

LAST_DAY = 120
LONGEST_PICTURE = 70


@dataclass(frozen=True)
class RehearsalCommand:
    """What is rehearsed: the pest, °C by day and by night, numbers by stage word, reach
    and refuge (0 to 1), ids of acts, and two lists of days.
    """

    pest_id: str
    day_c: float
    night_c: float
    found: tuple[tuple[str, float], ...]
    reach: float
    refuge: float
    acts: tuple[str, ...]
    first: tuple[int, ...]
    second: tuple[int, ...]


@dataclass(frozen=True)
class Side:
    """One schedule: its days, what it leads to, whether a label forbids it, and the
    numbers by day.
    """

    days: tuple[int, ...]
    outcome: Outcome
    breaks_label: bool
    totals: tuple[float, ...]
    early: tuple[int, ...]


@dataclass(frozen=True)
class RehearsalResult:
    """Both sides, and the days that the planner would choose for the same infestation
    with the chance that they reach.
    """

    sides: tuple[Side, Side]
    planned: tuple[int, ...]
    planned_chance: float
    start: date

    @property
    def tallest(self) -> float:
        """The number at the top of both pictures."""
        return max(max(side.totals, default=1.0) for side in self.sides)


def days_of(text: str) -> tuple[int, ...]:
    """Days after the first evening, as typed: "0, 3, 6" or "every 3 days 5 times".
    Raises ValueError.
    """
    words = text.replace(",", " ").split()
    if len(words) >= 4 and words[0] == "every" and words[-1] in ("times", "time"):
        gap, times = int(words[1]), int(words[-2])
        if gap < 1 or times < 1:
            raise ValueError(text)
        days = [gap * n for n in range(times)]
    else:
        days = [int(word) for word in words]
    if any(not 0 <= d <= LAST_DAY for d in days) or len(days) > 40:
        raise ValueError(text)
    return tuple(sorted(set(days)))


def case_of(command: RehearsalCommand, catalogue: Catalogue, start: date) -> Case:
    """The case of a rehearsal as the computation takes it. Raises InputError when it is
    impossible.
    """
    pest = catalogue.pest(command.pest_id)
    opened = datetime.combine(start - timedelta(days=1), time())
    series = day_night(
        opened,
        24 * 300,
        day=command.day_c,
        night=command.night_c,
        day_from=time(7),
        night_from=time(21),
    )
    groups = [Found(start, stage, count) for stage, count in command.found if count > 0]
    if not groups:
        raise InputError(
            "Give at least one number: without any pest there is nothing to rehearse.", field="egg"
        )
    found = tuple(
        piece
        for g in groups
        for piece in spread_group(pest, g, (command.day_c + command.night_c) / 2)
    )
    return Case(
        pest=pest,
        start=start,
        found=infer_hidden(pest, found, series),
        series=series,
        reach=command.reach,
        refuge=command.refuge,
        acts=tuple(catalogue.act(a, pest.id) for a in command.acts),
    )


def rehearse(command: RehearsalCommand, catalogue: Catalogue, start: date) -> RehearsalResult:
    """Both schedules with all acts on every date, and the planner's own. Raises
    InputError as planning does.
    """
    problem = problem_of(case_of(command, catalogue, start))
    case, both = problem.case, (command.first, command.second)
    schedules = [[Evening(start + timedelta(days=d), problem.acts) for d in days] for days in both]
    found = outcomes(problem, schedules)
    until = min(
        start
        + timedelta(days=min(max([*command.first, *command.second, 14]) + 7, LONGEST_PICTURE)),
        problem.last,
    )
    numbers = totals(case, schedules, until)
    least = max((problem.gap(a) for a in problem.acts), default=1)
    sides = [
        Side(days, outcome, breaks_label(case, days), tuple(map(float, one)), too_soon(days, least))
        for days, outcome, one in zip(both, found, numbers, strict=True)
    ]
    best = plan(problem)
    return RehearsalResult(
        (sides[0], sides[1]),
        tuple((one.on - start).days for one in best.evenings),
        best.chance,
        start,
    )


def of_case(desk: Desk, case_id: int) -> dict[str, str]:
    """The values of the form for a recorded case. Raises InputError when it has no plan."""
    row, today = cases.case(desk.session, case_id), desk.today
    held = plans.standing_plan(desk, row)
    case, dates = (
        held.problem.case,
        [one.on for one in (*held.problem.evenings_done, *held.plan.evenings)],
    )
    celsius = (
        case.series.celsius[: 24 * 7].reshape(-1, 24)
        if len(case.series) >= 24 * 7
        else case.series.celsius[None, :24]
    )
    values = {
        "pest": row.pest_id,
        "day": f"{celsius[:, 9:19].mean():.0f}",
        "night": f"{celsius[:, :6].mean():.0f}",
        "reach": f"{100 * row.reach:.0f}",
        "refuge": f"{100 * case.refuge:.0f}",
    }
    plants = history.number_of(row)
    for finding in history.standing(row.findings):
        word = finding.stage if finding.stage in list(StageClass) else StageClass.YOUNG
        values[word] = f"{float(values.get(word, 0)) + assemble.expected_count(finding, plants):g}"
    first = min(dates, default=today)
    days = ", ".join(str((d - first).days) for d in dates)
    return {
        **values,
        **{f"act-{a.treatment_id}": "1" for a in row.acts},
        "first": days,
        "second": "every 7 days 4 times",
    }


def as_case_file(command: RehearsalCommand, catalogue: Catalogue, start: date) -> str:
    """The rehearsal as a case document that the command line reads."""
    case = case_of(command, catalogue, start)
    return json.dumps(
        {
            "schema": 1,
            "pest": case.pest.id,
            "start": start.isoformat(),
            "reach": command.reach,
            "refuge": command.refuge,
            "infer_hidden": False,
            "found": [
                {"date": f.on.isoformat(), "stage": f.stage, "count": round(f.count, 3)}
                for f in case.found
            ],
            "temperature": {"kind": "day-night", "day": command.day_c, "night": command.night_c},
            "treatments": [{"id": a} for a in command.acts],
        },
        indent=2,
    )
