"""Prints the courses that come out beside those of skilled keepers, and what becomes of
simulated keepers who let looks decide. `make bench` runs it; give a number of keepers
for each pest, 0 for the table alone.
"""

from __future__ import annotations

import sys
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta
from multiprocessing import Pool
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests"))

from keeping import Kept, keep
from simulated import Plant

from brood.catalogue.loader import shipped
from brood.core.biology.case import Case, Found
from brood.core.biology.plant_states import keep_up
from brood.core.climate.series import constant
from brood.core.course.growth import LONG
from brood.core.course.planner import plan, problem_of
from brood.core.followup.course_ahead import course_ahead

DAY = date(2026, 6, 1)
CATALOGUE = shipped()
Band = tuple[int, int]
MINUTES_LOOK = 10


@dataclass(frozen=True)
class Row:
    """A pest with its usual treatments, and what a skilled keeper takes at 20 °C:
    evenings, days from the first to the last, days until back and until closed (None
    where the aim is another). The same row with other means has another name after a
    comma.
    """

    name: str
    pest: str
    acts: tuple[str, ...]
    evenings: Band
    last: Band
    back: Band | None
    closed: Band | None
    outdoors: bool = False


HAND, SOAP, OIL = "wiping", "insecticidal-soap", "paraffinic-oil"
SWAB, CARDS, TOPSOIL = "alcohol-swab", "sticky-cards", "topsoil-change"
SPIRIT, EELS = "alcohol-spray", "steinernema-feltiae"
GNATS, DRY = ("bti-drench", EELS, CARDS), "soil-drying"
STRIP, WASH, SULPHUR = "sheath-strip", "root-wash", "wettable-sulphur"
BROAD, WHITEFLY = "polyphagotarsonemus-latus", "trialeurodes-vaporariorum"
SOIL, LEAF = "frankliniella-occidentalis", "heliothrips-haemorrhoidalis"
ROWS = (
    Row("mite, soap", "tetranychus-urticae", (HAND, SOAP), (4, 7), (14, 30), (25, 45), (30, 50)),
    Row("mite, oil", "tetranychus-urticae", (HAND, OIL), (4, 7), (14, 30), (25, 45), (30, 50)),
    Row("flat mite", "brevipalpus", (HAND, OIL, SOAP), (4, 6), (28, 50), (50, 75), (70, 100)),
    Row("broad mite, oil", BROAD, ("pruning", OIL, SOAP), (4, 7), (14, 30), (25, 45), (25, 45)),
    Row(
        "broad mite, labelled",
        BROAD,
        ("pruning", SULPHUR, SOAP),
        (4, 7),
        (14, 30),
        (25, 45),
        (25, 45),
    ),
    Row("aphids", "myzus-persicae", ("shower", SOAP), (2, 4), (7, 21), (18, 32), (18, 32)),
    Row("whiteflies", WHITEFLY, (HAND, SOAP, CARDS), (4, 6), (21, 35), (42, 60), (55, 75)),
    Row("soil thrips", SOIL, (HAND, SOAP, TOPSOIL, CARDS), (7, 12), (28, 60), (40, 75), (45, 85)),
    Row(
        "thrips, better act",
        SOIL,
        (HAND, SPIRIT, EELS, CARDS),
        (5, 8),
        (20, 40),
        (35, 60),
        (35, 65),
    ),
    Row("leaf thrips", LEAF, ("pruning", HAND, SOAP), (6, 9), (30, 60), (55, 85), (70, 110)),
    Row("leaf mealybugs", "planococcus-citri", (SWAB, SOAP), (3, 6), (14, 35), (45, 65), (75, 100)),
    Row("soft scale", "coccus-hesperidum", (SWAB, OIL), (3, 6), (20, 50), (70, 105), (125, 165)),
    Row(
        "hemispherical", "saissetia-coffeae", (SWAB, OIL), (5, 8), (40, 70), (105, 140), (180, 220)
    ),
    Row("root mealybug", "rhizoecus", (WASH, "hot-water"), (4, 6), (60, 105), (90, 140), (95, 160)),
    Row(
        "armoured scale", "armored-scale", (STRIP, SWAB, OIL), (3, 5), (28, 56), (55, 90), (90, 120)
    ),
    Row("fungus gnats", "bradysia", (*GNATS, DRY), (4, 7), (21, 42), (42, 70), (49, 77)),
    Row(
        "fungus gnats, and soil",
        "bradysia",
        (*GNATS, DRY, TOPSOIL),
        (4, 7),
        (21, 42),
        (42, 70),
        (49, 77),
    ),
    Row(
        "cabbage white outdoors",
        "pieris-rapae",
        (HAND, "btk"),
        (2, 3),
        (7, 14),
        None,
        None,
        outdoors=True,
    ),
    Row(
        "diamondback outdoors",
        "plutella-xylostella",
        (HAND, "btk"),
        (2, 3),
        (7, 14),
        None,
        None,
        outdoors=True,
    ),
)
WITHOUT = (
    ("bradysia", (*GNATS, DRY), DRY),
    ("bradysia", (*GNATS, DRY), EELS),
    ("rhizoecus", (WASH, SOAP), WASH),
    ("rhizoecus", (WASH, SOAP, "hot-dip"), "hot-dip"),
    ("armored-scale", (STRIP, SWAB, OIL), SWAB),
    ("tetranychus-urticae", (HAND, "soap-dip"), "soap-dip"),
    (BROAD, ("pruning", SULPHUR, SOAP), SULPHUR),
    ("planococcus-citri", ("axil-brush", SOAP), "axil-brush"),
)
"""Means of which one act is left out, to see what it is worth."""


