"""The demo household, Tern Cottage: a made-up house by an estuary, laid out around today."""

from __future__ import annotations

import io
from dataclasses import dataclass, replace
from datetime import datetime, time, timedelta
from pathlib import Path

import numpy as np
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.catalogue.loader import shipped
from brood.demo import tern_following, tern_seasons
from brood.demo.life import Life
from brood.errors import SettingError
from brood.services.cases import commands, history, test_leaves
from brood.services.diagnosis import look_log, photos
from brood.services.house import before_mixing, places, plants, who_lives_here
from brood.services.treatment import shelf
from brood.services.voice import preferences
from brood.services.voice.desk import Desk
from brood.services.warmth import logger_files, sensor, weather
from brood.services.warmth.sensor import Device
from brood.services.warmth.simulated_logger import LoggerPlan, csv_text
from brood.store.kept import engine
from brood.store.queries import cases as queries
from brood.store.queries.cases import case
from brood.store.session import open_store
from brood.store.states import EveningOutcome

PLACES: tuple[tuple[str, str, str, float, float, str, str], ...] = (
    (
        "Glazed balcony",
        "Sun by day; a logger hangs between the pots.",
        "logger",
        26,
        15,
        "07:00",
        "20:00",
    ),
    ("North stairwell", "Cool and even.", "set-points", 18, 13, "08:00", "19:00"),
    ("Kitchen sill", "Above the radiator.", "set-points", 24, 18, "07:00", "22:00"),
    (
        "Propagation shelf",
        "Under the lamp from seven to nine; a thermometer that can be asked.",
        "sensor",
        25,
        21,
        "07:00",
        "21:00",
    ),
    (
        "Lean-to",
        "Unheated glasshouse on the south wall, with a minimum and maximum thermometer.",
        "diary",
        22,
        11,
        "08:00",
        "18:30",
    ),
    ("Raised bed", "Outdoors, out of the wind.", "weather", 19, 10, "07:00", "20:00"),
    ("Box room", "Quarantine for whatever is new.", "constant", 18.5, 18.5, "07:00", "22:00"),
)
HEATED = {"Kitchen sill": (23.0, 19.0)}
SETTINGS = {"Glazed balcony": "balcony", "Lean-to": "glasshouse", "Raised bed": "outdoor"}
APART = {"Box room": 3}
"""Where plants can be kept apart, and how many."""
SPOTS = {"Glazed balcony": (0.0, 1.0, 0.5), "Kitchen sill": (1.0, 0.0, 0.0)}
"""How much a whole place is shifted, and its warmest and coolest spot, °C."""
SENSOR_DAYS, DIARY_DAYS = 5, 12


def SHELF() -> Device:
    """The simulated thermometer of the propagation shelf."""
    return Device(low_c=21.0, high_c=25.0, seed=5)


PLANTS = (
    ("Aubergine", "fruiting-vegetable", "Glazed balcony"),
    ("Sweet pepper", "fruiting-vegetable", "Glazed balcony"),
    ("Fuchsia", "flowering", "Lean-to"),
    ("Pelargonium", "flowering", "Lean-to"),
    ("Bay laurel", "woody-citrus", "North stairwell"),
    ("Maidenhair fern", "foliage", "North stairwell"),
    ("Coffee plant", "foliage", "Kitchen sill"),
    ("Calamondin", "woody-citrus", "Kitchen sill"),
    ("Streptocarpus", "rosette", "Propagation shelf"),
    ("Basil seedling tray", "seedling-herb", "Propagation shelf"),
    ("Pak choi", "cabbage-family", "Raised bed"),
    ("Kohlrabi", "cabbage-family", "Raised bed"),
    ("Lemon", "woody-citrus", "Box room"),
)


TRAITS = {
    "Calamondin": plants.PlantTraits(worth="dear", eaten="no"),
    "Fuchsia": plants.PlantTraits(marks=("in-flower",)),
    "Streptocarpus": plants.PlantTraits(worth="only", marks=("hairy-leaf",)),
    "Coffee plant": plants.PlantTraits(worth="dear"),
    "Sweet pepper": plants.PlantTraits(number=3, size="small"),
}
LIVING = who_lives_here.Residents(frozenset({"cats", "fish"}), "")
GOES_TO = {"Glazed balcony": ["cats"], "Kitchen sill": ["cats"], "Box room": ["fish"]}
BOTTLES = (
    shelf.StockCommand("Brown bottle, chemist's", "isopropyl-alcohol", False, 70.0, 500.0),
    shelf.StockCommand("Liquid soap, unscented", "true-soap", False, None, 1000.0),
    shelf.StockCommand("Spray oil", "paraffinic-oil", False, 80.0, 250.0),
    shelf.StockCommand(
        "Soap concentrate for vegetables",
        "insecticidal-soap",
        True,
        None,
        500.0,
        20.0,
        3,
        None,
        1,
        ("indoor", "outdoor", "edible"),
    ),
    shelf.StockCommand(
        "Caterpillar powder, stirred",
        "btk",
        True,
        None,
        250.0,
        1.0,
        5,
        None,
        0,
        ("outdoor", "edible"),
    ),
    shelf.StockCommand(
        "Thrips concentrate", "spinosad", True, None, 60.0, 0.8, 7, 3, 7, ("indoor", "outdoor")
    ),
)


