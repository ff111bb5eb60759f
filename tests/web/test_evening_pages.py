"""A keeper with a phone: choose, mix, test two leaves, wait, treat, after-care; and an
evening during which the network goes.
"""

import shutil
from datetime import timedelta

import pytest
from conftest import NOW
from playwright.sync_api import expect
from serving import SIZES, Site, tell_what_is_asked, visit
from sqlalchemy import update

from brood.store.tables import PestCase

CASE = 6
"""The long-tailed mealybugs on the coffee plant of the demo household."""


@pytest.fixture
def own_demo(demo_household, tmp_path, clock):
    shutil.copy(demo_household, tmp_path / "household.sqlite")
    opened = Site(tmp_path, clock)
    yield opened
    opened.stop()


def only(site, case_id):
    """Close every other case, so that weeks pass without planning them."""
    with site.app.extensions["household"].store.writing() as session:
        session.execute(update(PestCase).where(PestCase.id != case_id).values(closed_at=NOW))


def phone(browser, site):
    return visit(browser, site, viewport=SIZES["phone"], has_touch=True)


def later(page, clock, **more):
    clock.now = NOW + timedelta(**more)
    page.clock.set_fixed_time(clock.now)


def test_choose_mix_test_wait_treat_and_after_care(browser, own_demo, clock):
    only(own_demo, CASE)
    page = phone(browser, own_demo)
    page.goto(f"/cases/{CASE}/means")
    expect(page.get_by_text("As chosen now:")).to_be_visible()
    page.get_by_role("checkbox", name="Paraffinic oil").check()
    page.get_by_role("checkbox", name="Insecticidal soap").uncheck()
    page.get_by_role("checkbox", name="Test each spray on two leaves first").check()
    page.get_by_role("button", name="Plan with these").click()
    page.get_by_role("link", name="Mix and shopping list").click()
    page.locator("select[name=treatment]").select_option(label="paraffinic oil")
    page.get_by_role("button", name="Work it out").click()
    tell_what_is_asked(page)
    expect(page.locator("form[action$='/before']")).to_have_count(0)
    page.locator("select[name=stock]").select_option(
        label="Spray oil: paraffinic oil concentrate, 80 %"
    )
    page.get_by_label("How much").fill("100")
    page.get_by_role("button", name="Work it out").click()
    expect(page.locator("#made")).to_contain_text("1.25 ml")
    page.get_by_role("link", name="Back to the case").click()

    patches = page.locator("#patches")
    patches.get_by_label("which leaves").fill("the two lowest, left")
    patches.get_by_role("button", name="I have just sprayed them").click()
    expect(patches).to_contain_text("Look again")
    later(page, clock, hours=1)
    page.goto(f"/cases/{CASE}/evening")
    expect(page.get_by_text("the test leaves are looked at")).to_be_visible()
    later(page, clock, hours=49)
    page.goto(f"/cases/{CASE}")
    patches.get_by_role("button", name="They are fine").click()
    expect(patches).to_have_count(0)

    day = page.locator("#try").get_attribute("data-dates").split(",")[0]
    clock.now = NOW.fromisoformat(f"{day} 19:10")
    page.clock.set_fixed_time(clock.now)
    page.goto(f"/cases/{CASE}")
    before = page.locator("#dates").get_by_text("done", exact=True).count()
    page.get_by_role("link", name="Start the evening").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("paraffinic oil")
    for name in ("Undersides", "Along the veins", "Axils and sheaths", "Stem and twigs"):
        page.get_by_role("checkbox", name=name).check()
    page.get_by_role("button", name="+1 live: adults").click(click_count=2)
    page.get_by_label("Mix used").fill("90")
    page.get_by_role("button", name="Done: record this evening").click()
    after = page.locator("#after")
    expect(after).to_contain_text("Back into light")
    assert page.locator("#dates").get_by_text("done", exact=True).count() == before + 1
    clock.now += timedelta(days=1, hours=1)
    page.goto(f"/cases/{CASE}")
    expect(after.locator("li", has_text="Back into light")).to_contain_text("due now")
    after.locator("li", has_text="Back into light").get_by_role("button").click()
    expect(page.locator("#after li", has_text="Back into light")).to_have_count(0)
    page.goto(f"/mix?case={CASE}")
    expect(page.get_by_text("It took 90 ml the last time.")).to_be_visible()
    assert page.faults == []


def test_the_network_goes_in_the_middle_of_the_evening_and_nothing_is_lost(
    browser, own_demo, clock
):
    page = phone(browser, own_demo)
    page.goto("/cases/1/evening")
    page.get_by_role("checkbox", name="Undersides").check()
    page.context.set_offline(True)
    page.get_by_role("checkbox", name="Along the veins").check()
    page.get_by_role("button", name="+1 dead: adults").click()
    page.get_by_label("Note").fill("by torch light")
    page.get_by_role("button", name="Done: record this evening").click()
    expect(page.locator("#offline")).to_contain_text(
        "No connection: the evening is kept on this device"
    )
    assert done(own_demo) == []

    page.context.set_offline(False)
    page.wait_for_url("**/cases/1")
    (record,) = done(own_demo)
    assert record.parts == ["undersides", "veins"]
    assert record.note == "by torch light"
    assert record.tally == [{"stage": "adult", "live": 0, "dead": 1}]
    page.goto("/plants")
    page.wait_for_load_state("networkidle")
    assert page.evaluate("localStorage.getItem('brood-unsent')") == "[]"
    assert len(done(own_demo)) == 1, "what was sent is not sent again"
    page.faults = [text for text in page.faults if "ERR_INTERNET_DISCONNECTED" not in text]
    assert page.faults == []


def test_what_was_ticked_is_there_after_a_reload(browser, own_demo, clock):
    page = phone(browser, own_demo)
    page.goto("/cases/1/evening")
    page.get_by_role("checkbox", name="Undersides").check()
    page.get_by_role("button", name="+1 live: eggs").click()
    page.reload()
    expect(page.get_by_role("checkbox", name="Undersides")).to_be_checked()
    expect(page.locator('[name="live-egg"]')).to_have_value("1")


def done(site):
    """Evenings of case 1 that came from a phone, by a connection of their own."""
    from brood.store.queries import cases

    with site.app.extensions["household"].store.reading() as session:
        row = cases.case(session, 1)
        records = [r for a in row.applications for r in a.records if r.sent_key]
        for record in records:
            session.expunge(record)
        return records
