"""The tasks of a household: treatments, looks, cards, after-care, neighbours, plants kept apart."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

from brood.catalogue.holdings import Catalogue
from brood.services.cases import beside, effort, history, test_leaves
from brood.services.cases.aftercare import open_tasks
from brood.services.cases.assemble import is_away
from brood.services.cases.beside import House
from brood.services.cases.effort import MINUTES
from brood.services.diagnosis import put_off
from brood.services.diagnosis.put_off import Waiting
from brood.services.followup import follow_page
from brood.services.house import neighbour_walks, neighbours
from brood.services.house.neighbour_walks import WALK, Stop
from brood.services.house.neighbours import CHECKED, weekly
from brood.services.house.plant_states import StateLine, standing
from brood.services.house.quarantine import last_looks_apart, next_look
from brood.services.season import returns, season_tasks
from brood.services.season.season_tasks import ToBegin
from brood.services.today.evenings_together import (
    brief,
    next_evening,
)
from brood.services.voice import words
from brood.services.voice.desk import Desk
from brood.services.voice.speech import Speech, days, listed
from brood.store.place_tables import Place
from brood.store.records import Quarantine
from brood.store.tables import Application, Card, PestCase, Plant


@dataclass(frozen=True)
class Task:
    """One thing to do.

    `key` identifies it for good. `closes_on` is the end of its window, `late` what
    being late costs. `action` posts it as done; that is only for tasks that claim no
    more than that. `row_id` is the case of a treatment, `since` the day for which it
    was planned and missed. `name` heads what is not for one plant. `along` are
    the evenings of the plant's other pests that are done with it.
    """

    key: str
    kind: str
    plant: Plant
    place: Place | None
    text: str
    minutes: int
    due_on: date
    url: str
    action: str = ""
    closes_on: date | None = None
    late: str = ""
    said: str = "Done"
    row_id: int = 0
    plants: int = 1
    since: date | None = None
    name: str = ""
    along: tuple[int, ...] = ()

    @property
    def title(self) -> str:
        """What heads it: its plant, or what it is."""
        return self.name or self.plant.name

    @property
    def asked_since(self) -> date:
        """The day since when this has been asked."""
        return self.since or self.due_on


def tasks_of(desk: Desk, house: House, apart: Sequence[Quarantine]) -> list[Task]:
    """Every task of the household, in no order."""
    catalogue, now, today = desk.catalogue, desk.moment, desk.today
    every = neighbours.risks(house, catalogue, today)
    risky = [r for r in every if r.chance >= CHECKED]
    out: list[Task] = []
    looks: list[Task] = []
    for row in house.open_cases:
        near = [brief(catalogue, r.row) for r in risky if r.near.plant.id == row.plant_id]
        out += _treat(catalogue, row, _along(row, today), desk)
        out += _patches(catalogue, row, now)
        out += _care(row, now)
        out += _cards(row, today)
        looks += _looks(catalogue, row, today, near, desk.speech)
    out += _for_all_pests(looks, today)
    stops = neighbour_walks.to_check(every, today)
    out += [_walk(walk) for walk in neighbour_walks.walks(stops, today)]
    spring = _spring(desk, house)
    out += spring
    out += [_waited(one) for one in put_off.due(desk.session, catalogue, today)]
    out += [_lasting(one, desk.speech) for one in standing(desk.session, catalogue, today)]
    looked = last_looks_apart(desk.session, apart)
    out += _kept_apart([_apart(row, looked.get(row.id), today) for row in apart], today)
    busy = {s.plant.id for s in stops if s.due_on <= today} | {t.plant.id for t in spring}
    return out + _season(desk, house, apart, busy)


def _season(
    desk: Desk, house: House, apart: Sequence[Quarantine], busy: Collection[int]
) -> list[Task]:
    """What the season asks for: prevention to begin, and a walk past plants that are due."""
    found = season_tasks.of_day(desk, house, apart, busy)
    out = [_begin(desk, one) for one in found.begin]
    if found.walk is not None:
        first, many = found.walk.stops[0], len(found.walk.stops)
        out.append(
            Task(
                f"rhythm-{found.walk.place.id}-{desk.today.isoformat()}",
                "neighbour",
                first.plant,
                found.walk.place,
                found.walk.text if many > 1 else "Look at tops and undersides",
                found.walk.minutes,
                desk.today,
                f"/house/{found.walk.place.id}/walk",
                name=f"A walk past {many} plants" if many > 1 else "",
            )
        )
    return out


def _waited(one: Waiting) -> Task:
    """A check that was begun some days ago and can be told now."""
    plant = one.look.plant
    return Task(
        f"waited-{one.look.id}-{one.key}",
        "look",
        plant,
        place_of(plant),
        one.wait.look,
        MINUTES["card"],
        one.due,
        f"/looks/{one.look.id}/suspects?check={one.key}#check",
    )


def _begin(desk: Desk, one: ToBegin) -> Task:
    """Prevention to begin before a pest of earlier years comes."""
    coming, catalogue = one.arrival, desk.catalogue
    group = catalogue.records[coming.pest_id].group
    brief_name = catalogue.groups[group].brief
    names = listed([plant.name.lower() for plant in one.plants])
    return Task(
        f"begin-{coming.pest_id}-{coming.place.id}-{coming.season}",
        "season",
        one.plants[0],
        coming.place,
        f"{catalogue.prevention[group].say}: {names}. {brief_name[:1].upper()}{brief_name[1:]} "
        f"are likely from {desk.speech.day_month(coming.early)}",
        MINUTES["begin"] * min(len(one.plants), 4),
        coming.begin,
        "/season#begin",
        name=f"Before {brief_name} come",
    )


def _lasting(one: StateLine, speech: Speech) -> Task:
    """What a state that lasts on a plant asks for: care, or a word at its end."""
    name = one.record.name
    ended = f"{name}, until {speech.day(one.row.until_on)}: " if one.ends else ""
    return Task(
        f"state-{one.row.id}-{one.due.isoformat()}",
        "care",
        one.row.plant,
        place_of(one.row.plant),
        f"{ended}{one.asks[:1].lower()}{one.asks[1:].rstrip('.')}",
        MINUTES["care"],
        one.due,
        f"/plants/{one.row.plant_id}#states",
        "" if one.ends else f"/plants/states/{one.row.id}/care",
    )


def _walk(walk: Sequence[Stop]) -> Task:
    """A look at one neighbour, or at several of a place."""
    first = walk[0]
    one = Task(
        first.key,
        "neighbour",
        first.plant,
        first.place,
        f"Look for {first.said}",
        neighbour_walks.minutes(walk),
        first.due_on,
        f"/plants/{first.plant.id}#check",
    )
    if len(walk) == 1 or first.place is None:
        return one
    return replace(
        one,
        key=f"walk-{first.place.id}-{first.due_on.isoformat()}",
        text=neighbour_walks.walk_text(walk),
        url=f"/house/{first.place.id}/walk",
        name=f"A walk past {len(walk)} plants",
    )


def _apart(row: Quarantine, looked_on: date | None, today: date) -> Task:
    return Task(
        f"quarantine-{row.id}",
        "quarantine",
        row.plant,
        place_of(row.plant),
        "Check it while it is kept away from the others",
        MINUTES["quarantine"],
        weekly(next_look(row, looked_on), today),
        f"/quarantine/{row.id}",
    )


def _kept_apart(checks: Sequence[Task], today: date) -> list[Task]:
    """The checks of plants kept apart, those due together at one place as one."""
    groups: dict[tuple[int, date], list[Task]] = {}
    for task in checks:
        where = task.place.id if task.place else -task.plant.id
        groups.setdefault((where, max(task.due_on, today)), []).append(task)
    out: list[Task] = []
    for (where, day), some in groups.items():
        out += some if len(some) < WALK else [_all_apart(some, f"apart-{where}-{day.isoformat()}")]
    return out


def _all_apart(some: Sequence[Task], key: str) -> Task:
    """One check of several plants that are kept apart at one place."""
    return replace(
        some[0],
        key=key,
        text=f"Check {listed([task.plant.name for task in some])}",
        minutes=sum(task.minutes for task in some),
        due_on=min(task.due_on for task in some),
        url="/quarantine",
        name=f"{len(some)} plants kept away",
    )


def _spring(desk: Desk, house: House) -> list[Task]:
    """What was cleared in the cold is looked at again once it has been warm."""
    return [
        Task(
            f"spring-{one.case.id}",
            "neighbour",
            one.plant,
            place_of(one.plant),
            f"Cleared of {desk.catalogue.name(one.case.pest_id)} in "
            + (
                "the cold. It has been warm enough since for a generation: look again"
                if one.warmed
                else "winter: look again now that it is warm"
            ),
            MINUTES["neighbour"],
            weekly(one.since, desk.today),
            f"/plants/{one.plant.id}#check",
        )
        for one in returns.awake(desk, house)
    ]


def _along(row: PestCase, today: date) -> list[Application] | None:
    """The evenings of the plant's other pests that are done with a case's own. None where
    the case itself goes along with another's.
    """
    here = [c for c in (row, *history.others_on(row)) if not is_away(c, today)]
    evenings = history.together(here, today)
    return next((rest for lead, *rest in evenings if lead.case_id == row.id), None)


def _gone_by(row: PestCase, along: list[Application]) -> Application | None:
    """The first evening that went by unmarked, of a case and of those that are treated along."""
    taken = {s.case_id for s in along}
    met = [row, *(c for c in history.others_on(row) if c.id in taken)]
    missed = [s for s in map(history.went_by, met) if s is not None and s.missed_on]
    return min(missed, key=lambda s: s.missed_on or date.max, default=None)


def _treat(
    catalogue: Catalogue, row: PestCase, along: list[Application] | None, desk: Desk
) -> list[Task]:
    """The next evening of a case, with those of the plant's other pests `along`."""
    slot, today, speech = next_evening(row), desk.today, desk.speech
    if slot is None or along is None or is_away(row, today):
        return []
    acts = list(dict.fromkeys(a for one in (slot, *along) for a in one.treatments))
    gone = _gone_by(row, along)
    missed_on, missed_latest_on = (gone.missed_on, gone.missed_latest_on) if gone else (None, None)
    late = ""
    if missed_on and missed_on < today:
        end = missed_latest_on or missed_on
        late = (
            f"Planned for {speech.day(missed_on)}; its window ended "
            f"{days((today - end).days)} ago, so some may have bred since."
            if end < today
            else f"Planned for {speech.day(missed_on)}; still inside its window."
        )
    minutes = round(effort.evening(catalogue, row, acts))
    closes = min([missed_latest_on or slot.latest_on, *(s.latest_on for s in (slot, *along))])
    spare = all(history.is_spare(s) for s in (slot, *along))
    return [
        Task(
            f"treat-{slot.id}",
            "treat",
            row.plant,
            place_of(row.plant),
            words.task(words.acts_in_order(acts, catalogue.treatments), spare=spare),
            minutes,
            slot.target_on,
            f"/cases/{row.id}/evening",
            f"/evenings/{slot.id}",
            closes,
            late,
            "Done today",
            row.id,
            history.number_of(row),
            missed_on,
            along=tuple(s.id for s in along),
        )
    ]


