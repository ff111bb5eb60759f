"""Places: the list, one place with its temperatures, logger files, single readings."""

from __future__ import annotations

from datetime import date, timedelta

from flask import Blueprint, Response, request, url_for

from brood.errors import FieldErrors, InputError, NotFound
from brood.services.house import places, warmth_facts
from brood.services.warmth import logger_files, rain, sensor, weather
from brood.store.place_tables import Place, SetPoint
from brood.store.queries import cases, readings
from brood.web import render
from brood.web.context import household, now, prefs, speech, today
from brood.web.forms.house import places as form
from brood.web.forms.reader import Reader, key_of

bp = Blueprint("places", __name__, url_prefix="/places")
FIRST_YEAR, LAST_YEAR = 1990, 2200
START = {"day_from": "07:00", "night_from": "21:00"}


@bp.get("")
def page() -> Response:
    """Every place and how warm it is expected to be."""
    with household().store.reading() as session:
        return render.page(
            "house/places/page.html",
            lines=places.listing(session, today=today()),
            sources=warmth_facts.SOURCES,
        )


@bp.get("/new")
def new() -> Response:
    """The form for a place."""
    usual = f"{speech().degrees(places.USUAL_C):.0f}"
    return _form({**START, "source": "constant", "constant": usual}, None)


@bp.post("/new")
def add() -> Response:
    """Keep a new place."""
    with household().store.writing() as session:
        place_id = places.add(session, form.read(_reader()), now=now())
        weather.refresh(session, household().weather(now()), now())
    return render.go(url_for("places.one", place_id=place_id))


@bp.get("/<int:place_id>")
def one(place_id: int) -> Response:
    """One place."""
    return _one(place_id)


def _one(place_id: int) -> Response:
    with household().store.reading() as session:
        result = places.build(session, place_id, now=now())
        return render.page(
            "house/places/one.html",
            part="house/places/_one.html",
            result=result,
            facts=warmth_facts.facts(result, speech()),
        )


@bp.get("/<int:place_id>/edit")
def edit(place_id: int) -> Response:
    """The form for a place that is there."""
    with household().store.reading() as session:
        place = cases.place(session, place_id)
        point = readings.set_point(session, place_id)
        values = _values(place, point, readings.set_point(session, place_id, "heating"))
        return _form(values, place)


def _form(values: object, place: Place | None) -> Response:
    return render.page(
        "house/places/form.html",
        settings=places.SETTINGS,
        values=values,
        place=place,
    )


def _values(place: Place, point: SetPoint | None, heated: SetPoint | None) -> dict[str, str]:
    """A place as its form shows it."""
    scale = 1.0 if speech().unit == "C" else 9 / 5
    values = {
        "name": place.name,
        "note": place.note,
        "source": place.source,
        "setting": place.setting,
        "sensor_url": place.sensor_url,
        "apart_room": str(place.apart_room or ""),
        **START,
    }
    for key, celsius in (
        ("offset", place.offset_c),
        ("warm_spot", place.warm_spot_c),
        ("cool_spot", place.cool_spot_c),
    ):
        values[key] = f"{celsius * scale:g}" if celsius else ""
    for prefix, row in (("", point), ("heating_", heated)):
        if row is not None:
            values |= {
                f"{prefix}day": f"{speech().degrees(row.day_c):g}",
                f"{prefix}night": f"{speech().degrees(row.night_c):g}",
            }
            values[f"{prefix}constant"] = values[f"{prefix}day"]
    if point is not None:
        values |= {
            "day_from": point.day_from.isoformat("minutes"),
            "night_from": point.night_from.isoformat("minutes"),
        }
    return values


@bp.post("/<int:place_id>/edit")
def change(place_id: int) -> Response:
    """Keep a changed place."""
    with household().store.writing() as session:
        places.change(session, place_id, form.read(_reader()), now=now())
        weather.refresh(session, household().weather(now()), now())
    return render.go(url_for("places.one", place_id=place_id))


