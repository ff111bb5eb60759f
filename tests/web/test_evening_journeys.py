"""Whole courses in a real browser at a phone's size, each in a new household: an orchid
with scale, a small plant that is dipped, a row of cabbage.
"""

import re
import shutil
from datetime import date, timedelta

import pytest
from conftest import NOW
from playwright.sync_api import expect
from serving import SIZES, Days, Site, tell_what_is_asked, visit

from brood.store.place_tables import DiaryDay

pytestmark = pytest.mark.browser


@pytest.fixture
def days():
    return Days()


@pytest.fixture
def page(browser, empty_household, tmp_path, days):
    shutil.copy(empty_household, tmp_path / "household.sqlite")
    opened = Site(tmp_path, days)
    shown = visit(browser, opened, viewport=SIZES["phone"])
    shown.site = opened
    yield shown
    opened.stop()


def place(page, name, *, outdoors=False):
    page.goto("/places/new")
    page.get_by_label("Name").fill(name)
    page.get_by_role("radio", name="Day and night").check()
    page.get_by_label("By day,").fill("23")
    page.get_by_label("At night,").fill("17")
    if outdoors:
        page.get_by_role("radio", name="Outdoors", exact=True).check()
    page.get_by_role("button", name="Keep").click()


def plant(page, name, kind, **more):
    page.goto("/plants/new")
    page.locator("[name=name]").fill(name)
    page.locator("[name=kind]").select_option(kind)
    page.get_by_text("More about it").click()
    for field, value in more.items():
        page.locator(f"[name={field}]").select_option(value)
    page.get_by_role("button", name="Keep").click()
    expect(page.get_by_role("heading", level=1)).to_have_text(name)


def case(page, pest, numbers, acts=(), nth=1):
    """Open a case on the first plant, which is the nth. Where acts are given they alone
    are ticked.
    """
    page.goto(f"/plants/1/case?pest={pest}")
    for stage, number in numbers.items():
        page.locator(f"[name=number-{stage}]").fill(str(number))
    if acts:
        for box in page.locator("[type=checkbox][name^=act-]").all():
            box.set_checked(box.get_attribute("name").removeprefix("act-") in acts)
    page.get_by_role("button", name="Work out the dates").click()
    expect(page).to_have_url(re.compile(rf"/cases/{nth}"))


def day_of(month, day, year=NOW.year):
    """How many days from the first moment to a date."""
    return (date(year, month, day) - NOW.date()).days


def cold_then_warm(page):
    """Tell the diary of the first place: 15 °C from October to the end of February, then 20."""
    first = date(2026, 10, 20)
    with page.site.app.extensions["household"].store.writing() as session:
        for n in range(220):
            on = first + timedelta(days=n)
            mean = 20.0 if on >= date(2027, 3, 1) else 15.0
            session.add(
                DiaryDay(place_id=1, on=on, low_c=mean - 3, high_c=mean + 3, recorded_at=NOW)
            )


def do_the_evening(page):
    """Tick every part of the evening that is open and record it."""
    for box in page.locator("[name^=part-]").all():
        box.check()
    page.get_by_role("button", name="Done: record this evening").click()
    expect(page).to_have_url(re.compile(r"/cases/1$"))
    expect(page.get_by_text("the evening.")).to_be_visible()


def look(page):
    """Count leaf by leaf and find nothing alive."""
    page.goto("/cases/1/inspect")
    page.locator("[name=seen][value=none]").check()
    page.locator("main form[data-keep] button.go").click()
    expect(page).not_to_have_url(re.compile("inspect"))


