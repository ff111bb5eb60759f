"""Works out what every sensible mix of treatments leads to, for each pest, and writes it
to the catalogue: `make mixes`. Name pests to work out those alone; `table` prints what is
ticked to begin with on every build of plant, indoors and outdoors.

A moderate infestation of one plant at 20 °C indoors is taken. Mixes that do no more than a part of
them does are left out.
"""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Sequence
from multiprocessing import Pool
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests"))

from course_figures import CATALOGUE, DAY, Row, case_of

from brood.core.biology.case import Case
from brood.core.course.growth import NEVER_CLEARS, growth_per_cycle
from brood.core.course.planner import check, plan, problem_of
from brood.core.followup.course_ahead import course_ahead
from brood.errors import InputError
from brood.services.treatment import defaults
from brood.services.treatment.mixes import Mix, candidates, harm

CELSIUS, NONE = 20.0, (0, 0)
TELLS, MOST, COURSES = 0.02, 48, 60
FILE = Path(__file__).resolve().parents[1] / "src/brood/catalogue/data/mixes.json"


def case_with(pest: str, mix: Mix) -> Case:
    """A moderate infestation with these treatments."""
    away = CATALOGUE.records[pest].leaves_outdoors is not None
    return case_of(Row("", pest, mix, NONE, NONE, None, None, outdoors=away), CELSIUS)


def growth_of(pest: str, mix: Mix) -> float:
    """What grows back from one evening to the next. Infinite where nothing is treated."""
    case = case_with(pest, mix)
    try:
        check(case)
    except InputError:
        return float("inf")
    return growth_per_cycle(case, round(case.pest.usual_gap_days))


def lean(grown: dict[Mix, float]) -> list[Mix]:
    """The mixes that do more than each part of them that was worked out, the mildest first."""
    useful = [
        mix
        for mix, growth in grown.items()
        if growth < NEVER_CLEARS
        and not any({*part} < {*mix} and grown[part] <= growth + TELLS for part in grown)
    ]
    return sorted(useful, key=lambda mix: (harm(CATALOGUE, mix), grown[mix]))


def course(pest: str, mix: Mix, growth: float) -> dict[str, object]:
    """The likely course with a mix."""
    case = case_with(pest, mix)
    answer = plan(problem_of(case))
    likely = course_ahead(case, answer, (), DAY, courses=COURSES).likely
    assert likely is not None
    return {
        "acts": list(mix),
        "growth": round(growth, 2),
        "chance": round(likely.chance, 3),
        "evenings": likely.evenings,
        "low": likely.low,
        "high": likely.high,
        "last": (likely.last - DAY).days,
        "back": (likely.back - DAY).days if likely.back else None,
    }


def of_pest(pest: str) -> tuple[str, list[dict[str, object]]]:
    """Every mix worth naming for a pest."""
    begun = time.time()
    grown = {mix: growth_of(pest, mix) for mix in candidates(CATALOGUE, pest)}
    some = lean(grown)
    rows = [course(pest, mix, grown[mix]) for mix in some[:MOST]]
    took = time.time() - begun
    print(f"{pest:28s} {len(grown)} mixes, {len(some)} of use, {took:.0f} s", file=sys.stderr)
    return pest, rows


BUILDS = (
    ("foliage", ""),
    ("flowering", ""),
    ("woody-citrus", ""),
    ("fruiting-vegetable", ""),
    ("cabbage-family", "head"),
    ("seedling-herb", "tray"),
    ("rosette", "rosette"),
    ("orchid", "orchid"),
    ("cactus-succulent", "cactus"),
)


def table() -> None:
    """Print the treatments that are ticked to begin with, and what they lead to."""
    for pest in sorted(CATALOGUE.records):
        most = CATALOGUE.groups[CATALOGUE.records[pest].group].most_evenings.value
        print(f"\n{pest} (at most {most:.0f})")
        for place in ("indoor", "outdoor"):
            for kind, build in BUILDS:
                found = defaults.of_plant(CATALOGUE, pest, defaults.nobodys(kind, build, place))
                course = found.course
                said = (
                    f"{course.growth:5.2f} {course.chance:5.2f} "
                    f"{course.evenings:3d} ({course.low}-{course.high})"
                    if course
                    else ""
                )
                print(f"  {place:8s}{kind:19s}{said:22s} {', '.join(found.acts)}  {found.note}")


def main(pests: Sequence[str]) -> None:
    """Work out the pests named, or all, and write the file."""
    held = json.loads(FILE.read_text()) if FILE.exists() else {}
    with Pool(1) as pool:
        for pest, rows in pool.imap_unordered(of_pest, pests or sorted(CATALOGUE.records)):
            held[pest] = rows
    lines = [
        f"{json.dumps(pest)}: [\n  " + ",\n  ".join(json.dumps(r) for r in held[pest]) + "\n]"
        for pest in sorted(held)
    ]
    FILE.write_text("{\n" + ",\n".join(lines) + "\n}\n")


if __name__ == "__main__":
    table() if sys.argv[1:] == ["table"] else main(sys.argv[1:])