def _patches(catalogue: Catalogue, row: PestCase, now: datetime) -> list[Task]:
    def text(key: str) -> str:
        return f"Judge the test leaves: {words.act_names([key], catalogue.treatments)}"

    states = test_leaves.states(catalogue, row, now)
    wanted = {key for slot in history.planned(row)[:1] for key in slot.treatments}
    new = [
        Task(
            f"leaves-{row.id}-{p.treatment_id}",
            "patch",
            row.plant,
            place_of(row.plant),
            f"Spray two test leaves: {words.act_names([p.treatment_id], catalogue.treatments)}",
            MINUTES["patch"],
            now.date(),
            f"/cases/{row.id}#patches",
        )
        for p in states
        if p.state == "none" and (p.treatment_id in wanted or not wanted)
    ]
    return [
        Task(
            f"patch-{p.test.id}",
            "patch",
            row.plant,
            place_of(row.plant),
            text(p.treatment_id),
            MINUTES["patch"],
            weekly(p.ready_at.date(), now.date()),
            f"/cases/{row.id}#patches",
        )
        for p in states
        if p.state == "ready" and p.test and p.ready_at
    ] + (new if history.planned(row) else [])


def _care(row: PestCase, now: datetime) -> list[Task]:
    return [
        Task(
            f"care-{t.id}",
            "care",
            row.plant,
            place_of(row.plant),
            t.text,
            MINUTES["care"],
            t.due_at.date(),
            f"/cases/{row.id}",
            f"/tasks/{t.id}",
        )
        for t in open_tasks(row, now)
    ]


