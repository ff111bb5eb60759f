"""Several ways to clear a plant side by side: the course of a case as it stands, and
those that take fewer evenings, are over sooner, or need no spray. One tap takes another.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from threading import Lock

from cachetools import LRUCache

from brood.core.biology.case import Case, Evening, Pace
from brood.core.biology.plant_states import keep_up
from brood.core.course.improvements import with_more
from brood.core.course.plan import Likely
from brood.core.followup.ways import Aim, Way, by_hand, own_way, ways
from brood.core.population.half_days import totals
from brood.errors import FieldErrors, InputError
from brood.services.cases import assemble, effort, plans
from brood.services.cases.commands import ActCommand
from brood.services.cases.outlook import Outlook
from brood.services.treatment import choose, defaults
from brood.services.voice import words
from brood.services.voice.courses import TITLES, apart, around
from brood.services.voice.desk import Desk
from brood.store.queries import cases
from brood.store.tables import CaseAct, PestCase

COURSES, KEEP = 60, 8
GENTLE = "gentle"
ROOM_DAYS = 5
MOST_SPARE = 6


@dataclass(frozen=True)
class Picture:
    """A way as a small picture: the numbers expected by day if only the set evenings are
    done, the days of set and spare evenings, of the look that decides, and of going back.
    Days count from the first evening to come.
    """

    totals: tuple[float, ...]
    fixed: tuple[int, ...]
    spare: tuple[int, ...]
    look: int | None
    back: int | None


@dataclass(frozen=True)
class WayRow:
    """A way as its page shows it. `key` names it for a button, `title` says what it is
    best at, `apart` how it differs from the course of the case.
    """

    key: str
    title: str
    apart: str
    names: str
    around: str
    likely: Likely
    minutes: float
    picture: Picture
    own: bool


@dataclass(frozen=True)
class WaysResult:
    """The ways of a case, its own among them. `trouble` says why there are none."""

    row: PestCase
    rows: tuple[WayRow, ...]
    trouble: str = ""

    @property
    def days(self) -> int:
        """The days that every picture covers."""
        ends = [max([*r.picture.fixed, *r.picture.spare, r.picture.back or 0]) for r in self.rows]
        return max(ends, default=0) + ROOM_DAYS

    @property
    def tallest(self) -> float:
        """The number at the top of every picture."""
        sure = [max(r.picture.totals[: (r.picture.look or 0) + 1]) for r in self.rows]
        return max(sure, default=1.0)


_kept: LRUCache[str, list[Way]] = LRUCache(KEEP)
_lock = Lock()


def of_case(desk: Desk, case_id: int) -> WaysResult:
    """The ways of a case, worked out at once where they are not at hand. It takes some
    seconds.
    """
    row = cases.case(desk.session, case_id)
    held = plans.outlook_of(desk, row)
    if row.closed_at is not None or row.keep_below is not None:
        return WaysResult(row, (), "There is no course to compare.")
    try:
        found = _ways(desk, row, held)
    except InputError as error:
        return WaysResult(row, (), error.message)
    if not found:
        return WaysResult(row, (), "No evening is to come: there is nothing to compare.")
    own = found[0]
    return WaysResult(row, tuple(_row(desk, row, way, own) for way in _in_order(found)))


def _in_order(found: Sequence[Way]) -> list[Way]:
    """The ways in the order of what they are best at; one that is best at nothing first."""
    order = list(Aim)
    return sorted(found, key=lambda w: order.index(w.aims[0]) if w.aims else -1)


def _ways(desk: Desk, row: PestCase, held: Outlook | None) -> list[Way]:
    standing = plans.standing_plan(desk, row)
    case, looks = standing.problem.case, assemble.looks_of(row)
    gentle = _gentle(desk, row, case)
    key = f"{case.digest()} {case.promised} {[a.id for a in gentle.acts] if gentle else None}"
    with _lock:
        known = _kept.get(key)
    if known is not None:
        return known
    on = row.planned_on or desk.today
    seen = [x for x in looks if x.on <= on]
    own = own_way(case, standing.plan, seen, on, COURSES)
    if own is None:
        return []
    if held is not None and held.likely is not None:
        own = replace(own, likely=held.likely)
    found = ways(own, seen, on, gentle=gentle, courses=COURSES)
    with _lock:
        _kept[key] = found
    return found


def _gentle(desk: Desk, row: PestCase, case: Case) -> Case | None:
    """The case with work by hand alone: what is chosen of it, and what is ticked for this
    plant where hand work alone is asked for.
    """
    acts = hand_acts(desk, row)
    more = tuple(desk.catalogue.act(a, row.pest_id) for a in acts if a not in _ids(case))
    soft = by_hand(replace(case, acts=with_more(case, more)))
    return soft and keep_up(soft, case.start)


def _ids(case: Case) -> set[str]:
    return {a.id for a in case.acts}


def hand_acts(desk: Desk, row: PestCase) -> tuple[str, ...]:
    """The treatments of a course by hand alone: those chosen that are work by hand,
    otherwise the mildest that suits the plant.
    """
    treatments = desk.catalogue.treatments
    chosen = tuple(a.treatment_id for a in row.acts if treatments[a.treatment_id].by_hand)
    if chosen:
        return chosen
    here = choose.setting_of(desk.session, row.plant, today=desk.today)
    return defaults.of_plant(desk.catalogue, row.pest_id, here, by_hand=True).acts


def _row(desk: Desk, row: PestCase, way: Way, own: Way) -> WayRow:
    acts = [a.id for a in way.case.acts]
    likely, first = way.likely, way.plan.applications[0].target
    each = [effort.evening(desk.catalogue, row, one.acts) for one in way.plan.evenings]
    return WayRow(
        "own" if way is own else GENTLE if _is_gentle(way, own) else str(way.case.pace),
        " and ".join(dict.fromkeys(TITLES[aim] for aim in way.aims)) or "As planned now",
        "" if way is own else apart(likely, own.likely, gentle=_is_gentle(way, own)),
        words.act_names(acts, desk.catalogue.treatments),
        around(likely, way.plan.growth),
        likely,
        sum(each) / len(each) * likely.evenings,
        _picture(way, first),
        way is own,
    )


def _is_gentle(way: Way, own: Way) -> bool:
    return way.gentle and not own.gentle


def _picture(way: Way, first: date) -> Picture:
    days = [(one.on - first).days for one in way.plan.evenings]
    fixed = min(way.ahead.set, len(days))
    spare = days[fixed : max(fixed, min(way.likely.high, fixed + MOST_SPARE))]
    back = (way.likely.back - first).days if way.likely.back else None
    case, done = way.case, way.case.done
    schedule: list[Evening] = [*done, *way.plan.evenings[:fixed]]
    until = first + timedelta(days=max([*days[:fixed], *spare]) + ROOM_DAYS)
    begun = min(f.on for f in case.found)
    until = min(until, case.series.end.date() - timedelta(days=2))
    numbers = totals(case, [schedule], until)[0]
    return Picture(
        tuple(map(float, numbers[(first - begun).days :])),
        tuple(days[:fixed]),
        tuple(spare),
        days[fixed] if fixed < len(days) else None,
        back,
    )


def take(desk: Desk, case_id: int, key: str, acts: Sequence[str] = ()) -> None:
    """Take another way: its pace, or work by hand alone. With `acts` those are chosen too,
    as when another way is taken back. The case is planned anew. Raises FieldErrors for a
    way that there is not.
    """
    row = cases.case(desk.session, case_id)
    if key == GENTLE:
        acts, key = hand_acts(desk, row), Pace.USUAL
        if not acts:
            raise FieldErrors({"way": "None of the treatments is work by hand."})
    if key not in list(Pace):
        raise FieldErrors({"way": "There is no such way."})
    if acts and {*acts} != {a.treatment_id for a in row.acts}:
        held = {a.treatment_id: a for a in row.every_act}
        said = tuple(_as_before(held.get(act), act) for act in acts)
        choose.put(desk, case_id, said, test_patch=row.test_patch)
    row.pace, row.own_dates, row.anew = key, [], True


def _as_before(held: CaseAct | None, act: str) -> ActCommand:
    """A treatment with the label's figures that it had in this case."""
    return ActCommand(act, *((held.min_gap_days, held.max_applications) if held else (None, None)))
