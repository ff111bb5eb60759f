"""Looking again by page: what a tap records, what is refused in a sentence, data out
and in, addresses, and journeys in a browser.
"""

import io
import json
import re
import shutil
import sqlite3
import zipfile
from datetime import timedelta

import pytest
from conftest import NOW
from icalendar import Calendar
from PIL import Image
from playwright.sync_api import expect
from serving import SIZES, Site, visit

TODAY = NOW.date().isoformat()
PART = {"HX-Request": "true"}


def text_of(answer):
    return answer.get_data(as_text=True)


def picture():
    data = io.BytesIO()
    Image.new("RGB", (60, 40), (90, 140, 60)).save(data, "JPEG")
    return io.BytesIO(data.getvalue())


def test_only_a_look_counts_and_a_contradiction_is_refused(demo_client):
    address = "/cases/6/inspect"
    assert "Only a look counts" in text_of(demo_client.post(address, data={}))
    assert "One of the two is not so" in text_of(
        demo_client.post(address, data={"seen": "none", "live-adult": "3"})
    )
    kept = demo_client.post(
        address, data={"seen": "some", "live-adult": "three", "note": "under the pot"}
    )
    assert kept.status_code == 422
    assert "under the pot" in text_of(kept), "nothing typed is lost"
    assert "has not come" in text_of(
        demo_client.post(address, data={"seen": "none", "looked_on": "2026-07-01"})
    )


@pytest.mark.long
def test_a_look_with_a_photo_stands_on_the_page_and_can_be_taken_out(demo_client):
    data = {
        "seen": "some",
        "live-young": "7",
        "dead-adult": "4",
        "share": "0.5",
        "thorough": "lens",
        "spread": "2",
        "photo": (picture(), "leaf.jpg"),
        "sent_key": "one",
        "looked_on": TODAY,
    }
    assert (
        demo_client.post(
            "/cases/6/inspect", data=data, content_type="multipart/form-data"
        ).status_code
        == 303
    )
    page = text_of(demo_client.get("/cases/6/follow"))
    assert "7 nymphs alive, 4 dead" in page
    assert "give or take 2 days" in page
    photo = re.search(r"/photos/(\d+)/image.jpg", page)[0]
    assert demo_client.get(photo).status_code == 200
    assert "from the same angle as the last" in text_of(demo_client.get("/cases/6/inspect"))
    inspection = re.search(r"/inspections/(\d+)/withdraw", page)[0]
    demo_client.post(inspection)
    assert "7 nymphs alive" not in text_of(demo_client.get("/cases/6/follow"))


def test_one_tap_of_the_day_records_it_and_comes_back(demo_client):
    day = text_of(demo_client.get("/"))
    assert "/inspect/none" not in day, "no mark on the list of the day claims a look"
    look = re.search(r'href="(/cases/\d+)/inspect"', day)[1]
    form = text_of(demo_client.get(f"{look}/inspect"))
    assert "Nothing alive: I looked at every leaf, both sides" in form
    key = re.search(r'name="sent_key" value="(\w+-none)"', form)[1]
    for _ in range(2):
        answer = demo_client.post(f"{look}/inspect/none", data={"back": "/", "sent_key": key})
    assert answer.headers["Location"] == "/"
    day = text_of(demo_client.get("/"))
    assert f'href="{look}/inspect"' not in day.split('class="can-wait"')[0]
    undo = re.search(r'Recorded.*?action="(/inspections/\d+/withdraw)"', day, re.DOTALL)[1]
    assert (
        demo_client.post(undo, data={"undo": "1", "to": "out", "back": "/"}).headers["Location"]
        == "/"
    )
    day = text_of(demo_client.get("/"))
    assert "Recorded." not in day
    assert f'href="{look}/inspect"' in day
    treat = re.search(r'action="(/evenings/\d+)"', day)[1]
    assert demo_client.post(treat, data={"back": "/", "outcome": "done"}).headers["Location"] == "/"


