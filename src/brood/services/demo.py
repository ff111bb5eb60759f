"""The demo household, Tern Cottage: a made-up house by an estuary, laid out around today."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, time, timedelta
from pathlib import Path

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.catalogue.loader import shipped
from brood.services import cases, places, plants
from brood.services.logger import LoggerPlan, csv_text
from brood.services.speech import Speech
from brood.store.session import Store, open_store

SPEECH = Speech()

PLACES: tuple[tuple[str, str, float, float, str, str], ...] = (
    ("Glazed balcony", "Sun by day; a logger hangs between the pots.", 26, 15, "07:00", "20:00"),
    ("North stairwell", "Cool and even.", 18, 13, "08:00", "19:00"),
    ("Kitchen sill", "Above the radiator.", 24, 18, "07:00", "22:00"),
    ("Propagation shelf", "Under the lamp from seven to nine.", 25, 21, "07:00", "21:00"),
    ("Lean-to", "Unheated glasshouse on the south wall.", 22, 11, "08:00", "18:30"),
    ("Raised bed", "Outdoors, out of the wind.", 19, 10, "07:00", "20:00"),
    ("Box room", "Quarantine for whatever is new.", 20, 17, "07:00", "22:00"),
)
PLANTS = (
    ("Aubergine", "fruiting-vegetable", "Glazed balcony"), ("Sweet pepper", "fruiting-vegetable", "Glazed balcony"),
    ("Fuchsia", "flowering", "Lean-to"), ("Pelargonium", "flowering", "Lean-to"),
    ("Bay laurel", "woody-citrus", "North stairwell"), ("Maidenhair fern", "foliage", "North stairwell"),
    ("Coffee plant", "foliage", "Kitchen sill"), ("Calamondin", "woody-citrus", "Kitchen sill"),
    ("Streptocarpus", "rosette", "Propagation shelf"), ("Basil seedling tray", "seedling-herb", "Propagation shelf"),
    ("Pak choi", "cabbage-family", "Raised bed"), ("Kohlrabi", "cabbage-family", "Raised bed"),
    ("Lemon", "woody-citrus", "Box room"),
)  # fmt: skip


@dataclass(frozen=True)
class Trouble:
    """One demo case: when it was found (days ago), what, with which treatments, and the evenings done (days ago)."""

    plant: str
    pest: str
    found_ago: int
    found: tuple[tuple[str, float | None, str | None, str], ...]
    acts: tuple[str, ...]
    done_ago: tuple[int, ...]
    test_patch: bool = False


TROUBLES = (
    Trouble("Aubergine", "tetranychus-urticae", 6,
            (
            ("egg", 90, None, "along the midrib, undersides"), ("young", 45, None, "undersides of five leaves"),
            ("adult", 18, None, "under fine threads"),
        ),
            ("wiping", "insecticidal-soap"), (5, 2)),
    Trouble("Fuchsia", "trialeurodes-vaporariorum", 11,
            (("egg", None, "dozens", "youngest leaves"), ("young", None, "dozens", "older leaves"), ("adult", 14, None, "fly up when touched")),
            ("wiping", "insecticidal-soap"), (11, 9), True),
    Trouble("Streptocarpus", "frankliniella-occidentalis", 5,
            (("young", 16, None, "between the hairs along the veins"), ("adult", 5, None, "in two flowers")),
            ("wiping", "paraffinic-oil"), (5, 3, 1)),
)  # fmt: skip


def seed(path: Path, *, now: datetime | None = None) -> None:
    """Make the demo household in a new database file. `now` is the moment it is laid around."""
    moment = (now or datetime.now()).replace(minute=0, second=0, microsecond=0)
    catalogue, store = shipped(), open_store(path)
    with store.writing() as session:
        place_ids = {row[0]: places.add(session, _place(*row), now=moment) for row in PLACES}
        plant_ids = {
            name: plants.add(session, plants.PlantCommand(name, kind, "", place_ids[place], moment.date() - timedelta(days=90)), now=moment)
            for name, kind, place in PLANTS
        }
        log = csv_text(LoggerPlan(moment - timedelta(days=35), low_c=16.5, high_c=30.0))
        places.take_file(session, place_ids["Glazed balcony"], "glazed-balcony.csv", log.encode(), now=moment)
    for trouble in TROUBLES:
        _play(store, catalogue, trouble, plant_ids[trouble.plant], moment)
    store.close()


def _place(name: str, note: str, day_c: float, night_c: float, day_from: str, night_from: str) -> places.PlaceCommand:
    return places.PlaceCommand(name, note, "set-points", places.Warmth(day_c, night_c, time.fromisoformat(day_from), time.fromisoformat(night_from)))


def _play(store: Store, catalogue: Catalogue, trouble: Trouble, plant_id: int, moment: datetime) -> None:
    """Live through a case from its find to today, recording as a keeper would."""
    found_on = moment.date() - timedelta(days=trouble.found_ago)
    first = moment.date() - timedelta(days=trouble.done_ago[0])
    command = cases.OpenCommand(
        plant_id, trouble.pest, tuple(cases.FindCommand(found_on, stage, number, rough, where) for stage, number, rough, where in trouble.found),
        tuple(cases.ActCommand(act, None, None) for act in trouble.acts), max(found_on, first), trouble.test_patch,
    )  # fmt: skip
    with store.writing() as session:
        case_id = cases.open_case(session, catalogue, command, today=found_on, now=datetime.combine(found_on, time(9)), speech=SPEECH)
    for ago in trouble.done_ago:
        day = moment.date() - timedelta(days=ago)
        with store.writing() as session:
            slot = _next(session, case_id)
            cases.mark(session, catalogue, slot, cases.MarkCommand("done", day), now=datetime.combine(day, time(20)), speech=SPEECH)


def _next(session: Session, case_id: int) -> int:
    from brood.store.queries.cases import case

    return min((a.number, a.id) for a in case(session, case_id).applications if a.status == "planned")[1]
