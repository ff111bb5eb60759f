"""Sprays before any pest comes: what is offered to a plant, and putting one on."""

from __future__ import annotations

from dataclasses import dataclass, replace

from brood.catalogue.schema import StateRecord
from brood.errors import FieldErrors
from brood.services.house import load, plant_states
from brood.services.house.plant_states import StateCommand
from brood.services.treatment import choose, permitted
from brood.services.treatment.permitted import Offer
from brood.services.voice.desk import Desk
from brood.store.queries import cases
from brood.store.tables import Plant, PlantState


@dataclass(frozen=True)
class Preventive:
    """A spray that a plant can get before any pest comes: how it is offered, what forbids
    it now (empty where nothing does), whether leaves must be tried first, and how many days
    what is eaten waits after it.
    """

    key: str
    record: StateRecord
    offer: Offer
    barred: str
    untried: bool
    harvest_wait: int


def offered(desk: Desk, plant: Plant) -> list[Preventive]:
    """The sprays before any pest comes, as they stand for a plant."""
    here = choose.setting_of(desk.session, plant, today=desk.today)
    had = {act for day in load.had(desk.catalogue, plant) for act in day.acts}
    carries = load.of_plant(desk.catalogue, plant, desk.today, desk.speech)
    out = []
    for key, record in desk.catalogue.states.items():
        if record.sprays is None:
            continue
        offer = permitted.offer(desk.catalogue, record.sprays, here)
        barred = " ".join(offer.refused)
        if not barred and offer.care.wears and carries.rest_until is not None:
            until = desk.speech.day(carries.rest_until)
            barred = f"Its leaves have had enough: no spray before {until}. Wipe or shower instead."
        untried = offer.care.wears and record.sprays not in had
        out.append(Preventive(key, record, offer, barred, untried, _wait(offer)))
    return out


def _wait(offer: Offer) -> int:
    """The days to the harvest by the label of the bottle on the shelf, or as usual."""
    told = offer.product.harvest_days if offer.product else None
    return offer.record.harvest_days if told is None else told


def put_on(desk: Desk, plant_id: int, said: StateCommand, *, tried: bool) -> None:
    """Keep that a spray was put on before any pest came. Raises FieldErrors for one that is
    not offered to this plant, for leaves that have had enough, and until leaves were tried.
    """
    plant = cases.plant(desk.session, plant_id)
    one = next((p for p in offered(desk, plant) if p.key == said.kind), None)
    if one is None:
        raise FieldErrors({"state": "Choose what it is."})
    if one.barred:
        raise FieldErrors({"state": one.barred})
    if one.untried and not tried:
        raise FieldErrors(
            {
                "tried": f"{plant.name} has not had this yet. Spray two leaves, look at them after "
                "48 hours, and tick that they are fine."
            }
        )
    told = replace(said, harvest_wait=one.harvest_wait)
    plant_states.begin(desk.session, desk.catalogue, plant_id, told, desk.speech, now=desk.moment)


def lengthen(desk: Desk, state_id: int) -> PlantState:
    """Let a state last for its usual time from today. What is sprayed is put on afresh, with
    the same limits as the first time; what was there before shows that leaves bear it.
    """
    row = plant_states.state(desk.session, state_id)
    record = desk.catalogue.states[row.kind]
    if record.sprays is not None and row.since_on < desk.today:
        said = StateCommand(row.kind, desk.today, None, row.note)
        put_on(desk, row.plant_id, said, tried=True)
        return row
    return plant_states.lengthen(desk.session, desk.catalogue, state_id, desk.moment)