@dataclass(frozen=True)
class Trouble:
    """One demo case: when it was found (days ago), what, with which treatments, and the
    evenings done (days ago, None for on its day). Also the number under which it is
    held instead of being cleared, and the minutes of an evening, where they were noted.
    """

    plant: str
    pest: str
    found_ago: int
    found: tuple[tuple[str, float | None, str | None, str], ...]
    acts: tuple[str, ...]
    done_ago: tuple[int | None, ...]
    test_patch: bool = False
    hold: float | None = None
    minutes: int | None = None


TROUBLES = (
    Trouble(
        "Aubergine",
        "tetranychus-urticae",
        6,
        (
            ("egg", 40, None, "along the midrib, undersides"),
            ("young", 15, None, "undersides of five leaves"),
            ("adult", 6, None, "under fine threads"),
        ),
        ("wiping", "insecticidal-soap"),
        (6, 4),
        minutes=35,
    ),
    Trouble(
        "Fuchsia",
        "trialeurodes-vaporariorum",
        11,
        (
            ("egg", None, "dozens", "youngest leaves"),
            ("young", None, "dozens", "older leaves"),
            ("adult", 8, None, "fly up when touched"),
        ),
        ("wiping", "insecticidal-soap"),
        (11, 9),
        True,
    ),
    Trouble(
        "Streptocarpus",
        "frankliniella-occidentalis",
        5,
        (
            ("young", 9, None, "between the hairs along the veins"),
            ("adult", 3, None, "in two flowers"),
        ),
        ("wiping", "spinosad", "steinernema-feltiae"),
        (5, 3, 1),
    ),
    Trouble(
        "Calamondin",
        "coccus-hesperidum",
        9,
        (("young", None, "dozens", "along the midribs"), ("adult", 5, None, "on two twigs")),
        ("alcohol-swab", "paraffinic-oil"),
        (9, None),
        True,
    ),
    Trouble(
        "Basil seedling tray",
        "bradysia",
        5,
        (
            ("adult", 6, None, "rise when watered"),
            ("young", None, "dozens", "in the top of the soil"),
        ),
        ("bti-drench", "steinernema-feltiae", "sticky-cards"),
        (5,),
    ),
    Trouble(
        "Coffee plant",
        "pseudococcus-longispinus",
        8,
        (("young", 22, None, "in the axils"), ("adult", 5, None, "under a leaf")),
        ("alcohol-swab", "insecticidal-soap"),
        (8, None),
    ),
    Trouble(
        "Sweet pepper",
        "myzus-persicae",
        13,
        (("young", None, "dozens", "two shoot tips"), ("adult", 8, None, "two shoot tips")),
        ("wiping", "insecticidal-soap"),
        (12, 8, 4),
    ),
    Trouble(
        "Pak choi",
        "plutella-xylostella",
        5,
        (("egg", None, "few", "undersides"), ("young", 11, None, "windows in outer leaves")),
        ("wiping", "btk"),
        (4,),
    ),
    Trouble(
        "Kohlrabi",
        "pieris-rapae",
        2,
        (("egg", 12, None, "upright on the undersides"), ("young", 5, None, "along the ribs")),
        ("wiping",),
        (2,),
        hold=8,
        minutes=15,
    ),
)


MADE = "demo_made"
"""The setting that says when the demo was laid out, and by which version."""


def _made(moment: datetime) -> str:
    return f"{moment.date()} {engine()}"


def is_of_today(path: Path) -> bool:
    """Whether there is a demo household that this version laid out today."""
    if not path.is_file():
        return False
    try:
        store = open_store(path)
        with store.reading() as session:
            return preferences.get(session, MADE) == _made(datetime.now())
    except (SettingError, SQLAlchemyError):
        return False


