"""Today in a real browser: sixty plants and five cases, after three weeks away, an empty day;
and the way from nothing to the first plan, counted in taps.
"""

import shutil

import pytest
from playwright.sync_api import expect
from serving import SIZES, Days, Site, visit

pytestmark = pytest.mark.browser
PESTS = (
    "tetranychus-urticae",
    "myzus-persicae",
    "planococcus-citri",
    "trialeurodes-vaporariorum",
    "coccus-hesperidum",
)
MOST_LINES = 12


@pytest.fixture
def days():
    return Days()


@pytest.fixture
def site(empty_household, tmp_path, days):
    shutil.copy(empty_household, tmp_path / "household.sqlite")
    opened = Site(tmp_path, days)
    yield opened
    opened.stop()


@pytest.mark.long
@pytest.mark.parametrize("size", SIZES)
def test_sixty_plants_and_five_cases_stay_a_short_list(browser, site, days, size):
    page = visit(browser, site, viewport=SIZES[size])
    page.goto("/plants/paste")
    lines = "\n".join(f"Fern {n}; Shelf {n % 6}" for n in range(1, 61))
    page.locator("textarea[name=list]").fill(lines)
    page.get_by_role("button", name="Show what it makes").click()
    page.get_by_role("button", name="Make these").click()
    for n, pest in enumerate(PESTS, start=1):
        page.goto(f"/plants/{n}/first")
        page.locator("select[name=pest]").select_option(pest)
        page.get_by_role("button", name="Make the plan").click()
        expect(page.locator("#dates")).to_be_visible()
    page.goto("/")
    expect(page.get_by_role("heading", level=1)).to_contain_text("tonight")
    assert 1 <= page.locator("li.plant-line").count() <= MOST_LINES
    names = page.locator(".task-plant").all_inner_texts()
    assert len(names) == len(set(names)), "a plant stands once"
    wide = page.evaluate("document.documentElement.scrollWidth - window.innerWidth")
    assert wide <= 0

    days.passed = 22
    page.goto("/")
    expect(page.get_by_role("heading", level=1)).to_have_text("You were away for three weeks.")
    page.get_by_role("button", name="Answer later").click()
    expect(page.get_by_role("heading", level=1)).not_to_contain_text("away")
    assert page.locator("li.plant-line").count() <= MOST_LINES
    assert page.faults == []
    page.context.close()


@pytest.mark.long
def test_an_empty_day_says_so(browser, site):
    page = visit(browser, site, viewport=SIZES["phone"])
    page.goto("/plants/paste")
    page.locator("textarea[name=list]").fill("Fern; Hall")
    page.get_by_role("button", name="Show what it makes").click()
    page.get_by_role("button", name="Make this plant").click()
    page.goto("/")
    expect(page.get_by_role("heading", level=1)).to_have_text("Nothing to do today.")
    expect(page.get_by_text("All is quiet.")).to_be_visible()
    assert page.faults == []
    page.context.close()


def test_who_knows_the_pest_has_a_plan_in_six_taps_and_who_does_not_in_nine(browser, site):
    page = visit(browser, site, viewport=SIZES["phone"])
    page.goto("/")
    page.get_by_role("link", name="I know the pest").click()
    page.get_by_label("Plant", exact=True).fill("Coffee")
    page.locator(".tile", has_text="small tree").click()
    page.locator("select[name=pest]").select_option("planococcus-citri")
    page.get_by_role("button", name="Make the plan").click()
    expect(page.locator("#dates")).to_be_visible()
    page.goto("/first?pest=unsure")
    page.locator("input[name=name]").fill("Lemon")
    page.get_by_role("button", name="Make the plan").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("What did you notice?")
    page.locator("input[name=words]").fill("tiny brown limpets on the stem, and sticky leaves")
    page.keyboard.press("Enter")
    page.get_by_label("Low, flat, oval, tan to brown bump").first.check()
    page.locator(".tile", has_text="Sticky leaves").click()
    page.get_by_role("button", name="See what it could be").click()
    page.get_by_role("button", name="Dozens: make the plan").first.click()
    expect(page.locator("#dates")).to_be_visible()
    assert page.faults == []
    page.context.close()
