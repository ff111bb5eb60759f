"""What was done to the plant of a case document beside its evenings, and what lasts on
it: rain, states, cutting, repotting.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta

from brood.catalogue.holdings import Catalogue
from brood.core.biology.case import Case, Rain
from brood.core.biology.handling import cut_act, handled
from brood.core.biology.plant_states import Held, keep_up, under
from brood.core.biology.rain import rained_on
from brood.errors import InputError
from brood.services.documents.case_form import CaseForm, CutForm, StateForm

REPOT = "repotting"


def under_way(case: Case, form: CaseForm, catalogue: Catalogue) -> Case:
    """The case with the rain, the states and the handling that its document tells of.
    Raises InputError naming the field.
    """
    others = tuple(_under_way(one, form, catalogue) for one in case.also)
    return replace(_under_way(case, form, catalogue), also=others)


def _under_way(case: Case, form: CaseForm, catalogue: Catalogue) -> Case:
    case = replace(case, rain=tuple(Rain(r.date, r.mm, r.hour) for r in form.rain))
    for n, one in enumerate(form.cut):
        case = _cut(case, one, n)
    for day in form.repotted:
        case = handled(case, catalogue.act(REPOT, case.pest.id), day)
    states = [_held(one, n, case, catalogue) for n, one in enumerate(form.states)]
    return keep_up(under(rained_on(case), states), case.start)


def _cut(case: Case, one: CutForm, n: int) -> Case:
    if one.leaves > one.of:
        raise InputError(
            f"Of {one.of} leaves {one.leaves} cannot be cut.",
            field=f"cut.{n}.leaves",
            value=one.leaves,
            allowed=f"1 to {one.of}",
        )
    return handled(case, cut_act(case.pest, one.leaves, one.of, f"cut-{n + 1}"), one.date)


def _held(one: StateForm, n: int, case: Case, catalogue: Catalogue) -> Held:
    if one.state not in catalogue.states:
        raise InputError(
            f"There is no state '{one.state[:60]}' in the catalogue.",
            field=f"states.{n}.state",
            value=one.state[:60],
            allowed=", ".join(catalogue.states),
        )
    last = one.until or one.since + timedelta(days=catalogue.states[one.state].days)
    if last < one.since:
        raise InputError(
            f"It would end on {last}, before it begins on {one.since}.",
            field=f"states.{n}.to",
            value=last.isoformat(),
            allowed=f"{one.since} or later",
        )
    return catalogue.held(one.state, one.since, last, case.pest.id)
