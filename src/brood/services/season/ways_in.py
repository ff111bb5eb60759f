"""How pests come in: new plants, plants back from outdoors, flowers, produce, clothes, soil,
and plants outside that nobody treats. What each opens, and what it may bring.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from brood.catalogue.holdings import Catalogue
from brood.catalogue.schema import WayInRecord
from brood.errors import FieldErrors
from brood.services.cases.beside import stay_of
from brood.services.house import plants, quarantine
from brood.services.house.places import stay_since
from brood.services.house.plants import PlantCommand, susceptible_to
from brood.services.voice.desk import Desk
from brood.services.voice.speech import listed
from brood.store.place_tables import Place
from brood.store.queries import cases, season
from brood.store.records import WayIn
from brood.store.tables import Plant

LATELY_DAYS = 60
"""A pest that was cleared where a plant stood no longer ago than this may still come with it."""
REASONS = {"bought": "newcomer", "given": "given", "outdoors": "outdoors"}
BACK_DAYS, AFTER_DAYS = 60, 14


@dataclass(frozen=True)
class WayInCommand:
    """What the form says: what came in, where it stands now, which groups of pests were seen
    where it came from, the plant that came back, or name and kind of a new one.
    """

    kind: str
    place_id: int
    on: date
    groups: tuple[str, ...] = ()
    note: str = ""
    plant_id: int | None = None
    name: str = ""
    plant_kind: str = ""


@dataclass(frozen=True)
class Here:
    """Something that came in and is still there: the groups of pests that it may bring to
    plants beside it, and the last day of its watch (None while it stays).
    """

    row: WayIn
    record: WayInRecord
    place: Place
    groups: tuple[str, ...]
    until: date | None

    def said(self, catalogue: Catalogue) -> str:
        """What it may bring, in words."""
        return listed(list(dict.fromkeys(catalogue.groups[g].brief for g in self.groups)))

    @property
    def name(self) -> str:
        """What it is: as the keeper calls it, or as the catalogue does."""
        return self.row.note or self.record.name


@dataclass(frozen=True)
class Kept:
    """What keeping a way in made: its row, and the plant's time apart where there is one."""

    row_id: int
    quarantine_id: int | None


def keep(desk: Desk, said: WayInCommand) -> Kept:
    """Keep what came in. A plant is kept apart from then on. Raises FieldErrors."""
    record = desk.catalogue.ways_in.get(said.kind)
    if record is None:
        raise FieldErrors({"what": "Choose what came in."})
    if not desk.today - timedelta(days=BACK_DAYS) <= said.on <= desk.today:
        raise FieldErrors({"on": "It came today, or in the last weeks."})
    place = cases.place(desk.session, said.place_id)
    if record.what == "outside" and not said.groups:
        raise FieldErrors({"groups": "Tick what it has."})
    plant, groups, apart = None, said.groups, None
    if record.what == "plant":
        plant, apart = _new(desk, said, place)
    elif record.what == "back":
        plant, there, apart = _back(desk, said, place)
        groups = tuple(dict.fromkeys([*groups, *there]))
    row = _same(desk, said, plant) or WayIn(kind=said.kind, on=said.on, recorded_at=desk.moment)
    row.place_id, row.plant_id = place.id, plant.id if plant else None
    row.groups, row.note = list(groups), said.note
    row.until_on = _until(row, record)
    desk.session.add(row)
    desk.session.flush()
    return Kept(row.id, apart)


def _until(row: WayIn, record: WayInRecord) -> date | None:
    """The last day of a watch. None for a plant, which is watched until it is let back, and
    for what stays.
    """
    if row.plant_id is not None or not record.days:
        return None
    return row.on + timedelta(days=record.days)


def _same(desk: Desk, said: WayInCommand, plant: Plant | None) -> WayIn | None:
    """The same thing told twice on a day."""
    for row in season.ways_in(desk.session):
        told = (row.kind, row.place_id, row.on, row.note, row.plant_id)
        if told == (said.kind, said.place_id, said.on, said.note, plant.id if plant else None):
            return row
    return None


def _new(desk: Desk, said: WayInCommand, place: Place) -> tuple[Plant, int]:
    """A new plant, added to the household and kept apart from its first day on."""
    quarantine.check_room(desk.session, place.id)
    command = PlantCommand(said.name, said.plant_kind, "", place.id, said.on)
    plant_id = plants.add(desk.session, command, now=desk.moment)
    reason = REASONS[said.kind]
    apart = quarantine.keep_apart(
        desk.session, plant_id, reason, said.on, said.note, now=desk.moment
    )
    return cases.plant(desk.session, plant_id), apart


