"""Plants kept apart from the others: when they may go back, and how."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload

from brood.catalogue.holdings import Catalogue
from brood.core.biology.case import Case
from brood.core.followup.all_clear import LOOKS_NEEDED, Clearing, suspected
from brood.core.followup.look_days import LOOK_GAP_DAYS
from brood.errors import FieldErrors, NotFound
from brood.services.cases.assemble import as_look
from brood.services.cases.beside import stay_of
from brood.services.followup.ending import OverResult, cleared, said
from brood.services.followup.inspections import InspectCommand, written
from brood.services.house.places import stay_since
from brood.services.house.plants import PlantCommand, PlantTraits, add, prone_ids
from brood.services.voice.speech import Speech, days, listed
from brood.services.warmth.hourly import plant_series
from brood.store.place_tables import Place
from brood.store.queries import cases, season
from brood.store.records import Quarantine
from brood.store.tables import InspectionRecord, Plant, Stay

AHEAD_DAYS = 300
REASONS = {
    "newcomer": "a newcomer",
    "given": "given or borrowed",
    "outdoors": "back from outdoors",
    "neighbour": "a neighbour of an infested plant",
    "cutting": "a rescued cutting",
    "sick": "looks unwell",
}
CHANCES = {
    "newcomer": 0.2,
    "given": 0.3,
    "outdoors": 0.3,
    "neighbour": 0.3,
    "cutting": 0.3,
    "sick": 0.5,
}
"""How likely a plant that shows nothing brings something, by the reason why it is kept
apart (our judgement, C).
"""
STEPS = {
    "furled": "Unroll the youngest leaf and look into the axils with a lens.",
    "soil": "Look over the top of the soil and lay a card on it for two days.",
    "rim": "Wipe pot, rim, drain holes and tray with soapy water.",
    "roots": "Slip it out of the pot: no white wool, no grubs between the roots.",
    "near": "Put it back at the edge of its place, a hand's width from the next plant, for a week.",
    "home": "Nothing seen after that week: back to its old spot.",
}
MOST_PESTS = 3
LOOKED_BACK_DAYS = 60
"""A mother's case that was closed no longer ago than this still counts for its cuttings."""
MOTHERS_CHANCE = 0.6
"""How likely a cutting brings a pest that its mother had, and any plant one that others
where it came from had (our judgement, C).
"""


def open_quarantines(session: Session) -> list[Quarantine]:
    """Plants that are kept apart now, the longest first."""
    return list(
        session.scalars(
            select(Quarantine)
            .where(Quarantine.released_on.is_(None))
            .options(joinedload(Quarantine.plant).selectinload(Plant.stays).joinedload(Stay.place))
            .order_by(Quarantine.since_on, Quarantine.id)
        )
    )


def apart_of(session: Session, plant_id: int) -> Quarantine | None:
    """Since when a plant is kept apart. None where it is not."""
    return session.scalars(
        select(Quarantine).where(Quarantine.plant_id == plant_id, Quarantine.released_on.is_(None))
    ).first()


def quarantine(session: Session, quarantine_id: int) -> Quarantine:
    """One of them. Raises NotFound."""
    found = session.get(Quarantine, quarantine_id)
    if found is None:
        raise NotFound("This plant is not kept away from the others.")
    return found


@dataclass(frozen=True)
class Room:
    """A place in which plants are kept apart, and those that stand there now."""

    place: Place
    here: tuple[Plant, ...]

    @property
    def free(self) -> int:
        """How many more plants fit in."""
        return max((self.place.apart_room or 0) - len(self.here), 0)


def rooms(session: Session) -> list[Room]:
    """The places in which plants can be kept apart, those with most room first."""
    found = [
        Room(place, tuple(cases.standing_at(session, place.id)))
        for place in cases.places(session)
        if place.apart_room
    ]
    return sorted(found, key=lambda r: (-r.free, r.place.name))


