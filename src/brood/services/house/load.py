"""What a plant has had: the treatments of the last 30 days, how near its leaves are to
their limit, what took off their wax, and what marked them before.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import pairwise

from brood.catalogue.holdings import Catalogue
from brood.core.course.problem import MOST_SPRAYS, SPRAY_DAYS, SPRAYS_RUNNING, worn_out
from brood.services.cases import history
from brood.services.house.plants import is_eaten
from brood.services.voice import words
from brood.services.voice.speech import Speech, days
from brood.store.states import LeafOutcome
from brood.store.tables import ApplicationRecord, PestCase, Plant

SPAN_DAYS, WAX_DAYS = 30, 60
FILMS = {"paraffinic-oil", "neem-oil"}
SOAPS = {"insecticidal-soap", "alcohol-spray", "soap-dip", "pyrethrins", "alcohol-swab"}
"""What leaves a film on a leaf, and what takes its wax off."""
REACTIONS = {
    "well": "well",
    "marked": "spots or burnt edges",
    "dropped": "leaves dropped",
    "limp": "limp",
}
"""How a plant bore its last treatment."""


@dataclass(frozen=True)
class Had:
    """A day on which a plant was treated, with what. `wears` marks sprays and dips that
    wear the leaves.
    """

    on: date
    acts: tuple[str, ...]
    wears: bool


@dataclass(frozen=True)
class Load:
    """What a plant has had by a day.

    `had` are the days of the last 30, `sprays` how many of the last 21 days count
    against the leaves, `worn` whether they have had enough, `rest_until` the first day on
    which they bear another. `warnings` are sentences.
    """

    today: date
    had: tuple[Had, ...]
    sprays: int
    worn: bool
    rest_until: date | None
    warnings: tuple[str, ...]

    @property
    def most(self) -> int:
        """How many sprays leaves bear in 21 days."""
        return MOST_SPRAYS


def of_plant(catalogue: Catalogue, plant: Plant, today: date, speech: Speech) -> Load:
    """The load of a plant, from everything that is recorded for any of its pests."""
    every = had(catalogue, plant)
    sprayed = sorted(d.on.toordinal() for d in every if d.wears)
    now = today.toordinal()
    worn = worn_out(sprayed, now)
    rest = next((n for n in range(now, now + 2 * SPRAY_DAYS) if not worn_out(sprayed, n)), None)
    until = date.fromordinal(rest) if worn and rest else None
    sprays = sum(now - SPRAY_DAYS < d <= now for d in sprayed)
    return Load(
        today,
        tuple(d for d in every if 0 <= (today - d.on).days < SPAN_DAYS),
        sprays,
        worn,
        until,
        tuple(_warnings(catalogue, plant, every, today, speech, sprays, until)),
    )


def had(catalogue: Catalogue, plant: Plant) -> list[Had]:
    """Every day on which a plant was treated, for whatever pest or before any came, in
    order.
    """
    by_day: dict[date, list[str]] = {}
    for on, act in preventive(catalogue, plant):
        by_day.setdefault(on, []).append(act)
    for row in plant.cases:
        for record in history.evenings_done(row):
            if record.done_on is not None:
                by_day.setdefault(record.done_on, []).extend(record.treatments)
    return [
        Had(on, tuple(dict.fromkeys(acts)), any(catalogue.care[a].wears for a in acts))
        for on, acts in sorted(by_day.items())
    ]


def preventive(catalogue: Catalogue, plant: Plant) -> list[tuple[date, str]]:
    """The days on which something was sprayed on a plant before any pest came, with what."""
    return [
        (row.since_on, act)
        for row in plant.states
        if row.withdrawn_at is None and row.kind in catalogue.states
        for act in [catalogue.states[row.kind].sprays]
        if act is not None
    ]


def _warnings(
    catalogue: Catalogue,
    plant: Plant,
    every: Sequence[Had],
    today: date,
    speech: Speech,
    sprays: int,
    until: date | None,
) -> Iterable[str]:
    if until is not None:
        yield (
            f"Its leaves have had enough: no spray or dip before {speech.day(until)}. Until "
            "then by hand: wiping with water, showering, swabbing, picking."
        )
    elif sprays == MOST_SPRAYS - 1:
        yield (
            f"{sprays} sprays in {days(SPRAY_DAYS)}: one more is the last for a while. After "
            f"{MOST_SPRAYS} in {days(SPRAY_DAYS)}, or {SPRAYS_RUNNING} in a row, hand work goes on "
            "alone."
        )
    if "waxy-leaf" in plant.marks or plant.kind == "cactus-succulent":
        recent = [d for d in every if (today - d.on).days < WAX_DAYS]
        for acts, what in (
            (SOAPS, "took some of its bloom of wax off; it does not grow again on old leaves"),
            (FILMS, "left a film on its bloom of wax, which stays dull"),
        ):
            found = [d for d in recent if acts.intersection(d.acts)]
            if found:
                used = words.act_names(
                    sorted(acts.intersection(found[-1].acts)), catalogue.treatments
                )
                yield f"{used[:1].upper()}{used[1:]} on {speech.day(found[-1].on)} {what}."


@dataclass(frozen=True)
class Injury:
    """A treatment after which a plant was marked: when, and how it showed."""

    act: str
    on: date
    how: str


def marked(plant: Plant) -> list[Injury]:
    """What was done before a plant was marked: by the test leaves that were spoilt, and by
    what the keeper said of how it bore its last treatment, for whatever pest that was. The
    newest first.
    """
    out = [
        Injury(test.treatment_id, test.started_at.date(), test.note or "test leaves")
        for row in plant.cases
        for test in row.patches
        if test.outcome == LeafOutcome.MARKED
    ]
    by_day: dict[date, list[ApplicationRecord]] = {}
    for row in plant.cases:
        for record in history.evenings_done(row):
            if record.done_on is not None:
                by_day.setdefault(record.done_on, []).append(record)
    for (on, before), (_, after) in pairwise(sorted(by_day.items(), key=lambda day: day[0])):
        how = {REACTIONS.get(str(r.conditions.get("reaction", "well")), "") for r in after}
        acts = dict.fromkeys(act for record in before for act in record.treatments)
        out += [Injury(act, on, said) for said in how - {REACTIONS["well"], ""} for act in acts]
    return sorted(out, key=lambda i: i.on, reverse=True)


def injuries(catalogue: Catalogue, plant: Plant) -> list[Injury]:
    """What may have marked a plant: what was done before, without the work by hand."""
    return [i for i in marked(plant) if catalogue.care[i.act].supply != "hand"]


def injured(catalogue: Catalogue, plants: Iterable[Plant]) -> dict[str, list[tuple[Plant, Injury]]]:
    """The plants that each treatment marked, the newest injury first."""
    every = [(plant, one) for plant in plants for one in injuries(catalogue, plant)]
    out: dict[str, list[tuple[Plant, Injury]]] = {}
    for plant, one in sorted(every, key=lambda pair: pair[1].on, reverse=True):
        out.setdefault(one.act, []).append((plant, one))
    return out


def wait_days(catalogue: Catalogue, row: PestCase, act: str) -> int:
    """The days from a treatment to the harvest: by the label that the case takes, or as
    usual.
    """
    told = [a.harvest_days for a in row.acts if a.treatment_id == act]
    usual = catalogue.treatments[act].harvest_days
    if catalogue.care[act].supply == "hand":
        return 0
    return next((days for days in told if days is not None), usual)


def pick_from(catalogue: Catalogue, plant: Plant) -> date | None:
    """The first day on which what is eaten of a plant may be picked, after everything that
    it has had. None where nothing was sprayed on it, or nothing of it is eaten.
    """
    if not is_eaten(plant):
        return None
    waits = [
        record.done_on + timedelta(days=wait)
        for row in plant.cases
        for record in history.evenings_done(row)
        for act in record.treatments
        if record.done_on is not None and (wait := wait_days(catalogue, row, act))
    ]
    waits += [
        row.since_on + timedelta(days=row.harvest_wait)
        for row in plant.states
        if row.withdrawn_at is None and row.harvest_wait
    ]
    return max(waits, default=None)


def since(every: Sequence[Had], today: date) -> dict[str, int]:
    """For each treatment the days since a plant last had it."""
    return {act: (today - d.on) // timedelta(days=1) for d in every for act in d.acts}