def case_of(row: Row, celsius: float) -> Case:
    """A moderate infestation on one plant indoors."""
    pest = CATALOGUE.pest(row.pest, outdoors=row.outdoors)
    young = [s for s in pest.development if s.display in ("larva", "nymph")]
    days = np.array([s.rate.days(celsius) for s in young])
    number = 55.0 if pest.live_birth else 15.0
    found = [
        Found(DAY, s.id, number * d / days.sum()) for s, d in zip(young, days, strict=True)
    ] + [Found(DAY, "adult", 6.0)]
    found += [] if pest.live_birth else [Found(DAY, pest.stages[0].id, 40.0)]
    start = datetime.combine(DAY, time()) - timedelta(days=1)
    series = constant(start, 24 * 500, celsius, spread_c=0.5)
    acts = tuple(CATALOGUE.act(a, row.pest) for a in row.acts)
    return keep_up(Case(pest, DAY, tuple(found), series, acts), DAY)


@dataclass(frozen=True)
class Figures:
    """A computed row."""

    fixed: int
    evenings: int
    low: int
    high: int
    last: int | None
    back: int | None
    closed: int | None
    chance: float
    growth: float
    hours: float
    gap: int
    spent: tuple[str, ...]

    def why(self, row: Row) -> str:
        """Why the row lies outside its bands, in a sentence. Empty where it does not."""
        missed = self.misses(row)
        if not missed:
            return ""
        value, (low, _) = self.pairs(row)[missed[0]]
        if value is not None and value < low:
            return f"{missed[0]} sooner: the last live sighting comes earlier than it may"
        if self.spent:
            return f"{', '.join(self.spent)}: every use that the label allows is planned"
        if self.growth >= LONG:
            return f"{self.growth:.0%} of what an evening takes grows back by the next"
        return f"{missed[0]} later: a look still finds something when the yardstick finds nothing"

    def pairs(self, row: Row) -> dict[str, tuple[int | None, Band]]:
        """Every figure beside its band."""
        every = {
            "evenings": (self.evenings, row.evenings),
            "last": (self.last, row.last),
            "back": (self.back, row.back),
            "closed": (self.closed, row.closed),
        }
        return {name: (value, band) for name, (value, band) in every.items() if band}

    def misses(self, row: Row) -> list[str]:
        """What lies outside the row's bands."""
        return [
            name
            for name, (value, (low, high)) in self.pairs(row).items()
            if value is None or not low <= value <= high
        ]


def figures(row: Row, celsius: float) -> Figures:
    """The course of a row at a temperature."""
    case = case_of(row, celsius)
    answer = plan(problem_of(case))
    ahead = course_ahead(case, answer, (), DAY)
    likely = ahead.likely
    assert likely is not None
    used = Counter(act for one in answer.evenings for act in one.acts)
    minutes = sum(CATALOGUE.care[a].minutes for a in row.acts if a != CARDS) + MINUTES_LOOK
    return Figures(
        ahead.set,
        likely.evenings,
        likely.low,
        likely.high,
        (likely.last - DAY).days,
        (likely.back - DAY).days if likely.back else None,
        (likely.closed - DAY).days if likely.closed else None,
        likely.chance,
        answer.growth or 0.0,
        likely.evenings * minutes / 60,
        answer.gap_days,
        tuple(a.name for a in case.acts if a.max_applications and used[a.id] >= a.max_applications),
    )


