"""Trying other evenings: by dragging, by touch, by keys and by a plain form; the
chance, its assumptions and the rehearsal.
"""

import json
import re
from datetime import timedelta

import pytest
from conftest import NOW
from playwright.sync_api import expect
from serving import SIZES, visit

from brood.core.course.planner import plan, problem_of
from brood.services.documents.case_document import read_case

PATIENCE_MS = 1500
"""From the drop to the new consequences; on an idle machine it is under 100 (the figure
is kept with the test's properties).
"""


def tried(page):
    return page.locator("#try").get_attribute("data-tried").split(",")


def planned(page):
    return page.locator("#try").get_attribute("data-dates").split(",")


def settle(page):
    """Wait until the chart of the tried dates has been drawn."""
    box = page.locator("#try")
    expect(box).to_have_attribute("data-drawn", box.get_attribute("data-tried") or "")


def drag(page, n, days, size):
    """Take the n-th handle by so many days along the axis, by mouse or finger."""
    tall = size == "phone"
    svg = page.locator(f"{'.only-tall' if tall else '.only-wide'} svg[data-axis]")
    handle = svg.locator(f'[data-drag="{n}"]')
    handle.evaluate("el => el.scrollIntoView({block: 'center'})")
    box, frame = handle.bounding_box(), svg.bounding_box()
    view = [float(v) for v in svg.get_attribute("viewBox").split()]
    by = (
        days
        * float(svg.get_attribute("data-per-day"))
        * (frame["height"] / view[3] if tall else frame["width"] / view[2])
    )
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    to = (x, y + by) if tall else (x + by, y)
    if not tall:
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(*to, steps=4)
        page.mouse.up()
        return
    touch = page.context.new_cdp_session(page)
    touch.send(
        "Input.dispatchTouchEvent", {"type": "touchStart", "touchPoints": [{"x": x, "y": y}]}
    )
    for part in (0.5, 1.0):
        touch.send(
            "Input.dispatchTouchEvent",
            {
                "type": "touchMove",
                "touchPoints": [{"x": x + (to[0] - x) * part, "y": y + (to[1] - y) * part}],
            },
        )
    touch.send("Input.dispatchTouchEvent", {"type": "touchEnd", "touchPoints": []})


@pytest.mark.long
@pytest.mark.parametrize("size", SIZES)
def test_a_handle_is_dragged_and_the_consequences_stand_at_once(
    browser, demo_site, size, record_property
):
    page = visit(browser, demo_site, viewport=SIZES[size], has_touch=size == "phone")
    page.goto("/cases/1")
    before, took = planned(page), []
    for n in range(1, 4):
        drag(page, 2, 1, size)
        expect(page.locator("#consequences")).to_contain_text(
            f"{n} day{'s' if n > 1 else ''} later"
        )
        settle(page)
        took.append(int(page.locator("#try").get_attribute("data-took")))
    record_property("milliseconds from the drop", took)
    assert min(took) < PATIENCE_MS
    assert tried(page)[:2] == before[:2], "evenings before the one that is moved stay"
    assert all(a < b for a, b in zip(before[2:], tried(page)[2:], strict=True)), (
        "those after it move along"
    )
    page.get_by_role("link", name="Undo the last move").click()
    expect(page.locator("#consequences")).to_contain_text("2 days later")
    settle(page)
    page.get_by_role("link", name="Put it back").click()
    expect(page.locator("#consequences")).to_contain_text("These are the planned dates.")
    settle(page)
    assert tried(page) == before
    assert page.faults == []
    page.context.close()


@pytest.mark.long
def test_a_handle_moves_by_keys_to_the_ends_of_its_window_and_back(browser, demo_site):
    page = visit(browser, demo_site, viewport=SIZES["laptop"])
    page.goto("/cases/1")
    handle = page.locator('.only-wide [data-drag="1"]')
    assert re.match(r"\w+ \d+ \w+, window ", handle.get_attribute("aria-valuetext"))
    handle.focus()
    for key, by in (("ArrowRight", 1), ("ArrowLeft", -1), ("End", None), ("Escape", None)):
        was = tried(page) if page.locator("#try").get_attribute("data-tried") else planned(page)
        page.keyboard.press(key)
        settle(page)
        moved = [a != b for a, b in zip(was, tried(page), strict=True)]
        assert moved[0] is False
        if by is not None:
            assert all(moved[1:])
        expect(page.locator('.only-wide [data-drag="1"]')).to_be_focused()
    assert tried(page) == planned(page)
    assert page.faults == []
    page.context.close()


