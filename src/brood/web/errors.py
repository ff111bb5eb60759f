"""The one place that turns errors into a sentence with a true status."""

from __future__ import annotations

import logging

from flask import Flask, Response, request
from sqlalchemy.exc import OperationalError
from werkzeug.exceptions import HTTPException

from brood.errors import NotFound, TooManyTries
from brood.web import render
from brood.web.context import household

Fields = list[tuple[str, str]]

WORDS = {
    400: "This request could not be understood.",
    403: "This form came from another site, so nothing was done. Open the page here and try again.",
    404: "There is no such page.",
    405: "This page cannot be used in that way.",
    413: "This file is too large: {mb} MB is the most. A logger's file of a year at ten minutes "
    "has about 2 MB; choose that one.",
    415: "This kind of content cannot be used here.",
    500: "Something went wrong inside Brood. Nothing you recorded before was lost. The details "
    "are in the window where Brood was started.",
}


BUSY = "Somebody else is writing into this household just now. Nothing is lost: send it again."
FULL = (
    "The disk is full, so nothing could be kept. Make room on the machine that Brood runs on, then "
    "send it again: what you typed is still here."
)
UNREADABLE = (
    "The household's file cannot be written: {why}. What you typed is still here; look at the "
    "machine that Brood runs on, then send it again."
)


def register(app: Flask) -> None:
    """Show every failure as a page in the household's own words."""
    app.register_error_handler(OperationalError, _store_fault)
    app.register_error_handler(NotFound, lambda e: show(str(e), 404))
    app.register_error_handler(TooManyTries, _slow_down)
    app.register_error_handler(HTTPException, _http)
    app.register_error_handler(Exception, _unexpected)


def show(message: str, status: int, again: Fields | None = None) -> Response:
    """An error page with one sentence, and a button that sends the form again where its
    fields are given; the sentence alone for a script.
    """
    if render.wants_receipt():
        return render.told(message, status)
    return render.page("error.html", status, part="_error.html", message=message, again=again)


def resent() -> Fields:
    """Every field that was sent, to be sent again under a new key."""
    return [(k, v) for k, v in request.form.items(multi=True) if k != "form_key"]


def _http(error: HTTPException) -> Response:
    status = error.code or 500
    if 300 <= status < 400:
        return error.get_response()  # type: ignore[return-value]
    words = WORDS.get(status, "This did not work.").format(mb=household().settings.upload_mb)
    return show(words, status)


def _store_fault(error: OperationalError) -> Response:
    """The household's file could not be written. Whatever was typed can be sent again."""
    why = str(error.orig)
    logging.getLogger("brood").warning("the household's file: %s", why)
    if "locked" in why or "busy" in why:
        message, status = BUSY, 503
    elif "full" in why:
        message, status = FULL, 507
    else:
        message, status = UNREADABLE.format(why=why), 500
    return show(message, status, resent() or None)


def _slow_down(error: TooManyTries) -> Response:
    response = show(str(error), 429)
    response.headers["Retry-After"] = str(error.seconds)
    return response


def _unexpected(error: Exception) -> Response:
    logging.getLogger("brood").exception("unexpected", exc_info=error)
    return show(WORDS[500], 500)