def test_each_line_of_days_left_loads_by_itself(demo_client):
    for query, address in (("case=7", "/cases/7/clearing"), ("kept=1", "/quarantine/1")):
        part = text_of(demo_client.get(f"/today/apart?{query}", headers=PART))
        assert part.count("<a ") == 1
        assert f'href="{address}"' in part
        assert re.search(r"until <time|no end in sight|may go back", part)
    assert demo_client.get("/today/apart?case=999", headers=PART).status_code == 404


def test_cards_are_placed_counted_replaced_and_wrong_days_refused(demo_client):
    demo_client.post(
        "/cases/6/cards",
        data={"colour": "yellow", "placed_on": (NOW.date() - timedelta(days=4)).isoformat()},
    )
    page = text_of(demo_client.get("/cases/6/follow"))
    card = re.search(r'action="(/cards/\d+)"', page)[1]
    assert "Say how many are on it" in text_of(demo_client.post(card, data={"number": ""}))
    assert "after it was placed" in text_of(
        demo_client.post(
            card, data={"number": "3", "counted_on": (NOW.date() - timedelta(days=9)).isoformat()}
        )
    )
    demo_client.post(card, data={"number": "12", "counted_on": TODAY, "after": "fresh"})
    assert "3.0 a day; fresh card" in text_of(demo_client.get("/cases/6/follow"))


def test_the_end_of_a_case_loads_into_its_page(demo_client):
    part = text_of(demo_client.get("/cases/7/clearing", headers=PART))
    assert "if every look finds nothing" in part
    assert "<h1" not in part
    page = text_of(demo_client.get("/cases/7/clearing"))
    assert page.count("<svg") >= 2
    assert "Read as a list" in page
    assert "held, not cleared" in text_of(demo_client.get("/cases/9/clearing"))


def test_a_case_that_is_not_clear_asks_before_it_closes(demo_client):
    answer = demo_client.post("/cases/7/close")
    assert answer.headers["Location"].endswith("/cases/7/clearing?closing=1")
    assert "Not seen does not mean gone" in text_of(demo_client.get("/cases/7/clearing?closing=1"))
    assert "Open again" not in text_of(demo_client.get("/cases/7"))
    demo_client.post("/cases/7/close", data={"sure": "1"})
    assert "Open again" in text_of(demo_client.get("/cases/7"))


def test_a_cutting_is_a_plant_of_its_own_kept_apart(demo_client):
    answer = demo_client.post("/plants/7/cutting", data={"name": "Coffee cutting"})
    page = text_of(demo_client.get(answer.headers["Location"]))
    assert "Coffee cutting" in page
    assert "Coffee cutting" in text_of(demo_client.get("/plants"))
    assert demo_client.post("/plants/7/cutting", data={"name": "<b>"}).status_code == 422


@pytest.mark.long
def test_apart_in_a_place_with_room_and_back_again(demo_client):
    page = text_of(demo_client.get("/quarantine"))
    assert "room for 2 of 3" in page
    box = re.search(r'<option value="(\d+)">Box room: room for 2', page)[1]
    answer = demo_client.post(
        "/quarantine", data={"plant": "6", "reason": "neighbour", "place": box}
    )
    one = answer.headers["Location"]
    page = text_of(demo_client.get("/plants/6"))
    assert "Box room" in page
    undone = re.search(r'Recorded.*?action="(/quarantine/\d+/undo)"', page, re.DOTALL)[1]
    demo_client.post(undone, data={"undo": "1", "to": "never"})
    assert "North stairwell" in text_of(demo_client.get("/plants/6")).split("Cases")[0]
    one = demo_client.post(
        "/quarantine", data={"plant": "6", "reason": "neighbour", "place": box}
    ).headers["Location"]
    for step in ("furled", "soil", "rim", "roots", "near", "home"):
        demo_client.post(f"{one}/step", data={"step": step})
    home = re.search(
        r'<option value="(\d+)" selected>North stairwell', text_of(demo_client.get(one))
    )[1]
    assert (
        demo_client.post(f"{one}/release", data={"place": "999999", "sure": "1"}).status_code == 404
    )
    refused = text_of(demo_client.post(f"{one}/release", data={"place": home}))
    assert "No looks on record since then" in refused
    demo_client.post(f"{one}/release", data={"place": home, "sure": "1"})
    assert "North stairwell" in text_of(demo_client.get("/plants/6")).split("Cases")[0]
    full = demo_client.post(
        "/places/7/edit",
        data={"name": "Box room", "source": "constant", "constant": "18", "apart_room": "1"},
    )
    assert full.status_code == 303
    refused = demo_client.post(
        "/quarantine",
        data={"plant": "6", "reason": "sick", "place": box, "note": "limp since Friday"},
    )
    assert refused.status_code == 422
    assert "Box room is full: Lemon" in text_of(refused)
    assert "limp since Friday" in text_of(refused)


