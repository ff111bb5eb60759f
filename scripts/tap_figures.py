"""Prints how many taps lead from a plant to the right first place: twenty stories that were
never tuned on, through the real pages at 390 px, and the walk over the plant beside it.
"""

from __future__ import annotations

import csv
import shutil
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path
from statistics import median

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests"))

from conftest import NOW
from playwright.sync_api import Browser, Page, sync_playwright
from serving import PATIENCE, QUIET, SIZES, Site

from brood.catalogue.loader import shipped
from brood.core.diagnosis.evidence import Circumstances, weigh
from brood.services.house import places, plants
from brood.store.session import open_store

ROOT = Path(__file__).resolve().parents[1]
STORIES, MOST_TAPS = 20, 30
CATALOGUE = shipped()
MODEL = CATALOGUE.evidence.model


@dataclass
class Story:
    """What a keeper saw and did not see of a plant, and what it has."""

    truth: set[str]
    kind: str
    yes: set[str]
    no: set[str]
    words: str

    def shows(self, observation: str) -> bool:
        """Whether the keeper sees it: as told, or as plants with it mostly have it."""
        if observation in self.yes | self.no:
            return observation in self.yes
        rows = [MODEL.row[cause] for cause in self.truth]
        return bool(MODEL.shares[rows, MODEL.at[observation]].max() >= 0.5)


def stories() -> list[Story]:
    """Every fourth story of the half that was never tuned on."""
    text = (ROOT / "tests" / "core" / "stories.csv").read_text("utf-8")
    rows = [r for r in csv.DictReader(text.splitlines()) if r["half"] == "report"]
    return [
        Story(
            set(r["truth"].split()), r["kind"], {*r["yes"].split()}, {*r["no"].split()}, r["story"]
        )
        for r in rows[::4][:STORIES]
    ]


class Phone:
    """A keeper's phone that counts taps and pages."""

    def __init__(self, page: Page, story: Story) -> None:
        self.page, self.story, self.taps, self.pages = page, story, 0, 1

    def tap(self, selector: str, *, leads: bool = False) -> None:
        """Tap the first that fits."""
        self.page.locator(selector).first.click()
        self.taps += 1
        self.pages += leads

    def right(self) -> bool:
        """Whether the first suspect is what the plant has."""
        first = self.page.locator(".suspect h3").first.inner_text().split(maxsplit=1)[1]
        return first.lower() in {CATALOGUE.name(cause).lower() for cause in self.story.truth}

    def notice(self) -> None:
        """Tap the drawings that fit, and say it in words where they say too little."""
        self.tap("form[action$='/look'] button", leads=True)
        told = 0
        for drawn in CATALOGUE.evidence.folk.drawn:
            which = [o for o in drawn.asks if o in self.story.yes]
            if which or (drawn.means and set(drawn.means) <= self.story.yes):
                self.tap(f"label:has(#sign-{drawn.id})")
                told += 1
            if which:
                self.tap(f"label:has(input[value='{which[0]}'])")
        if told < 2:
            self.page.locator("[name=words]").fill(self.story.words)
            self.taps += 1
            self.tap("button:has-text('Find')")
            for name, meant in (("seen", self.story.yes), ("unseen", self.story.no)):
                for box in self.page.locator(f"[name={name}]").all():
                    if box.get_attribute("value") in meant and told < 4:
                        box.check()
                        self.taps, told = self.taps + 1, told + 1
        self.tap("button:has-text('See what it could be')", leads=True)

    def check(self) -> None:
        """Answer the check that is proposed, and wait for what comes after it."""
        before = self.page.locator("#look").inner_text()
        self._answer()
        self.page.wait_for_function(
            "before => document.querySelector('#look').innerText !== before", arg=before
        )

    def _answer(self) -> None:
        if not self.page.locator("#check").first.is_visible():
            self.tap("summary:has-text('To be surer')")
        card = self.page.locator("#check").first
        options = [o.get_attribute("value") or "" for o in card.locator("[name=option]").all()]
        true = [o for o in options if self.story.shows(o)]
        together = card.locator("#c-keep").count()
        for one in true if together else true[:1]:
            self.tap(f"#c-{one}")
        if together and true:
            self.tap("#c-keep")
        elif not true:
            self.tap("#c-none")


def by_signs(browser: Browser, story: Story) -> tuple[int, int, bool]:
    """Taps, pages and whether it came out right, from the plant's page."""
    with tempfile.TemporaryDirectory() as folder:
        store = open_store(Path(folder) / "household.sqlite")
        with store.writing() as session:
            warm = places.Warmth(20.0, 20.0, NOW.time(), NOW.time())
            place = places.add(session, places.PlaceCommand("Sill", "", "constant", warm), now=NOW)
            command = plants.PlantCommand("Plant", story.kind, "", place, NOW.date())
            plant = plants.add(session, command, now=NOW)
        store.close()
        site = Site(Path(folder))
        page = browser.new_context(base_url=site.address, viewport=SIZES["phone"]).new_page()
        page.set_default_timeout(PATIENCE)
        page.goto(f"/plants/{plant}")
        phone = Phone(page, story)
        phone.notice()
        while not phone.right() and phone.taps < MOST_TAPS and page.locator("#check").count():
            phone.check()
        found = phone.taps, phone.pages, phone.right()
        page.context.close()
        site.stop()
    return found


def by_walk(story: Story) -> tuple[int, int, bool]:
    """The same by the walk: every question that the keeper can answer, part by part."""
    walk = CATALOGUE.evidence.walk
    answers: dict[str, bool] = {}
    taps, pages = 2, 2
    for zone in walk.build[walk.of(story.kind)]:
        for one in walk.zone[zone].ask:
            if one in story.yes | story.no:
                answers[one] = one in story.yes
                taps += 1
        verdict = weigh(MODEL, answers, Circumstances(kind=story.kind))
        if answers and next(iter(verdict.chances)) in story.truth:
            return taps + 1, pages + 1, True
        taps, pages = taps + 1, pages + 1
    return taps, pages, False


def main() -> None:
    """The figures."""
    with sync_playwright() as play:
        browser = play.chromium.launch(executable_path=shutil.which("chromium"), args=QUIET)
        told = stories()
        new, old = [by_signs(browser, s) for s in told], [by_walk(s) for s in told]
        browser.close()
    for story, n, o in zip(told, new, old, strict=True):
        print(f"{' + '.join(sorted(story.truth)):44s} signs {n}, walk {o}")
    for name, found in (("by signs", new), ("by the walk", old)):
        right = [(taps, pages) for taps, pages, ok in found if ok]
        print(
            f"{name}: {len(right)} of {len(found)} right, median {median(t for t, _ in right):g} "
            f"taps (most {max(t for t, _ in right)}), {max(p for _, p in right)} pages at most"
        )


if __name__ == "__main__":
    main()
