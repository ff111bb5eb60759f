"""A real browser over a whole year: a group with two pests, another way taken and taken
back, then nobody there for four months and for a year.
"""

import shutil

import pytest
from playwright.sync_api import expect
from serving import SIZES, Days, Site, visit
from test_browser import open_case, set_up_household

pytestmark = pytest.mark.browser


@pytest.fixture
def days():
    return Days()


@pytest.fixture
def site(empty_household, tmp_path, days):
    shutil.copy(empty_household, tmp_path / "household.sqlite")
    opened = Site(tmp_path, days)
    yield opened
    opened.stop()


def second_pest(page):
    page.goto("/plants/1/case?pest=trialeurodes-vaporariorum")
    page.get_by_role("group", name="adults").get_by_label("number").fill("8")
    page.get_by_role("button", name="Work out the dates").click()
    expect(page.get_by_role("heading", level=2).first).to_contain_text("tonight")


@pytest.mark.long
@pytest.mark.parametrize("size", SIZES)
def test_a_group_with_two_pests_is_one_line_and_comes_back_after_months(browser, site, days, size):
    page = visit(browser, site, viewport=SIZES[size])
    set_up_household(page)
    page.goto("/plants/1/edit")
    page.get_by_text("More about it").click()
    page.get_by_label("How many plants").fill("29")
    page.get_by_role("button", name="Keep").click()
    page.goto("/plants/1")
    open_case(page)
    second_pest(page)
    page.goto("/")
    line = page.locator("li.task", has_text="Coffee plant (29 plants)")
    expect(line.filter(has_text="wipe")).to_have_count(1)
    expect(page.get_by_text("Treat 29 plants tonight")).to_be_visible()

    page.goto("/cases/1/ways")
    expect(page.get_by_role("heading", name="Soonest over")).to_be_visible()
    page.get_by_role("button", name="Take it").first.click()
    expect(page.get_by_text("another way taken")).to_be_visible()
    page.get_by_role("button", name="Undo").click()

    page.goto("/")
    line.filter(has_text="wipe").get_by_role("button").click()
    for case in (1, 2):
        page.goto(f"/cases/{case}")
        expect(page.locator("#dates")).to_contain_text("Mon 8 June done")

    for passed in (120, 365):
        days.passed = passed
        page.goto("/")
        expect(page.get_by_role("link", name="Count now").first).to_be_visible()
        page.get_by_role("button", name="Answer later").click()
        expect(page.get_by_text("count again:").first).to_be_visible()
        page.goto("/mix?case=1")
        expect(page.get_by_text("Count first.")).to_be_visible()
        page.goto("/cases/1")
        expect(page.get_by_role("heading", level=2).first).to_have_text("Count again first.")
    page.get_by_role("link", name="Count what lives").click()
    page.get_by_role("radio", name="Something was there").check()
    page.locator("input[name=live-adult]").fill("3")
    page.get_by_role("button", name="Keep this look").click()
    expect(page.get_by_role("heading", level=1)).not_to_contain_text("what lives")
    page.goto("/cases/1")
    expect(page.get_by_role("heading", level=2).first).to_contain_text("tonight")
    assert page.faults == []
    page.context.close()