@pytest.mark.parametrize(
    ("address", "part"),
    [
        ("/", "Today"),
        ("/plants/paste", "Plants"),
        ("/cases/1/report", "Plants"),
        ("/quarantine", "Places"),
        ("/places/7/edit", "Places"),
        ("/mix", "Shelf"),
        ("/record/costs", "Record"),
    ],
)
def test_every_page_says_to_which_part_it_belongs(demo_client, address, part):
    page = text_of(demo_client.get(address))
    named = re.findall(r'aria-current="page">(?:<svg.*?</svg>)?([A-Z][a-z ]+)</a>', page)
    assert named == ([part] if part == "Shelf" else [part, part]), "no tab leads to the shelf"


LONG = "9" * 40


@pytest.mark.parametrize(
    "number",
    [
        LONG,
        "²",
        *(
            pytest.param(n, marks=pytest.mark.long)
            for n in ("-1", "1e3", "nan", "'; drop table plant;--")
        ),
    ],
)
def test_an_impossible_number_in_an_address_finds_and_breaks_nothing(demo_client, number):
    for address in ("/places/{}/plan", "/cases/{}/clearing", "/quarantine/{}", "/plants/{}"):
        assert demo_client.get(address.format(number)).status_code == 404
    for address in (
        "/today/apart?kept={}",
        "/record?plant={}&skip={}",
        "/record/costs?year={}",
        "/rehearsal?case={}",
        "/mix?case={}",
        "/plants/1/case?look={}",
    ):
        assert demo_client.get(address.replace("{}", number)).status_code == 200
    assert demo_client.post("/cases/1/members", data={"plant": number}).status_code in (
        303,
        404,
        422,
    )
    assert (
        demo_client.post("/quarantine", data={"plant": number, "reason": "sick"}).status_code == 422
    )


def test_costs_are_added_up_and_corrected(demo_client):
    page = text_of(demo_client.get("/record/costs"))
    assert "33.40 spent" in page
    wrong = demo_client.post("/record/costs", data={"what": "Pots", "amount": "-3", "case": "1"})
    assert wrong.status_code == 422
    assert 'value="Pots"' in text_of(wrong)
    demo_client.post("/record/costs", data={"what": "Pots", "amount": "6,60", "case": "1"})
    page = text_of(demo_client.get("/record/costs"))
    assert "40.00 spent" in page
    assert "18.50" in page, "with what was bought for that case before"
    demo_client.post(re.search(r"/record/costs/\d+/withdraw", page)[0])
    assert "33.40 spent" in text_of(demo_client.get("/record/costs?year=1999"))
    demo_client.post("/plants/5/event", data={"kind": "lost", "note": "by mistake"})
    assert "1 plant lost" in text_of(demo_client.get("/record/costs"))
    demo_client.post(re.search(r"/events/\d+/withdraw", text_of(demo_client.get("/plants/5")))[0])
    assert "no plants lost" in text_of(demo_client.get("/record/costs"))
    assert "It is gone" not in text_of(demo_client.get("/plants/5"))