def _cards(row: PestCase, today: date) -> list[Task]:
    """The cards of a case that are to be counted, those of one colour together."""
    hanging = [c for c in row.cards if c.withdrawn_at is None and c.removed_on is None]
    return [
        _card(row, [c for c in hanging if c.colour == colour], today)
        for colour in dict.fromkeys(c.colour for c in hanging)
    ]


def _card(row: PestCase, cards: Sequence[Card], today: date) -> Task:
    due = min(_last_count(card) for card in cards) + timedelta(days=CARD_WEEK)
    fresh = [
        max(
            [
                card.placed_on,
                *(c.counted_on for c in card.counts if c.replaced and c.withdrawn_at is None),
            ]
        )
        for card in cards
    ]
    old = (today - min(fresh)).days >= CARD_LASTS
    one = len(cards) == 1
    spot = f" ({cards[0].spot})" if one and cards[0].spot else ""
    which = (
        f"the {cards[0].colour} card{spot}" if one else f"the {len(cards)} {cards[0].colour} cards"
    )
    renew = " and hang a fresh one" if one else " and hang fresh ones"
    text = f"Count {which}{renew if old else ''}"
    return Task(
        f"card-{cards[0].id}",
        "card",
        row.plant,
        place_of(row.plant),
        text,
        MINUTES["card"] * len(cards),
        weekly(due, today),
        f"/cases/{row.id}/follow#cards",
    )