def keep_apart(
    session: Session,
    plant_id: int,
    reason: str,
    since_on: date,
    note: str,
    *,
    now: datetime,
    place_id: int | None = None,
) -> int:
    """Keep a plant apart, and move it where a place is given; the id. A plant that is
    kept apart already stays so.

    Raises FieldErrors for an unknown reason, and for a place without room.
    """
    plant = cases.plant(session, plant_id)
    if reason not in REASONS:
        raise FieldErrors({"reason": "Choose why from the list."})
    row = next((q for q in open_quarantines(session) if q.plant_id == plant.id), None)
    if row is None:
        row = Quarantine(
            plant_id=plant.id,
            reason=reason,
            since_on=since_on,
            steps=[],
            note=note,
            recorded_at=now,
        )
        session.add(row)
    if place_id is not None:
        _move(session, row, plant, place_id, since_on, now)
    session.flush()
    return row.id


def _move(
    session: Session, row: Quarantine, plant: Plant, place_id: int, since_on: date, now: datetime
) -> None:
    stay = stay_of(plant)
    if stay is not None and stay.place_id == place_id:
        return
    room = next((r for r in rooms(session) if r.place.id == place_id), None)
    if room is None:
        raise FieldErrors(
            {
                "place": "That place is not meant for it. Choose another place, or say on its page "
                "how many plants fit."
            }
        )
    _refuse_full(room)
    row.from_place_id = row.from_place_id or (stay.place_id if stay else None)
    stay_since(
        session, plant.id, place_id, max([since_on, *([stay.since_on] if stay else [])]), now
    )


def check_room(session: Session, place_id: int) -> None:
    """Raise FieldErrors for a place that is meant for plants kept apart, and full."""
    room = next((r for r in rooms(session) if r.place.id == place_id), None)
    if room is not None:
        _refuse_full(room)


def _refuse_full(room: Room) -> None:
    if room.free:
        return
    held = listed([p.name for p in room.here])
    raise FieldErrors(
        {
            "place": f"{room.place.name} is full: {held}. Choose another place, or say on its page "
            "that more fit."
        }
    )


def take_cutting(session: Session, plant_id: int, name: str, *, now: datetime) -> int:
    """Record a rescued cutting: a plant of its own in the same place, kept apart from
    the day on which it was taken; the id of its quarantine.
    """
    parent = cases.plant(session, plant_id)
    stay = parent.stays[-1] if parent.stays else None
    if stay is None:
        raise FieldErrors({"cutting": "Say first where the plant stands."})
    traits = PlantTraits(
        parent.species,
        parent.build,
        "small",
        "seedling",
        parent.growth,
        parent.worth,
        parent.eaten,
        parent.sensitive,
    )
    command = PlantCommand(
        name, parent.kind, f"Cutting of {parent.name}.", stay.place_id, now.date(), traits
    )
    cutting = cases.plant(session, add(session, command, now=now))
    cutting.mother_id = parent.id
    return keep_apart(session, cutting.id, "cutting", now.date(), f"of {parent.name}", now=now)


def mothers_pests(session: Session, plant: Plant, since: date) -> list[str]:
    """The ids of the pests that the mother of a cutting had then, or not long before."""
    if plant.mother_id is None:
        return []
    had = cases.plant(session, plant.mother_id).cases
    open_then = [
        c
        for c in had
        if c.start_on <= since
        and (c.closed_at is None or (since - c.closed_at.date()).days < LOOKED_BACK_DAYS)
    ]
    return list(dict.fromkeys(c.pest_id for c in open_then))


def pests_there(session: Session, catalogue: Catalogue, row: Quarantine) -> list[str]:
    """The ids of the pests that others had where a plant came from, as told when it came this
    time: of each group the one that its kind gets most.
    """
    since = row.since_on - timedelta(days=LOOKED_BACK_DAYS)
    told = {
        group
        for came in season.ways_in_of(session, row.plant_id)
        if since <= came.on <= (row.released_on or date.max)
        for group in came.groups
    }
    first: dict[str, str] = {}
    for pest_id in prone_ids(catalogue, row.plant):
        first.setdefault(catalogue.records[pest_id].group, pest_id)
    return [pest_id for group, pest_id in first.items() if group in told]


def looks_apart(session: Session, row: Quarantine) -> list[InspectionRecord]:
    """The looks at a plant since it has been kept apart."""
    query = select(InspectionRecord).where(
        InspectionRecord.plant_id == row.plant_id,
        InspectionRecord.withdrawn_at.is_(None),
        InspectionRecord.looked_on >= row.since_on,
    )
    return list(session.scalars(query.order_by(InspectionRecord.looked_on, InspectionRecord.id)))