@pytest.mark.long
def test_a_plan_of_a_place_is_kept_and_moved_along(demo_client):
    page = text_of(demo_client.get("/places/1/plan"))
    first, second = re.findall(r'name="shelf-(\d+)"', page)
    data = {
        f"shelf-{first}": "1",
        f"position-{first}": "1",
        f"touches-{first}": "1",
        f"shelf-{second}": "1",
        f"position-{second}": "2",
        f"tray-{second}": "long tray",
        "draught": "left",
        "move": f"{first}:right",
    }
    assert demo_client.post("/places/1/plan", data=data).status_code == 303
    after = text_of(demo_client.get("/places/1/plan"))
    assert re.findall(r'name="shelf-(\d+)"', after) == [second, first]
    assert "long tray" in after
    wrong = demo_client.post("/places/1/plan", data={**data, f"shelf-{first}": "99"})
    assert wrong.status_code == 422
    assert demo_client.post("/places/1/plan", data={**data, "draught": "up"}).status_code == 422


@pytest.mark.long
def test_data_out_and_in_by_page(demo_client, client):
    document = demo_client.get("/record/household.json")
    assert json.loads(document.data)["kind"] == "brood-household"
    with zipfile.ZipFile(io.BytesIO(demo_client.get("/record/tables.zip").data)) as archive:
        assert "inspection.csv" in archive.namelist()
    copy = demo_client.get("/record/backup.sqlite").data
    assert copy.startswith(b"SQLite format 3")
    with sqlite3.connect(":memory:") as db:
        db.deserialize(copy)
        assert db.execute("PRAGMA integrity_check").fetchone() == ("ok",)
    refused = client.post(
        "/record/import",
        data={"file": (io.BytesIO(b"{}"), "x.json")},
        content_type="multipart/form-data",
    )
    assert "not a household" in text_of(refused)
    head = b'--sep\r\nContent-Disposition: form-data; name="file"; filename="x.json"\r\n\r\n'
    taken = client.post(
        "/record/import",
        data=head + document.data + b"\r\n--sep--\r\n",
        content_type="multipart/form-data; boundary=sep",
    )
    assert taken.status_code == 303
    assert client.get("/record/household.json").data == document.data


def made(client, kind, **more):
    page = text_of(client.post(f"/sharing/{kind}", data={"label": "hall phone", **more}))
    return re.search(r"<code>https?://[^/]+(/[^<]+)</code>", page)[1]


def test_feed_and_sitter_open_without_the_passcode_and_nothing_else_does(lan_client):
    outside = {"REMOTE_ADDR": "10.9.8.20"}
    feed = made(lan_client, "feed")
    sitter = made(
        lan_client, "sitter", from_on=TODAY, until_on=(NOW.date() + timedelta(days=5)).isoformat()
    )
    events = Calendar.from_ical(lan_client.get(feed, environ_base=outside).data).walk("VEVENT")
    assert len({str(e["uid"]) for e in events}) == len(events) > 20
    sheet = lan_client.get(sitter, environ_base=outside)
    assert sheet.status_code == 200
    assert 'href="/plants' not in text_of(sheet), "the sheet leads nowhere else"
    for path in ("/", "/record", "/cases/1", "/record/household.json", "/sharing"):
        assert lan_client.get(path, environ_base=outside).status_code == 303, "the door"
    for path in ("/evenings/1", "/cases/1/close", "/sharing/feed", "/record/import"):
        assert (
            lan_client.post(path, environ_base=outside).headers["Location"].startswith("/enter")
        ), "the door"
    assert (
        lan_client.post(sitter, data={"task": "treat-999"}, environ_base=outside).status_code == 404
    )
    assert lan_client.post(feed, environ_base=outside).status_code in (303, 405)
    for n in re.findall(r"/sharing/(\d+)/revoke", text_of(lan_client.get("/sharing"))):
        lan_client.post(f"/sharing/{n}/revoke")
    for path in (feed, sitter, feed[:-9] + "AAAAA.ics", sitter + "A"):
        assert lan_client.get(path, environ_base=outside).status_code == 404
        assert lan_client.get(path).status_code == 404
    assert (
        lan_client.post(sitter, data={"task": "treat-1"}, environ_base=outside).status_code == 404
    )


