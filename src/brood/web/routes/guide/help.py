"""Keys, words, safety and sources."""

from __future__ import annotations

from flask import Blueprint, Response

from brood.services.house import who_lives_here as living
from brood.services.voice.terms import TERMS
from brood.web import render
from brood.web.context import catalogue, household

bp = Blueprint("help", __name__)


@bp.get("/keys")
def keys() -> Response:
    """The keyboard shortcuts."""
    return render.page("guide/help/keys.html")


@bp.get("/words")
def words() -> Response:
    """The words of the trade, and what they mean."""
    return render.page("guide/help/words.html", terms=TERMS)


@bp.get("/safety")
def safety() -> Response:
    """Every caution, on one page to print."""
    held = catalogue()
    rows = [(t, held.care[t.id]) for t in held.treatments.values() if held.care[t.id].hazards]
    with household().store.reading() as session:
        who = living.load(session)
    return render.page(
        "guide/help/safety.html",
        rows=rows,
        who=who,
        names=living.LIVING,
        book=held.recipes,
        hygiene=held.evenings.hygiene,
    )


@bp.get("/sources")
def sources() -> Response:
    """Every treatment's figures, and every source and grade."""
    held = catalogue()
    return render.page(
        "guide/help/sources.html",
        records=held.records,
        groups=held.groups,
        kills=held.kills,
        treatments=held.treatments,
        sources=held.sources,
        words=held.evidence.words,
    )
