"""The whole house, and the plan of each place."""

from __future__ import annotations

from flask import Blueprint, Response, request, url_for

from brood.services.cases import beside
from brood.services.house import neighbour_walks, neighbours
from brood.services.season import rhythm, season_tasks
from brood.store.place_tables import Place
from brood.store.queries import cases
from brood.web import render
from brood.web.context import household, reading, speech, today
from brood.web.forms.reader import Reader

bp = Blueprint("house", __name__)
MOST_SHELVES, MOST_DRAWN = 12, 60
"""Where more plants stand, the picture of a place is drawn when it is opened."""


@bp.get("/house")
def page() -> Response:
    """Every place with its plants: infested, suspect, watched, clear."""
    with reading() as desk:
        here = beside.house_of(desk.session)
        places = [(place, rows) for place, rows in season_tasks.standings(desk, here) if rows]
        risks = neighbours.risks(here, desk.catalogue, desk.today)
        stops = neighbour_walks.to_check(risks, desk.today)
        states = {
            state: sum(r.state == state for _, rows in places for r in rows)
            for state in neighbours.STATES
        }
        return render.page(
            "house/house/page.html",
            places=places,
            risks=[r for r in risks if r.chance >= neighbours.CHECKED],
            to_check={s.place.id for s in stops if s.place and s.due_on <= desk.today},
            many=len(here.here) > MOST_DRAWN,
            states=states,
            checked=neighbours.CHECKED,
        )


@bp.get("/house/<int:place_id>")
def picture(place_id: int) -> Response:
    """The picture of one place."""
    place, rows = _standing(place_id)
    return render.page(
        "house/house/picture.html", part="house/house/_picture.html", place=place, rows=rows
    )


@bp.get("/house/<int:place_id>/walk")
def walk(place_id: int) -> Response:
    """The plants of a place that may have caught something, to look over one by one."""
    with reading() as desk:
        place = cases.place(desk.session, place_id)
        here = beside.house_of(desk.session)
        due, later = neighbour_walks.of_place(here, desk.catalogue, place_id, desk.today)
        turn = season_tasks.in_turn(desk, here, place_id, {stop.plant.id for stop in due})
        return render.page(
            "house/house/walk.html",
            place=place,
            due=[(stop, neighbour_walks.sits_on(desk.catalogue, stop)) for stop in due],
            turn=turn,
            later=later,
            minutes=neighbour_walks.minutes(due) + rhythm.minutes(turn),
        )


def _standing(place_id: int) -> tuple[Place, list[neighbours.Standing]]:
    """A place, and how each plant there stands."""
    with reading() as desk:
        place = cases.place(desk.session, place_id)
        every = season_tasks.standings(desk, beside.house_of(desk.session, place_id))
        return place, next((rows for p, rows in every if p.id == place_id), [])


@bp.get("/places/<int:place_id>/plan")
def plan(place_id: int) -> Response:
    """The plan of a place: shelves, what touches, trays, draught."""
    place, rows = _standing(place_id)
    return render.page(
        "house/house/plan.html",
        place=place,
        rows=rows,
        stays=[(row.plant, beside.stay_of(row.plant)) for row in rows],
        draughts=neighbours.DRAUGHTS,
        shelves=MOST_SHELVES,
    )


@bp.post("/places/<int:place_id>/plan")
def arrange(place_id: int) -> Response:
    """Keep the plan of a place, or move one plant a step along its shelf."""
    reader = Reader(request.form, speech(), today())
    with household().store.reading() as session:
        here = [p.id for p in cases.standing_at(session, place_id)]
    spots = [_spot(reader, plant_id) for plant_id in here]
    step = reader.raw("move")
    if ":" in step:
        spots = [_stepped(s, step) for s in spots]
    reader.done()
    with household().store.writing() as session:
        neighbours.arrange(session, place_id, reader.raw("draught"), spots)
    return render.go(url_for("house.plan", place_id=place_id))


def _spot(reader: Reader, plant_id: int) -> neighbours.SpotCommand:
    shelf = reader.whole(f"shelf-{plant_id}", "The shelf", 1, MOST_SHELVES) or 1
    position = reader.whole(f"position-{plant_id}", "The place on the shelf", 0, 500) or 0
    tray = reader.text(f"tray-{plant_id}", "The tray", longest=30, needed=False)
    return neighbours.SpotCommand(
        plant_id, shelf, 10 * position, bool(reader.raw(f"touches-{plant_id}")), tray
    )


def _stepped(spot: neighbours.SpotCommand, step: str) -> neighbours.SpotCommand:
    plant, _, way = step.partition(":")
    if plant != str(spot.plant_id):
        return spot
    return neighbours.SpotCommand(
        spot.plant_id,
        spot.shelf,
        spot.position + (15 if way == "right" else -15),
        spot.touches,
        spot.tray,
    )
