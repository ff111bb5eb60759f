"""A walk past the neighbours of infested plants: one task for a place, what for on each
plant, and one tap each.
"""

import re
from datetime import time, timedelta

import pytest
from conftest import MITE, NOW

from brood.services.house import places, plants

START = NOW.date() - timedelta(days=40)
NAMES = ("Fern", "Palm", "Ivy", "Fig")


def text(answer):
    return re.sub(r"\s+", " ", re.sub(r"<[^>]*>", " ", answer.get_data(as_text=True)))


def checks(answer):
    """The plants that can be ticked off on a page."""
    html = answer.get_data(as_text=True)
    return [int(n) for n in re.findall(r'action="/plants/(\d+)/check"', html)]


@pytest.fixture
def shelf(client):
    """A sill with a plant that has mites and thrips, and four plants beside it."""
    with client.application.extensions["household"].store.writing() as session:
        warm = places.Warmth(20.0, 20.0, time(7), time(22))
        where = places.add(session, places.PlaceCommand("Sill", "", "constant", warm), now=NOW)
        add = [
            plants.add(session, plants.PlantCommand(name, "foliage", "", where, START), now=NOW)
            for name in ("Aubergine", *NAMES)
        ]
    for pest in (MITE, "frankliniella-occidentalis"):
        told = {"pest": pest, "found_on": START.isoformat(), "start_on": START.isoformat()}
        answer = client.post(
            f"/plants/{add[0]}/case",
            data={**told, "number-adult": "9", "act-insecticidal-soap": "1"},
        )
        assert answer.status_code == 303, text(answer)[-900:]
    return where


def test_several_neighbours_are_one_walk_with_one_tap_for_each(client, shelf):
    today = text(client.get("/"))
    assert "A walk past 4 plants" in today
    said = "two-spotted spider mite and western flower thrips on Fern, Fig, Ivy and Palm"
    assert today.count(said) == 2, "on the row and in its name"
    assert "8 min" in today
    counts = "count spider mites, then thrips"
    assert today.count(counts) == 2, "one look at the plant that has both, and its name"
    page = client.get(f"/house/{shelf}/walk")
    first, *rest = checks(page)
    assert len(rest) == 3
    assert "from the aubergine: it stands in the same place" in text(page)
    sent = {"sent_key": "one", "back": f"/house/{shelf}/walk"}
    for _ in range(2):
        answer = client.post(f"/plants/{first}/check", data=sent)
        assert answer.location.endswith(f"/house/{shelf}/walk"), "back to the next plant"
    assert checks(client.get(f"/house/{shelf}/walk")) == rest
    assert "A walk past 3 plants" in text(client.get("/"))
    for plant in rest:
        client.post(f"/plants/{plant}/check", data={"sent_key": f"of-{plant}"})
    today, coming = text(client.get("/")).split("Can wait:")
    assert "A walk past" not in today
    assert coming.count("A walk past 4 plants") == 1, "in a week"
    assert "Nothing to check" in text(client.get(f"/house/{shelf}/walk"))


def test_two_neighbours_are_looked_over_each_for_both_pests(client, shelf):
    for plant in checks(client.get(f"/house/{shelf}/walk"))[:2]:
        client.post(f"/plants/{plant}/check", data={"sent_key": f"of-{plant}"})
    today = text(client.get("/"))
    assert "A walk past" not in today
    said = "mite and western flower thrips from the aubergine (it stands in the same place)"
    assert today.count(said) == 6, "two rows, each with its name, and two to come"
    assert client.get("/house/999/walk").status_code == 404
