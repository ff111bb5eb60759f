"""Somebody comes back after weeks: what was left open is asked, one tap each."""

import re
from datetime import timedelta

import pytest
from conftest import NOW


def text(answer):
    return re.sub(r"\s+", " ", answer.get_data(as_text=True))


@pytest.fixture
def later(demo_client, clock):
    clock.now = NOW + timedelta(days=22)
    return demo_client


@pytest.mark.long
def test_after_three_weeks_the_first_page_asks_what_went_on(later):
    page = text(later.get("/"))
    assert "You were away for three weeks." in page
    asked = re.findall(r"<h2>([^<]+)</h2>", page)
    assert any("was the treatment of" in one for one in asked)
    assert any("days without readings" in one for one in asked)
    assert "You were away" not in text(later.get("/?evening=2026-07-02"))


@pytest.mark.long
def test_one_tap_records_the_evening_and_the_others_stay(later):
    page = text(later.get("/"))
    form = re.search(
        r'action="(/evenings/\d+)">.*?name="done_on" value="([^"]+)"',
        page,
    )
    data = {"outcome": "done", "done_on": form[2], "back": "/", "to": "done"}
    assert later.post(form[1], data=data).headers["Location"] == "/"
    after = text(later.get("/"))
    assert "You were away" in after, "what was recorded today ends no absence"
    assert f"evening-{form[1].rsplit('/', 1)[1]}-{form[2]}" in page
    assert f"evening-{form[1].rsplit('/', 1)[1]}-{form[2]}" not in after


@pytest.mark.long
def test_what_was_not_done_is_asked_once_and_the_rest_can_be_put_off(later, clock):
    keys = re.findall(r'name="key" value="(evening-[^"]+)"', text(later.get("/")))
    assert len(set(keys)) > 2
    later.post("/today/caught-up", data={"key": keys})
    page = text(later.get("/"))
    assert "was the treatment of" not in page
    later.post("/today/caught-up", data={"key": "all"})
    assert "You were away" not in text(later.get("/"))
    clock.now += timedelta(days=1)
    assert "You were away" in text(later.get("/"))


def test_nobody_is_asked_who_was_never_away(demo_client, client, clock):
    assert "You were away" not in text(demo_client.get("/"))
    clock.now = NOW + timedelta(days=90)
    assert "You were away" not in text(client.get("/"))
