"""Pages are sent compressed to whoever can read that: a phone waits for a tenth of the bytes."""

from __future__ import annotations

import gzip

from flask import Flask, Response, request

LEAST_BYTES = 1_000
LEVEL = 5
KINDS = ("text/", "application/json", "image/svg+xml", "application/javascript")


def register(app: Flask) -> None:
    """Compress every answer for which that is worth it."""
    app.after_request(_compressed)


def _compressed(response: Response) -> Response:
    if (
        "gzip" not in request.headers.get("Accept-Encoding", "").lower()
        or response.status_code in (204, 206, 304)
        or response.is_streamed
        or "Content-Encoding" in response.headers
        or not (response.content_type or "").startswith(KINDS)
    ):
        return response
    response.direct_passthrough = False
    body = response.get_data()
    if len(body) < LEAST_BYTES:
        return response
    response.set_data(gzip.compress(body, LEVEL, mtime=0))
    response.headers["Content-Encoding"] = "gzip"
    response.vary.add("Accept-Encoding")
    tag, weak = response.get_etag()
    if tag and not weak:
        response.set_etag(tag, weak=True)
    return response
