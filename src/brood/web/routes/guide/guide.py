"""The field guide, and a keeper's own figures beside it."""

from __future__ import annotations

from dataclasses import replace

from flask import Blueprint, Response, request, url_for

from brood.catalogue.own import figures as figures_of
from brood.errors import FieldErrors, InputError, NotFound
from brood.services.guide import guide, own_figures
from brood.web import mending, render
from brood.web.context import catalogue, household, now, reading, speech, today
from brood.web.forms.guide import guide as form
from brood.web.forms.reader import Reader

bp = Blueprint("guide", __name__, url_prefix="/guide")


@bp.get("")
def page() -> Response:
    """Every pest by group."""
    return render.page("guide/guide/page.html", groups=guide.by_group(catalogue()))


@bp.get("/<pest_id>")
def one(pest_id: str) -> Response:
    """One pest."""
    _known(pest_id)
    with household().store.reading() as session:
        result = guide.build(
            session,
            catalogue(),
            pest_id,
            request.args.get("stage", ""),
            today=today(),
            every=request.args.get("places") == "all",
        )
        return render.page(
            "guide/guide/one.html",
            part="guide/guide/_curve.html" if "stage" in request.args else None,
            r=result,
        )


def _known(pest_id: str) -> None:
    if pest_id not in household().catalogue.pests:
        raise NotFound("There is no such pest in the field guide.")


@bp.get("/<pest_id>/figures")
def figures(pest_id: str) -> Response:
    """Every constant, with the keeper's own; a typed value shows its effect before it is kept."""
    _known(pest_id)
    key = request.args.get("figure", "")
    if not request.args.get("value"):
        return _figures(pest_id, key, None)
    try:
        reader = Reader(request.args, speech(), today())
        return _figures(pest_id, key, form.read(reader, _unit(pest_id, key), note_needed=False))
    except FieldErrors as error:
        return mending.asked(_figures(pest_id, key, None), error)
    except InputError as error:
        wrong = FieldErrors({"value": error.message})
        return mending.asked(_figures(pest_id, key, None), wrong)


def _figures(pest_id: str, key: str, draft: form.OwnFigureSaid | None) -> Response:
    shipped = household().catalogue
    with reading() as desk:
        tried = {draft.figure: draft.value} if draft else None
        result = own_figures.build(replace(desk, catalogue=shipped), pest_id, tried)
        chosen = next((line for line in result.lines if line.figure.key == key), None)
        return render.page(
            "guide/guide/figures.html",
            r=result,
            record=shipped.records[pest_id],
            sources=shipped.sources,
            chosen=chosen,
            values=request.args,
            draft=draft,
        )


def _unit(pest_id: str, key: str) -> str:
    return next((f.unit for f in figures_of(household().catalogue, pest_id) if f.key == key), "")


@bp.post("/<pest_id>/figures")
def keep(pest_id: str) -> Response:
    """Keep an own figure, or go back to the shipped one."""
    _known(pest_id)
    key = request.form.get("figure", "")
    with household().store.writing() as session:
        if request.form.get("act") == "restore":
            own_figures.restore(session, pest_id, key, now=now())
        else:
            said = form.read(Reader(request.form, speech(), today()), _unit(pest_id, key))
            own_figures.keep(
                session,
                household().catalogue,
                pest_id,
                said.figure,
                said.value,
                said.note,
                now=now(),
            )
    return render.go(url_for("guide.figures", pest_id=pest_id, figure=key) + "#figure")
