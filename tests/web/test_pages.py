"""Pages without a browser: statuses, safety, what a new user would try, nothing lost,
nothing executed.
"""

import re
from datetime import date, timedelta
from io import BytesIO
from pathlib import Path

import pytest
from conftest import MITE, NOW, Clock, client_of
from icalendar import Calendar
from pages import PAGES
from pages import words as text_of
from plain_words import given_up

from brood.services.house import access
from brood.services.warmth.simulated_logger import LoggerPlan, csv_text
from brood.web.guard import POLICY

WEB = Path(__file__).parents[2] / "src" / "brood" / "web"
MISSING = [
    ("/nope", 404),
    ("/plants/999", 404),
    ("/cases/999", 404),
    ("/places/1/day/1800-13-01", 404),
    ("/theme", 405),
    ("/guide/dragon", 404),
    ("/feed/guessed.ics", 404),
    ("/sitter/guessed", 404),
    ("/quarantine/999", 404),
    ("/cases/999/inspect", 404),
    ("/places/999/plan", 404),
    ("/looks/999", 404),
    ("/photos/999", 404),
    ("/looks/1/loupe/dragon", 422),
    ("/cases/1/try?dates=2026-06-09", 422),
    ("/cases/1/try?dates=soon", 422),
    ("/rehearsal?pest=dragon", 422),
]
PLACE = {
    "name": "Kitchen sill",
    "day": "24",
    "night": "18",
    "day_from": "07:00",
    "night_from": "22:00",
}


@pytest.fixture(scope="module")
def reader(demo_household, tmp_path_factory):
    """Pages of one demo household for the whole module. Reading changes nothing."""
    yield from client_of(demo_household, tmp_path_factory.mktemp("read"), Clock(), demo=True)


@pytest.mark.parametrize("path", PAGES)
def test_every_page_is_whole_keeps_to_the_strict_policy_and_says_no_word_that_was_given_up(
    reader, path
):
    answer = reader.get(path)
    html = answer.get_data(as_text=True)
    assert answer.status_code == 200
    assert answer.headers["Content-Security-Policy"] == POLICY
    assert "unsafe" not in POLICY
    assert not re.search(r"<[^>]+\sstyle\s*=|<script(?![^>]*\bsrc=)|\son\w+\s*=|javascript:", html)
    assert html.count("<h1") == 1
    assert not re.search(r"None(?! yet| is set| has been| of these)", re.sub(r"<[^>]+>", "", html))
    assert list(given_up(text_of(html))) == []


@pytest.mark.parametrize(("path", "status"), MISSING)
def test_a_missing_page_says_so_in_a_sentence(demo_client, path, status):
    answer = demo_client.get(path)
    assert answer.status_code == status
    assert 'role="alert"' in answer.get_data(as_text=True)


def test_a_pest_is_found_by_its_name_or_its_group(demo_client):
    page = demo_client.get("/plants/2/case?q=Scale+hemi").get_data(as_text=True)
    assert "Hemispherical scale" in page
    assert "fungus gnat" not in page.lower()
    assert '<details class="sec" open>' in page
    assert "No pest goes by" in demo_client.get("/plants/2/case?q=xyzzy").get_data(as_text=True)


def test_an_empty_household_begins_with_a_first_page(client):
    page = client.get("/").get_data(as_text=True)
    for way in ("/first?pest=unsure", "/first", "/plants/paste", "/guide"):
        assert f'href="{way}"' in page
        assert client.get(way).status_code == 200


@pytest.fixture
def plant(client):
    client.post("/places/new", data=PLACE)
    client.post("/plants/new", data={"name": "Coffee plant", "kind": "foliage", "place": "1"})
    return client


def opening(**more):
    return {
        "pest": MITE,
        "found_on": "2026-06-08",
        "number-egg": "40",
        "rough-adult": "few",
        "act-wiping": "1",
        "act-insecticidal-soap": "1",
        "start_on": "2026-06-08",
        "where-adult": "midrib",
        **more,
    }


