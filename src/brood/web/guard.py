"""The safety of every request: where forms may come from, who may enter, what pages may
load.
"""

from __future__ import annotations

from ipaddress import ip_address
from urllib.parse import urlsplit

from flask import Flask, Response, abort, redirect, request, session, url_for
from werkzeug.wrappers import Response as BaseResponse

from brood.web import render
from brood.web.context import household

POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; connect-src "
    "'self'; form-action 'self'; "
    "manifest-src 'self'; img-src 'self' data: blob:; base-uri 'none'; frame-ancestors 'none'"
)
OPEN = ("door.page", "door.enter", "static", "sharing.feed", "sharing.sitter", "sharing.tick")


def register(app: Flask) -> None:
    """Check each request and label each answer."""
    app.before_request(_same_origin)
    app.before_request(_door)
    app.after_request(_headers)


def _same_origin() -> None:
    """Refuse a change that another site sent. Browsers always say where a form comes
    from; other programs need not.
    """
    if request.method in ("GET", "HEAD", "OPTIONS"):
        return
    site = request.headers.get("Sec-Fetch-Site")
    origin = request.headers.get("Origin")
    if site is not None and site not in ("same-origin", "none"):
        abort(403)
    if origin is not None and _host_of(origin) != request.host:
        abort(403)


def _host_of(origin: str) -> str:
    """The host of an origin. Empty for what is no origin."""
    try:
        return urlsplit(origin).netloc
    except ValueError:
        return ""


def from_this_machine() -> bool:
    """Whether the request comes from the machine that Brood runs on."""
    try:
        return ip_address(request.remote_addr or "").is_loopback
    except ValueError:
        return False


def _door() -> BaseResponse | None:
    """On the home network, everything but the door itself needs the household passcode."""
    if (
        not household().settings.lan
        or from_this_machine()
        or request.endpoint in OPEN
        or session.get("entered")
    ):
        return None
    if render.wants_receipt():
        return render.told("The household passcode is asked for first.", 401)
    return redirect(
        url_for("door.page", next=request.full_path if request.method == "GET" else "/"), 303
    )


def _headers(response: Response) -> Response:
    response.headers["Content-Security-Policy"] = POLICY
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers.setdefault("Referrer-Policy", "same-origin")
    response.headers["Cross-Origin-Opener-Policy"] = "same-origin"
    if request.endpoint != "static":
        response.headers["Cache-Control"] = "no-store"
    return response
