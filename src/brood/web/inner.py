"""A page of the application as the keeper who sends a form would see it at this moment."""

from __future__ import annotations

from flask import current_app, request
from werkzeug.test import TestResponse

MARK = "brood.inner"


def page_at(address: str) -> TestResponse:
    """Ask for a page with the cookies, the host and the sender of the present request."""
    client = current_app.test_client()
    for name, value in request.cookies.items():
        client.set_cookie(name, value, domain=request.host.split(":")[0])
    return client.get(
        address,
        base_url=request.host_url,
        environ_base={"REMOTE_ADDR": request.remote_addr or "127.0.0.1", MARK: "1"},
    )


def is_inner() -> bool:
    """Whether this request was made within another one."""
    return MARK in request.environ
