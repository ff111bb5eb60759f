"""With a worker of its own a page shows the last plan, says so, and takes the new one in."""

import threading
from datetime import timedelta

import pytest
from conftest import NOW, _copy
from playwright.sync_api import expect
from serving import SIZES, Site, visit

from brood.web.compress import LEAST_BYTES

OURS = {"Sec-Fetch-Site": "same-origin"}


def wait(client, url, seconds=30.0):
    """The page once nothing on it is being worked out."""
    for _ in range(round(seconds * 20)):
        page = client.get(url).get_data(as_text=True)
        if "being worked out again" not in page:
            break
        threading.Event().wait(0.05)
    return page


@pytest.fixture
def apart(demo_client):
    planning = demo_client.application.extensions["household"].planning
    planning.start()
    yield demo_client
    planning.stop()


@pytest.mark.long
def test_a_find_is_on_record_before_it_is_planned_and_the_plan_follows(apart, monkeypatch):
    import brood.services.cases.planning as module

    gate, work_out = threading.Event(), module.outlook.work_out

    def slow(*args, **more):
        gate.wait(20)
        return work_out(*args, **more)

    monkeypatch.setattr(module.outlook, "work_out", slow)
    find = {"stage": "adult", "number": "7", "found_on": NOW.date().isoformat(), "where": "tip"}
    assert apart.post("/cases/1/finds", data=find, headers=OURS).status_code == 303
    page = apart.get("/cases/1").get_data(as_text=True)
    assert "The dates are being worked out again." in page
    assert "7, <time" in page, "the find is there"
    assert 'hx-get="/cases/1/ready"' in page
    part = apart.get("/cases/1/ready", headers={"HX-Request": "true"})
    assert part.status_code == 200
    assert b"being worked out" in part.data
    gate.set()
    assert "being worked out again" not in wait(apart, "/cases/1")
    done = apart.get("/cases/1/ready", headers={"HX-Request": "true"})
    assert done.headers["HX-Redirect"] == "/cases/1"


def test_a_page_is_compressed_for_whoever_can_read_that(demo_client):
    plain = demo_client.get("/")
    small = demo_client.get("/", headers={"Accept-Encoding": "gzip, br"})
    assert small.headers["Content-Encoding"] == "gzip"
    assert "Accept-Encoding" in small.headers["Vary"]
    assert len(small.data) < len(plain.data) / 2
    assert "Content-Encoding" not in plain.headers
    tiny = demo_client.get("/cases/1/ready", headers={"Accept-Encoding": "gzip"})
    assert len(tiny.data) < LEAST_BYTES
    assert "Content-Encoding" not in tiny.headers


@pytest.mark.browser
def test_the_new_dates_come_in_by_themselves(browser, demo_household, tmp_path):
    _copy(demo_household, tmp_path / "ready")
    site = Site(tmp_path / "ready")
    site.app.extensions["household"].planning.start()
    page = visit(browser, site, viewport=SIZES["laptop"])
    page.goto("/cases/6")
    before = page.locator("#dates time").first.inner_text()
    page.get_by_text("Add a find").click()
    form = page.locator("form[action='/cases/6/finds']")
    form.locator("[name=stage]").select_option("adult")
    form.locator("[name=number]").fill("40")
    form.locator("[name=found_on]").fill((NOW.date() - timedelta(days=1)).isoformat())
    form.get_by_role("button", name="Add").click()
    expect(page.locator("#finds")).to_contain_text("40")
    expect(page.locator("#due")).to_have_count(0)
    expect(page.locator("[data-news]")).to_contain_text("What was found changed")
    assert before
    assert not page.faults
    page.context.close()
    site.app.extensions["household"].planning.stop()
    site.stop()
