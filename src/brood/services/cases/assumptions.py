"""Every number that a case's chance depends on, with source and grade, and what the
chance would be at its low and its high end.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from threading import Lock
from typing import Any

from cachetools import LRUCache, cached

from brood.catalogue.holdings import Catalogue
from brood.core.biology.case import Act, Case
from brood.core.biology.pest import Pest
from brood.core.climate.series import placed
from brood.core.course.problem import Problem
from brood.services.cases.plans import Planned
from brood.services.voice.speech import Speech

KILL_SPREAD = {"A": 0.05, "B": 0.10, "C": 0.20}
"""How far a share killed may be wrong, by the grade of its row. The catalogue itself
says 0.10 (B) to 0.25 (C).
"""
WARMTH_C, COUNTS, LAYING, LIFE = 1.5, (0.5, 2.0), (0.7, 1.4), (0.7, 1.3)
REACH, REFUGE = (-0.10, 0.07), (0.0, 0.05)
MOVES = (0.25, 4.0)


KEEP = 16


@dataclass(frozen=True)
class Assumption:
    """One assumption in words: its value, its low and high end, the chance at each,
    source and grade.
    """

    name: str
    value: str
    low: str
    high: str
    at_low: float
    at_high: float
    source: str
    grade: str

    @property
    def swing(self) -> float:
        """How far it moves the chance."""
        return abs(self.at_high - self.at_low)


@dataclass(frozen=True)
class _Doubt:
    """An assumption and the cases at its two ends. `rebuilt` where the population
    itself changes with it.
    """

    name: str
    value: str
    ends: tuple[str, str]
    cases: tuple[Case, Case]
    source: str
    grade: str
    rebuilt: bool = True


def _told(held: Planned, speech: Speech) -> str:
    """What the assumptions of a plan are known by."""
    return f"{held.problem.case.digest()} {held.plan.evenings} {speech}"


@cached(LRUCache(KEEP), key=lambda held, _, speech: _told(held, speech), lock=Lock())
def build(held: Planned, catalogue: Catalogue, speech: Speech) -> list[Assumption]:
    """All assumptions of a planned case, those that move the chance most first. The
    dates stay; only the numbers change.
    """
    problem, evenings = held.problem, held.plan.evenings

    def chance(case: Case, *, rebuilt: bool) -> float:
        changed = Problem(case, case.start, problem.last) if rebuilt else problem.treated(case)
        return float(changed.in_90(changed.chances([evenings]))[0])

    rows = [
        Assumption(
            d.name,
            d.value,
            d.ends[0],
            d.ends[1],
            chance(d.cases[0], rebuilt=d.rebuilt),
            chance(d.cases[1], rebuilt=d.rebuilt),
            d.source,
            d.grade,
        )
        for d in (
            *_of_the_evening(problem.case, catalogue),
            *_of_the_find(problem.case, speech),
            *_of_the_pest(problem.case, catalogue),
        )
    ]
    return sorted(rows, key=lambda r: -r.swing)


def _of_the_evening(case: Case, catalogue: Catalogue) -> list[_Doubt]:
    low, high = (min(0.99, max(0.05, case.reach + by)) for by in REACH)
    kills = (
        replace(case, acts=_acts(case, catalogue, 0)),
        replace(case, acts=_acts(case, catalogue, 1)),
    )
    return [
        _Doubt(
            "Touched by a treatment",
            f"{case.reach:.0%} of the animals",
            (f"{low:.0%}", f"{high:.0%}"),
            (replace(case, reach=low), replace(case, reach=high)),
            "what a careful amateur reaches; our judgement",
            "C",
            rebuilt=False,
        ),
        _Doubt(
            "Shares killed",
            "as in the treatments' tables",
            ("lower", "higher"),
            kills,
            catalogue.sources["kill-synthesis"].text,
            _worst_grade(case, catalogue),
            rebuilt=False,
        ),
        _Doubt(
            "Hidden where nothing reaches",
            f"{case.refuge:.0%} out of reach",
            (f"{REFUGE[0]:.0%}", f"{REFUGE[1]:.0%}"),
            (replace(case, refuge=REFUGE[0]), replace(case, refuge=REFUGE[1])),
            "our judgement; more in rosettes, sheaths and axils",
            "C",
        ),
        _Doubt(
            "Changing places on the plant",
            "as often as they walk or fly",
            ("a quarter as often", "four times as often"),
            (
                replace(case, pest=_moving(case.pest, MOVES[0])),
                replace(case, pest=_moving(case.pest, MOVES[1])),
            ),
            "our judgement; what hides tonight can be reached the next time",
            "C",
        ),
    ]


def _moving(pest: Pest, by: float) -> Pest:
    """The pest with animals that change their place so many times as often."""
    stages = tuple(replace(s, switching=s.switching * by) for s in pest.stages)
    return replace(pest, stages=stages, switching=pest.switching * by)


def _of_the_find(case: Case, speech: Speech) -> list[_Doubt]:
    half, twice = (
        replace(case, found=tuple(replace(f, count=f.count * by) for f in case.found))
        for by in COUNTS
    )
    said = speech.difference(WARMTH_C)
    return [
        _Doubt(
            "Found",
            "as counted",
            ("half", "twice"),
            (half, twice),
            "a count or a rough class, off by a factor of two either way",
            "C",
        ),
        _Doubt(
            "Warmth",
            "as the place has it",
            (f"−{said}", f"+{said}"),
            (_warmer(case, -WARMTH_C), _warmer(case, WARMTH_C)),
            "beyond the nine scenarios",
            "C",
        ),
    ]


def _of_the_pest(case: Case, catalogue: Catalogue) -> list[_Doubt]:
    pest, record = case.pest, catalogue.records[case.pest.id]
    share, spread = record.female_share, record.cv
    fewer, more = (
        share.low or 0.8 * pest.female_share,
        share.high or min(1.0, 1.2 * pest.female_share),
    )
    alike, unlike = spread.low or 0.8 * pest.cv, spread.high or 1.25 * pest.cv
    laid, lived = (
        tuple(_times(table, by) for by in ends)
        for table, ends in ((pest.fecundity, LAYING), (pest.longevity, LIFE))
    )

    def pests(**ends: tuple[Any, Any]) -> tuple[Case, Case]:
        name, values = next(iter(ends.items()))
        low, high = (replace(case, pest=replace(pest, **{name: value})) for value in values)
        return low, high

    return [
        _Doubt(
            "Females",
            f"{pest.female_share:.0%}",
            (f"{fewer:.0%}", f"{more:.0%}"),
            pests(female_share=(fewer, more)),
            catalogue.sources[share.source].text,
            share.grade,
        ),
        _Doubt(
            "Difference between individuals",
            f"CV {pest.cv:.2f}",
            (f"{alike:.2f}", f"{unlike:.2f}"),
            pests(cv=(alike, unlike)),
            catalogue.sources[spread.source].text,
            spread.grade,
        ),
        _Doubt(
            "Young a day",
            "as in the catalogue",
            (f"× {LAYING[0]:g}", f"× {LAYING[1]:g}"),
            pests(fecundity=(laid[0], laid[1])),
            catalogue.sources[record.fecundity[0].source].text,
            record.fecundity[0].grade,
        ),
        _Doubt(
            "Life of an adult",
            "as in the catalogue",
            (f"× {LIFE[0]:g}", f"× {LIFE[1]:g}"),
            pests(longevity=(lived[0], lived[1])),
            catalogue.sources[record.longevity[0].source].text,
            record.longevity[0].grade,
        ),
    ]


def _times(table: tuple[tuple[float, float], ...], by: float) -> tuple[tuple[float, float], ...]:
    return tuple((celsius, value * by) for celsius, value in table)


def _acts(case: Case, catalogue: Catalogue, end: int) -> tuple[Act, ...]:
    """The acts with every share killed at its low (0) or high (1) end. What kills
    nothing stays so.
    """
    out = []
    for act in case.acts:
        row = catalogue.kill_row(act.id, case.pest.id)
        by = (-1, 1)[end] * KILL_SPREAD[row.grade if row else "C"]
        out.append(
            replace(
                act, kill={s: min(1.0, max(0.0, k + by)) if k else 0.0 for s, k in act.kill.items()}
            )
        )
    return tuple(out)


def _worst_grade(case: Case, catalogue: Catalogue) -> str:
    return max(
        (row.grade for a in case.acts if (row := catalogue.kill_row(a.id, case.pest.id))),
        default="C",
    )


def _warmer(case: Case, by: float) -> Case:
    return replace(
        case, series=placed(case.series, by, case.series.warm_spot_c, case.series.cool_spot_c)
    )
