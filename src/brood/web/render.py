"""Whole page, part or redirect: only here is that decided."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from flask import Response, jsonify, make_response, redirect, render_template, request
from werkzeug.exceptions import SecurityError

from brood.charts.pen.svg import once_each

LONGEST_PATH = 400
_prepare: list[Callable[[str], str]] = []


def before_sending(*changes: Callable[[str], str]) -> None:
    """Have something done to every page before it is sent, in this order."""
    _prepare[:] = changes


def wants_part() -> bool:
    """Whether htmx asks for a part of the page."""
    return request.headers.get("HX-Request") == "true"


def page(template: str, status: int = 200, part: str | None = None, **values: Any) -> Response:
    """A page, or only its part when htmx asks for it."""
    alone = bool(part) and wants_part()
    body = render_template(part if part and alone else template, **values)
    body = body if alone else once_each(body)
    for change in _prepare:
        body = change(body)
    if alone and request.method == "POST":
        body += render_template("_just.html", oob=True)
    response = make_response(body, status)
    response.headers["Vary"] = "HX-Request, Cookie"
    return response


def wants_receipt() -> bool:
    """Whether a script sends something that was kept on the device, and waits to hear
    that it is on record.
    """
    return request.headers.get("X-Brood-Receipt") == "1"


def kept(key: str) -> Response:
    """Say that what was sent under a key is on record. Only then may the device forget it."""
    return jsonify(kept=key)


def told(message: str, status: int) -> Response:
    """Tell a script that something was not taken, and why."""
    return make_response(jsonify(message=message), status)


def back(otherwise: str) -> Response:
    """To the page from which the button was pressed, where its form names a page of
    ours. Otherwise to another.
    """
    given = request.form.get("back", "")
    return go(given if is_ours(given) else otherwise)


def is_ours(target: str) -> bool:
    """Whether an address is a path of this application and leads nowhere else."""
    return (
        target.startswith("/")
        and not target.startswith(("//", "/\\"))
        and target.isprintable()
        and len(target) < LONGEST_PATH
    )


def path_of(address: str) -> str:
    """A whole address of ours without its host. Another host's address stays as it is, and
    so does every address where the host that was asked for is not ours.
    """
    try:
        return address.removeprefix(request.host_url.rstrip("/"))
    except SecurityError:
        return address


def go(url: str) -> Response:
    """To another page after something was saved."""
    if wants_part():
        response = make_response("", 204)
        response.headers["HX-Redirect"] = url
        return response
    return make_response(redirect(url, 303))