def last_looks_apart(session: Session, rows: Sequence[Quarantine]) -> dict[int, date]:
    """The last day on which each plant was looked over since it has been kept apart, by
    the id of its quarantine.
    """
    found = session.execute(
        select(Quarantine.id, func.max(InspectionRecord.looked_on))
        .join(InspectionRecord, InspectionRecord.plant_id == Quarantine.plant_id)
        .where(
            Quarantine.id.in_([row.id for row in rows]),
            InspectionRecord.withdrawn_at.is_(None),
            InspectionRecord.looked_on >= Quarantine.since_on,
        )
        .group_by(Quarantine.id)
    )
    return dict(found.all())


def next_look(row: Quarantine, looked_on: date | None) -> date:
    """The day on which a plant that is kept apart is checked next."""
    return (looked_on or row.since_on) + timedelta(days=LOOK_GAP_DAYS)


def look_apart(
    session: Session, quarantine_id: int, seen: InspectCommand, *, now: datetime
) -> None:
    """Keep a look at a plant that is kept apart."""
    row = quarantine(session, quarantine_id)
    if seen.looked_on < row.since_on:
        raise FieldErrors({"looked_on": "That was before it was kept away from the others."})
    session.add(written(seen, row.plant_id, None, now))


def looked_over(session: Session, plant: Plant, sent_key: str, *, now: datetime) -> int:
    """Record that a plant was looked over leaf by leaf just now and nothing was seen;
    the id of the look. The same `sent_key` is taken once.
    """
    same = select(InspectionRecord).where(
        InspectionRecord.plant_id == plant.id, InspectionRecord.sent_key == sent_key
    )
    before = session.scalars(same).first() if sent_key else None
    if before is not None:
        return before.id
    seen = written(InspectCommand(now.date(), (), sent_key=sent_key), plant.id, None, now)
    session.add(seen)
    session.flush()
    return seen.id


def step(session: Session, quarantine_id: int, name: str, *, done: bool = True) -> None:
    """Tick a step of the return, or take the tick back. Doing it twice changes nothing."""
    row = quarantine(session, quarantine_id)
    if name not in STEPS:
        raise NotFound("There is no such step.")
    row.steps = [*(s for s in row.steps if s != name), *([name] if done else [])]


def missing(session: Session, row: Quarantine, today: date) -> str:
    """What speaks against letting a plant back, in a sentence. Empty where nothing does."""
    looks = looks_apart(session, row)
    if any(i.live for i in looks) or any(c.closed_at is None for c in row.plant.cases):
        return "Something living was found on it. Treat that first."
    clean = [i.looked_on for i in looks]
    if len(clean) < LOOKS_NEEDED:
        made = f"{len(clean) or 'No'} look{'' if len(clean) == 1 else 's'} on record since then"
        return f"{made}; {LOOKS_NEEDED} that find nothing are needed."
    if (max(clean) - min(clean)).days < LOOK_GAP_DAYS:
        return (
            f"The looks lie too close together: {LOOK_GAP_DAYS} days between the first and the "
            "last are needed."
        )
    if (today - max(clean)).days > LOOK_GAP_DAYS:
        return "The last look is more than a week ago. Look once more."
    return ""


def release(
    session: Session,
    quarantine_id: int,
    place_id: int | None = None,
    *,
    sure: bool = False,
    now: datetime,
) -> int:
    """Let a plant back, to a place where one is given; the id of the plant. Raises
    FieldErrors while steps are open, and while looks are missing unless the keeper is
    `sure`.
    """
    row = quarantine(session, quarantine_id)
    if row.released_on is not None:
        return row.plant_id
    if any(s not in row.steps for s in STEPS):
        raise FieldErrors({"steps": "Some steps of the return are still open."})
    lacking = missing(session, row, now.date())
    if lacking and not sure:
        raise FieldErrors({"looks": lacking})
    row.released_on = now.date()
    stay = stay_of(row.plant)
    if place_id is not None and (stay is None or stay.place_id != place_id):
        stay_since(session, row.plant_id, cases.place(session, place_id).id, now.date(), now)
    return row.plant_id