def table(celsius: Sequence[float], rows: Sequence[Row] = ROWS) -> None:
    """Print rows at some temperatures; at 20 °C beside their bands."""
    for warmth in celsius:
        head = "gap  set  likely       last  back closed chance growth hours"
        print(f"\n{f'{warmth:g} °C':22s} {head}")
        inside: set[str] = set()
        for row in rows:
            f = figures(row, warmth)
            missed = f.misses(row) if warmth == 20 else []
            if not missed:
                inside.add(row.name.split(",")[0] if "better" not in row.name else row.name)
            spread = f"{f.evenings} ({f.low}-{f.high})"
            print(
                f"{row.name:22s} {f.gap:3d} {f.fixed:4d}  {spread:11s} {f.last!s:>5} "
                f"{f.back!s:>5} {f.closed!s:>6} {f.chance:6.3f} {f.growth:6.2f} {f.hours:5.1f}"
                + (f"   outside: {', '.join(missed)}; {f.why(row)}" if missed else ""),
                flush=True,
            )
        if warmth == 20:
            names = {r.name.split(",")[0] if "better" not in r.name else r.name for r in rows}
            print(f"{len(inside)} of {len(names)} rows inside their bands")


def acts_alone() -> None:
    """Print the growth from one evening to the next and the likely course with each act
    and without it, at 20 °C.
    """
    print("\nwith and without an act  growth        evenings")
    for pest, acts, act in WITHOUT:
        some = replace(ROWS[0], pest=pest, acts=acts)
        less = replace(some, acts=tuple(a for a in acts if a != act))
        one, other = figures(some, 20.0), figures(less, 20.0)
        print(
            f"{pest[:12]:12s} {act:18s} {one.growth:.2f} / {other.growth:.2f}   "
            f"{one.evenings} ({one.low}-{one.high}) / {other.evenings} ({other.low}-{other.high})",
            flush=True,
        )


def kept(job: tuple[int, int, float, bool]) -> Kept:
    """One keeper of a row, whose looks see what they see."""
    n, seed, truth, for_life = job
    case = case_of(ROWS[n], 20.0)
    plant = Plant(case, 20.0, 0.9, [n, seed], offset_sd=0.5, for_life=for_life)
    return keep(case, plant, thorough=truth)


KEPT = (
    "mite, soap",
    "flat mite",
    "aphids",
    "whiteflies",
    "soil thrips",
    "leaf mealybugs",
    "soft scale",
    "armoured scale",
)
EIGHT = tuple(n for n, row in enumerate(ROWS) if row.name in KEPT)
"""The rows of the simulated keepers."""


def keepers(each: int, truth: float, *, for_life: bool) -> None:
    """Print what becomes of keepers of eight pests."""
    jobs = [(n, seed, truth, for_life) for n in EIGHT for seed in range(each)]
    with Pool(2) as pool:
        found = pool.map(kept, jobs, chunksize=4)
    print(f"\nlooks see {truth:g}, hiding {'for life' if for_life else 'that switches'}")
    for n in [*EIGHT, None]:
        some = [k for k, job in zip(found, jobs, strict=True) if n is None or job[0] == n]
        ends = [k for k in some if k.back is not None]
        wrong = sum(k.alive_back for k in ends)
        low, high = _interval(wrong, max(len(ends), 1))
        print(
            f"{'all' if n is None else ROWS[n].name:22s} evenings "
            f"{np.mean([k.evenings for k in some]):5.2f} "
            f"last {np.mean([k.last for k in some]):6.1f} back "
            f"{np.mean([k.back for k in ends]) if ends else np.nan:6.1f} clear "
            f"{np.mean([k.clear for k in some]):.3f} false back {wrong} of {len(ends)} "
            f"({100 * low:.1f} to {100 * high:.1f} in 100), false closed "
            f"{sum(k.alive_closed for k in some)}",
            flush=True,
        )


def _interval(hits: int, trials: int) -> tuple[float, float]:
    """The 95 % interval of a share (Wilson 1927, J. Am. Stat. Assoc. 22:209-212)."""
    z, share = 1.96, hits / trials
    middle = (share + z * z / (2 * trials)) / (1 + z * z / trials)
    half = z * ((share * (1 - share) + z * z / (4 * trials)) / trials) ** 0.5 / (1 + z * z / trials)
    return max(0.0, middle - half), min(1.0, middle + half)


if __name__ == "__main__":
    number = int(sys.argv[1]) if len(sys.argv) > 1 else 25
    table((16.0, 20.0, 24.0, 28.0), [row for row in ROWS if not row.outdoors])
    table((12.0, 16.0, 20.0), [row for row in ROWS if row.outdoors])
    acts_alone()
    if number:
        for truth in (0.5, 0.3, 0.9):
            keepers(number, truth, for_life=False)
        keepers(number, 0.5, for_life=True)
