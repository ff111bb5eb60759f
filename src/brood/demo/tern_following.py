"""What follows in the demo household: counts, a card, a newcomer kept apart, where
everything stands.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime, timedelta

from sqlalchemy.orm import Session

from brood.demo.life import Life
from brood.services.archive import costs
from brood.services.cases import commands
from brood.services.followup import inspections
from brood.services.followup.inspections import CountCommand, InspectCommand
from brood.services.house import events, neighbours, plant_states, quarantine
from brood.services.voice.desk import Desk
from brood.store.queries import cases
from brood.store.tables import Plant

SPOTS = (
    ("Aubergine", 1, 1, True, ""),
    ("Sweet pepper", 1, 2, False, ""),
    ("Fuchsia", 1, 1, False, ""),
    ("Pelargonium", 1, 2, False, ""),
    ("Bay laurel", 1, 1, False, ""),
    ("Maidenhair fern", 2, 1, False, ""),
    ("Coffee plant", 1, 1, False, "zinc tray"),
    ("Calamondin", 1, 2, False, "zinc tray"),
    ("Streptocarpus", 1, 1, True, ""),
    ("Basil seedling tray", 1, 2, False, ""),
    ("Pak choi", 1, 1, True, ""),
    ("Kohlrabi", 1, 2, False, ""),
)
"""Plant, shelf, position, touches the next one, shared tray."""
DRAUGHT = {"Lean-to": "right"}
SEEN = (
    (
        "Aubergine",
        1,
        (("young", 2, 21, "moves"), ("adult", 0, 6, "moves")),
        "usual",
        "clean",
        "undersides",
    ),
    ("Calamondin", 6, (("young", 24, 3, "wet"), ("adult", 6, 0, "holds")), "usual", "", "stems"),
    (
        "Calamondin",
        2,
        (("young", 31, 9, "wet"), ("adult", 5, 1, "holds")),
        "lens",
        "marked",
        "axils",
    ),
    ("Sweet pepper", 8, (("young", 2, 30, "moves"),), "usual", "clean", "new-growth"),
    ("Sweet pepper", 0, (), "lens", "clean", ""),
    ("Fuchsia", 3, (("young", 4, 9, ""), ("adult", 1, 0, "moves")), "glance", "", "undersides"),
)
"""Plant, days ago, what was seen (class, alive, dead, clue), how closely, new leaves, where."""
CARDS = (
    ("Basil seedling tray", "yellow", 4, ((2, 11),)),
    ("Streptocarpus", "blue", 5, ((3, 6), (1, 4))),
)
SPENT = (
    ("Soap concentrate for vegetables", 11.90, 6, "Aubergine"),
    ("Yellow and blue cards, ten of each", 7.5, 5, None),
    ("Nematodes, one sachet", 14.0, 4, "Basil seedling tray"),
)
"""What was bought, for how much, how many days ago, and for the case of which plant."""
LASTING = (
    ("Kohlrabi", "netting", 2, "hoops and pegs all round"),
    ("Basil seedling tray", "dry-surface", 4, "saucer filled every other morning"),
    ("Coffee plant", "ants", 1, "three, up the stem"),
)
"""Plant, what lasts on it, since how many days, a note."""
CUT = ("Sweet pepper", 3, 2, 14)
"""Plant, days ago, leaves cut of so many."""
NEWCOMER, APART_DAYS, LOOKED_DAYS = "Lemon", 12, (5,)


def play(life: Life, plant_ids: Mapping[str, int], moment: datetime) -> None:
    """Record it as a keeper would, day by day."""
    with life.at(moment) as desk:
        session = desk.session
        _arrange(session, plant_ids)
        _apart(session, plant_ids[NEWCOMER], moment)
        for plant, colour, ago, counts in CARDS:
            _card(desk, plant_ids[plant], colour, ago, counts)
        for plant, ago, seen, how, growth, spot in SEEN:
            at = (moment - timedelta(days=ago)).replace(hour=9)
            counted = tuple(CountCommand(kind, live, dead, clue) for kind, live, dead, clue in seen)
            said = InspectCommand(at.date(), counted, 0.5, how, growth=growth, spot=spot)
            case_id = _case(session, plant_ids[plant])
            inspections.record(replace(desk, moment=at), case_id, said)
        for what, amount, ago, whose in SPENT:
            at = moment - timedelta(days=ago)
            spent_for = _case(session, plant_ids[whose]) if whose else None
            costs.spend(session, what, amount, at.date(), spent_for, now=at)
        _lasts(desk, plant_ids)
        fuchsia = _case(session, plant_ids["Fuchsia"])
        commands.came_from(desk, fuchsia, "newcomer", "with the young plants in April")


def _lasts(desk: Desk, plant_ids: Mapping[str, int]) -> None:
    """What lasts on the plants, and what was cut off one."""
    session, today = desk.session, desk.today
    for plant, kind, ago, note in LASTING:
        since = today - timedelta(days=ago)
        said = plant_states.StateCommand(kind, since, None, note)
        plant_states.begin(
            session, desk.catalogue, plant_ids[plant], said, desk.speech, now=desk.moment
        )
    plant, ago, leaves, of_leaves = CUT
    on = today - timedelta(days=ago)
    cut = events.EventCommand("cut", on, "the two worst tips", leaves, of_leaves)
    events.befell(session, desk.catalogue, plant_ids[plant], cut, now=desk.moment)


def _case(session: Session, plant_id: int) -> int:
    return next(c.id for c in cases.plant(session, plant_id).cases if c.closed_at is None)


def _arrange(session: Session, plant_ids: Mapping[str, int]) -> None:
    by_place: dict[int, list[neighbours.SpotCommand]] = {}
    for name, shelf, position, touches, tray in SPOTS:
        plant: Plant = cases.plant(session, plant_ids[name])
        by_place.setdefault(plant.stays[-1].place_id, []).append(
            neighbours.SpotCommand(plant.id, shelf, position, touches, tray)
        )
    for place in cases.places(session):
        neighbours.arrange(
            session, place.id, DRAUGHT.get(place.name, ""), by_place.get(place.id, [])
        )


def _apart(session: Session, plant_id: int, moment: datetime) -> None:
    since = moment - timedelta(days=APART_DAYS)
    kept = quarantine.keep_apart(
        session, plant_id, "newcomer", since.date(), "bought at the spring market", now=since
    )
    for ago in LOOKED_DAYS:
        at = moment - timedelta(days=ago)
        quarantine.look_apart(session, kept, InspectCommand(at.date(), (), 1.0, "usual"), now=at)
    for step in ("rim",):
        quarantine.step(session, kept, step)


def _card(
    desk: Desk, plant_id: int, colour: str, ago: int, counts: tuple[tuple[int, int], ...]
) -> None:
    case_id, hung = _case(desk.session, plant_id), desk.moment - timedelta(days=ago)
    inspections.hang(replace(desk, moment=hung), case_id, colour, hung.date())
    desk.session.flush()
    card = cases.case(desk.session, case_id).cards[-1]
    for days, number in counts:
        at = desk.moment - timedelta(days=days)
        inspections.count(
            replace(desk, moment=at), card.id, at.date(), number, replaced=False, gone=False
        )
