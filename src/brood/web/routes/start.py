"""The first page: a beginning when there is nothing yet, otherwise the plants."""

from __future__ import annotations

from flask import Blueprint, Response, redirect, url_for
from werkzeug.wrappers import Response as BaseResponse

from brood.store.queries import cases
from brood.web import render
from brood.web.context import household

bp = Blueprint("start", __name__)


@bp.get("/")
def page() -> Response | BaseResponse:
    """Where to begin."""
    with household().store.reading() as session:
        places, plants = cases.places(session), cases.plants(session)
    if plants:
        return redirect(url_for("plants.page"), 303)
    return render.page("start/page.html", places=places)
