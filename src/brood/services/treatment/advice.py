"""Three questions before a course, each answered with numbers: cut leaves or not, what
to do with the soil, is the plant worth it?
"""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.core.biology.handling import cut_act, handled, share_on_worst
from brood.errors import InputError
from brood.services.cases import plans
from brood.services.treatment import choose
from brood.services.treatment.choose import Toggle, Weighed
from brood.services.voice.desk import Desk
from brood.services.voice.speech import hours
from brood.store.queries import cases
from brood.store.tables import Look, PestCase

WORTH_WORDS = {"easy": "easily replaced", "dear": "dear to you", "only": "cannot be replaced"}
HOPELESS, DOUBTFUL = 0.5, 0.8
MOSTLY, LESS_BY_CUTTING = 2 / 3, 2 / 3
HARD_CUT = (2, 3)
"""Cutting hard takes so many leaves of so many, the worst first."""
HOURS = 60.0


@dataclass(frozen=True)
class CutAdvice:
    """What cutting `worst` of `leaves` infested leaves first would do: the share that
    goes with them, and the course before and after.
    """

    worst: int
    leaves: int
    share: float
    before: Weighed
    after: Weighed
    text: str


def cut(desk: Desk, case_id: int, worst: int, leaves: int) -> CutAdvice:
    """What cutting the worst leaves on the first evening would save. Raises InputError
    for impossible numbers, or without a plan.
    """
    if not 0 < worst <= leaves:
        raise InputError(
            "Cut at least one leaf, and no more than have the pest.",
            field="worst",
            value=worst,
            allowed=f"1 to {leaves}",
        )
    row, catalogue = cases.case(desk.session, case_id), desk.catalogue
    problem = plans.standing_plan(desk, row).problem
    case, share = problem.case, share_on_worst(worst, leaves)
    act = cut_act(case.pest, worst, leaves, "cut-worst")
    before = choose.weighed(problem, catalogue, case.acts)
    after = choose.weighed(problem, catalogue, case.acts, handled(case, act, case.start))
    return CutAdvice(
        worst, leaves, share, before, after, _cut_words(worst, leaves, share, before, after)
    )


def _cut_words(worst: int, leaves: int, share: float, before: Weighed, after: Weighed) -> str:
    many = "the worst leaf" if worst == 1 else f"the {worst} worst leaves"
    takes = f"Cutting {many} of {leaves} takes about {round(share * 100)} in 100 with it, eggs too"
    saved = before.dates - after.dates
    if after.reaches and not before.reaches:
        gain = (
            f", and the course clears the plant: {round(after.chance * 100)} in 100 instead of "
            f"{round(before.chance * 100)}"
        )
    elif saved > 0:
        gain = f", and saves {saved} evening{'s' if saved > 1 else ''}"
    elif after.chance > before.chance + 0.01:
        gain = (
            f", and lifts the chance from {round(before.chance * 100)} to "
            f"{round(after.chance * 100)} in 100"
        )
    else:
        gain = ", but saves no evening: keep the leaves and wipe them"
    return takes + gain + "."


@dataclass(frozen=True)
class SoilAdvice:
    """Whether a stage lives in the soil, in words, and each soil treatment with what it
    would change.
    """

    lives_there: bool
    text: str
    toggles: tuple[Toggle, ...]


def soil(catalogue: Catalogue, row: PestCase, now: Weighed, toggles: list[Toggle]) -> SoilAdvice:
    """What to do with the soil for a case."""
    pest = catalogue.pest(row.pest_id)
    hidden = [s for s in pest.development if s.habitat == "in-soil"]
    if not hidden:
        return SoilAdvice(
            False,
            "No stage of it lives in the soil: leave the soil as it is, and wipe rim and saucer.",
            (),
        )
    inside = [t for t in toggles if t.offer.care.in_soil and t.then is not None]
    found = [(t.then, t.offer.record.name) for t in inside if not t.chosen and t.then is not None]
    best = max(
        found,
        key=lambda pair: (pair[0].reaches, -pair[0].dates if pair[0].reaches else pair[0].chance),
        default=None,
    )
    stages = " and ".join(dict.fromkeys(s.plural for s in hidden))
    text = f"{stages.capitalize()} sit in the soil, where no leaf spray reaches."
    if best is not None and (
        best[0].chance > now.chance + 0.02 or (best[0].reaches and best[0].dates < now.dates)
    ):
        text += f" Best: {best[1]}, {_course(best[0])} instead of {_course(now)}."
    elif any(t.chosen for t in inside):
        text += " What you have chosen for the soil does it."
    return SoilAdvice(True, text, tuple(inside))


