"""Every form is taken once, and never over what somebody else has changed meanwhile.

A form carries a key: the same form sent again, by a second tap or a lost answer, does
nothing. A form that edits something carries the version that it was filled from: where
that is no longer the one that stands, both values are shown and nothing is changed.
"""

from __future__ import annotations

import hashlib
import re
import time
import uuid
from collections.abc import Iterator, Mapping
from datetime import timedelta
from html import escape

from flask import Flask, Response, g, has_request_context, request
from sqlalchemy import delete
from sqlalchemy.orm import Session

from brood.store.tables import Sent
from brood.web import render
from brood.web.context import household, now
from brood.web.errors import resent
from brood.web.inner import is_inner, page_at
from brood.web.mending import came_from
from brood.web.stated import EDIT_FORM, PRIVATE, Stated, of_form, stated

POST_FORM = re.compile(r'<form method="post"[^>]*>')
LASTS = timedelta(days=2)


class SentBefore(Exception):
    """This form was taken already; `url` is the page that followed."""

    def __init__(self, url: str) -> None:
        super().__init__(url)
        self.url = url


class Changed(Exception):
    """What this form edits was changed since it was filled; `there` is what stands now,
    None where it is gone.
    """

    def __init__(self, there: Stated | None) -> None:
        super().__init__("changed meanwhile")
        self.there = there


def register(app: Flask) -> None:
    """Look at every form before it is written, and note where it led."""
    app.extensions["household"].store.before_writing.append(_before_writing)
    app.after_request(_note_answer)
    app.register_error_handler(SentBefore, _again)
    app.register_error_handler(Changed, _changed)


def prepared(page: str) -> str:
    """A page whose forms carry their keys and versions, and the page that they are on."""
    page = EDIT_FORM.sub(lambda found: _with_version(found.group(0)), page)
    here = _hidden("form_page", _address())
    return POST_FORM.sub(
        lambda tag: tag.group(0) + _hidden("form_key", uuid.uuid4().hex) + here, page
    )


def _address() -> str:
    """Where the page that is being made will stand in the browser."""
    if request.method == "POST" or render.wants_part():
        return came_from() or request.path
    return request.full_path if request.query_string else request.path


def _hidden(name: str, value: str) -> str:
    return f'<input type="hidden" name="{name}" value="{escape(value, quote=True)}">'


def _with_version(form: str) -> str:
    """A form with the version of what it edits: that which it was filled from, also
    where it comes back with a fault.
    """
    version = request.form.get("form_version") if request.method == "POST" else None
    version = version or of_form(form, now().date()).version
    end = form.index(">") + 1
    return form[:end] + _hidden("form_version", version) + form[end:]


def _before_writing(session: Session) -> None:
    """Within the write lock: stop a form that was taken before, or that is out of date."""
    if not has_request_context() or request.method != "POST" or "taken" in g:
        return
    g.taken = True
    key = request.form.get("form_key", "")
    if key:
        _take_once(session, _key(key))
    if request.form.get("form_version"):
        there = _there_now()
        if there is None or there.version != request.form["form_version"]:
            raise Changed(there)


def _key(once: str) -> str:
    """The key of a form with what was typed: typed otherwise, it is another form."""
    said = sorted((k, v) for k, v in request.form.items(multi=True) if k != "form_key")
    return hashlib.sha256(f"{request.path} {once} {said!r}".encode()).hexdigest()


def _take_once(session: Session, key: str) -> None:
    held = session.get(Sent, key)
    if held is not None:
        raise SentBefore(held.url)
    session.execute(delete(Sent).where(Sent.at < now() - LASTS))
    session.add(Sent(key=key, url="", at=now()))
    session.flush()
    g.sent_key = key


def _there_now() -> Stated | None:
    """What the form at this address states now. None where there is none any more."""
    answer = page_at(request.path)
    page = answer.get_data(as_text=True)
    return stated(page, now().date()) if answer.status_code == 200 else None


def _note_answer(response: Response) -> Response:
    """Note the page to which a form led, for its second tap."""
    # The inner request shares what is noted of the outer one.
    key = None if is_inner() else g.pop("sent_key", None)
    if key is None or response.status_code >= 400:
        return response
    url = response.headers.get("HX-Redirect") or response.headers.get("Location") or ""
    with household().store.writing() as session:
        held = session.get(Sent, key)
        if held is not None:
            held.url = url
    return response


def _again(error: SentBefore) -> Response:
    """The second tap: the page that followed the first, and nothing else."""
    if render.wants_receipt():
        return render.kept(request.form.get("sent_key", ""))
    url = error.url
    for _ in range(20):
        if url:
            break
        # The first one is being answered just now.
        time.sleep(0.05)
        with household().store.reading() as session:
            held = session.get(Sent, _key(request.form["form_key"]))
            url = held.url if held else ""
    return render.go(url or _referring_page())


def _referring_page() -> str:
    """The page from which the form was sent, where it is one of ours."""
    given = render.path_of(request.referrer or "")
    return given if render.is_ours(given) else "/"


def _changed(error: Changed) -> Response:
    """Both values side by side, and everything that was typed, ready to be sent."""
    there = error.there or Stated()
    typed = {k: v for k, v in request.form.items() if k not in PRIVATE}
    rows = [
        (there.names.get(name, name), there.said(name, stands), there.said(name, mine))
        for name, stands, mine in _differing(there, typed, known=error.there is not None)
    ]
    if render.wants_receipt():
        return render.told("This was changed meanwhile.", 409)
    return render.page(
        "changed.html",
        409,
        part="_changed.html",
        rows=rows,
        fields=[(k, v) for k, v in resent() if k != "form_version"],
        gone=error.there is None,
        version_now=there.version,
    )


def _differing(
    there: Stated, typed: Mapping[str, str], *, known: bool
) -> Iterator[tuple[str, str, str]]:
    """The fields in which what stands and what was typed differ."""
    for name in dict.fromkeys([*there.values, *typed]):
        stands, mine = there.values.get(name, ""), typed.get(name, "")
        only_today = name not in there.values and mine == now().date().isoformat()
        if stands != mine and not only_today and (not known or name in there.names):
            yield name, stands, mine
