"""The first plan in one form."""

from __future__ import annotations

from flask import Blueprint, Response, request, url_for

from brood.services.cases import commands
from brood.services.cases.chart_data import stage_drawing
from brood.services.diagnosis import look_log
from brood.services.guide import guide
from brood.services.treatment import first_plan
from brood.store.queries import cases
from brood.web import render
from brood.web.context import catalogue, household, now, reading, speech, today, writing
from brood.web.forms.house import first as form
from brood.web.forms.reader import Reader

bp = Blueprint("first", __name__)


@bp.get("/first")
def page() -> Response:
    """A plant, how warm, the pest, how many: one form."""
    held, pest = catalogue(), request.args.get("pest", "")
    with reading() as desk:
        return render.page(
            "house/first/page.html",
            groups=guide.by_group(held),
            kinds=first_plan.KINDS,
            how_many=first_plan.HOW_MANY,
            settings=first_plan.WHERE,
            plants=cases.names(desk.session, here=True),
            places=[(p.id, p.name) for p in cases.places(desk.session)],
            pest=pest if pest in held.records or pest == form.UNSURE else "",
            stages=_stages(pest),
        )


@bp.get("/plants/<int:plant_id>/first")
def of_plant(plant_id: int) -> Response:
    """The same for a plant that is there."""
    held, pest = catalogue(), request.args.get("pest", "")
    with reading() as desk:
        return render.page(
            "house/first/plant.html",
            plant=cases.plant(desk.session, plant_id),
            groups=guide.by_group(held),
            how_many=first_plan.HOW_MANY,
            pest=pest if pest in held.records else "",
            stages=_stages(pest),
        )


@bp.post("/plants/<int:plant_id>/first")
def begin_of_plant(plant_id: int) -> Response:
    """Open the case of a plant that is there: the plan."""
    reader = Reader(request.form, speech(), today())
    pest, how_many, stages = form.of_plant(reader, catalogue().records)
    with writing() as desk:
        case_id = first_plan.plan_for(desk, plant_id, pest, how_many, stages)
    return render.go(url_for("cases.page", case_id=case_id))


@bp.get("/first/stages")
def stages() -> Response:
    """The stages of a pest that may be ticked."""
    found = _stages(request.args.get("pest", ""))
    return render.page("house/first/stages.html", part="house/first/_stages.html", stages=found)


def _stages(pest_id: str) -> list[tuple[str, str, str]]:
    """The stages of a pest: id, name, drawing. None for one that is not known."""
    record = catalogue().records.get(pest_id)
    if record is None:
        return []
    return [
        (stage, name, stage_drawing(record, stage))
        for stage, name in commands.stage_choices(record)
    ]


@bp.post("/first")
def begin() -> Response:
    """Keep the plant and its case: the plan, or the walk over the plant for who is not sure."""
    with household().store.reading() as session:
        places = [place.id for place in cases.places(session)]
        plants = [key for key, _ in cases.names(session, here=True)]
    reader = Reader(request.form, speech(), today())
    number = form.plant_of(reader, plants)
    if number is not None and reader.raw("pest") != form.UNSURE:
        return begin_of_plant(number)
    if number is not None:
        return _look(number)
    command = form.read(reader, places, catalogue().records)
    with writing() as desk:
        found = first_plan.begin(desk, command)
    if found.case_id is not None:
        return render.go(url_for("cases.page", case_id=found.case_id))
    return _look(found.plant_id)


def _look(plant_id: int) -> Response:
    """On to what was noticed."""
    with writing() as desk:
        look_id = look_log.begin(desk.session, plant_id, now=now())
    return render.go(url_for("looks.signs", look_id=look_id))