BAD_CASES = [
    ({"found_on": "1800-01-01"}, "cannot be"),
    ({"found_on": "2026-07-30"}, "not come yet"),
    ({"found_on": "soon"}, "day of the calendar"),
    ({"number-egg": "-3"}, "between 0 and 1,000,000"),
    ({"number-egg": "0"}, "more than 0"),
    ({"number-egg": "1e9"}, "between 0 and 1,000,000"),
    ({"number-egg": "nan"}, "between"),
    ({"number-egg": "many"}, "must be a number"),
    ({"number-egg": "", "rough-adult": ""}, "Say what was seen"),
    ({"act-wiping": "", "act-insecticidal-soap": ""}, "at least one treatment"),
    ({"start_on": "2026-06-01"}, "before the find"),
    ({"gap-insecticidal-soap": "1.5"}, "whole number"),
    ({"where-adult": "x" * 200}, "120 is the most"),
    ({"rough-adult": "lots"}, "from the list"),
    ({"pest": "dragon"}, None),
]


@pytest.mark.parametrize(("more", "words"), BAD_CASES)
def test_a_bad_case_is_refused_in_a_sentence_and_keeps_what_was_typed(plant, more, words):
    page = f"/plants/1/case?pest={MITE}"
    answer = plant.post("/plants/1/case", data=opening(form_page=page, **more))
    html = answer.get_data(as_text=True)
    if words is None:
        assert "no pest" in html
        return
    assert answer.status_code == 422
    assert words in html
    assert f'value="{more.get("where-adult", "midrib")}"' in html
    assert "no case" not in plant.get("/plants/1").get_data(as_text=True)


BAD_PLACES = [
    ({"name": ""}, "missing"),
    ({"name": "x" * 81}, "80 is the most"),
    ({"day": "99"}, "between -30 and 60"),
    ({"day": ""}, "missing"),
    ({"night": "cold"}, "must be a number"),
    ({"night_from": "07:00"}, "different hours"),
    ({"day_from": "25:00"}, "must be a time"),
]


@pytest.mark.parametrize(("more", "words"), BAD_PLACES)
def test_a_bad_place_is_refused_in_a_sentence(client, more, words):
    answer = client.post("/places/new", data={**PLACE, **more})
    assert answer.status_code == 422
    assert words in answer.get_data(as_text=True)
    assert 'value="22:00"' in answer.get_data(as_text=True) or "night_from" in more


def test_a_script_as_a_name_is_refused_and_as_a_note_is_shown_as_text(plant):
    nasty = "<script>alert(1)</script>"
    refused = plant.post("/plants/new", data={"name": nasty, "kind": "", "place": "1"})
    assert refused.status_code == 422
    assert "cannot hold" in refused.get_data(as_text=True)
    plant.post("/plants/new", data={"name": "Lemon", "kind": "", "place": "1", "note": nasty})
    plant.post("/plants/2/case", data=opening(**{"where-adult": nasty}))
    for html in (
        refused.get_data(as_text=True),
        *(plant.get(p).get_data(as_text=True) for p in ("/plants/2", "/plants/2/edit", "/cases/1")),
    ):
        assert "<script>alert" not in html
        assert "&lt;script&gt;" in html


FILES = [
    (b"", "empty"),
    (b"%PDF-1.7 ...", "PDF"),
    (b"\x00\x01binary", "not a text file"),
    (b"name,colour\nfern,green\n", "heading"),
]


@pytest.mark.parametrize(("data", "words"), FILES)
def test_a_file_that_is_no_loggers_table_is_refused_with_the_reason(plant, data, words):
    sent = {"file": (BytesIO(data), "log.csv"), "form_page": "/places/1"}
    answer = plant.post("/places/1/file", data=sent)
    assert answer.status_code == 422
    assert words in answer.get_data(as_text=True)
    assert "None yet" in answer.get_data(as_text=True)


