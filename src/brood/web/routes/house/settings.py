"""Settings: units, dates, page, calendar alarm, shortcuts, passcode."""

from __future__ import annotations

from dataclasses import asdict

from flask import Blueprint, Response, request, url_for

from brood.errors import FieldErrors
from brood.services.house import access
from brood.services.voice import preferences
from brood.services.voice.speech import LOCALES
from brood.web import render
from brood.web.context import household, prefs, speech, today
from brood.web.forms.house import settings as form
from brood.web.forms.reader import Reader
from brood.web.guard import from_this_machine

bp = Blueprint("settings", __name__)

ALARMS = {
    "0": "at the hour itself",
    "2": "two hours before",
    "10": "the same morning",
    "34": "the morning before",
}


@bp.get("/settings")
def page() -> Response:
    """All settings."""
    return _page("")


def _page(said: str) -> Response:
    with household().store.reading() as session:
        has = access.has_passcode(session)
    return render.page(
        "house/settings/page.html",
        locales=LOCALES,
        themes=preferences.THEMES,
        alarms=ALARMS,
        values=asdict(prefs()),
        zones=preferences.zones(),
        said=said,
        has_passcode=has,
        may_set=from_this_machine(),
    )


@bp.post("/settings")
def save() -> Response:
    """Keep the settings."""
    chosen = form.read(Reader(request.form, speech(), today()), prefs())
    with household().store.writing() as session:
        preferences.save(session, chosen)
    return render.go(url_for("settings.page"))


@bp.post("/settings/passcode")
def passcode() -> Response:
    """Set the household passcode; only on this machine."""
    if not from_this_machine():
        raise FieldErrors(
            {"passcode": "The passcode can only be changed on the machine that Brood runs on."}
        )
    with household().store.writing() as session:
        access.set_passcode(session, request.form.get("passcode", "")[:200])
    access.new_secret(household().settings.data)
    return _page(
        "The new passcode is kept. It is asked for when Brood is started with --lan; start it "
        "again to end open sessions."
    )


@bp.post("/theme")
def theme() -> Response:
    """Turn the page from day to evening or back."""
    with household().store.writing() as session:
        preferences.put(
            session, "theme", "light" if request.form.get("theme") == "light" else "dark"
        )
    return render.back("/")
