"""What others could see or break: copies without secrets, nothing kept by caches,
addresses and headers that are nonsense, large exports.
"""

import io
import re
import sqlite3
import stat
import tracemalloc

import pytest
from conftest import NOW

from brood.services.archive import transfer
from brood.services.house import access
from brood.store.session import open_store
from brood.store.tables import Look, Photo, Plant

UNKEPT = [
    "/",
    "/plants",
    "/record/household.json",
    "/record/tables.zip",
    "/record/backup.sqlite",
    "/cases/1/calendar.ics",
    "/photos/1/image.jpg",
    "/nope",
]


@pytest.mark.parametrize("path", UNKEPT)
def test_no_cache_keeps_anything_but_static_files(demo_client, path):
    with demo_client.get(path) as answer:
        assert answer.headers["Cache-Control"] == "no-store"


def test_static_files_may_be_kept_and_a_feed_may_not(demo_client):
    with demo_client.get("/static/app.css") as answer:
        assert "max-age" in answer.headers["Cache-Control"]
    made = demo_client.post("/sharing/feed", data={"label": "phone"}).get_data(as_text=True)
    feed = re.search(r"(/feed/[^<\s]+\.ics)", made)[1]
    assert demo_client.get(feed).headers["Cache-Control"] == "no-store"


def test_the_key_of_sessions_is_in_a_file_of_its_owner_and_in_no_copy(demo_client, tmp_path):
    folder = tmp_path / "pages"
    secret = folder / access.SECRET_FILE
    assert stat.S_IMODE(secret.stat().st_mode) == 0o600
    key = secret.read_text()
    assert demo_client.application.secret_key == key
    with demo_client.get("/record/backup.sqlite") as answer:
        copy = answer.data
    assert key.encode() not in copy
    with sqlite3.connect(":memory:") as db:
        db.deserialize(copy)
        assert db.execute("select count(*) from setting where key like '%secret%'").fetchone() == (
            0,
        )
    assert key.encode() not in (folder / "household.sqlite").read_bytes()
    store = open_store(folder / "household.sqlite")
    store.close()
    assert stat.S_IMODE((folder / "household.sqlite").stat().st_mode) == 0o600


def test_a_session_key_that_was_cut_short_is_replaced(tmp_path):
    first = access.session_secret(tmp_path)
    assert access.session_secret(tmp_path) == first
    (tmp_path / access.SECRET_FILE).write_text("")
    assert len(access.session_secret(tmp_path)) == len(first)


def test_a_new_passcode_makes_a_new_key(demo_client, tmp_path):
    before = (tmp_path / "pages" / access.SECRET_FILE).read_text()
    demo_client.post("/settings/passcode", data={"passcode": "1234 5678"})
    assert (tmp_path / "pages" / access.SECRET_FILE).read_text() != before


@pytest.mark.parametrize("origin", ["http://[", "http://[::1", "//", "null", "http://evil.example"])
def test_a_nonsense_origin_counts_as_another_site(demo_client, origin):
    assert (
        demo_client.post("/theme", data={"theme": "dark"}, headers={"Origin": origin}).status_code
        == 403
    )


@pytest.mark.parametrize(
    "back",
    [
        "http://[::1",
        "//evil.example/x",
        "/\\evil.example",
        "https://evil.example",
        "/x\r\nSet-Cookie: a=b",
        "x" * 5000,
    ],
)
def test_the_page_to_return_to_is_one_of_ours(demo_client, back):
    for path, data in (
        ("/theme", {"theme": "dark"}),
        ("/tasks/999", {}),
        ("/enter", {"next": back, "passcode": "none"}),
    ):
        answer = demo_client.post(path, data={**data, "back": back})
        assert answer.status_code in (303, 404, 422)
        assert answer.headers.get("Location", "/") == "/"


@pytest.mark.parametrize(
    "path", ["/places/7/day/9999-12-31", "/places/7/day/0001-01-01", "/places/7/day/2026-13-01"]
)
def test_an_impossible_day_has_no_page(demo_client, path):
    assert demo_client.get(path).status_code == 404


def test_a_host_that_is_not_ours_is_refused_in_a_sentence(lan_client):
    answer = lan_client.get("/", headers={"Host": "evil.example"})
    assert answer.status_code == 400
    assert 'role="alert"' in answer.get_data(as_text=True)


def test_at_the_door_a_script_is_told_to_wait_and_a_page_is_led_there(lan_client):
    far = {"REMOTE_ADDR": "10.9.8.20"}
    sent = {"sent_key": "k1", "seen": "none"}
    told = lan_client.post(
        "/cases/1/inspect", data=sent, headers={"X-Brood-Receipt": "1"}, environ_overrides=far
    )
    assert told.status_code == 401
    assert "passcode" in told.json["message"]
    assert lan_client.post("/cases/1/inspect", data=sent, environ_overrides=far).status_code == 303


def test_a_receipt_names_the_key_and_a_refusal_says_why(demo_client):
    asks = {"X-Brood-Receipt": "1"}
    for _ in range(2):
        kept = demo_client.post(
            "/cases/1/inspect", data={"sent_key": "k7", "seen": "none"}, headers=asks
        )
        assert kept.json == {"kept": "k7"}
    refused = demo_client.post(
        "/cases/1/inspect", data={"sent_key": "k8", "seen": "some"}, headers=asks
    )
    assert refused.status_code == 422
    assert "Say how many" in refused.json["message"]
    gone = demo_client.post("/cases/999/evening", data={"sent_key": "k9"}, headers=asks)
    assert (gone.status_code, gone.json["message"]) == (404, "There is no such case.")


@pytest.mark.parametrize("depth", [5, 100_000])
def test_an_import_of_nonsense_is_refused_in_a_sentence(client, depth):
    body = b"[" * depth
    answer = client.post(
        "/record/import",
        data={"file": (io.BytesIO(body), "x.json")},
        content_type="multipart/form-data",
    )
    assert answer.status_code == 422
    assert "no JSON document" in answer.get_data(as_text=True)


def test_an_export_larger_than_other_files_may_be_is_taken_in(client):
    """What Brood wrote itself is no stranger's upload: the limit for logger files does
    not hold it up.
    """
    with client.get("/record/household.json") as answer:
        document = answer.data
    client.application.config["MAX_CONTENT_LENGTH"] = len(document) // 2
    refused = client.post(
        "/places/1/file",
        data={"file": (io.BytesIO(document), "x.csv")},
        content_type="multipart/form-data",
    )
    assert refused.status_code == 413
    taken = client.post(
        "/record/import",
        data={"file": (io.BytesIO(document), "x.json")},
        content_type="multipart/form-data",
    )
    assert taken.status_code == 303
    with client.get("/record/household.json") as answer:
        assert answer.data == document


def add_photos(store, number, size):
    with store.writing() as session:
        look = Look(plant_id=session.query(Plant.id).limit(1).scalar(), tools=[], started_at=NOW)
        session.add(look)
        session.flush()
        for n in range(number):
            session.add(
                Photo(
                    look_id=look.id,
                    filename=f"{n}.jpg",
                    jpeg=bytes([n % 256]) * size,
                    width=9,
                    height=9,
                    lengths_mm=[],
                    recorded_at=NOW,
                )
            )


def test_an_export_goes_out_in_pieces_and_not_as_one_text(demo_store):
    add_photos(demo_store, 40, 500_000)
    tracemalloc.start()
    with demo_store.reading() as session:
        size = sum(len(piece) for piece in transfer.export(session))
    most = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert size > 26_000_000
    assert most < size