def test_a_file_that_is_too_large_is_refused_before_it_is_read(plant):
    head = b'--x\r\nContent-Disposition: form-data; name="file"; filename="big.csv"\r\n\r\n'
    body = head + b"time,temperature_c\n" + b"1" * 1_200_000 + b"\r\n--x--\r\n"
    answer = plant.post("/places/1/file", data=body, content_type="multipart/form-data; boundary=x")
    assert answer.status_code == 413
    assert "too large" in answer.get_data(as_text=True)
    assert plant.post("/places/1/file").status_code == 422


def test_the_simulated_loggers_file_is_taken_and_every_refusal_listed(plant):
    log = csv_text(LoggerPlan(NOW.replace(minute=0) - timedelta(days=10), days=10))
    assert (
        plant.post("/places/1/file", data={"file": (BytesIO(log.encode()), "sill.csv")}).status_code
        == 303
    )
    html = plant.get("/places/1").get_data(as_text=True)
    assert html.count("refused: -127.0") == 2
    assert "clock went back" in html
    reading = re.search(
        r"/places/reading/(\d+)", plant.get("/places/1/day/2026-06-01").get_data(as_text=True)
    ).group(1)
    bad = plant.post(f"/places/reading/{reading}", data={"celsius": "hot"})
    assert bad.status_code == 422
    assert "must be a number" in bad.get_data(as_text=True)
    assert plant.post(f"/places/reading/{reading}", data={"celsius": "21,5"}).status_code == 303


def test_a_case_is_opened_marked_late_and_its_calendar_moves(plant, clock):
    plant.post("/plants/1/case", data=opening())
    page = plant.get("/cases/1").get_data(as_text=True)
    assert "/cases/1/chance" in page
    first, second = re.findall(r"/evenings/(\d+)\"", page)[0], None
    plant.post(f"/evenings/{first}", data={"outcome": "done"})
    before = {
        str(e["uid"]): e
        for e in Calendar.from_ical(plant.get("/cases/1/calendar.ics").data).walk("VEVENT")
    }
    clock.now += timedelta(days=9)
    second = re.findall(r"/evenings/(\d+)\"", plant.get("/cases/1").get_data(as_text=True))[0]
    plant.post(f"/evenings/{second}", data={"outcome": "done"})
    after = {
        str(e["uid"]): e
        for e in Calendar.from_ical(plant.get("/cases/1/calendar.ics").data).walk("VEVENT")
    }
    assert set(before) <= set(after)
    assert any(after[u]["sequence"] > before[u]["sequence"] for u in before)
    assert "have probably laid" in plant.get("/cases/1").get_data(as_text=True)


def test_a_part_is_given_to_htmx_and_a_whole_page_to_everybody_else(demo_client):
    part = demo_client.get("/cases/1", headers={"HX-Request": "true"})
    assert part.get_data(as_text=True).lstrip().startswith('<div id="case"')
    assert "HX-Request" in part.headers["Vary"]
    assert demo_client.get("/cases/1").get_data(as_text=True).startswith("<!doctype html>")


def test_bad_days_and_bad_finds_change_nothing(demo_client):
    slot = re.findall(r"/evenings/(\d+)\"", demo_client.get("/cases/1").get_data(as_text=True))[0]
    for data, words in (
        ({"done_on": "1800-01-01"}, "cannot be"),
        ({"done_on": "2027-01-01"}, "not come yet"),
        ({"done_on": "x"}, "calendar"),
    ):
        answer = demo_client.post(f"/evenings/{slot}", data={"outcome": "done", **data})
        assert answer.status_code == 422
        assert words in answer.get_data(as_text=True)
    for data in (
        {"stage": "egg", "number": "-3"},
        {"stage": "dragon", "number": "3"},
        {"stage": "egg"},
    ):
        assert (
            demo_client.post(
                "/cases/1/finds", data={"found_on": "2026-06-08", "key": "new", **data}
            ).status_code
            == 422
        )
    assert demo_client.post("/evenings/9999", data={"outcome": "done"}).status_code == 404


