"""What the pages ask of a reader: the words on each page of the demo household, and how
long it takes from an empty household to the first dated plan.

    python scripts/reading_figures.py words [phone]
    python scripts/reading_figures.py first [phone]

Words are those in sight: not in drawings, closed parts, lists to choose from, nor for
screen readers alone, and not what was typed. A plan is timed at 200 words a minute over
every page on the way and 1.2 s a tap; what is typed counts 0.25 s a letter.
"""

from __future__ import annotations

import logging
import shutil
import sys
import tempfile
import threading
from collections.abc import Callable
from datetime import datetime
from pathlib import Path

from playwright.sync_api import Browser, Page, sync_playwright
from werkzeug.serving import make_server

from brood.demo import tern_cottage
from brood.settings import Settings
from brood.web.app import create_app

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
NOW = datetime(2026, 6, 8, 18, 40)
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking"]
SIZES = {"laptop": {"width": 1280, "height": 800}, "phone": {"width": 390, "height": 844}}
REFERENCE = ("/guide", "/safety", "/sources", "/words", "/keys")
A_WORD, A_TAP, A_LETTER = 60 / 200, 1.2, 0.25
COUNT = """() => {
  const walk = (n) => {
    if (n.nodeType === 3) return n.textContent;
    if (n.nodeType !== 1 || n.tagName === "svg" || n.classList.contains("sr-only")) return "";
    const s = getComputedStyle(n);
    if (s.display === "none" || s.visibility === "hidden") return "";
    if (["SELECT", "SCRIPT", "TEXTAREA"].includes(n.tagName)) return "";
    if (n.tagName === "DETAILS" && !n.open) return walk(n.querySelector("summary"));
    return [...n.childNodes].map(walk).join(" ");
  };
  return walk(document.querySelector("main")).trim().split(/\\s+/).filter(Boolean).length;
}"""


def served(*, demo: bool) -> str:
    """The address of a household that is served in this process."""
    logging.getLogger("werkzeug").setLevel(logging.ERROR)
    folder = Path(tempfile.mkdtemp())
    if demo:
        tern_cottage.seed(folder / "household.sqlite", now=NOW)
    app = create_app(Settings(data=folder, demo=demo), lambda: NOW)
    server = make_server("127.0.0.1", 0, app, threaded=True)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    return f"http://127.0.0.1:{server.server_port}"


def page_words(browser: Browser, size: str) -> None:
    """Print the words of every page, the longest first."""
    from pages import PAGES

    context = browser.new_context(viewport=SIZES[size], base_url=served(demo=True))
    page, found = context.new_page(), []
    for path in PAGES:
        page.goto(path)
        page.wait_for_timeout(300)
        found.append((page.evaluate(COUNT), path))
    for words, path in sorted(found, reverse=True):
        kind = "reference" if path.startswith(REFERENCE) else "LONG" if words > 700 else ""
        print(f"{words:6d}  {path}  {kind}")


class Keeper:
    """A new user who reads every page on the way."""

    def __init__(self, browser: Browser, size: str) -> None:
        context = browser.new_context(viewport=SIZES[size], base_url=served(demo=False))
        self.page: Page = context.new_page()
        self.words = self.taps = self.letters = self.pages = 0
        self.page.goto("/")
        self.read()

    def read(self) -> None:
        """Read the page."""
        self.pages += 1
        self.words += self.page.evaluate(COUNT)

    def tap(self, what: str, *, new_page: bool = False, exact: bool = False) -> None:
        """Tap a link, a button or a tile by its words."""
        self.taps += 1
        found = self.page.locator("a, button, label").filter(has_text=what)
        (found.first if not exact else self.page.get_by_text(what, exact=True).first).click()
        if new_page:
            self.page.wait_for_load_state()
            self.read()

    def type(self, name: str, text: str) -> None:
        """Type into a field."""
        self.taps += 1
        self.letters += len(text)
        self.page.locator(f"[name='{name}']").first.fill(text)

    def pick(self, name: str, value: str) -> None:
        """Choose from a list: open it, and tap."""
        self.taps += 2
        self.page.locator(f"select[name='{name}']").first.select_option(value)

    @property
    def seconds(self) -> float:
        """How long it took."""
        return self.words * A_WORD + self.taps * A_TAP + self.letters * A_LETTER


def knows_the_pest(k: Keeper) -> None:
    """Mealybugs on a coffee plant."""
    k.tap("I know the pest", new_page=True)
    k.type("name", "Coffee")
    k.tap("small tree")
    k.pick("pest", "planococcus-citri")
    k.tap("Make the plan")


def sticky_leaves(k: Keeper) -> None:
    """Only sticky leaves, and small brown bumps when looked at."""
    k.tap("Something is wrong", new_page=True)
    k.type("name", "Lemon")
    k.tap("small tree")
    k.tap("Make the plan", new_page=True)
    k.tap("Sticky leaves")
    k.tap("Bumps")
    k.tap("Low, flat, oval")
    k.tap("See what it could be", new_page=True)
    k.tap("Dozens: make the plan")


def cabbages(k: Keeper) -> None:
    """Caterpillars on cabbages outdoors."""
    k.tap("I know the pest", new_page=True)
    k.type("name", "Cabbage")
    k.tap("cabbages")
    k.tap("outdoors")
    k.type("warmth", "16")
    k.pick("pest", "pieris-rapae")
    k.tap("Make the plan")


def diary(k: Keeper) -> None:
    """Spider mites, with the lowest and highest temperature of yesterday."""
    k.tap("I know the pest", new_page=True)
    k.type("name", "Fern")
    k.taps += 1
    k.page.get_by_text("I have a thermometer").click()
    k.type("low", "18")
    k.type("high", "25")
    k.pick("pest", "tetranychus-urticae")
    k.tap("Make the plan")


def forty_plants(k: Keeper) -> None:
    """Forty plants pasted, one of them with a case."""
    k.tap("Nothing is wrong yet", new_page=True)
    k.taps += 2
    k.page.locator("textarea").first.fill("\n".join(f"Fern {n}; kitchen" for n in range(1, 41)))
    k.tap("Show what it makes", new_page=True)
    k.tap("Make these", new_page=True)
    k.tap("Make a plan", new_page=True)
    k.taps += 2
    k.page.locator("select[name='plant']").select_option(label="Fern 7")
    k.pick("pest", "tetranychus-urticae")
    k.tap("Make the plan")


SCENES: tuple[tuple[str, Callable[[Keeper], None], float], ...] = (
    ("knows the pest", knows_the_pest, 60),
    ("only sticky leaves", sticky_leaves, 150),
    ("lowest and highest", diary, 120),
    ("forty plants pasted", forty_plants, 150),
    ("cabbages outdoors", cabbages, 90),
)


def first_plan(browser: Browser, size: str) -> None:
    """Print how long every scene takes, up to the first dated plan."""
    print(f"{'':22s} {'s':>5s} {'of':>4s} {'taps':>5s} {'pages':>5s} {'words':>6s}")
    for name, scene, most in SCENES:
        k = Keeper(browser, size)
        scene(k)
        k.page.wait_for_url("**/cases/*")
        print(f"{name:22s} {k.seconds:5.0f} {most:4.0f} {k.taps:5d} {k.pages:5d} {k.words:6d}")


def main() -> None:
    """Run what is asked for."""
    what, size = (*sys.argv[1:], "laptop")[:2]
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path=shutil.which("chromium") or "", args=FLAGS
        )
        (page_words if what == "words" else first_plan)(browser, size)
        browser.close()


if __name__ == "__main__":
    main()