def _back(desk: Desk, said: WayInCommand, place: Place) -> tuple[Plant, tuple[str, ...], int]:
    """A plant of the household that came back: it is moved and kept apart. With it the groups
    of the pests that it or others had where it stood.
    """
    if said.plant_id is None:
        raise FieldErrors({"plant": "Choose the plant that is back."})
    plant = cases.plant(desk.session, said.plant_id)
    stay = stay_of(plant)
    if stay is None:
        raise FieldErrors({"plant": f"{plant.name} is no longer here."})
    groups = _lately(desk, stay.place_id)
    if stay.place_id != place.id:
        quarantine.check_room(desk.session, place.id)
        stay_since(desk.session, plant.id, place.id, max(said.on, stay.since_on), desk.moment)
    apart = quarantine.keep_apart(
        desk.session, plant.id, REASONS[said.kind], said.on, said.note, now=desk.moment
    )
    kept = quarantine.quarantine(desk.session, apart)
    if kept.from_place_id is None and stay.place_id != place.id:
        kept.from_place_id = stay.place_id
    return plant, groups, apart


def _lately(desk: Desk, place_id: int) -> tuple[str, ...]:
    """The groups of the pests that the plants of a place have, or had until lately."""
    found = [
        row.pest_id
        for plant in cases.standing_at(desk.session, place_id)
        for row in plant.cases
        if row.closed_at is None or (desk.today - row.closed_at.date()).days <= LATELY_DAYS
    ]
    return tuple(dict.fromkeys(desk.catalogue.records[p].group for p in found))


def here(desk: Desk) -> list[Here]:
    """What came in and is still there. A new plant matters to others only while it stands
    among them.
    """
    apart = {q.plant_id for q in quarantine.open_quarantines(desk.session)}
    places = {place.id: place for place in cases.places(desk.session)}
    found = (_here(desk, row, places[row.place_id], apart) for row in season.ways_in(desk.session))
    return [one for one in found if one is not None]


def _here(desk: Desk, row: WayIn, place: Place, apart: set[int]) -> Here | None:
    record = desk.catalogue.ways_in.get(row.kind)
    over = row.until_on is not None and row.until_on < desk.today
    if record is None or over or (row.plant_id is not None and row.plant_id not in apart):
        return None
    if row.plant_id is None:
        return Here(row, record, place, tuple(row.groups or record.brings), row.until_on)
    plant = cases.plant(desk.session, row.plant_id)
    stay = stay_of(plant)
    if stay is None:
        return None
    prone = [desk.catalogue.records[p].group for p in plants.prone_ids(desk.catalogue, plant)]
    groups = dict.fromkeys([*row.groups, *prone[: quarantine.MOST_PESTS]])
    return Here(row, record, stay.place, tuple(groups), row.until_on)


def beside(found: Sequence[Here], catalogue: Catalogue, plant: Plant, place: Place) -> list[Here]:
    """What came in at a place and may have brought something that a plant gets."""
    return [
        one
        for one in found
        if one.place.id == place.id
        and not place.apart_room
        and one.row.plant_id != plant.id
        and any(susceptible_to(catalogue, plant, group) for group in one.groups)
    ]


def gone(desk: Desk, way_in_id: int) -> WayIn:
    """Note that something that came in is no longer there. What it left is still watched for
    some days.
    """
    row = season.way_in(desk.session, way_in_id)
    row.until_on = min(row.until_on or date.max, desk.today + timedelta(days=AFTER_DAYS))
    return row


def take_back(desk: Desk, way_in_id: int) -> WayIn:
    """Withdraw what was noted by mistake. A plant stays in the list, and stays apart."""
    row = season.way_in(desk.session, way_in_id)
    row.withdrawn_at = row.withdrawn_at or desk.moment
    return row


def restore(desk: Desk, way_in_id: int) -> WayIn:
    """Let what was said to be gone, or taken back, stand again."""
    row = season.way_in(desk.session, way_in_id)
    record = desk.catalogue.ways_in[row.kind]
    row.until_on = _until(row, record)
    row.withdrawn_at = None
    return row
