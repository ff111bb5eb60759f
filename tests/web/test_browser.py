"""A real browser: from an empty household to a downloaded calendar, with and without
script.
"""

import re
import shutil
from pathlib import Path

import pytest
from conftest import MITE, NOW
from icalendar import Calendar
from playwright.sync_api import expect
from serving import SIZES, Site, visit

from brood.services.warmth.simulated_logger import LoggerPlan, csv_text

pytestmark = pytest.mark.browser


@pytest.fixture
def site(empty_household, tmp_path):
    shutil.copy(empty_household, tmp_path / "household.sqlite")
    opened = Site(tmp_path)
    yield opened
    opened.stop()


def set_up_household(page):
    page.goto("/places/new")
    page.get_by_label("Name").fill("Kitchen sill")
    page.get_by_role("radio", name="Day and night").check()
    page.get_by_label("By day,").fill("24")
    page.get_by_label("At night,").fill("18")
    page.get_by_role("button", name="Keep").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Kitchen sill")
    page.goto("/plants/new")
    page.get_by_label("Name").fill("Coffee plant")
    page.get_by_label("Stands at").select_option("Kitchen sill")
    page.get_by_role("button", name="Keep").click()


def open_case(page):
    page.get_by_role("link", name="I know the pest").click()
    page.get_by_role("link", name="Count by stages").click()
    page.get_by_text("Spider mites", exact=True).click()
    page.get_by_role("link", name="Two-spotted spider mite").click()
    page.get_by_role("group", name="eggs").get_by_label("number").fill("40")
    page.get_by_role("group", name="adults").get_by_label("or about").select_option("a few")
    page.get_by_role("button", name="Work out the dates").click()


@pytest.mark.parametrize(
    ("size", "script"),
    [
        ("phone", True),
        pytest.param("laptop", False, marks=pytest.mark.long),
        pytest.param("laptop", True, marks=pytest.mark.long),
        pytest.param("phone", False, marks=pytest.mark.long),
    ],
)
def test_from_nothing_to_a_calendar(browser, site, size, script):
    page = visit(browser, site, viewport=SIZES[size], java_script_enabled=script)
    set_up_household(page)
    open_case(page)
    expect(page.get_by_role("heading", level=2).first).to_contain_text("tonight")
    expect(
        page.get_by_text("even if it turns out" if script else "Compare with common rules").first
    ).to_be_visible()
    page.get_by_role("button", name="Done tonight").click()
    expect(page.get_by_role("heading", level=2).first).to_contain_text("Wipe and spray")
    with page.expect_download() as download:
        page.get_by_role("link", name="Calendar file").click()
    events = Calendar.from_ical(Path(download.value.path()).read_bytes()).walk("VEVENT")
    assert download.value.suggested_filename == "brood-coffee-plant.ics"
    assert len(events) >= 4
    assert str(events[0]["summary"]).startswith("Done: ")
    assert page.faults == []
    page.context.close()


@pytest.mark.long
def test_a_slip_is_shown_and_a_bad_day_keeps_what_was_typed(browser, site):
    page = visit(browser, site, viewport=SIZES["laptop"])
    set_up_household(page)
    open_case(page)
    page.get_by_text("Another day, or only part of it").first.click()
    page.get_by_label("Done on", exact=True).first.fill("2020-01-01")
    page.get_by_role("button", name="Record").click()
    field = page.get_by_label("Done on").first
    expect(field).to_be_focused()
    expect(field).to_have_accessible_description(re.compile("earliest that is of use"))
    expect(field).to_have_value("2020-01-01")
    field.fill("2026-06-08")
    page.get_by_role("button", name="Record").click()
    expect(page.locator("#dates")).to_contain_text("done")
    page.locator("#dates").get_by_text("Correct").first.click()
    page.locator("#dates").get_by_role("button", name="Withdraw").click()
    expect(page.get_by_role("heading", level=2).first).to_contain_text("tonight")
    assert page.faults == []
    page.context.close()


