"""Many plants at once: a list that is pasted or read from a file, shown first."""

from __future__ import annotations

import hashlib

from flask import Blueprint, Response, request, url_for

from brood.errors import FieldErrors
from brood.services.house import pasting, plants
from brood.services.voice.speech import listed
from brood.store.queries import cases
from brood.web import mending, render
from brood.web.context import household, now, speech, today
from brood.web.forms.house import pasting as form
from brood.web.forms.reader import Reader

bp = Blueprint("pasting", __name__)
MOST_NUMBERED = 5


@bp.get("/plants/paste")
def page() -> Response:
    """A list of plants to paste."""
    return _page(form.PasteSaid(), pasting.Pasted())


def _page(said: form.PasteSaid, found: pasting.Pasted) -> Response:
    with household().store.reading() as session:
        return render.page(
            "house/pasting/page.html",
            said=said,
            found=found,
            seen=_digest(said),
            places=cases.places(session),
            kinds=plants.KINDS,
        )


def _digest(said: form.PasteSaid) -> str:
    """What was shown: only that is made."""
    return hashlib.sha256(repr(said).encode()).hexdigest()[:20]


@bp.post("/plants/paste")
def pasted() -> Response:
    """Show what a list would make, or make what was shown."""
    reader = Reader(request.form, speech(), today())
    said = form.read(reader, request.files.get("file"))
    with household().store.reading() as session:
        found = pasting.lines(session, said.text, said.usual)
    wrong = _wrong(found)
    if wrong:
        return mending.asked(_page(said, found), FieldErrors(wrong))
    if reader.raw("act") != "keep" or reader.raw("seen") != _digest(said):
        return _page(said, found)
    with household().store.writing() as session:
        pasting.keep(session, found, said.celsius, now=now())
    return render.go(url_for("plants.page"))


def _wrong(found: pasting.Pasted) -> dict[str, str]:
    """What has to be changed before anything can be made."""
    if not found.rows:
        return {"list": "Paste at least one line, or choose a file."}
    if found.too_many:
        most = pasting.MOST_PLANTS
        return {"list": f"More than {most:,} plants are too many at once. Paste it in parts."}
    wrong = {}
    if found.faulty:
        wrong["list"] = f"{_lines(found)} cannot be used. Below it says why."
    if found.placeless:
        wrong["place"] = f"{found.placeless} of the lines name no place: say here where they stand."
    return wrong


def _lines(found: pasting.Pasted) -> str:
    numbers = [str(r.n) for r in found.faulty]
    if len(numbers) == 1:
        return f"Line {numbers[0]}"
    more = len(numbers) - MOST_NUMBERED
    return f"Lines {listed([*numbers[:MOST_NUMBERED], *([f'{more} more'] if more > 0 else [])])}"