def seed(
    path: Path,
    *,
    now: datetime | None = None,
    sensor_url: str = "http://127.0.0.1:8011/reading",
    arrive: bool = True,
) -> None:
    """Make the demo household in a new database file. `now` is the moment around which
    it is laid out. `sensor_url` is where its thermometer answers. Without `arrive` it is
    left to whoever serves it to work out how each case stands today, and when it is over.
    """
    moment = (now or datetime.now()).replace(minute=0, second=0, microsecond=0)
    catalogue, store = shipped(), open_store(path)
    with store.writing() as session:
        place_ids = {
            row[0]: places.add(session, _place(*row, sensor_url=sensor_url), now=moment)
            for row in PLACES
        }
        plant_ids = {
            name: plants.add(
                session,
                plants.PlantCommand(
                    name,
                    kind,
                    "",
                    place_ids[place],
                    moment.date() - timedelta(days=90),
                    TRAITS.get(name, plants.PlantTraits()),
                ),
                now=moment,
            )
            for name, kind, place in PLANTS
        }
        _read_off(session, place_ids["Lean-to"], moment)
        _asked(session, place_ids["Propagation shelf"], moment)
        weather.refresh(
            session, weather.SimulatedWeather(as_if_month=6, today=moment.date()), moment
        )
        log = csv_text(LoggerPlan(moment - timedelta(days=35), low_c=16.5, high_c=30.0))
        logger_files.take_file(
            session, place_ids["Glazed balcony"], "glazed-balcony.csv", log.encode(), now=moment
        )
        tern_seasons.tell(session, place_ids, moment, 6)
        who_lives_here.put(session, LIVING, {place_ids[name]: who for name, who in GOES_TO.items()})
        for bottle in BOTTLES:
            shelf.put(session, bottle, now=moment)
        _looked_over(session, catalogue, plant_ids, moment)
    life = Life(store, catalogue)
    for trouble in TROUBLES:
        _play(life, trouble, plant_ids[trouble.plant], moment)
    tern_following.play(life, plant_ids, moment)
    with store.writing() as session:
        _told_before_mixing(session, catalogue)
        tern_seasons.comes_in(Desk(session, catalogue, moment), place_ids)
    if arrive:
        life.arrive(moment)
    with store.writing() as session:
        preferences.put(session, MADE, _made(moment))
    store.close()


def _told_before_mixing(session: Session, catalogue: Catalogue) -> None:
    """What the household says of every plant, and that it has read the labels."""
    for plant in queries.plants(session):
        plant.eaten = "yes" if plants.is_eaten(plant) else "no"
        acts = [a.treatment_id for row in plant.cases for a in row.acts]
        asked = before_mixing.asked(session, catalogue, plant, acts)
        if asked is not None:
            told = before_mixing.Told(None, None, asked.flowers, asked.labels)
            before_mixing.tell(session, plant, told)


def _place(
    name: str,
    note: str,
    source: str,
    day_c: float,
    night_c: float,
    day_from: str,
    night_from: str,
    *,
    sensor_url: str,
) -> places.PlaceCommand:
    clock = (time.fromisoformat(day_from), time.fromisoformat(night_from))
    heated = HEATED.get(name)
    return places.PlaceCommand(
        name,
        note,
        source,
        places.Warmth(day_c, night_c, *clock),
        places.Warmth(*heated, *clock) if heated else None,
        *SPOTS.get(name, (0.0, 0.0, 0.0)),
        sensor_url if source == "sensor" else "",
        SETTINGS.get(name, "indoor"),
        APART.get(name),
    )


def _read_off(session: Session, place_id: int, moment: datetime) -> None:
    """A fortnight of readings of the lean-to's thermometer, two days forgotten."""
    rng = np.random.default_rng(11)
    days = [moment.date() - timedelta(days=n) for n in range(DIARY_DAYS, 0, -1)]
    nights, noons = rng.normal(11, 1.3, DIARY_DAYS), rng.normal(22, 2.0, DIARY_DAYS)
    readings = [
        (round(float(a), 1), round(float(b), 1)) for a, b in zip(nights, noons, strict=True)
    ]
    kept = [
        places.DiaryEntry(day, *pair)
        for n, (day, pair) in enumerate(zip(days, readings, strict=True))
        if n not in (4, 5)
    ]
    places.keep_diary(session, place_id, kept, now=moment)


def _asked(session: Session, place_id: int, moment: datetime) -> None:
    """What the shelf's thermometer has said every ten minutes, with one evening of silence."""
    device = SHELF()
    for n in range(SENSOR_DAYS * 144, -1, -1):
        at = moment - timedelta(minutes=10 * n)
        if 400 <= n < 430:
            continue
        device.clock = lambda at=at: at  # type: ignore[misc]
        sensor.record(session, place_id, sensor.Answer(device.celsius()), at)


LOOKS = (
    (
        "Lemon",
        0,
        {
            "where-along-veins": "yes",
            "bump-flat-oval-brown": "yes",
            "fixed-in-place": "yes",
            "sticky-plant": "yes",
            "where-stems": "yes",
            "stipple-pale-dots": "no",
            "yellow-rings-patches": "old",
        },
    ),
    (
        "Maidenhair fern",
        1,
        {
            "tips-edges-crispy": "yes",
            "same-on-every-leaf": "yes",
            "air-warm-dry": "yes",
            "lens-nothing-living": "yes",
            "web-fine": "no",
            "tap-nothing-alive": "yes",
            "black-specks": "no",
        },
    ),
    (
        "Pelargonium",
        2,
        {"flies-off-when-touched": "yes", "small-flies-about": "no", "sticky-plant": "no"},
    ),
)
"""Plant, days ago, answers: one look in the middle of things, one with nothing to
treat, one just begun.
"""


