"""The first plan in one form: a plant, how warm it stands, the pest and roughly how many.
The place is made with it, and the treatments are chosen.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import time, timedelta

from brood.core.biology.pest import ADULT
from brood.services.cases import commands
from brood.services.cases.commands import ActCommand, FindCommand, OpenCommand
from brood.services.house import places, plant_states, plants
from brood.services.house.places import DiaryEntry, PlaceCommand, Warmth
from brood.services.house.plants import PlantCommand, PlantTraits
from brood.services.treatment import choose, defaults
from brood.services.voice.desk import Desk
from brood.store.queries import cases

HOW_MANY = {"few": "few", "dozens": "dozens", "hundreds": "hundreds"}
FEWER = {"few": "few", "dozens": "few", "hundreds": "dozens"}
FLIES_SEEN = ("fungus-gnat",)
"""Groups of which keepers see the adults and not the young."""
KINDS = {
    "woody-citrus": "small tree",
    "foliage": "leafy",
    "flowering": "flowering",
    "rosette": "rosette, hairy",
    "orchid": "orchid",
    "cactus-succulent": "cactus",
    "seedling-herb": "seedlings, herbs",
    "fruiting-vegetable": "with fruits",
    "cabbage-family": "cabbages",
    "": "another kind",
}
"""Kinds of plants in a word or two, for choosing by picture."""
WHERE = {"indoor": "indoors", "outdoor": "outdoors"}
UNNAMED = "Unnamed place"


@dataclass(frozen=True)
class FirstCommand:
    """What the one form says. Without a `pest_id` the plant is only kept. `stages` are
    those that were seen (empty: not said), `place_id` a place that is there, `low_high_c`
    yesterday's lowest and highest temperature where a thermometer keeps them.
    """

    name: str
    kind: str
    setting: str
    celsius: float
    place_id: int | None
    pest_id: str
    how_many: str
    stages: tuple[str, ...] = ()
    low_high_c: tuple[float, float] | None = None


@dataclass(frozen=True)
class FirstResult:
    """The plant that was kept, and its case where a pest was named."""

    plant_id: int
    case_id: int | None


def finds(
    desk: Desk, pest_id: str, how_many: str, stages: tuple[str, ...]
) -> tuple[FindCommand, ...]:
    """What was seen, by stage. Where no stage was told: so many young ones and a class
    fewer adults, as in a growing population; of what keepers see flying, as many adults.
    """
    record = desk.catalogue.records[pest_id]
    choices = [stage for stage, _ in commands.stage_choices(record)]
    few = how_many if record.group in FLIES_SEEN else FEWER[how_many]
    told = dict.fromkeys(stages, how_many)
    young = next((s for s in choices if s == "young"), choices[0])
    rough = {s: told[s] for s in choices if s in told} or {young: how_many, ADULT: few}
    return tuple(FindCommand(desk.today, s, None, r, "") for s, r in rough.items())


def begin(desk: Desk, command: FirstCommand) -> FirstResult:
    """Keep the plant, its place and its case. Raises FieldErrors for a name that is taken."""
    place_id = command.place_id or _new_place(desk, command)
    plant_id = plants.add(
        desk.session,
        PlantCommand(command.name, command.kind, "", place_id, desk.today, PlantTraits()),
        now=desk.moment,
    )
    if not command.pest_id:
        return FirstResult(plant_id, None)
    return FirstResult(
        plant_id, plan_for(desk, plant_id, command.pest_id, command.how_many, command.stages)
    )


def plan_for(
    desk: Desk, plant_id: int, pest_id: str, how_many: str, stages: tuple[str, ...] = ()
) -> int:
    """Open the case of a plant with the treatments that suit it; its id. Raises
    FieldErrors where the pest has an open case there.
    """
    plant = cases.plant(desk.session, plant_id)
    here = choose.setting_of(desk.session, plant, today=desk.today)
    proposed = defaults.of_plant(desk.catalogue, pest_id, here)
    acts = tuple(ActCommand(act, None, None) for act in proposed.acts)
    acts = choose.check(desk.catalogue, here, acts)
    found = finds(desk, pest_id, how_many, stages)
    case_id = commands.open_case(
        desk, OpenCommand(plant_id, pest_id, found, acts, desk.today, test_patch=True)
    )
    chosen = [a.treatment_id for a in acts]
    plant_states.follow_choice(
        desk.session, desk.catalogue, plant_id, chosen=chosen, now=desk.moment
    )
    return case_id


def _new_place(desk: Desk, command: FirstCommand) -> int:
    """A place for the plant, with the first day of its diary where one was told; its id."""
    place_id = places.add(desk.session, _place(desk, command), now=desk.moment)
    if command.low_high_c:
        day = DiaryEntry(desk.today - timedelta(days=1), *command.low_high_c)
        places.keep_diary(desk.session, place_id, [day], now=desk.moment)
    return place_id


def _place(desk: Desk, command: FirstCommand) -> PlaceCommand:
    """A place of its own, under a name that is free."""
    taken = {place.name for place in cases.places(desk.session)}
    names = (UNNAMED, *(f"{UNNAMED} {n}" for n in range(2, len(taken) + 3)))
    free = next(name for name in names if name not in taken)
    warmth = Warmth(command.celsius, command.celsius, time(7), time(21))
    source = "diary" if command.low_high_c else "constant"
    return replace(PlaceCommand(free, "", source, warmth), setting=command.setting)