def undo(session: Session, quarantine_id: int, to: str, *, now: datetime) -> int:
    """Take back that a plant was kept apart (`never`: it stands where it stood) or let
    back (`apart`); the id of the plant.
    """
    row = quarantine(session, quarantine_id)
    if to == "apart":
        row.released_on = None
    elif to == "never" and row.released_on is None:
        row.released_on = row.since_on
        if row.from_place_id is not None:
            stay_since(session, row.plant_id, row.from_place_id, now.date(), now)
    return row.plant_id


def of_quarantine(
    session: Session, catalogue: Catalogue, row: Quarantine, today: date, speech: Speech
) -> OverResult:
    """When a plant that shows nothing may go back: after the slowest pest of its kind,
    at the warmth of its place.
    """
    looks = tuple(as_look(i) for i in looks_apart(session, row))
    if any(x.live for x in looks):
        why = "Open a case for it. Its dates take over from here."
        return OverResult(None, "Something living was found.", why, (), None, "found")
    mothers = mothers_pests(session, row.plant, row.since_on)
    there = pests_there(session, catalogue, row)
    inherited = list(dict.fromkeys([*mothers, *there]))
    more = [p for p in prone_ids(catalogue, row.plant) if p not in inherited]
    ids = [*inherited, *more][: max(MOST_PESTS, len(inherited))]
    ends = {}
    for pest_id in ids:
        chance = MOTHERS_CHANCE if pest_id in inherited else CHANCES[row.reason]
        case = _thought_of(session, catalogue, row, pest_id, today, chance)
        ends[pest_id] = cleared(case, looks, today)
    if not ends:
        why = "No pest is known that this plant is prone to."
        return OverResult(None, "No day can be given.", why, (), None, "none")
    names = {pest_id: catalogue.name(pest_id) for pest_id in ids}
    why = _thoughts(
        row,
        [*names.values()],
        [names[p] for p in mothers],
        [names[p] for p in there],
        bool(looks),
        today,
    )
    standing = [end for end in ends.values() if end.closed is None]
    if standing:
        return replace(
            said(standing[-1], today, speech),
            headline="No day can be given yet.",
            why=f"{why} Where it stands is too cool for some of them to grow up and show.",
        )
    slow = max(ends, key=lambda pest_id: ends[pest_id].closed or date.min)
    return _told(ends[slow], names[slow], why, missing(session, row, today), today, speech)


def _thoughts(
    row: Quarantine,
    thought: list[str],
    mothers: list[str],
    there: list[str],
    looked: bool,
    today: date,
) -> str:
    """What is thought of, and why."""
    seen = "Nothing was seen so far" if looked else "Nobody has looked yet"
    mother = f" The plant it was taken from had {listed(mothers)}." if mothers else ""
    others = f" Others where it came from had {listed(there)}." if there else ""
    since = f"{days((today - row.since_on).days)}: {REASONS[row.reason]}"
    return f"{seen}; thought of: {listed(thought)}.{mother}{others} Kept away {since}."


def _told(
    found: Clearing, slowest: str, why: str, lacking: str, today: date, speech: Speech
) -> OverResult:
    """When the plant may go back, by its slowest pest."""
    result = replace(said(found, today, speech), pest=slowest)
    if found.settled:
        head = "Not yet." if lacking else "It may go back."
        return replace(result, headline=head, why=f"{why} {lacking}".strip())
    assert found.closed is not None
    return replace(
        result,
        headline=f"Back from {speech.day(found.closed)}, if every look finds nothing.",
        why=f"{why} Of these the {slowest} takes longest to show itself at this warmth.",
    )


def _thought_of(
    session: Session,
    catalogue: Catalogue,
    row: Quarantine,
    pest_id: str,
    today: date,
    chance: float,
) -> Case:
    series = plant_series(
        session, row.plant, row.since_on - timedelta(days=1), today + timedelta(days=AHEAD_DAYS)
    )
    return Case(catalogue.pest(pest_id), row.since_on, suspected(row.since_on, chance), series, ())