@pytest.mark.parametrize(
    "headers", [{"Origin": "http://evil.example"}, {"Sec-Fetch-Site": "cross-site"}]
)
def test_a_form_from_another_site_changes_nothing(demo_client, headers):
    assert (
        demo_client.post(
            "/plants/new", data={"name": "Weed", "kind": "", "place": "1"}, headers=headers
        ).status_code
        == 403
    )
    assert "Weed" not in demo_client.get("/plants").get_data(as_text=True)


def test_a_foreign_host_name_is_not_answered(demo_client):
    foreign = {"Host": "evil.example"}
    assert demo_client.get("/plants", headers=foreign).status_code == 400
    assert demo_client.post("/plants/new", headers=foreign, data={"name": "x"}).status_code == 400
    part = foreign | {"HX-Request": "true"}
    assert demo_client.get("/plants", headers=part).status_code == 400


def test_every_pests_page_shows_no_figure_without_a_source_that_is_there(demo_client, catalogue):
    for pest in catalogue.pests:
        html = demo_client.get(f"/guide/{pest}").get_data(as_text=True)
        targets = set(re.findall(r'href="#(s-\d+)"', html))
        assert targets, pest
        assert targets <= set(re.findall(r'id="(s-\d+)"', html))
        anchors = set(re.findall(r'href="/sources#([a-z0-9-]+)"', html))
        assert anchors <= set(catalogue.sources)
        for table in re.findall(r"<table.*?</table>", html, re.S)[-2:]:
            assert table.count("<tr>") - 1 == table.count('class="cite"')
        assert "true relative size" in html
    assert (
        demo_client.get(f"/guide/{MITE}?stage=egg", headers={"HX-Request": "true"})
        .get_data(as_text=True)
        .lstrip()
        .startswith('<div id="curve">')
    )


@pytest.mark.long
def test_an_own_figure_shows_its_effect_and_is_kept_used_and_restored(demo_client):
    page, figure = f"/guide/{MITE}/figures", "stage.egg.k_dd"
    before = demo_client.get("/cases/1").get_data(as_text=True)
    weighed = demo_client.get(f"{page}?figure={figure}&value=90").get_data(as_text=True)
    assert "What it would change" in weighed
    assert demo_client.get("/cases/1").get_data(as_text=True) == before
    for bad, words in (
        ({"value": "90"}, "comes from"),
        ({"value": "-4", "note": "x"}, "more than 0"),
        ({"value": "many", "note": "x"}, "number"),
    ):
        answer = demo_client.post(page, data={"figure": figure, **bad})
        assert answer.status_code == 422
        assert words in answer.get_data(as_text=True)
    assert (
        demo_client.post(
            page, data={"figure": figure, "value": "90", "note": "counted on my own aubergine"}
        ).status_code
        == 303
    )
    assert "counted on my own aubergine" in demo_client.get(f"{page}?figure={figure}").get_data(
        as_text=True
    )
    after = demo_client.get("/cases/1").get_data(as_text=True)
    assert after != before
    assert "1 of your own figures" in after
    assert demo_client.post(page, data={"figure": figure, "act": "restore"}).status_code == 303
    assert demo_client.post(page, data={"figure": figure, "act": "restore"}).status_code == 404
    assert "counted on my own aubergine" in demo_client.get(f"{page}?figure={figure}").get_data(
        as_text=True
    ), "the old value is kept"


