"""The calendar feed and the sitter's sheet: made and revoked here, read and ticked by
whoever has the address.
"""

from __future__ import annotations

from datetime import timedelta

from flask import Blueprint, Response, make_response, render_template, request, url_for

from brood.errors import NotFound
from brood.services.archive import calendar, sharing
from brood.web import render
from brood.web.context import catalogue, household, now, prefs, speech, today, writing
from brood.web.forms.reader import Reader

bp = Blueprint("sharing", __name__)


@bp.get("/sharing")
def page() -> Response:
    """Addresses given away, and forms for more."""
    return _page(None)


def _page(made: str | None) -> Response:
    with household().store.reading() as session:
        return render.page(
            "archive/sharing/page.html",
            rows=sharing.every(session),
            made=made,
            week=today() + timedelta(days=7),
        )


@bp.post("/sharing/<kind>")
def make(kind: str) -> Response:
    """Make an address; it is shown once."""
    if kind not in ("feed", "sitter"):
        raise NotFound("There is no such kind of address.")
    reader = Reader(request.form, speech(), today())
    label = reader.name("label", "A name for it")
    first = reader.day("from_on", "The first day", back=0, ahead=365) if kind == "sitter" else None
    last = reader.day("until_on", "The last day", back=0, ahead=430) if kind == "sitter" else None
    reader.done()
    with household().store.writing() as session:
        token = sharing.make(session, kind, label, now=now(), from_on=first, until_on=last)
    address = (
        url_for("sharing.feed", token=token, _external=True)
        if kind == "feed"
        else url_for("sharing.sitter", token=token, _external=True)
    )
    return _page(address)


@bp.post("/sharing/<int:address_id>/revoke")
def revoke(address_id: int) -> Response:
    """End an address at once."""
    with household().store.writing() as session:
        sharing.revoke(session, address_id, now=now())
    return render.go(url_for("sharing.page"))


@bp.get("/feed/<token>.ics")
def feed(token: str) -> Response:
    """Every evening as a calendar, for whoever has the address."""
    with household().store.reading() as session:
        sharing.address(session, "feed", token, today())
    with household().store.reading() as session:
        body = calendar.household(session, catalogue(), prefs())
    response = make_response(body)
    response.headers["Content-Type"] = "text/calendar; charset=utf-8"
    return response


@bp.get("/sitter/<token>")
def sitter(token: str) -> Response:
    """A sitter's sheet on its days."""
    with household().store.reading() as session:
        row = sharing.address(session, "sitter", token, today())
    with household().store.reading() as session:
        found = sharing.sheet(session, catalogue(), row, today=today(), speech=speech())
        return make_response(render_template("archive/sharing/sitter.html", s=found, token=token))


@bp.post("/sitter/<token>")
def tick(token: str) -> Response:
    """Tick a task of the sheet."""
    with writing() as desk:
        row = sharing.address(desk.session, "sitter", token, today())
        sharing.tick(desk, row, request.form.get("task", "")[:80])
    return render.go(url_for("sharing.sitter", token=token))
