"""A keeper with a plan and eyes: looks on every planned date before treating, and lets
the looks decide, or treats every date of a list whatever is seen.
"""

from dataclasses import dataclass, replace
from datetime import timedelta

from brood.core.biology.case import Evening, Inspection
from brood.core.course.planner import plan, problem_of
from brood.core.followup.all_clear import clear_by
from brood.core.followup.course_ahead import course_ahead
from brood.core.followup.detection import USUAL
from brood.core.followup.look_days import LOOK_GAP_DAYS

GIVEN_UP = 4000


@dataclass
class Kept:
    """What became of a plant: evenings done, the day of the last one, the days it went
    back and was closed, whether anything lived on either day, and whether it ended clear.
    """

    evenings: int = 0
    last: int = 0
    back: int | None = None
    alive_back: bool = False
    closed: int | None = None
    alive_closed: bool = False
    clear: bool = False


def keep(case, plant, *, thorough=0.5, days=400):
    """Follow looks: treat what is due, release what looks release, until it is closed."""
    acts = {a.id: a for a in case.acts}
    out, known, looks, done = Kept(), case, [], []
    coming = plan(problem_of(case)).evenings
    due = coming[0].on
    for n in range(days):
        day = case.start + timedelta(days=n)
        if day < due or plant.alive > GIVEN_UP:
            continue
        seen = plant.look(day, 1.0, thorough) if done else None
        if seen is not None:
            looks.append(Inspection(day, seen.counts, 1.0, USUAL))
        live = [x.on for x in looks if x.live]
        known = replace(
            case, start=day, done=tuple(done), seen_on=max([*live, *(f.on for f in case.found)])
        )
        treat = not done or bool(seen and seen.live)
        if done and not treat and coming and day >= coming[0].on:
            answer = plan(problem_of(known))
            ahead = (
                course_ahead(known, answer, looks, day, courses=0) if answer.applications else None
            )
            treat = bool(ahead) and not ahead.released
            coming = coming if treat else ()
        if treat:
            ids = next((e.acts for e in coming if e.on == day), None)
            if ids is None:
                coming = plan(problem_of(known)).evenings
                ids = coming[0].acts if coming and coming[0].on == day else case_acts(known)
            plant.evening(day, [acts[i] for i in ids])
            done.append(Evening(day, tuple(ids)))
            out.evenings, out.last = len(done), n
            later = plan(
                problem_of(replace(known, start=day + timedelta(days=1), done=tuple(done)))
            )
            coming = later.evenings
            due = coming[0].on if coming else day + timedelta(days=LOOK_GAP_DAYS)
            continue
        due = _next_look(out, known, done, looks, day, n, plant)
        if due is None:
            break
    out.clear = plant.alive == 0
    return out


def case_acts(case):
    """The acts of an evening that no plan has."""
    return tuple(a.id for a in case.acts if not a.lasts_days)


def _next_look(out, case, done, looks, day, n, plant):
    """The day of the next look that is asked for, None where they are enough to close the
    case. Going back is noted on the way.
    """
    found = clear_by(replace(case, done=tuple(done)), done, looks, [], day, weigh=False)
    if out.back is None and found.may_go_back:
        out.back, out.alive_back = n, plant.alive > 0
    if found.settled:
        out.closed, out.alive_closed = n, plant.alive > 0
        return None
    return found.needed[0].on if found.needed else day + timedelta(days=LOOK_GAP_DAYS)


def listed(case, plant, dates, *, settle=60):
    """Treat on every one of some dates with all acts that are due, and never look."""
    acts = {a.id: a for a in case.acts}
    for on, ids in dates:
        plant.evening(on, [acts[i] for i in ids])
    last = max(on for on, _ in dates)
    out = Kept(len(dates), (last - case.start).days)
    from datetime import datetime, time

    plant.until(datetime.combine(last + timedelta(days=settle), time(19)))
    out.clear = plant.alive == 0
    return out
