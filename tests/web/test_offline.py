"""A phone without a connection: what is recorded there leaves it only when the
household says that it is on record.
"""

import shutil
from datetime import timedelta

import pytest
from playwright.sync_api import expect
from serving import SIZES, Site, visit

from brood.services.house import access
from brood.store.queries import cases
from brood.web import guard

CASE = 1


class Home:
    """A household on the home network, stopped and started again in its folder on the
    same port; the phone is not the machine it runs on.
    """

    def __init__(self, folder, clock):
        self.folder, self.clock, self.port = folder, clock, 0
        self.start()

    def start(self):
        self.site = Site(self.folder, self.clock, lan=True, port=self.port)
        self.port = self.site.server.server_port
        self.address = self.site.address

    def restart(self, passcode=""):
        """Stop, set another passcode as `brood serve --lan --new-passcode` does, and
        start again.
        """
        self.site.stop()
        if passcode:
            self.set(passcode)
        self.start()

    def set(self, passcode):
        from brood.store.session import Store

        store = Store(self.folder / "household.sqlite")
        with store.writing() as session:
            access.set_passcode(session, passcode)
        store.close()
        access.new_secret(self.folder)

    def evenings(self):
        with self.site.app.extensions["household"].store.reading() as session:
            row = cases.case(session, CASE)
            return [(r.sent_key, r.note) for a in row.applications for r in a.records if r.sent_key]


@pytest.fixture
def home(demo_household, tmp_path, clock, monkeypatch):
    monkeypatch.setattr(guard, "from_this_machine", lambda: False)
    shutil.copy(demo_household, tmp_path / "household.sqlite")
    opened = Home(tmp_path, clock)
    opened.set("1234 5678")
    opened.restart()
    yield opened
    opened.site.stop()


def phone(browser, home):
    page = visit(browser, home, viewport=SIZES["phone"], has_touch=True)
    page.goto("/enter")
    enter(page, "1234 5678")
    return page


def enter(page, passcode):
    page.get_by_label("passcode").fill(passcode)
    page.get_by_role("button", name="Enter").click()
    page.wait_for_load_state("networkidle")


def test_an_evening_outlives_a_lost_connection_a_new_passcode_and_a_restart_and_counts_once(
    browser, home
):
    page = phone(browser, home)
    page.goto(f"/cases/{CASE}/evening")
    page.get_by_role("checkbox", name="Undersides").check()
    page.context.set_offline(True)
    page.get_by_label("Note").fill("by torch light")
    page.get_by_role("button", name="Done: record this evening").click()
    expect(page.locator("#offline")).to_contain_text("No connection")
    home.restart("8765 4321")
    page.context.set_offline(False)
    page.goto("/plants")
    expect(page.get_by_label("passcode")).to_be_visible()
    expect(page.locator("#unsent")).to_contain_text("the household passcode is asked for first")
    assert home.evenings() == [], "at the door nothing is taken, and nothing is lost"
    enter(page, "8765 4321")
    expect(page.locator("#unsent")).to_be_hidden()
    assert [note for _, note in home.evenings()] == ["by torch light"]
    assert page.evaluate("localStorage.getItem('brood-unsent')") == "[]"
    home.restart()
    page.goto("/plants")
    page.wait_for_load_state("networkidle")
    assert len(home.evenings()) == 1


def test_what_is_refused_is_shown_with_its_reason_and_can_be_thrown_away(browser, home, clock):
    page = phone(browser, home)
    page.goto(f"/cases/{CASE}/inspect")
    page.context.set_offline(True)
    page.get_by_text("Looked, and nothing alive.").click()
    page.evaluate("document.querySelector('[name=looked_on]').removeAttribute('max')")
    page.get_by_role("textbox", name="Day").fill((clock.now.date() + timedelta(days=1)).isoformat())
    page.get_by_role("button", name="Keep this look").click()
    unsent = page.locator("#unsent")
    expect(page.locator("#offline")).to_contain_text(
        "No connection: the look is kept on this device"
    )
    page.context.set_offline(False)
    page.goto("/plants")
    expect(unsent).to_contain_text("was not taken")
    expect(unsent).to_contain_text("that day has not come yet")
    page.reload()
    expect(unsent.get_by_role("link", name="Open and correct it")).to_have_attribute(
        "href", f"/cases/{CASE}/inspect"
    )
    unsent.get_by_role("button", name="Throw it away").click()
    expect(unsent).to_be_hidden()
    assert page.evaluate("localStorage.getItem('brood-unsent')") == "[]"


CUT_SHORT = """
const whole = window.fetch;
window.fetch = async (...given) => {
  const answer = await whole(...given);
  const cut = () => Promise.reject(new TypeError("network error"));
  return "cut" in sessionStorage ? Object.assign(answer, { text: cut, json: cut }) : answer;
};
"""


def test_an_answer_that_is_cut_short_refuses_nothing(browser, home, clock):
    """The connection can break between the head of an answer and its reason."""
    page = phone(browser, home)
    page.add_init_script(CUT_SHORT)
    page.goto(f"/cases/{CASE}/inspect")
    page.evaluate("sessionStorage.setItem('cut', '')")
    page.get_by_text("Looked, and nothing alive.").click()
    page.evaluate("document.querySelector('[name=looked_on]').removeAttribute('max')")
    page.get_by_role("textbox", name="Day").fill((clock.now.date() + timedelta(days=1)).isoformat())
    page.get_by_role("button", name="Keep this look").click()
    expect(page.locator("#offline")).to_contain_text("the look is kept on this device")
    page.evaluate("sessionStorage.clear()")
    page.goto("/plants")
    expect(page.locator("#unsent")).to_contain_text("that day has not come yet")
