"""Live sensors: asking them, and a simulated device that ships with the program."""

from __future__ import annotations

import ipaddress
import json
import math
import socket
import threading
import urllib.request
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import urlsplit

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from brood.core.climate.series import HIGHEST_C, LOWEST_C
from brood.errors import InputError
from brood.store.place_tables import Place, Poll, Reading
from brood.store.queries import readings

EVERY = timedelta(minutes=10)
TIMEOUT_S, MOST_BYTES = 3.0, 4096

Asker = Callable[[str], float]
"""A function that asks a sensor at an address for its °C. Raises InputError that says
what is wrong.
"""


def check_address(url: str) -> str:
    """An address that may be asked: http, on this machine or the home network. Raises
    InputError.
    """
    parts = urlsplit(url)
    if parts.scheme != "http" or not parts.hostname or parts.username or parts.password:
        raise InputError(
            "A sensor's address begins with http:// and a name or number, such as "
            "http://192.168.1.40/reading.",
            field="sensor_url",
            value=url[:80],
        )
    try:
        addresses = {
            ipaddress.ip_address(info[4][0])
            for info in socket.getaddrinfo(parts.hostname, parts.port or 80)
        }
    except (OSError, ValueError):
        raise InputError(
            f"No device answers to the name {parts.hostname[:60]} on this network.",
            field="sensor_url",
            value=url[:80],
        ) from None
    if not all(a.is_loopback or a.is_private for a in addresses) or any(
        a.is_link_local for a in addresses
    ):
        raise InputError(
            "A sensor must stand in your own home network.",
            field="sensor_url",
            value=url[:80],
            allowed="an address at home",
        )
    return url


class _NoRedirect(urllib.request.HTTPRedirectHandler):
    def redirect_request(self, *_: Any, **__: Any) -> None:
        """Follow nothing: a sensor has no reason to lead elsewhere."""
        return


def ask(url: str) -> float:
    """A sensor's temperature in °C. Raises InputError when there is no answer, or none
    that makes sense.
    """
    check_address(url)
    opener = urllib.request.build_opener(urllib.request.ProxyHandler({}), _NoRedirect)
    try:
        with opener.open(url, timeout=TIMEOUT_S) as answer:
            text = answer.read(MOST_BYTES).decode("utf-8", "replace")
    except (OSError, ValueError):
        raise InputError("no answer", field="sensor_url", value=url) from None
    return understood(text)


def understood(text: str) -> float:
    """°C from a sensor's answer: a JSON object with `celsius`, or a bare number. Raises
    InputError.
    """
    try:
        data = json.loads(text)
        value = data["celsius"] if isinstance(data, dict) else data
        celsius = float(value)
    except (ValueError, TypeError, KeyError, RecursionError):
        raise InputError(
            "an answer without a temperature", field="sensor_url", value=text[:60]
        ) from None
    if not (math.isfinite(celsius) and LOWEST_C <= celsius <= HIGHEST_C):
        raise InputError(
            f"{celsius:g} °C, which cannot be",
            field="sensor_url",
            value=text[:60],
            allowed="-30 to 60",
        )
    return celsius


@dataclass(frozen=True)
class Answer:
    """The result of asking a sensor: °C, or in `trouble` why there is none."""

    celsius: float | None
    trouble: str = ""


def answer_of(url: str, asker: Asker = ask) -> Answer:
    """Ask a sensor once. Trouble is a result too."""
    try:
        return Answer(asker(url))
    except InputError as error:
        return Answer(None, error.message)


def record(session: Session, place_id: int, said: Answer, now: datetime) -> None:
    """Keep what a sensor said."""
    session.add(Poll(place_id=place_id, at=now, celsius=said.celsius, trouble=said.trouble))
    if said.celsius is not None:
        at = now.replace(second=0, microsecond=0)
        session.add(
            Reading(place_id=place_id, upload_id=None, at=at, celsius=said.celsius, recorded_at=now)
        )


def due(session: Session, now: datetime) -> list[tuple[int, str]]:
    """(place id, address) of every sensor that was not asked in the last ten minutes."""
    out = []
    for place in session.scalars(
        select(Place).where(Place.source == "sensor", Place.sensor_url != "")
    ):
        last = next(iter(readings.polls(session, place.id, 1)), None)
        if last is None or now - last.at >= EVERY or last.at > now:
            out.append((place.id, place.sensor_url))
    return out


@dataclass
class Device:
    """A simulated thermometer that answers over HTTP. `frozen` holds the value at which
    it is stuck. `dropouts` is the share of requests that it does not answer.
    """

    low_c: float = 21.0
    high_c: float = 25.0
    seed: int = 5
    dropouts: float = 0.0
    clock: Callable[[], datetime] = datetime.now
    frozen: float | None = None
    _asked: int = field(default=0, repr=False)

    def celsius(self) -> float:
        """What it reads now: warm in the afternoon, a little restless. The frozen value
        while it is stuck.
        """
        if self.frozen is not None:
            return self.frozen
        now = self.clock()
        turn = math.cos(2 * math.pi * (now.hour + now.minute / 60 - 15) / 24)
        wobble = float(
            np.random.default_rng((self.seed, now.toordinal(), now.hour * 60 + now.minute)).normal(
                0, 0.15
            )
        )
        return round(
            (self.high_c + self.low_c) / 2 + (self.high_c - self.low_c) / 2 * turn + wobble, 2
        )

    def answers(self) -> bool:
        """Whether this request gets an answer."""
        self._asked += 1
        return float(np.random.default_rng((self.seed, self._asked)).random()) >= self.dropouts

    def freeze(self) -> float:
        """Get stuck at the present value."""
        self.frozen = self.celsius()
        return self.frozen


def device_server(device: Device, port: int = 0) -> ThreadingHTTPServer:
    """A server for a device, on this machine only: GET /reading, POST /freeze and
    /thaw. Raises OSError when the port is taken.
    """

    class Handler(BaseHTTPRequestHandler):
        def log_message(self, *_: Any) -> None:
            """Write no log."""

        def _say(self, data: dict[str, Any], status: int = 200) -> None:
            body = json.dumps(data).encode()
            self.send_response(status)
            self.send_header("Content-Type", "application/json")
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        def do_GET(self) -> None:
            if self.path != "/reading":
                self._say({"error": "GET /reading"}, 404)
            elif device.answers():
                self._say(
                    {
                        "celsius": device.celsius(),
                        "at": device.clock().isoformat(timespec="seconds"),
                    }
                )
            else:
                self.close_connection = True

        def do_POST(self) -> None:
            if self.path == "/freeze":
                self._say({"frozen": device.freeze()})
            elif self.path == "/thaw":
                device.frozen = None
                self._say({"frozen": None})
            else:
                self._say({"error": "POST /freeze or /thaw"}, 404)

    return ThreadingHTTPServer(("127.0.0.1", port), Handler)


def in_background(server: ThreadingHTTPServer) -> None:
    """Run a device's server beside the program."""
    threading.Thread(target=server.serve_forever, name="sensor-device", daemon=True).start()
