"""The season's pages: the year, sightings, the journal, and what of it stands on Today."""

import io
import re
from datetime import datetime
from html import unescape

import pytest
from conftest import NOW


def text(answer):
    return unescape(re.sub(r"\s+", " ", re.sub(r"<[^>]*>", " ", answer.get_data(as_text=True))))


def on_today(client):
    """What Today says, once everything that was missed meanwhile is answered."""
    client.post("/today/caught-up", data={"key": "all"})
    return text(client.get("/"))


@pytest.fixture
def bed(client):
    """A household with a bed of cabbages and two remembered years: its client."""
    place = {"name": "Raised bed", "day": "16", "night": "10", "setting": "outdoor"}
    place |= {"day_from": "07:00", "night_from": "22:00"}
    assert client.post("/places/new", data=place).status_code == 303
    plant = {"name": "Kohlrabi", "kind": "cabbage-family", "place": "1"}
    assert client.post("/plants/new", data=plant).status_code == 303
    table = (
        b"date,pest,place\n2024-08-10,small cabbage white,Raised bed\n"
        b"2025-08-05,pieris-rapae,raised bed\n"
    )
    read = client.post(
        "/season/sightings/file",
        data={"file": (io.BytesIO(table), "journal.csv")},
        content_type="multipart/form-data",
    )
    assert "2 new sightings" in text(read)
    return client


def test_the_demo_shows_the_year_with_what_comes_and_what_is_done(demo_client):
    page = demo_client.get("/season")
    said = text(page)
    assert "aphids" in said
    assert "Likely" in said
    assert "as expected" in said
    for mark in ("yr-hill", "yr-thorn", "yr-begin", "yr-done", "yr-flag", "yr-warm", "yr-sleep"):
        assert mark in page.text, mark
    assert page.text.count("<svg") >= 2
    one = text(demo_client.get("/season?place=5"))
    assert "Fungus gnats, propagation" not in one


def test_cabbages_from_the_journal_to_the_net(bed, clock):
    clock.now = datetime(2026, 6, 20, 18)
    assert "Begin watching for caterpillars from" in text(bed.get("/season"))
    assert "Before caterpillars come" not in on_today(bed)
    clock.now = datetime(2026, 7, 14, 18)
    assert "put a net over it: kohlrabi" in on_today(bed)
    assert "Put a net over it now" in text(bed.get("/season"))
    begun = {"pest": "pieris-rapae", "place": "1", "kind": "begun"}
    assert bed.post("/season/begin", data=begun).status_code == 303
    assert "put a net over it: kohlrabi" not in on_today(bed)
    assert "Under netting" in text(bed.get("/plants/1"))
    assert "yr-net" in bed.get("/season").text
    kept = text(bed.get("/record?kind=season"))
    assert "Prevention begun: small cabbage white" in kept
    assert "Under netting" in kept
    assert kept.count("First seen: small cabbage white") == 2
    assert "Begun" in text(bed.get("/season"))
    number = re.search(r"/season/begin/(\d+)/take-back", bed.get("/season").text)[1]
    bed.post(f"/season/begin/{number}/take-back", data={"undo": "1"})
    assert "Put a net over it now" in text(bed.get("/season"))


def test_what_is_left_out_this_year_is_asked_no_more_and_comes_again_next_year(bed, clock):
    clock.now = datetime(2026, 7, 14, 18)
    left = {"pest": "pieris-rapae", "place": "1", "kind": "left"}
    assert bed.post("/season/begin", data=left).status_code == 303
    assert "put a net over it: kohlrabi" not in on_today(bed)
    clock.now = datetime(2026, 9, 12, 18)
    assert "Not found by" in text(bed.get("/season"))
    clock.now = datetime(2027, 7, 16, 18)
    assert "Put a net over it now" in text(bed.get("/season"))


def test_sightings_are_noted_taken_back_and_refused_in_a_sentence(bed):
    row = {"pest": "pieris-rapae", "place": "1", "on": "2023-07-04", "heat": "300", "note": "first"}
    assert bed.post("/season/sightings", data=row).status_code == 303
    page = bed.get("/season/sightings")
    assert "4 July 2023" in text(page)
    assert bed.post("/season/sightings", data={**row, "on": "2027-01-01"}).status_code == 422
    assert bed.post("/season/sightings", data={**row, "pest": "yeti"}).status_code == 422
    bad = {"file": (io.BytesIO(b"what,is,this\n"), "a.csv")}
    refused = bed.post("/season/sightings/file", data=bad, content_type="multipart/form-data")
    assert refused.status_code == 422
    assert "Row 1" in text(refused)
    number = re.findall(r"/season/sightings/(\d+)/withdraw", page.text)[-1]
    bed.post(f"/season/sightings/{number}/withdraw")
    assert text(bed.get("/season/sightings")).count("Take back") < text(page).count("Take back")