@pytest.mark.long
def test_an_orchid_with_scale_from_the_sheath_to_the_new_pot(page, days):
    place(page, "East window")
    plant(page, "Moth orchid", "orchid", size="small")
    case(
        page,
        "aspidiotus-nerii",
        {"adult": 12},
        ("sheath-strip", "alcohol-swab", "paraffinic-oil"),
    )
    page.goto("/cases/1/evening")
    tell_what_is_asked(page)
    expect(page.get_by_text("Lift it out of its pot first")).to_be_visible()
    expect(page.locator(".station h3").first).to_contain_text("Stripping dry sheaths")
    expect(page.get_by_text("Roots in sight wetted with plain water")).to_be_visible()
    soften = page.get_by_role("button", name="Soften: 10 min")
    soften.click()
    page.reload()
    expect(page.get_by_role("button", name=re.compile("Soften: 10 min: 9:"))).to_be_visible()

    page.goto("/plants/1")
    page.get_by_text("Bare roots, a net, a card, a repellent, ants").click()
    page.locator("select[name=state]").select_option("bare")
    page.locator("form[action='/plants/1/state'] button").first.click()
    expect(page.locator("#states li").get_by_text("Held bare in damp moss")).to_be_visible()
    page.goto("/cases/1/evening")
    expect(page.get_by_text("look at its roots with a lens")).to_be_visible()
    do_the_evening(page)

    days.passed = 4
    page.goto("/")
    expect(page.get_by_text("moss damp and not wet; look at the roots").first).to_be_visible()
    days.passed = 7
    look(page)
    days.passed = 21
    page.goto("/")
    expect(page.get_by_text("pot it up in fresh mix").first).to_be_visible()
    page.goto("/plants/1")
    page.get_by_role("button", name="It ends today").click()
    page.locator("form[action='/plants/1/event'] [name=kind]").select_option("repotted")
    page.locator("form[action='/plants/1/event'] button").click()
    expect(page.get_by_text("Take back")).to_be_visible()
    page.goto("/cases/1/evening")
    expect(page.get_by_text(re.compile("Repotted .*by hand only"))).to_be_visible()


@pytest.mark.long
def test_a_small_plant_is_dipped_and_its_cutting_knows_what_it_may_carry(page, days):
    place(page, "Desk")
    plant(page, "String of hearts", "foliage", size="small")
    case(page, "planococcus-citri", {"adult": 9}, ("soap-dip",))
    page.goto("/cases/1")
    page.locator("[name=leaf]").fill("the two lowest")
    page.locator("form[action='/cases/1/patch'] button").first.click()
    days.passed = 2.1
    page.goto("/cases/1")
    page.get_by_text("They are fine").first.click()
    page.goto("/cases/1/evening")
    tell_what_is_asked(page)
    expect(page.get_by_text("packed in a bag, tied around the stem")).to_be_visible()
    expect(page.get_by_text("terracotta pot soaks up the mix")).to_be_visible()
    expect(page.get_by_text("usually about 2 l")).to_be_visible()
    page.locator("[name=took]").fill("1500")
    do_the_evening(page)
    page.goto("/mix?case=1&treatment=soap-dip")
    expect(page.get_by_role("heading", name="1500 ml of soap dip")).to_be_visible()

    page.goto("/plants/1")
    page.get_by_role("button", name="Taken").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("String of hearts, cutting")
    expect(page.get_by_text("citrus mealybug").first).to_be_visible()
    days.passed = 9
    look(page)
    page.goto("/plants/1")
    expect(page.get_by_text("1 of 5 sprays in 21 days").first).to_be_visible()


@pytest.mark.long
def test_a_row_of_cabbage_from_the_journal_to_the_net_through_rain_to_the_harvest(page, days):
    place(page, "Vegetable bed", outdoors=True)
    plant(page, "Savoy row", "cabbage-family", build="head")
    page.goto("/shelf/new")
    page.locator("[name=name]").fill("Caterpillar powder")
    page.locator("[name=holds]").select_option("product:btk")
    page.locator("[name=label_rate]").fill("1")
    page.locator("[name=harvest_days]").fill("3")
    for where in ("outdoor", "edible"):
        page.locator(f"[name=allowed-{where}]").check()
    page.get_by_role("button", name="Keep").click()
    page.goto("/season/sightings")
    rows = "2024-07-02,small cabbage white,Vegetable bed\n2025-06-28,pieris-rapae,Vegetable bed\n"
    journal = {"name": "journal.csv", "mimeType": "text/csv", "buffer": rows.encode()}
    page.locator("[name=file]").set_input_files(journal)
    page.get_by_role("button", name="Read it").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("2 new sightings")
    page.goto("/")
    page.get_by_text("Before caterpillars come").first.click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Put a net over it now")
    page.get_by_role("button", name="Begun").first.click()
    page.goto("/plants/1")
    expect(page.locator("#states li").get_by_text("Under netting")).to_be_visible()
    case(page, "pieris-rapae", {"young": 20}, ("btk", "wiping"))

    page.goto("/cases/1/evening")
    tell_what_is_asked(page, eaten="yes")
    expect(page.get_by_text("Along the row, every leaf turned")).to_be_visible()
    expect(page.get_by_text("pick nothing before Thu 11 June")).to_be_visible()
    page.get_by_text("How it was around it").click()
    page.locator("[name=weather]").select_option("still")
    do_the_evening(page)
    page.goto("/plants/1")
    expect(page.get_by_text("pick nothing before Thu 11 June")).to_be_visible()
    for passed in (1, 3):
        days.passed = passed
        page.goto("/places/1")
        page.get_by_role("button", name="hard").click()
    days.passed = 3.1
    page.goto("/cases/1")
    expect(page.get_by_text("30 mm of rain since the last evening")).to_be_visible()
    page.goto("/cases/1/course")
    harvest = (NOW + timedelta(days=16)).date().isoformat()
    page.locator("[name=harvest]").fill(harvest)
    page.locator("main form button.go").click()
    expect(page.get_by_text(re.compile("harvest from", re.IGNORECASE)).first).to_be_visible()
    page.goto("/plants/1")
    expect(page.locator("#states li").get_by_text("Under netting")).to_be_visible()
    expect(page.get_by_text("pick nothing before")).to_have_count(0)