def _last_count(card: Card) -> date:
    return max([card.placed_on, *(c.counted_on for c in card.counts if c.withdrawn_at is None)])


def _looks(
    catalogue: Catalogue, row: PestCase, today: date, others: list[str], speech: Speech
) -> list[Task]:
    if history.is_left_alone(row):
        return [_recount(catalogue, row, today, speech)]
    due = weekly(follow_page.due_for_look(row, today), today)
    slot = next_evening(row)
    if slot is not None and abs((slot.target_on - due).days) <= 1 and due >= today:
        return []
    pest = brief(catalogue, row)
    others = [one for one in dict.fromkeys(others) if one != pest]
    also = f", and look for {listed(others)}" if others else ""
    text = (
        f"{COUNT}{pest}{also}"
        if slot is not None or row.keep_below is not None or history.waits_for_warmth(row)
        else f"Look closely for {pest}: the course is done"
    )
    return [
        Task(
            f"look-{row.id}",
            "look",
            row.plant,
            place_of(row.plant),
            text,
            MINUTES["look"],
            due,
            f"/cases/{row.id}/inspect",
        )
    ]


def _for_all_pests(looks: Sequence[Task], today: date) -> list[Task]:
    """The looks, those at several pests of a plant that are due together as one: the page
    of the first leads on, and the others stay on the list until they are counted.
    """
    groups: dict[tuple[int, date], list[Task]] = {}
    out = []
    for task in looks:
        if task.text.startswith(COUNT):
            groups.setdefault((task.plant.id, max(task.due_on, today)), []).append(task)
        else:
            out.append(task)
    for first, *rest in groups.values():
        more = [task.text.removeprefix(COUNT) for task in rest]
        text = f"{first.text}, then {', then '.join(more)}" if more else first.text
        minutes = sum(task.minutes for task in (first, *rest))
        out.append(replace(first, text=text, minutes=minutes))
    return out


def _recount(catalogue: Catalogue, row: PestCase, today: date, speech: Speech) -> Task:
    """The task of a case that was left alone: it has no dates until somebody counts."""
    since = speech.day(history.touched_on(row))
    text = f"Count again: {brief(catalogue, row)}, nothing recorded since {since}"
    return Task(
        f"recount-{row.id}",
        "look",
        row.plant,
        place_of(row.plant),
        text,
        MINUTES["look"],
        today,
        f"/cases/{row.id}/inspect",
    )


CARD_WEEK, CARD_LASTS = 7, 21
COUNT = "Count "


def place_of(plant: Plant) -> Place | None:
    stay = beside.stay_of(plant)
    return stay.place if stay else None
