"""States that last on a plant and change what a course can do: roots held bare, a net, a
dry surface, ants and the band against them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta

import numpy as np

from brood.core.biology.case import Act, Arrival, Case, Evening
from brood.core.climate.hours import evening

WEEK, KEPT_DAYS = 7, 400
GUARDED = 0.2
"""What living helpers still do where ants guard the pest (our judgement, C)."""


@dataclass(frozen=True)
class Held:
    """A state of a plant over a span of days.

    Meanwhile the acts in `forbids` are not used. It `keeps_off` a share of the eggs from
    elsewhere (0 to 1); where it `shuts_in`, nothing flies off. It `guards` the pest from
    living helpers, or `frees` them from such guards. Its `act` works day after day.
    """

    id: str
    first: date
    last: date
    forbids: frozenset[str] = frozenset()
    keeps_off: float = 0.0
    shuts_in: bool = False
    guards: bool = False
    frees: bool = False
    act: Act | None = None

    def holds(self, on: date) -> bool:
        """Whether it holds on a day."""
        return self.first <= on <= self.last


def under(case: Case, states: Sequence[Held]) -> Case:
    """The case of a plant with such states."""
    for one in states:
        case = _closed(case, one)
        case = replace(case, arrivals=tuple(_fewer(case.arrivals, one)))
        if one.act is not None:
            case = _kept_up(case, one, one.act)
    now = [one for one in states if one.holds(case.start)]
    if any(one.shuts_in for one in now):
        case = replace(case, pest=replace(case.pest, leaves=0.0))
    if any(one.guards for one in now) and not any(one.frees for one in now):
        case = replace(case, acts=tuple(_guarded(a) for a in case.acts))
    return case


def _closed(case: Case, state: Held) -> Case:
    """Some acts are not used while a state lasts."""
    span = (state.first, state.last)
    acts = tuple(
        replace(a, not_on=(*a.not_on, span)) if a.id in state.forbids else a for a in case.acts
    )
    return replace(case, acts=acts)


def _fewer(arrivals: Sequence[Arrival], state: Held) -> list[Arrival]:
    """What still comes from elsewhere while a state lasts."""
    out: list[Arrival] = []
    day = timedelta(days=1)
    for one in arrivals:
        first, last = max(one.first, state.first), min(one.last, state.last)
        if not state.keeps_off or first > last:
            out.append(one)
            continue
        parts = (
            replace(one, last=first - day),
            Arrival(first, last, one.eggs_a_day * (1 - state.keeps_off)),
            replace(one, first=last + day),
        )
        out += [p for p in parts if p.first <= p.last]
    return out


def keep_up(case: Case, since: date) -> Case:
    """The case in which every chosen act that is kept up, and is no state of the plant
    yet, works from a day on. Such an act is never planned for an evening.
    """
    for act in case.acts:
        if act.kept:
            last = max(case.start, since) + timedelta(days=KEPT_DAYS)
            case = _kept_up(case, Held(act.id, since, last), act)
    return case


def _kept_up(case: Case, state: Held, act: Act) -> Case:
    """What a state does by itself, from its first day to its last: the act takes its share
    on so many days of every week. It takes the place of the same act as a treatment.
    """
    days = (state.last - state.first).days + 1 - act.starts_after
    if days <= 0:
        return case
    share = act.lasts_days / WEEK
    kill = {stage: 1 - (1 - taken) ** share for stage, taken in act.kill.items()}
    lasting = replace(act, lasts_days=days, kill=kill)
    others = tuple(a for a in case.acts if a.id != act.id)
    done = tuple(
        replace(e, acts=tuple(i for i in e.acts if i != act.id)) if e.on >= state.first else e
        for e in case.done
    )
    begun = Evening(state.first, (act.id,))
    kept = sorted((*(e for e in done if e.acts), begun), key=lambda e: e.on)
    return replace(case, acts=others, past=(*case.past, lasting), done=tuple(kept))


def _guarded(act: Act) -> Act:
    if not act.released:
        return act
    return replace(act, kill={stage: GUARDED * share for stage, share in act.kill.items()})


def arrivals(case: Case, adults: float, on: date, days: int) -> tuple[Arrival, ...]:
    """The eggs that visitors lay on a plant outdoors while a flight lasts: so many adults
    were seen on a day, and go on coming for some days.

    Each female that is there lays as the record says at the mean warmth of those days.
    """
    if not case.pest.leaves or adults <= 0:
        return ()
    celsius = case.series.mean(evening(on), evening(on) + timedelta(days=days))
    rate = float(np.interp(celsius, *np.array(case.pest.fecundity).T))
    return (Arrival(on, on + timedelta(days=days), adults * case.pest.female_share * rate),)