@bp.post("/<int:place_id>/file")
def upload(place_id: int) -> Response:
    """Read a logger file into a place."""
    files = [file for file in request.files.getlist("file") if file.filename]
    if not files:
        raise FieldErrors({"file": "Choose the logger's file first."})
    problems = []
    for file in files:
        try:
            with household().store.writing() as session:
                logger_files.take_file(
                    session, place_id, file.filename or "", file.read(), now=now(), prefs=prefs()
                )
        except InputError as error:
            problems.append(
                error.message if len(files) == 1 else f"{file.filename}: {error.message}"
            )
    if problems:
        raise FieldErrors({"file": " ".join(problems)})
    return (
        render.go(url_for("places.one", place_id=place_id))
        if not render.wants_part()
        else _one(place_id)
    )


@bp.post("/<int:place_id>/diary")
def keep_diary(place_id: int) -> Response:
    """Keep the days of a diary."""
    entries = form.diary(_reader(), [today() - timedelta(days=n) for n in range(places.DIARY_DAYS)])
    with household().store.writing() as session:
        places.keep_diary(session, place_id, entries, now=now())
    return (
        _one(place_id)
        if render.wants_part()
        else render.go(url_for("places.one", place_id=place_id))
    )


@bp.post("/<int:place_id>/rain")
def rained(place_id: int) -> Response:
    """Keep the rain of a day: told with one tap, or typed."""
    reader = _reader()
    tap = request.form.get("how", "")
    on = reader.day("on", "The day", back=60) if reader.raw("on") else today()
    mm = rain.TAPS.get(tap)
    if mm is None and tap != "forget":
        mm = form.rain(reader, "mm", "The rain")
        if mm is None:
            reader.fault("mm", "Say how much it rained.")
    reader.done()
    with household().store.writing() as session:
        cases.place(session, place_id)
        if tap == "forget":
            rain.forget(session, place_id, on, now=now())
        else:
            rain.tell(session, place_id, on, mm or 0.0, "tap" if tap else "diary", now=now())
    if render.wants_part():
        return _one(place_id)
    case_id = key_of(request.form.get("case", ""))
    return render.go(f"/cases/{case_id}" if case_id else url_for("places.one", place_id=place_id))


@bp.post("/<int:place_id>/ask")
def ask(place_id: int) -> Response:
    """Ask a place's sensor, or its weather service, now."""
    with household().store.reading() as session:
        place = cases.place(session, place_id)
    said = sensor.answer_of(place.sensor_url) if place.source == "sensor" else None
    with household().store.writing() as session:
        if said is not None:
            sensor.record(session, place_id, said, now())
        elif place.source == "weather":
            weather.refresh(session, household().weather(now()), now(), force=True)
    return (
        _one(place_id)
        if render.wants_part()
        else render.go(url_for("places.one", place_id=place_id))
    )


@bp.post("/file/<int:upload_id>/withdraw")
def withdraw(upload_id: int) -> Response:
    """Withdraw a logger file, or bring it back."""
    with household().store.writing() as session:
        place_id = logger_files.withdraw_file(
            session, upload_id, out=request.form.get("to") != "in", now=now()
        )
    return (
        _one(place_id)
        if render.wants_part()
        else render.go(url_for("places.one", place_id=place_id))
    )


@bp.get("/<int:place_id>/day/<day>")
def day(place_id: int, day: str) -> Response:
    """The single readings of a day."""
    of = _day_of(day)
    with household().store.reading() as session:
        return render.page(
            "house/places/day.html",
            place=cases.place(session, place_id),
            day=of,
            rows=readings.of_day(session, place_id, of),
        )


def _day_of(text: str) -> date:
    try:
        found = date.fromisoformat(text)
    except ValueError:
        raise NotFound("There is no such day.") from None
    if not FIRST_YEAR <= found.year <= LAST_YEAR:
        raise NotFound("There is no such day.")
    return found


@bp.post("/reading/<int:reading_id>")
def correct(reading_id: int) -> Response:
    """Correct or withdraw one reading."""
    with household().store.writing() as session:
        reading = logger_files.correct_reading(
            session, reading_id, form.reading(_reader()), now=now()
        )
    return render.go(
        url_for("places.day", place_id=reading.place_id, day=reading.at.date().isoformat())
    )


def _reader() -> Reader:
    return Reader(request.form, speech(), today())