def test_the_journal_sets_years_side_by_side(demo_client):
    said = text(demo_client.get("/season/journal"))
    assert "came to the glazed balcony" in said
    assert "wiping" in said
    assert "right:" in said
    assert "degree-days" in said
    one = text(demo_client.get("/season/journal?pest=coccus-hesperidum"))
    assert "spider mites came" not in one


def test_the_journal_says_what_was_noted_without_a_case(bed):
    assert "noted from a table" in text(bed.get("/season/journal"))


def test_a_walk_past_plants_whose_turn_it_is(client, clock):
    place = {"name": "Sill", "day": "22", "night": "18", "day_from": "07:00", "night_from": "22:00"}
    client.post("/places/new", data=place)
    for name in ("Fern", "Ivy", "Palm"):
        client.post("/plants/new", data={"name": name, "kind": "foliage", "place": "1"})
    assert "A walk past" not in text(client.get("/"))
    clock.now = NOW.replace(day=20)
    assert "A walk past 3 plants" in text(client.get("/"))
    walk = client.get("/house/1/walk")
    assert "Check 3 plants" in text(walk)
    client.post("/plants/1/check", data={"back": "/house/1/walk"})
    assert "Check 2 plants" in text(client.get("/house/1/walk"))
    settings = client.get("/settings").text
    assert 'name="rhythm"' in settings
    client.post(
        "/settings",
        data={"shortcuts": "on", "words": "on", "evenings_asked": "", "locale": "en-GB"},
    )
    assert "A walk past" not in text(client.get("/"))


def test_what_came_in_is_told_in_one_form_and_watched(client, clock):
    place = {"name": "Sill", "day": "22", "night": "18", "day_from": "07:00", "night_from": "22:00"}
    client.post("/places/new", data=place)
    client.post("/places/new", data={**place, "name": "Box room"})
    client.post("/plants/new", data={"name": "Fuchsia", "kind": "flowering", "place": "1"})
    assert "What came in?" in text(client.get("/season/came-in"))
    assert "They may bring thrips, aphids" in text(client.get("/season/came-in?what=flowers"))
    assert client.post("/season/came-in", data={"what": "flowers", "place": "1"}).status_code == 303
    assert "Cut flowers , sill, since" in text(client.get("/season/came-in"))
    clock.now = NOW.replace(day=NOW.day + 5)
    walk = text(client.get("/house/1/walk"))
    assert "Every 4 days: cut flowers" in walk
    assert "Look for thrips" in walk
    kept = text(client.get("/record?kind=season"))
    assert "Cut flowers: came in" in kept
    new = {"what": "bought", "place": "2", "name": "Lemon", "kind": "woody-citrus"}
    kept = client.post("/season/came-in", data={**new, "brings-soft-scale": "1"})
    assert "/quarantine/" in kept.headers["Location"]
    assert "Others where it came from had" in text(client.get(kept.headers["Location"]))
    for wrong in ({"what": "bought", "place": "2", "kind": ""}, {"what": "comet", "place": "1"}):
        assert client.post("/season/came-in", data=wrong).status_code == 422
    tree = {"what": "outside", "place": "1", "note": "the lime tree", "brings-mealybug": "1"}
    client.post("/season/came-in", data=tree)
    page = client.get("/season/came-in")
    assert "The lime tree , sill" in text(page)
    number = re.search(r"/season/came-in/(\d+)/gone", page.text)[1]
    assert client.post(f"/season/came-in/{number}/gone").status_code == 303
    client.post(f"/season/came-in/{number}/take-back")
    assert "The lime tree , sill" not in text(client.get("/season/came-in"))


def test_a_note_for_whoever_takes_a_plant_says_what_it_has_and_had(demo_client):
    page = demo_client.get("/plants/1/note")
    said = text(page)
    assert "It is under treatment for" in said
    assert "Treated on" in said
    assert "Still planned" in said
    assert "Where to look" in said
    assert "/plants/1/note" in demo_client.get("/plants/1").text
    assert demo_client.get("/plants/9999/note").status_code == 404