@pytest.fixture
def demo_here(demo_household, tmp_path, clock):
    shutil.copy(demo_household, tmp_path / "household.sqlite")
    opened = Site(tmp_path, clock)
    yield opened
    opened.stop()


@pytest.mark.long
@pytest.mark.browser
def test_a_wet_thumb_counts_and_the_verdict_follows(browser, demo_here):
    page = visit(browser, demo_here, viewport=SIZES["phone"], has_touch=True)
    page.goto("/cases/6")
    page.get_by_role("link", name="Look and count", exact=True).tap()
    for _ in range(4):
        page.get_by_role("button", name="+1 live: nymphs").tap()
    expect(page.get_by_role("radio", name="Something was there.")).to_be_checked()
    page.get_by_role("button", name="Keep this look").tap()
    expect(page.get_by_text("4 nymphs alive")).to_be_visible()
    expect(page.get_by_role("heading", name="Looks")).to_be_visible()
    assert page.faults == []
    page.context.close()


@pytest.mark.browser
def test_a_look_made_without_a_connection_waits_on_the_device_and_counts_once(
    browser, demo_here, clock
):
    page = visit(browser, demo_here, viewport=SIZES["phone"], has_touch=True)
    page.goto("/cases/6/inspect")
    page.get_by_role("radio", name="with a lens").check()
    page.context.set_offline(True)
    page.get_by_role("button", name="+1 live: nymphs").tap()
    page.get_by_role("button", name="+1 live: nymphs").tap()
    page.get_by_role("button", name="Keep this look").tap()
    expect(page.locator("#offline")).to_contain_text(
        "No connection: the look is kept on this device"
    )
    page.get_by_role("button", name="Try again now").tap()
    page.context.set_offline(False)
    page.wait_for_url("**/cases/6/follow")
    expect(page.get_by_text("2 nymphs alive")).to_have_count(1)
    page.goto("/cases/6/inspect")
    assert page.evaluate("localStorage.getItem('brood-unsent')") == "[]"
    expect(page.get_by_label("live", exact=True).first).to_have_value("")
    page.get_by_label("Note").fill("half of it")
    page.goto("/cases/6")
    page.goto("/cases/6/inspect")
    expect(page.get_by_label("Note")).to_have_value("half of it")
    assert [text for text in page.faults if "ERR_INTERNET_DISCONNECTED" not in text] == []
    page.context.close()


@pytest.mark.browser
def test_a_day_by_keys_without_script_evening_kept_and_sitter_ticks(browser, demo_here):
    page = visit(browser, demo_here, viewport=SIZES["laptop"], java_script_enabled=False)
    page.goto("/")
    keep = page.get_by_role(
        "button", name=re.compile("^Keep (Mon|Tues|Wednes|Thurs|Fri|Satur|Sun)day")
    )
    if keep.count():
        keep.focus()
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", level=1)).to_have_text("Mon 8 June")
    page.get_by_role("link", name="Calendar and sitter").click()
    page.get_by_label("Who waters").fill("next door")
    page.get_by_role("button", name="Make the sheet").click()
    page.goto(page.locator("code").inner_text())
    expect(page.get_by_role("heading", level=1)).to_contain_text("The plants")
    first = page.get_by_role("button", name=re.compile("^Done: ")).first
    name = first.inner_text()
    first.click()
    expect(page.get_by_role("heading", name="Done")).to_be_visible()
    assert name
    page.context.close()


@pytest.mark.long
def test_a_case_that_was_worked_out_while_closed_looks_ahead_again_once_it_is_opened(demo_client):
    def to_come(page):
        html = text_of(demo_client.get(f"/cases/1{page}"))
        return re.search(r"(\d+) (?:to come at most|evenings to come)", html)[1]

    before = to_come("")
    demo_client.post("/cases/1/close", data={"sure": "1"})
    demo_client.post("/plants/1/event", data={"kind": "repotted", "on": "2026-06-07"})
    demo_client.get("/cases/1")
    demo_client.post("/cases/1/close", data={"to": "open"})
    assert int(to_come("")) > 0
    assert to_come("") == to_come("/chance") == to_come("/means/figures")
    assert before
