"""Keys and sources."""

from __future__ import annotations

from flask import Blueprint, Response

from brood.web import render
from brood.web.context import catalogue

bp = Blueprint("help", __name__)


@bp.get("/keys")
def keys() -> Response:
    """The keyboard shortcuts."""
    return render.page("help/keys.html")


@bp.get("/sources")
def sources() -> Response:
    """Every treatment's figures, and every source and grade."""
    held = catalogue()
    return render.page(
        "help/sources.html", records=held.records, groups=held.groups, kills=held.kills, treatments=held.treatments, sources=held.sources,
        words=held.evidence.words,
    )