def _looked_over(
    session: Session, catalogue: Catalogue, plant_ids: dict[str, int], moment: datetime
) -> None:
    """Looks as a keeper would answer them, one by one."""
    for plant, ago, answers in LOOKS:
        at = moment - timedelta(days=ago, minutes=20)
        look_id = look_log.begin(session, plant_ids[plant], now=at)
        for n, (observation, said) in enumerate(answers.items()):
            look_log.answer(
                session, catalogue, look_id, {observation: said}, now=at + timedelta(minutes=2 * n)
            )
        if plant == LOOKS[0][0]:
            _photo(session, look_id, at + timedelta(minutes=16))


def _photo(session: Session, look_id: int, at: datetime) -> None:
    """A drawn photo of a leaf with three bumps beside a ruler, 20 dots to the
    millimetre, the first bump measured.
    """
    from PIL import Image, ImageDraw

    picture = Image.new("RGB", (1600, 1060), (226, 214, 186))
    pen = ImageDraw.Draw(picture)
    pen.polygon(
        [(0, 920), (260, 430), (760, 150), (1600, 60), (1600, 560), (1120, 830), (520, 960)],
        fill=(104, 134, 70),
    )
    pen.line([(0, 920), (520, 700), (1050, 440), (1600, 250)], fill=(146, 168, 98), width=20)
    for x, y in ((700, 590), (940, 470), (1170, 420)):
        pen.ellipse(
            [x - 36, y - 22, x + 36, y + 22], fill=(122, 84, 46), outline=(70, 46, 26), width=4
        )
    pen.rectangle([180, 975, 1420, 1055], fill=(240, 236, 222))
    for mm in range(61):
        pen.line(
            [
                (200 + mm * 20, 975),
                (200 + mm * 20, 1035 if mm % 10 == 0 else 1015 if mm % 5 == 0 else 1000),
            ],
            fill=(40, 34, 28),
            width=3,
        )
    data = io.BytesIO()
    picture.save(data, "JPEG", quality=80)
    photo_id = photos.add(session, look_id, "lemon-leaf.jpg", data.getvalue(), now=at)
    photos.set_scale(session, photo_id, (200, 980, 400, 980), 10.0)
    photos.measure(session, shipped(), photo_id, (664, 590, 736, 590), now=at)


def _test_leaves(life: Life, case_id: int, at: datetime) -> None:
    """Spray test leaves wherever they are needed. Those that wait are judged fine once
    48 hours are over.
    """
    with life.at(at) as desk:
        row = case(desk.session, case_id)
        for patch in test_leaves.states(desk.catalogue, row, at):
            if patch.state == "none":
                test_leaves.start(desk, case_id, patch.treatment_id, "the two lowest leaves")
            elif patch.state == "ready" and patch.test:
                test_leaves.judge(desk, patch.test.id, "fine", "")
    life.settle(at, case_id)


def _play(life: Life, trouble: Trouble, plant_id: int, moment: datetime) -> None:
    """Live through a case from its find to today, recording as a keeper would."""
    found_on = moment.date() - timedelta(days=trouble.found_ago)
    first = moment.date() - timedelta(days=trouble.done_ago[0] or 0)
    command = commands.OpenCommand(
        plant_id,
        trouble.pest,
        tuple(
            commands.FindCommand(found_on, stage, number, rough, where)
            for stage, number, rough, where in trouble.found
        ),
        tuple(commands.ActCommand(act, None, None) for act in trouble.acts),
        max(found_on, first),
        trouble.test_patch,
        trouble.hold,
    )
    at = datetime.combine(found_on, time(9))
    with life.at(at) as desk:
        case_id = commands.open_case(desk, command)
    life.settle(at, case_id)
    for ago in trouble.done_ago:
        if trouble.test_patch:
            then = datetime.combine(moment.date() - timedelta(days=ago or 0), time(9))
            _test_leaves(life, case_id, then)
        day = moment.date() - timedelta(days=ago) if ago is not None else None
        with life.at(datetime.combine(day or moment.date(), time(20))) as desk:
            slot = history.planned(case(desk.session, case_id))[0]
            day = day or slot.target_on
            if day < moment.date():
                said = commands.MarkCommand(EveningOutcome.DONE, day, minutes=trouble.minutes)
                commands.mark(replace(desk, moment=datetime.combine(day, time(20))), slot.id, said)
        life.settle(datetime.combine(day, time(20)), case_id)