def test_a_diary_is_typed_in_corrected_and_refused_with_what_was_typed(plant):
    day = (NOW - timedelta(days=2)).date().isoformat()
    assert (
        plant.post("/places/1/diary", data={f"low-{day}": "11,5", f"high-{day}": "23"}).status_code
        == 303
    )
    html = plant.get("/places/1").get_data(as_text=True)
    assert 'value="11.5"' in html
    assert "read off up to" in html
    wrong = plant.post("/places/1/diary", data={f"low-{day}": "30", f"high-{day}": "23"})
    assert wrong.status_code == 422
    assert "lowest is above the highest" in wrong.get_data(as_text=True)
    assert 'value="30"' in wrong.get_data(as_text=True)


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"source": "sensor", "sensor_url": "http://8.8.8.8/"}, "your own home network"),
        ({"source": "sensor", "sensor_url": ""}, "begins with http"),
        ({"source": "constant", "constant": ""}, "missing"),
        ({"source": "weather", "offset": "40"}, "between"),
        ({"source": "oracle"}, "from the list"),
    ],
)
def test_an_impossible_source_is_refused_in_a_sentence(client, more, words):
    answer = client.post("/places/new", data={"name": "Sill", **more})
    assert answer.status_code == 422
    assert words in answer.get_data(as_text=True)


def test_several_files_are_taken_at_once_and_each_bad_one_is_named(plant):
    good = [
        (BytesIO(f"time,temperature_c\n2026-06-0{d} 08:00,20\n".encode()), f"{d}.csv")
        for d in (1, 2)
    ]
    answer = plant.post(
        "/places/1/file",
        data={
            "file": [*good, (BytesIO(b"%PDF-1.7"), "manual.pdf")],
            "form_page": "/places/1",
        },
        content_type="multipart/form-data",
    )
    html = answer.get_data(as_text=True)
    assert answer.status_code == 422
    assert "manual.pdf: This is a PDF" in html
    assert "1.csv" in html
    assert "2.csv" in html


def test_what_a_kind_of_plant_is_often_injured_by_is_said_and_not_ticked(demo_client):
    def ticked(plant, pest):
        html = demo_client.get(f"/plants/{plant}/case?pest={pest}").get_data(as_text=True)
        return set(
            re.findall(r'name="act-([a-z-]+)" value="1" checked', html)
        ), "Not offered here" in html and "would wilt" in html

    below = {"bti-drench", "steinernema-feltiae", "soil-drying", "sticky-cards", "topsoil-change"}
    assert ticked(7, "bradysia") == ticked(10, "bradysia") == (below, False), "watered from below"
    assert ticked(7, "rhizoecus") == ({"root-wash", "repotting"}, False)


def test_degree_days_of_a_place_and_a_file_as_page_and_table(demo_client):
    table = demo_client.get("/degree-days?place=6&lower=7.4&as=csv")
    assert table.headers["Content-Type"].startswith("text/csv")
    rows = table.get_data(as_text=True).splitlines()
    assert rows[0] == "date,degree_days,total,kind"
    assert {row.rsplit(",", 1)[1] for row in rows[1:]} == {"measured", "forecast", "expected"}
    days = b"date,min,max\n2026-06-01,10,20\n2026-06-02,12,22\nnonsense,1,2\n"
    html = demo_client.post(
        "/degree-days",
        data={"lower": "10", "file": (BytesIO(days), "days.csv")},
        content_type="multipart/form-data",
    )
    assert "12 °C·d" in html.get_data(as_text=True)
    assert "Row 4 refused" in html.get_data(as_text=True)
    for bad, words in (
        ({"lower": "20", "upper": "10"}, "above the lower"),
        ({"lower": "10"}, "empty"),
        ({"lower": "x"}, "number"),
    ):
        answer = demo_client.post(
            "/degree-days",
            data={**bad, "file": (BytesIO(b""), "none.csv")},
            content_type="multipart/form-data",
        )
        assert answer.status_code == 422
        assert words in answer.get_data(as_text=True)


