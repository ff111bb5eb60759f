"""What was recorded with one tap can be taken back for ten minutes, from the page that
comes next.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from flask import Flask, request, session
from werkzeug.wrappers import Response

from brood.web.context import now

KEY = "just"
LASTS = timedelta(minutes=10)


@dataclass(frozen=True)
class Just:
    """What was just recorded, in words, and the form that takes it back."""

    text: str
    url: str
    fields: dict[str, str]


def register(app: Flask) -> None:
    """Show what can be taken back on every page, and forget it once it was."""
    app.context_processor(lambda: {"just": current()})
    app.after_request(_forget)


def offer(text: str, url: str, **fields: str) -> None:
    """Note what was recorded just now and where it is taken back."""
    session[KEY] = {"text": text, "url": url, "fields": fields, "at": now().isoformat()}


def current() -> Just | None:
    """What can still be taken back."""
    held = session.get(KEY)
    if not held or not timedelta(0) <= now() - datetime.fromisoformat(held["at"]) <= LASTS:
        return None
    return Just(held["text"], held["url"], held["fields"])


def _forget(response: Response) -> Response:
    if request.method == "POST" and response.status_code < 400 and request.form.get("undo"):
        session.pop(KEY, None)
    return response