@pytest.mark.long
def test_a_loggers_file_is_read_and_nonsense_refused_in_the_page(browser, site, tmp_path):
    page = visit(browser, site, viewport=SIZES["phone"])
    set_up_household(page)
    page.goto("/places/1")
    (tmp_path / "log.pdf").write_bytes(b"%PDF-1.7")
    page.set_input_files("input[type=file]", tmp_path / "log.pdf")
    page.get_by_role("button", name="Read them").click()
    expect(page.locator("#file-wrong")).to_contain_text("This is a PDF")
    expect(page.locator("input[type=file]")).to_be_focused()
    (tmp_path / "log.csv").write_text(csv_text(LoggerPlan(NOW.replace(hour=0, minute=0), days=9)))
    page.set_input_files("input[type=file]", tmp_path / "log.csv")
    page.get_by_role("button", name="Read them").click()
    expect(page.get_by_role("img", name="Temperatures at Kitchen sill")).to_be_visible()
    expect(page.get_by_text("refused: -127.0").first).to_be_visible()
    assert page.faults == []
    page.context.close()


@pytest.mark.parametrize("size", ["laptop", pytest.param("phone", marks=pytest.mark.long)])
def test_a_week_of_a_diary_is_typed_with_the_keyboard_alone(browser, site, size):
    page = visit(browser, site, viewport=SIZES[size])
    set_up_household(page)
    page.goto("/places/1")
    page.get_by_label("Lowest on Tue 2 June").focus()
    for high, low in (
        ("24", "15"),
        ("25,5", "16"),
        ("23", "14.5"),
        ("22", "15"),
        ("24", "13"),
        ("26", "14"),
        ("25", "15"),
    ):
        page.keyboard.type(low)
        page.keyboard.press("Tab")
        page.keyboard.type(high)
        page.keyboard.press("Tab")
    page.keyboard.press("Shift+Tab")
    page.keyboard.press("Enter")
    expect(page.locator("[data-facts]")).to_contain_text("read off up to Mon 8 June")
    expect(page.get_by_label("Highest on Wed 3 June")).to_have_value("25.5")
    assert page.faults == []
    page.context.close()


@pytest.mark.long
def test_the_guide_turns_to_one_stage_and_an_own_figure_shows_its_effect(browser, demo_site):
    page = visit(browser, demo_site, viewport=SIZES["laptop"])
    page.goto("/guide")
    page.get_by_role("link", name="Citrus mealybug").click()
    page.get_by_role("link", name="egg", exact=True).click()
    expect(
        page.get_by_role("img", name="citrus mealybug, egg: days against temperature")
    ).to_be_visible()
    page.goto(f"/guide/{MITE}")
    page.get_by_role("link", name="All figures, and your own").click()
    page.get_by_role("link", name="Change heat sum, egg").click()
    page.get_by_label("Your figure").fill("75")
    page.get_by_role("button", name="See the effect").click()
    expect(page.get_by_role("heading", name="What it would change")).to_be_visible()
    page.get_by_label("Where it comes from").fill("my own counts")
    page.get_by_role("button", name="Keep it").click()
    expect(page.get_by_text("my own counts").first).to_be_visible()
    page.get_by_role("button", name="Back to the shipped figure").click()
    expect(page.get_by_role("button", name="Back to the shipped figure")).to_have_count(0)
    assert page.faults == []
    page.context.close()


def test_keys_move_between_pages_and_tab_reaches_the_action(browser, demo_site):
    page = visit(browser, demo_site, viewport=SIZES["laptop"])
    page.goto("/cases/1")
    page.keyboard.press("Tab")
    expect(page.get_by_role("link", name="To the content")).to_be_focused()
    page.keyboard.press("Enter")
    for _ in range(12):
        page.keyboard.press("Tab")
        if page.evaluate("document.activeElement.textContent") == "Done tonight":
            break
    expect(page.get_by_role("button", name="Done tonight")).to_be_focused()
    page.keyboard.type(",w")
    expect(page).to_have_url(f"{demo_site.address}/places")
    page.context.close()


