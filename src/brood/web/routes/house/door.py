"""The door on the home network: the household passcode, and the address for the phone."""

from __future__ import annotations

import time

import segno
from flask import Blueprint, Response, request, session, url_for
from markupsafe import Markup

from brood.errors import FieldErrors
from brood.services.house import access
from brood.web import render
from brood.web.context import household

bp = Blueprint("door", __name__)


@bp.get("/enter")
def page() -> Response:
    """Ask for the passcode."""
    return render.page("house/door/enter.html", next=_safe(request.args.get("next", "/")))


@bp.post("/enter")
def enter() -> Response:
    """Let in who knows the passcode; wrong tries are slowed down."""
    doorkeeper, address = household().doorkeeper, request.remote_addr or "?"
    doorkeeper.check(address, time.monotonic())
    with household().store.reading() as db:
        fits = access.fits(db, request.form.get("passcode", "")[:200])
    onward = _safe(request.form.get("next", "/"))
    if not fits:
        doorkeeper.failed(address, time.monotonic())
        raise FieldErrors({"passcode": "That is not the household's passcode."})
    doorkeeper.passed(address)
    session.permanent = True
    session["entered"] = True
    return render.go(onward)


def _safe(target: str) -> str:
    return target if render.is_ours(target) else "/"


@bp.post("/leave")
def leave() -> Response:
    """Forget this device."""
    session.clear()
    return render.go(url_for("door.page"))


@bp.get("/phone")
def phone() -> Response:
    """The address for the phone at the plant, as a QR code."""
    settings = household().settings
    address = f"http://{settings.hosts[-1]}:{settings.port}"
    code = (
        Markup(
            segno.make(address, error="m").svg_inline(
                scale=8, border=3, omitsize=True, svgclass=None, lineclass=None
            )
        )
        if settings.lan
        else None
    )
    return render.page("house/door/phone.html", address=address, code=code)