@pytest.mark.long
def test_settings_change_units_dates_and_page(demo_client):
    chosen = {"locale": "en-US", "unit": "F", "theme": "dark", "alarm_hours": "2"}
    assert demo_client.post("/settings", data=chosen).status_code == 303
    html = demo_client.get("/cases/1").get_data(as_text=True)
    assert "°F" in html
    assert "June" in html
    assert 'data-theme="dark"' in html
    assert 'data-shortcuts="off"' in html
    assert demo_client.post("/settings", data={**chosen, "unit": "K"}).status_code == 422
    assert demo_client.post("/settings", data={"zone": "Moon/Base"}).status_code == 422
    us = {"measure": "us", "week": "sun", "hemisphere": "south", "zone": "Europe/Lisbon"}
    assert demo_client.post("/settings", data=us).status_code == 303
    guide = demo_client.get(f"/guide/{MITE}").get_data(as_text=True)
    assert re.search(r"0\.0\d+ in\b", guide)
    assert "°C" not in re.sub(r"<title>.*?</title>|Sabelis.*?<", "", guide)
    assert 'value="Europe/Lisbon"' in demo_client.get("/settings").get_data(as_text=True)
    assert (
        demo_client.post("/theme", data={"theme": "light", "back": "//evil.example/x"}).headers[
            "Location"
        ]
        == "/"
    )


def test_on_the_home_network_a_passcode_is_needed_and_wrong_tries_are_slowed(lan_client):
    household = lan_client.application.extensions["household"]
    with household.store.writing() as session:
        access.set_passcode(session, "4821 7730")
    phone = {"REMOTE_ADDR": "10.9.8.20", "HTTP_HOST": "10.9.8.7:8000"}
    assert (
        lan_client.get("/plants", environ_overrides={"REMOTE_ADDR": "127.0.0.1"}).status_code == 200
    )
    asked = lan_client.get("/cases/1", environ_overrides=phone)
    assert asked.status_code == 303
    assert "/enter?next=/cases/1" in asked.headers["Location"]
    for _ in range(4):
        assert (
            lan_client.post(
                "/enter", data={"passcode": "0000"}, environ_overrides=phone
            ).status_code
            == 422
        )
    good = lan_client.post(
        "/enter", data={"passcode": "48217730", "next": "//evil.example"}, environ_overrides=phone
    )
    assert (good.status_code, good.headers["Location"]) == (303, "/")
    assert lan_client.get("/cases/1", environ_overrides=phone).status_code == 200
    assert "<svg" in lan_client.get("/phone", environ_overrides=phone).get_data(as_text=True)
    assert (
        lan_client.post(
            "/settings/passcode", data={"passcode": "newone1"}, environ_overrides=phone
        ).status_code
        == 422
    )
    lan_client.post("/leave", environ_overrides=phone)
    statuses = [
        lan_client.post("/enter", data={"passcode": "0000"}, environ_overrides=phone).status_code
        for _ in range(6)
    ]
    assert statuses == [422] * 5 + [429]


def test_every_class_used_in_pages_and_charts_is_in_the_style_sheet():
    css = (WEB / "static" / "app.css").read_text("utf-8")
    known = set(re.findall(r"\.((?:\\.|[\w-])+)", css))
    known = {re.sub(r"\\(.)", r"\1", name) for name in known}
    used = set()
    for path in WEB.rglob("*.html"):
        for found in re.findall(
            r'class="([^"]*)"', re.sub(r"\{\{.*?\}\}|\{%.*?%\}", " ", path.read_text("utf-8"))
        ):
            used |= set(found.split())
    hooks = {"gone", "keep", "f", "bead"}
    assert {c for c in used - known - hooks if not c.startswith("basis")} == set()


def test_templates_use_nothing_that_the_policy_or_htmx_would_evaluate():
    for path in (WEB / "templates").rglob("*.html"):
        text = path.read_text("utf-8")
        assert not re.search(r"hx-on|hx-trigger=\"[^\"]*\[|hx-vals=.js:|\|\s*safe\b", text), (
            path.name
        )
        assert len([line for line in text.splitlines() if line.strip()]) <= 170