def press(page, name, exact=True):
    """Reach a control by its name and press it with the keyboard alone."""
    found = (
        page.get_by_role("button", name=name, exact=exact)
        .or_(page.get_by_role("link", name=name, exact=exact))
        .first
    )
    found.focus()
    page.keyboard.press("Enter")


def tap(page, name, exact=True):
    page.get_by_role("button", name=name, exact=exact).or_(
        page.get_by_role("link", name=name, exact=exact)
    ).first.tap()


def pin(page, start, way):
    link = page.locator(f"a.pin[aria-label^='{start}']")
    link.locator(".pin-disc").tap() if way == "touch" else (
        link.focus(),
        page.keyboard.press("Enter"),
    )
    expect(link).to_have_attribute("aria-current", "true")


@pytest.mark.long
@pytest.mark.parametrize("way", ["touch", "keys"])
def test_from_an_unknown_trouble_to_an_opened_case_on_a_phone(browser, site, way):
    page = visit(browser, site, viewport=SIZES["phone"], has_touch=True)
    set_up_household(page)
    do = tap if way == "touch" else press

    def say(observation, said):
        button = page.locator(f"#b-{observation}-{said}")
        button.tap() if way == "touch" else (button.focus(), page.keyboard.press("Enter"))
        expect(button).to_have_attribute("aria-pressed", "true")

    do(page, "Check this plant")
    do(page, "Walk over the plant instead")
    pin(page, "5, ", way)
    say("where-along-veins", "yes")
    say("bump-flat-oval-brown", "yes")
    pin(page, "7, ", way)
    say("fixed-in-place", "yes")
    say("lift-soft-whole", "yes")
    page.reload()
    expect(page.locator("#b-lift-soft-whole-yes")).to_have_attribute("aria-pressed", "true")
    do(page, "See what it could be")
    expect(page.locator(".verdict")).to_contain_text("Brown soft scale")
    do(page, "Count by stages instead")
    if way == "touch":
        page.get_by_role("group", name="Adults").get_by_text("a few").tap()
    else:
        page.get_by_role("group", name="Adults").get_by_label("number").focus()
        page.keyboard.type("5")
    do(page, "Open the case with this")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Brown soft scale on Coffee plant")
    do(page, "Work out the dates")
    expect(page.get_by_role("heading", level=2).first).to_contain_text("tonight")
    assert page.faults == []
    page.context.close()


def test_a_photo_is_measured_by_pointer_and_by_keys_and_the_screen_becomes_a_ruler(
    browser, demo_site
):
    page = visit(browser, demo_site, viewport=SIZES["laptop"])
    page.goto("/photos/1")
    canvas, end = page.locator("#shot"), page.locator("[data-end=x2]")
    box = canvas.bounding_box()
    before = end.input_value()
    page.mouse.click(box["x"] + box["width"] * 0.9, box["y"] + box["height"] * 0.5)
    assert int(end.input_value()) > int(before)
    moved = int(end.input_value())
    canvas.focus()
    page.keyboard.press("2")
    page.keyboard.press("Shift+ArrowLeft")
    assert int(end.input_value()) == moved - 20
    expect(page.locator("#shot-now")).to_contain_text("mm")
    page.get_by_role("button", name="Measure this body").click()
    expect(page.get_by_role("heading", name="Measured")).to_be_visible()
    page.goto("/ruler")
    page.locator("#card-width").fill("428")
    page.get_by_role("button", name="It fits").click()
    page.goto("/looks/1/loupe/coccus-hesperidum")
    expect(page.get_by_text("Life size on this device.")).to_be_visible()
    assert float(page.locator("svg.life-size").get_attribute("width")) == pytest.approx(
        76 * 428 / 85.6
    )
    assert page.faults == []
    page.context.close()
