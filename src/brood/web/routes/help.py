"""Keys and sources."""

from __future__ import annotations

from flask import Blueprint, Response

from brood.web import render
from brood.web.context import household

bp = Blueprint("help", __name__)


@bp.get("/keys")
def keys() -> Response:
    """The keyboard shortcuts."""
    return render.page("help/keys.html")


@bp.get("/sources")
def sources() -> Response:
    """Every figure's source and grade."""
    catalogue = household().catalogue
    return render.page(
        "help/sources.html", records=catalogue.records, pests=catalogue.pests, treatments=catalogue.treatments, sources=catalogue.sources
    )