def test_without_a_script_dates_are_tried_by_a_form_kept_and_put_back(demo_client):
    page = demo_client.get("/cases/1/try").get_data(as_text=True)
    days = re.findall(r'name="day" value="([0-9-]+)"', page)
    assert len(days) > 3
    later = [str(NOW.date() + timedelta(days=3 * n)) for n in range(len(days))]
    tried_page = demo_client.get(
        "/cases/1/try", query_string=[("day", day) for day in later]
    ).get_data(as_text=True)
    assert "Tried, not kept." in tried_page
    assert (
        demo_client.post(
            "/cases/1/dates",
            data={"dates": ",".join(later)},
            headers={"Sec-Fetch-Site": "same-origin"},
        ).status_code
        == 303
    )
    kept = demo_client.get("/cases/1").get_data(as_text=True)
    assert "These are your own dates." in kept
    assert f'data-dates="{",".join(later)}"' in kept
    demo_client.post("/cases/1/dates", data={}, headers={"Sec-Fetch-Site": "same-origin"})
    back = demo_client.get("/cases/1").get_data(as_text=True)
    assert "These are your own dates." not in back
    assert f'data-dates="{",".join(later)}"' not in back


def test_dates_that_cannot_be_say_so_in_the_part_as_on_the_page(demo_client):
    for headers in ({}, {"HX-Request": "true"}):
        answer = demo_client.get("/cases/1/try?dates=2026-06-09", headers=headers)
        assert answer.status_code == 422
        assert "give a date for each of them" in answer.get_data(as_text=True)


def test_an_evening_sooner_than_the_label_allows_says_so(demo_client):
    page = demo_client.get("/cases/1/try").get_data(as_text=True)
    days = re.findall(r'name="day" value="([0-9-]+)"', page)
    soon = [str(NOW.date() + timedelta(days=n)) for n in range(len(days))]
    answer = demo_client.get(
        f"/cases/1/try?dates={','.join(soon)}", headers={"HX-Request": "true"}
    ).get_data(as_text=True)
    assert "insecticidal soap: wait until" in answer
    assert "my label allows it" in answer
    assert "<h1" not in answer


@pytest.mark.long
def test_an_unreachable_target_names_what_would_help(demo_client):
    demo_client.post("/cases/5/means", data={"act-bti-drench": "1"})
    page = demo_client.get("/cases/5/chance").get_data(as_text=True)
    assert "What would help" in page
    assert re.search(r"\d+ in 100 with about \d+ evenings", page)
    assert page.count("<svg") >= 10
    assert "Read as a table" in page


def test_assumptions_show_source_grade_and_both_ends(demo_client):
    page = demo_client.get("/cases/1/assumptions").get_data(as_text=True)
    for words in (
        "Touched by a treatment",
        "Hidden where nothing reaches",
        "Shares killed",
        "Life of an adult",
        "our judgement",
        "The five that matter most",
    ):
        assert words in page
    assert len(re.findall(r"\d+ in 100", page)) > 15


def test_a_rehearsal_compares_two_schedules_and_gives_a_case_file_that_plans(
    demo_client, catalogue
):
    query = {
        "pest": "tetranychus-urticae",
        "day": 24,
        "night": 18,
        "egg": 40,
        "adult": 4,
        "reach": 90,
        "refuge": 2,
        "act-wiping": 1,
        "act-insecticidal-soap": 1,
        "first": "every 3 days 7 times",
        "second": "0, 7, 20",
    }
    page = demo_client.get("/rehearsal", query_string=query).get_data(as_text=True)
    chances = [int(c) for c in re.findall(r'figure text-\[34px\]">(\d+) in 100', page)]
    assert chances[0] > chances[1] + 20
    assert "The planner would choose days 0," in page
    data = json.loads(
        demo_client.get("/rehearsal", query_string={**query, "as": "json"}).get_data(as_text=True)
    )
    case, _ = read_case(data, catalogue)
    assert plan(problem_of(case)).applications
    bad = demo_client.get("/rehearsal", query_string={**query, "first": "now and then", "pupa": 3})
    text = bad.get_data(as_text=True)
    assert bad.status_code == 422
    assert "Write days such as 0, 3, 6" in text
    assert "has no pupa" in text
    assert 'value="now and then"' in text
