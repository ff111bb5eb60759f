"""Plants: the list, one plant, adding and changing."""

from __future__ import annotations

from flask import Blueprint, Response, request, url_for
from sqlalchemy.orm import Session

from brood.services.archive import handover
from brood.services.cases import beside
from brood.services.house import events, load, neighbours, plant_states, plants, quarantine
from brood.services.treatment import preventive
from brood.services.warmth.rain import reaches
from brood.store.queries import cases, looks
from brood.store.queries.lasting import of_plant
from brood.web import render
from brood.web.context import catalogue, household, now, reading, speech, today, writing
from brood.web.forms.house import plants as form
from brood.web.forms.reader import Reader, key_of

bp = Blueprint("plants", __name__, url_prefix="/plants")
MOST_NEAR, MOST_SHOWN = 12, 60


@bp.get("")
def page() -> Response:
    """Every plant and what is next for it."""
    with household().store.reading() as session:
        lines = plants.listing(session, catalogue(), today=today(), speech=speech())
        words = request.args.get("q", "")[:80]
        others = [n for n in lines if not n.cases and plants.fits(n, words)]
        skip = key_of(request.args.get("skip", "")) or 0
        shown = others[skip : skip + MOST_SHOWN]
        return render.page(
            "house/plants/page.html",
            lines=lines,
            others=shown,
            total=len(others),
            skip=skip,
            older=skip + MOST_SHOWN if len(others) > skip + MOST_SHOWN else None,
            newer=max(0, skip - MOST_SHOWN) if skip else None,
            q=words,
            places=cases.places(session),
        )


@bp.get("/new")
def new() -> Response:
    """The form for a plant."""
    with household().store.reading() as session:
        return _form(session, {"place": request.args.get("place", "")})


@bp.post("/new")
def add() -> Response:
    """Keep a new plant."""
    with household().store.writing() as session:
        command = form.read(_reader(), [p.id for p in cases.places(session)], _marks())
        plant_id = plants.add(session, command, now=now())
    return render.go(url_for("plants.one", plant_id=plant_id))


@bp.get("/<int:plant_id>")
def one(plant_id: int) -> Response:
    """One plant."""
    with reading() as desk:
        session, plant = desk.session, cases.plant(desk.session, plant_id)
        lines = [(c, plants.case_line(c, catalogue(), today(), speech())) for c in plant.cases]
        apart = next(
            (q for q in quarantine.open_quarantines(session) if q.plant_id == plant_id), None
        )
        had = load.had(catalogue(), plant)
        return render.page(
            "house/plants/one.html",
            plant=plant,
            lines=lines,
            kinds=plants.KINDS,
            prone=plants.prone_to(catalogue(), plant),
            looks=looks.of_plant(session, plant_id),
            near=beside.beside(session, plant)[:MOST_NEAR],
            apart=apart,
            reasons=quarantine.REASONS,
            events=events.EVENTS,
            treated=had[-1] if had else None,
            load=load.of_plant(catalogue(), plant, today(), speech()),
            since=load.since(had, today()),
            pick_from=load.pick_from(catalogue(), plant),
            injuries=load.injuries(catalogue(), plant),
            befell=events.of_plant(session, plant_id),
            states=plant_states.lines(session, catalogue(), of_plant(session, plant_id), today()),
            kinds_of_state=[
                (key, one.name) for key, one in catalogue().states.items() if one.sprays is None
            ],
            eaten=plants.is_eaten(plant),
            sprays=preventive.offered(desk, plant) if plant.gone_on is None else [],
            rains=reaches(plant.stays[-1].place if plant.stays else None),
            repot=events.repotting(catalogue(), plant),
            carries=events.what_it_carries(session, catalogue(), plant),
            went_with=[catalogue().name(c.pest_id) for c in neighbours.sources(plant, today())]
            if plant.gone_on
            else [],
        )


@bp.get("/<int:plant_id>/note")
def note(plant_id: int) -> Response:
    """The note for whoever takes a plant, to print."""
    with reading() as desk:
        return render.page("house/plants/note.html", n=handover.of_plant(desk, plant_id))


@bp.get("/<int:plant_id>/edit")
def edit(plant_id: int) -> Response:
    """The form for a plant that is there."""
    with household().store.reading() as session:
        plant = cases.plant(session, plant_id)
        place = plant.stays[-1].place_id if plant.stays else ""
        kept = {
            key: getattr(plant, key)
            for key in (
                "name",
                "kind",
                "note",
                "species",
                "build",
                "size",
                "age",
                "growth",
                "worth",
                "eaten",
                "sensitive",
                "number",
            )
        }
        return _form(
            session,
            {**kept, "place": str(place), **{f"mark-{m}": "1" for m in plant.marks}},
            plant_id=plant_id,
        )


@bp.post("/<int:plant_id>/edit")
def change(plant_id: int) -> Response:
    """Keep a changed plant."""
    with household().store.writing() as session:
        command = form.read(_reader(), [p.id for p in cases.places(session)], _marks())
        plants.change(session, plant_id, command, now=now())
    return render.go(url_for("plants.one", plant_id=plant_id))


@bp.post("/<int:plant_id>/state")
def begin_state(plant_id: int) -> Response:
    """Begin a state that lasts on a plant."""
    reader = _reader()
    kind = reader.choice("state", catalogue().states, "what it is")
    since = reader.day("since", "The first day", back=400) if reader.raw("since") else today()
    until = (
        reader.day("until", "The last day", back=400, ahead=400) if reader.raw("until") else None
    )
    note = reader.text("state_note", "The note", longest=200, needed=False)
    reader.done()
    said = plant_states.StateCommand(kind, since, until, note)
    with writing() as desk:
        if catalogue().states[kind].sprays is not None:
            preventive.put_on(desk, plant_id, said, tried=bool(reader.raw("tried")))
        else:
            plant_states.begin(desk.session, catalogue(), plant_id, said, speech(), now=now())
    return render.go(url_for("plants.one", plant_id=plant_id) + "#states")


@bp.post("/states/<int:state_id>/<any(care, lengthen, end, withdraw):act>")
def tend_state(state_id: int, act: str) -> Response:
    """Look after a state, lengthen it, end it, or take it back."""
    with writing() as desk:
        session = desk.session
        if act == "care":
            row = plant_states.care(session, state_id, today())
        elif act == "lengthen":
            row = preventive.lengthen(desk, state_id)
        elif act == "end":
            row = plant_states.end(session, state_id, today())
        else:
            row = plant_states.take_back(session, state_id, now())
        plant_id = row.plant_id
    if request.form.get("back") == "today":
        return render.go(url_for("today.page"))
    return render.go(url_for("plants.one", plant_id=plant_id) + "#states")


def _marks() -> list[str]:
    return [m.id for m in catalogue().sensitivity.marked]


def _reader() -> Reader:
    return Reader(request.form, speech(), today())


def _form(
    session: Session,
    values: object,
    plant_id: int | None = None,
) -> Response:
    places = cases.places(session)
    return render.page(
        "house/plants/form.html",
        values=values,
        places=places,
        kinds=plants.KINDS,
        plant_id=plant_id,
        marks=catalogue().sensitivity.marked,
        choices={
            "build": plants.BUILDS.items(),
            "size": plants.SIZES.items(),
            "age": plants.AGES.items(),
            "growth": plants.GROWTHS.items(),
            "worth": plants.WORTHS.items(),
            "eaten": plants.EATEN_CHOICES.items(),
        },
    )