@pytest.mark.parametrize("source", ["diary", "logger", "sensor", "weather"])
def test_a_place_of_which_nothing_is_known_yet_says_so_everywhere(client, source):
    assert (
        client.post(
            "/places/new",
            data={"name": "Porch", "source": source, "sensor_url": "http://127.0.0.1:9/reading"},
        ).status_code
        == 303
    )
    known = source == "weather"
    for path in ("/places", "/places/1", f"/guide/{MITE}"):
        answer = client.get(path)
        assert answer.status_code == 200
        assert (
            re.search("(?i)not(hing is)? known yet", answer.get_data(as_text=True)) is None
        ) == known, path
    client.post("/plants/new", data={"name": "Lemon", "kind": "", "place": "1"})
    assert client.post("/plants/1/case", data=opening()).status_code == (303 if known else 422)
    assert "Observed up to yesterday" in client.get("/places/1").get_data(as_text=True) or not known


COURSE = {
    "aim": "clear",
    "keep_below": "",
    "harvest": "",
    "reach": "90",
    **{f"day-{n}": "1" for n in range(7)},
}


@pytest.mark.long
def test_a_course_keeps_the_days_that_suit_and_holds_a_number(demo_client):
    days = {f"day-{n}": "" for n in range(7)}
    demo_client.post(
        "/cases/1/course",
        data={
            **COURSE,
            **days,
            "day-2": "1",
            "day-5": "1",
            "from-0": "2026-06-16",
            "to-0": "2026-06-18",
        },
    )
    page = demo_client.get("/cases/1").get_data(as_text=True)
    assert "only on wednesday, saturday; away tue 16 to thu 18 june" in page.lower()
    planned = re.findall(r'data-dates="([^"]+)"', page)[0].split(",")
    weekdays = {date.fromisoformat(day).weekday() for day in planned}
    assert weekdays <= {2, 5}
    assert "2026-06-17" not in planned
    assert 'value="2026-06-16"' in demo_client.get("/cases/1/course").get_data(as_text=True)
    demo_client.post("/cases/1/course", data={**COURSE, "aim": "hold", "keep_below": "30"})
    page = demo_client.get("/cases/1").get_data(as_text=True)
    assert "Held under 30" in page
    assert "Clear at the end" not in page


COURSES = [
    ({"aim": "hold"}, "Say how many you can live with."),
    ({"aim": "win"}, "Choose what the course is for"),
    ({"reach": "0"}, "must lie between"),
    ({"reach": ""}, "Say how many in 100"),
    ({f"day-{n}": "" for n in range(7)}, "Leave at least one day"),
    ({"from-1": "2026-06-20", "to-1": "2026-06-12"}, "comes before the first"),
    ({"from-0": "2026-06-20"}, "must be a day of the calendar"),
    ({"harvest": "2026-06-01"}, "is the earliest"),
]


def test_an_impossible_course_is_refused_and_keeps_what_was_typed(demo_client):
    before = demo_client.get("/cases/1").get_data(as_text=True)
    for more, words in COURSES:
        answer = demo_client.post("/cases/1/course", data={**COURSE, **more})
        assert answer.status_code == 422
        page = answer.get_data(as_text=True)
        assert words in page
        assert all(f'value="{v}"' in page for v in more.values() if v and v != "win")
    assert re.findall(
        r'data-dates="[^"]*"', demo_client.get("/cases/1").get_data(as_text=True)
    ) == re.findall(r'data-dates="[^"]*"', before)


def test_a_case_that_is_not_there_is_not_found_on_any_of_its_pages(demo_client):
    for part in (
        "",
        "/clearing",
        "/chance",
        "/follow",
        "/inspect",
        "/course",
        "/means",
        "/evening",
    ):
        assert demo_client.get(f"/cases/9999{part}").status_code == 404, part
    assert demo_client.post("/cases/9999/close").status_code == 404
