"""Whole page, part or redirect: decided here alone."""

from __future__ import annotations

from typing import Any

from flask import Response, make_response, redirect, render_template, request


def wants_part() -> bool:
    """Whether htmx asks for a part of the page."""
    return request.headers.get("HX-Request") == "true"


def page(template: str, status: int = 200, part: str | None = None, **values: Any) -> Response:
    """A page, or only its part when htmx asks for it."""
    name = part if part and wants_part() else template
    response = make_response(render_template(name, **values), status)
    response.headers["Vary"] = "HX-Request, Cookie"
    response.headers["Cache-Control"] = "no-store"
    return response


def go(url: str) -> Response:
    """To another page after something was saved."""
    if wants_part():
        response = make_response("", 204)
        response.headers["HX-Redirect"] = url
        return response
    return make_response(redirect(url, 303))