def _course(one: Weighed) -> str:
    return f"{one.dates} evenings with {round(one.chance * 100)} in 100"


@dataclass(frozen=True)
class Triage:
    """Whether the plant is worth the course: treat it, cut it hard, take cuttings, or
    part with it; and why.
    """

    verdict: str
    reasons: tuple[str, ...]


def triage(
    row: PestCase,
    now: Weighed,
    neighbours: int,
    affected: float | None,
    hard: Weighed | None = None,
) -> Triage:
    """What to do with the plant. `neighbours` stand at the same place. `affected` is
    the share of the leaves that shows it, where told. `hard` is the course after two
    thirds of its leaves are cut off.
    """
    worth = row.plant.worth
    reasons = [f"The course takes {_course(now)}, about {hours(now.minutes)} in all."]
    if worth:
        reasons.append(f"The plant is {WORTH_WORDS[worth]}.")
    if affected is not None:
        reasons.append(f"About {round(affected * 100)} in 100 of the leaves show it.")
    beside = (
        "No other plant stands"
        if not neighbours
        else "One other plant stands"
        if neighbours == 1
        else f"{neighbours} other plants stand"
    )
    reasons.append(f"{beside} at the same place.")
    if hard is not None and _spares(now, hard):
        reasons.append(
            f"Cut back to a third, it would take {_course(hard)}, about {hours(hard.minutes)}."
        )
    bears = "from-root" in row.plant.marks or row.plant.growth == "fast"
    gains = bears and hard is not None and _spares(now, hard)
    return Triage(_verdict(now, worth, neighbours, affected, gains=gains), tuple(reasons))


def _spares(now: Weighed, hard: Weighed) -> bool:
    """Whether cutting hard makes the course shorter by a third, or lets it succeed."""
    fewer = hard.dates <= now.dates * LESS_BY_CUTTING and hard.dates < now.dates - 1
    return hard.chance >= now.chance - 0.01 and (fewer or (hard.reaches and not now.reaches))


def _verdict(
    now: Weighed, worth: str, neighbours: int, affected: float | None, *, gains: bool = False
) -> str:
    if now.chance < HOPELESS and worth in ("easy", "") and neighbours:
        return (
            "Throw it away in a closed bag, before the neighbours catch it, or change the "
            "treatments first."
        )
    if now.chance < DOUBTFUL and worth in ("dear", "only"):
        return "Take clean cuttings as insurance, keep them away from the others, and treat."
    if gains or (affected is not None and affected > MOSTLY):
        return (
            "Cut it back hard first. There is less leaf, there are fewer animals, and you can "
            "treat every part. Then treat what shoots again."
        )
    if now.minutes > 5 * HOURS and worth == "easy":
        return (
            "A new plant costs less than this course. Throw it away in a closed bag, or cut it "
            "back hard."
        )
    return "Worth treating."


def affected(session: Session, row: PestCase) -> float | None:
    """The share of the leaves that shows it, by the last check of the plant that told."""
    query = select(Look.affected).where(Look.plant_id == row.plant_id, Look.affected.is_not(None))
    return session.scalars(query.order_by(Look.started_at.desc()).limit(1)).first()


def _cut_hard(desk: Desk, row: PestCase) -> Weighed:
    """The course after the plant is cut back hard on its first evening."""
    problem = plans.standing_plan(desk, row).problem
    case = problem.case
    cut = handled(case, cut_act(case.pest, *HARD_CUT, "cut-hard"), case.start)
    return choose.weighed(problem, desk.catalogue, case.acts, cut)


def neighbours_of(session: Session, row: PestCase) -> int:
    """How many other plants stand at the same place now."""
    if not row.plant.stays:
        return 0
    there = cases.standing_at(session, row.plant.stays[-1].place_id)
    return sum(p.id != row.plant_id for p in there)


def whole(desk: Desk, case_id: int) -> tuple[Weighed, list[Toggle], SoilAdvice, Triage]:
    """The figures of the means, with the advice on soil and plant."""
    means, now, toggles = choose.figures(desk, case_id)
    near = neighbours_of(desk.session, means.row)
    verdict = triage(
        means.row, now, near, affected(desk.session, means.row), _cut_hard(desk, means.row)
    )
    return now, toggles, soil(desk.catalogue, means.row, now, toggles), verdict