@pytest.mark.long
def test_flat_mites_cleared_in_november_wake_in_march_and_neighbours_are_treated_along(page, days):
    place(page, "Lean-to")
    plant(page, "Orchid", "orchid")
    plant(page, "Slipper orchid", "orchid")
    spots = {"shelf-1": "1", "position-1": "1", "shelf-2": "1", "position-2": "2", "draught": ""}
    page.request.post("/places/1/plan", form={**spots, "touches-1": "1"})
    page.goto("/places/1/edit")
    page.locator("[name=source][value=diary]").check()
    page.get_by_role("button", name="Keep").click()
    cold_then_warm(page)
    days.passed = day_of(11, 3)
    case(page, "brevipalpus", {"adult": 4}, ("wiping",))
    days.passed = day_of(11, 20)
    page.request.post("/cases/1/close", form={"sure": "1"})
    days.passed = day_of(1, 5, 2027)
    page.goto("/")
    page.request.post("/today/caught-up", form={"key": "all"})
    page.goto("/")
    expect(page.get_by_text("Cleared of flat mite")).to_have_count(0)
    days.passed = day_of(3, 20, 2027)
    page.goto("/")
    page.request.post("/today/caught-up", form={"key": "all"})
    page.goto("/")
    expect(page.get_by_text("warm enough since for a generation: look again").last).to_be_visible()
    case(page, "brevipalpus", {"adult": 3}, ("wiping",), nth=2)
    page.goto("/cases/2/follow#group")
    page.get_by_role("button", name="Treat Slipper orchid along").click()
    expect(page.get_by_role("button", name="Take Slipper orchid out")).to_be_visible()
    page.goto("/cases/2/inspect")
    expect(page.get_by_role("radio", name="Slipper orchid")).to_be_visible()


@pytest.mark.long
def test_a_repellent_lapses_and_a_plant_comes_in_for_the_winter(page, days):
    place(page, "Terrace", outdoors=True)
    place(page, "Box room")
    page.goto("/places/2/edit")
    page.locator("[name=apart_room]").fill("2")
    page.get_by_role("button", name="Keep").click()
    plant(page, "Fuchsia", "flowering", place="1")
    page.get_by_text("Bare roots, a net, a card, a repellent, ants").click()
    page.locator("select[name=state]").select_option("repellent")
    page.locator("form[action='/plants/1/state'] button").first.click()
    expect(page.locator("#states li").get_by_text("Repellent on")).to_be_visible()
    days.passed = 22
    page.goto("/")
    expect(
        page.get_by_text("repellent on, until Mon 29 June: renew it, or do without").first
    ).to_be_visible()
    page.goto("/plants/1")
    page.get_by_role("button", name="Renewed today").click()
    days.passed = 24
    page.goto("/places/1")
    page.get_by_role("button", name="hard").click()
    page.goto("/")
    expect(page.get_by_text("rain has taken it off").first).to_be_visible()
    page.goto("/plants/1")
    page.get_by_role("button", name="It ends today").click()

    days.passed = day_of(9, 28)
    page.goto("/season/came-in")
    page.get_by_role("link", name="A plant back from outdoors").click()
    page.locator("[name=plant]").select_option(label="Fuchsia")
    page.locator("[name=place]").select_option(label="Box room, away from the others")
    page.get_by_role("button", name="Keep it away and look").click()
    expect(page.get_by_text("back from outdoors").first).to_be_visible()
    days.passed = day_of(10, 5)
    page.goto("/")
    page.request.post("/today/caught-up", form={"key": "all"})
    page.goto("/")
    expect(page.get_by_text("Check it while it is kept away from the others").first).to_be_visible()
