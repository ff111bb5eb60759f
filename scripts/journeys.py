"""Through how many rooms a find, a look, a reading and a moved date travel while their
form is answered: the modules of the services in the order in which they call each other,
and how often a call goes back to one that it came from.

    python scripts/journeys.py
"""

from __future__ import annotations

import re
import sys
import tempfile
from datetime import date, datetime, timedelta
from pathlib import Path
from types import FrameType

from flask.testing import FlaskClient

from brood.demo import tern_cottage
from brood.settings import Settings
from brood.web.app import create_app

NOW = datetime(2026, 6, 8, 18, 40)
COUNTED = "brood/services/"
SAID = ("services/voice/", "store/kept")
"""How something is said, and what every answer holds, are no rooms of a journey."""


class Traveller:
    """Follows the calls between modules."""

    def __init__(self) -> None:
        self.rooms: list[str] = []
        self.returns = 0

    def __call__(self, frame: FrameType, event: str, _arg: object) -> None:
        """Note a call from one room into another."""
        if event != "call":
            return
        here, came = _room(frame), _room(frame.f_back)
        if not here or here == came:
            return
        if here not in self.rooms:
            self.rooms.append(here)
        elif came and here in _above(frame.f_back):
            self.returns += 1


def _room(frame: FrameType | None) -> str:
    """The module of the services in which a call runs. Empty outside them."""
    name = frame.f_code.co_filename if frame is not None else ""
    if COUNTED not in name:
        return ""
    room = "services/" + name.split(COUNTED)[1].removesuffix(".py")
    return "" if room.startswith(SAID) else room


def _above(frame: FrameType | None) -> set[str]:
    """The rooms through which a call came."""
    out = set()
    while frame is not None:
        out.add(_room(frame))
        frame = frame.f_back
    return out


def journey(client: FlaskClient, url: str, data: dict[str, object]) -> Traveller:
    """Send a form and follow it."""
    traveller = Traveller()
    sys.setprofile(traveller)
    try:
        answer = client.post(url, data=data, headers={"Sec-Fetch-Site": "same-origin"})
    finally:
        sys.setprofile(None)
    assert answer.status_code in (200, 303), (url, answer.status_code)
    return traveller


def main() -> None:
    """Print the four journeys."""
    with tempfile.TemporaryDirectory() as folder:
        tern_cottage.seed(Path(folder) / "household.sqlite", now=NOW)
        app = create_app(Settings(data=Path(folder), demo=True), lambda: NOW)
        household = app.extensions["household"]
        if hasattr(household, "planning"):
            household.planning.start()
        client, today = app.test_client(), NOW.date().isoformat()
        page = client.get("/cases/1/try").get_data(as_text=True)
        days = [date.fromisoformat(d) for d in re.findall(r'name="day" value="([0-9-]+)"', page)]
        moved = ",".join((d + timedelta(days=1)).isoformat() for d in days)
        find = {"stage": "adult", "number": "3", "found_on": today, "where": ""}
        look = {
            "seen": "some",
            "looked_on": today,
            "live-young": "4",
            "share": "1",
            "thorough": "usual",
            "spread": "0",
        }
        diary = {f"low-{today}": "17", f"high-{today}": "25"}
        for name, url, data in (
            ("a find", "/cases/1/finds", find),
            ("a look", "/cases/1/inspect", look),
            ("a reading", "/places/7/diary", diary),
            ("a moved date", "/cases/1/dates", {"dates": moved}),
        ):
            found = journey(client, url, data)
            print(f"{name}: {len(found.rooms)} rooms, {found.returns} returns")
            print("   " + ", ".join(r.removeprefix("services/") for r in found.rooms))
        if hasattr(household, "planning"):
            household.planning.stop()


if __name__ == "__main__":
    main()
