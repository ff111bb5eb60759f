"""Choosing the treatments of a case: what is offered here, and what each would do to
the number of evenings and the chance of clearing.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date
from threading import Lock

from cachetools import LRUCache
from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.core.biology.case import Act, Case
from brood.core.biology.plant_states import keep_up
from brood.core.course.improvements import weigh, with_more
from brood.core.course.problem import Problem
from brood.errors import FieldErrors
from brood.services.cases import assemble, effort, history, plans
from brood.services.cases.commands import ActCommand
from brood.services.house import load, plant_states, who_lives_here
from brood.services.house.plants import is_eaten
from brood.services.treatment import permitted, shelf
from brood.services.treatment.permitted import Offer, UseSetting, offers
from brood.services.voice.desk import Desk
from brood.store.place_tables import Place
from brood.store.queries import cases
from brood.store.tables import CaseAct, PestCase, Plant

RUNGS = {
    1: "by hand, or living helpers",
    2: "contact, no known resistance",
    3: "growth and gut",
    4: "nerve poison",
}
KEEP = 8


@dataclass(frozen=True)
class Weighed:
    """A set of acts: the chance in nine of ten scenarios, the evenings, and the minutes
    of the whole course.
    """

    chance: float
    dates: int
    minutes: float
    reaches: bool


@dataclass(frozen=True)
class Toggle:
    """One offer, whether it is chosen, and what the course would be with it added, or
    left out where it is chosen.
    """

    offer: Offer
    chosen: bool
    then: Weighed | None


@dataclass(frozen=True)
class MeansResult:
    """The treatments of a case: what is chosen, what is offered, and what is not."""

    row: PestCase
    offers: tuple[Offer, ...]
    chosen: frozenset[str]
    eaten: bool
    household: who_lives_here.Residents


def setting_of(
    session: Session,
    plant: Plant,
    *,
    today: date,
    row: PestCase | None = None,
    generation_days: float | None = None,
) -> UseSetting:
    """The setting in which treatments are judged: of a plant and, where there is one,
    of its case.
    """
    place: Place | None = plant.stays[-1].place if plant.stays else None
    harvest = assemble.limits_of(row).harvest if row else None
    chosen = frozenset(a.treatment_id for a in row.acts) if row else frozenset()
    done = (
        [(r.done_on, act) for r in history.evenings_done(row) if r.done_on for act in r.treatments]
        if row
        else []
    )
    return UseSetting(
        plant,
        place,
        who_lives_here.load(session).assumed(),
        shelf.items(session),
        today,
        harvest,
        chosen,
        tuple(done),
        generation_days,
        {i.act: i.on for i in reversed(load.marked(plant))},
    )


def build(desk: Desk, case_id: int) -> MeansResult:
    """The treatments of a case as they stand."""
    row = cases.case(desk.session, case_id)
    held = plans.outlook_of(desk, row)
    here = setting_of(
        desk.session,
        row.plant,
        today=desk.today,
        row=row,
        generation_days=held.plan.generation.typical if held and held.plan else None,
    )
    return MeansResult(
        row,
        tuple(offers(desk.catalogue, row.pest_id, here)),
        here.chosen,
        is_eaten(row.plant),
        who_lives_here.load(desk.session),
    )


def check(
    catalogue: Catalogue, here: UseSetting, acts: tuple[ActCommand, ...]
) -> tuple[ActCommand, ...]:
    """The acts with the figures of their products. Raises FieldErrors with the reason
    for the first one that is not offered here.
    """
    every = replace(here, chosen=frozenset(a.treatment_id for a in acts))
    out = []
    for act in acts:
        found = permitted.offer(catalogue, act.treatment_id, every)
        if not found.allowed:
            raise FieldErrors({"acts": f"{found.record.name.capitalize()}: {found.refused[0]}"})
        own = shelf.act_of(act.treatment_id, found.product)
        out.append(
            ActCommand(
                act.treatment_id,
                act.min_gap_days or own.min_gap_days,
                act.max_applications or own.max_applications,
                own.harvest_days,
                own.stock_id,
            )
        )
    return tuple(out)


def put(desk: Desk, case_id: int, acts: tuple[ActCommand, ...], *, test_patch: bool) -> None:
    """Set a case's treatments; it is planned anew. What is left out stays in the record.
    Raises FieldErrors for what is not offered here.
    """
    row, now = cases.case(desk.session, case_id), desk.moment
    here = setting_of(desk.session, row.plant, today=desk.today, row=row)
    wanted = {a.treatment_id: a for a in check(desk.catalogue, here, acts)}
    if not wanted:
        raise FieldErrors({"acts": "Choose at least one treatment."})
    held = {a.treatment_id: a for a in row.every_act}
    dropped = {key for key, one in held.items() if one.dropped_at is None and key not in wanted}
    plant_states.follow_choice(
        desk.session, desk.catalogue, row.plant_id, chosen=wanted, dropped=dropped, now=now
    )
    for key, one in held.items():
        one.dropped_at = None if key in wanted else one.dropped_at or now
    for key, said in wanted.items():
        one = held.get(key) or CaseAct(treatment_id=key)
        one.min_gap_days, one.max_applications = said.min_gap_days, said.max_applications
        one.harvest_days, one.stock_id = said.harvest_days, said.stock_id
        if key not in held:
            row.every_act.append(one)
    row.test_patch, row.own_dates, row.anew = test_patch, [], True


_kept: LRUCache[str, tuple[Weighed, dict[str, Weighed]]] = LRUCache(KEEP)
_lock = Lock()


def figures(desk: Desk, case_id: int) -> tuple[MeansResult, Weighed, list[Toggle]]:
    """What the chosen treatments lead to, and what every offer would change, best
    first. Raises InputError where there is no plan.
    """
    means, catalogue = build(desk, case_id), desk.catalogue
    standing = plans.standing_plan(desk, means.row)
    problem, plan = standing.problem, standing.plan
    allowed = [o for o in means.offers if o.allowed]
    key = problem.case.digest() + ",".join(o.record.id for o in allowed)
    with _lock:
        held = _kept.get(key)
    if held is None:
        held = _weighings(problem, catalogue, allowed, means.chosen)
        with _lock:
            _kept[key] = held
    _, each = held
    # What is chosen now is the plan itself, and not what planning anew would come to.
    now = Weighed(
        plan.chance,
        len(plan.applications),
        sum(effort.evening(catalogue, means.row, a.acts) for a in plan.applications),
        plan.reaches,
    )
    toggles = [Toggle(o, o.record.id in means.chosen, each.get(o.record.id)) for o in allowed]
    return means, now, sorted(toggles, key=_order)


def _weighings(
    problem: Problem, catalogue: Catalogue, allowed: list[Offer], chosen: frozenset[str]
) -> tuple[Weighed, dict[str, Weighed]]:
    case = problem.case
    each: dict[str, Weighed] = {}
    for one in allowed:
        key = one.record.id
        acts = (
            tuple(a for a in case.acts if a.id != key)
            if key in chosen
            else with_more(case, (_act(catalogue, case, one),))
        )
        tried = keep_up(replace(_without(case, key), acts=acts), case.start)
        if tried.acts:
            each[key] = weighed(problem, catalogue, tried.acts, tried)
    return weighed(problem, catalogue, case.acts), each


def _without(case: Case, key: str) -> Case:
    """A case in which an act is not kept up."""
    if not any(a.kept and a.id == key for a in case.past):
        return case
    done = (replace(e, acts=tuple(i for i in e.acts if i != key)) for e in case.done)
    past = tuple(a for a in case.past if a.id != key)
    return replace(case, past=past, done=tuple(e for e in done if e.acts))


def _act(catalogue: Catalogue, case: Case, one: Offer) -> Act:
    """An offer as it would act in this case, with the figures of its product."""
    own = shelf.act_of(one.record.id, one.product)
    act = catalogue.act(
        one.record.id,
        case.pest.id,
        min_gap_days=own.min_gap_days,
        max_applications=own.max_applications,
    )
    return act if own.harvest_days is None else replace(act, harvest_days=own.harvest_days)


def weighed(
    problem: Problem, catalogue: Catalogue, acts: tuple[Act, ...], case: Case | None = None
) -> Weighed:
    """What a case leads to with these acts, from the tables at hand."""
    chance, dates = weigh(problem.treated(replace(case or problem.case, acts=acts)))
    minutes = dates * catalogue.minutes([a.id for a in acts if a.when != "first"])
    return Weighed(chance, dates, minutes, chance >= problem.case.target)


def _order(one: Toggle) -> tuple[bool, bool, bool, float, float]:
    """The order of offers: the chosen first; then without a warning, reaching the
    target, by evenings, by chance.
    """
    then = one.then or Weighed(0.0, 0, 0.0, reaches=False)
    return (
        not one.chosen,
        bool(one.offer.warnings),
        not then.reaches,
        then.dates if then.reaches else 0,
        -then.chance,
    )
