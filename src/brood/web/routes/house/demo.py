"""The demo household beside one's own."""

from __future__ import annotations

from typing import Protocol

from flask import Blueprint, Response, current_app, make_response, redirect

from brood.errors import NotFound
from brood.web import render

bp = Blueprint("demo", __name__)


class Beside(Protocol):
    """What starts the demo."""

    @property
    def address(self) -> str:
        """Where it answers. Empty while it is being laid out."""

    def begin(self) -> None:
        """Start it."""


def beside() -> Beside | None:
    """What starts the demo, where this household can have one beside it."""
    return current_app.extensions.get("demo")


@bp.get("/demo")
def page() -> Response:
    """Walk through the demo: once it answers, over to it."""
    demo = beside()
    if demo is None:
        raise NotFound("The demo cannot be opened from here. Start it with make demo.")
    if address := demo.address:
        return make_response(redirect(address))
    return render.page("house/demo/page.html")


@bp.post("/demo")
def begin() -> Response:
    """Start it."""
    demo = beside()
    if demo is not None:
        demo.begin()
    return render.go("/demo")
