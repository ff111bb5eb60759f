"""Takes the pictures in docs/screenshots from the demo household, laid out around an
early evening in June.
"""

from __future__ import annotations

import logging
import shutil
import tempfile
import threading
from datetime import datetime
from pathlib import Path

from playwright.sync_api import sync_playwright
from werkzeug.serving import make_server

from brood.demo import tern_cottage
from brood.settings import Settings
from brood.web.app import create_app

NOW = datetime(2026, 6, 9, 18, 40)
OUT = Path(__file__).parents[1] / "docs" / "screenshots"
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking"]
WIDE, TALL = {"width": 1280, "height": 800}, {"width": 390, "height": 844}
SHOTS = (
    ("today", "/", WIDE, "light"),
    ("today-phone", "/", TALL, "light"),
    ("follow", "/cases/4/follow", WIDE, "light"),
    ("clearing", "/cases/7/clearing", WIDE, "dark"),
    ("house", "/house", WIDE, "light"),
    ("case", "/cases/1", WIDE, "light"),
    ("case-phone", "/cases/1", TALL, "light"),
    ("try", "/cases/1", WIDE, "light"),
    ("chance", "/cases/1/chance", WIDE, "light"),
    ("ways", "/cases/1/ways?now=1", WIDE, "light"),
    ("first", "/first?pest=tetranychus-urticae", WIDE, "light"),
    ("means", "/cases/6/means", WIDE, "light"),
    ("evening-phone", "/cases/6/evening", TALL, "dark"),
    ("season", "/season", WIDE, "light"),
    ("mix", "/mix?case=4&treatment=paraffinic-oil", WIDE, "light"),
    ("place", "/places/6", WIDE, "light"),
    ("guide-pest", "/guide/frankliniella-occidentalis", WIDE, "light"),
    ("signs", "/looks/1/signs", WIDE, "light"),
    ("suspects", "/looks/1/suspects", WIDE, "light"),
)
MOVED = {"try": ('.only-wide [data-drag="2"]', 4)}
"""Handles that are moved by so many evenings before the picture is taken."""


def main() -> None:
    """Serve the demo household in this process and picture each view."""
    logging.getLogger("werkzeug").setLevel(logging.WARNING)
    folder = Path(tempfile.mkdtemp())
    tern_cottage.seed(folder / "household.sqlite", now=NOW)
    server = make_server(
        "127.0.0.1", 0, create_app(Settings(data=folder, demo=True), lambda: NOW), threaded=True
    )
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    OUT.mkdir(parents=True, exist_ok=True)
    with sync_playwright() as play:
        browser = play.chromium.launch(executable_path=shutil.which("chromium"), args=FLAGS)
        for name, path, size, theme in SHOTS:
            page = browser.new_context(viewport=size, color_scheme=theme).new_page()
            page.clock.install(time=NOW)
            page.goto(f"http://127.0.0.1:{server.server_port}{path}")
            page.wait_for_load_state("networkidle")
            page.wait_for_timeout(900)
            page.wait_for_load_state("networkidle")
            page.evaluate("document.fonts.ready")
            if name in MOVED:
                handle, evenings = MOVED[name]
                for _ in range(evenings):
                    page.locator(handle).press("ArrowRight")
                    page.wait_for_load_state("networkidle")
                    page.wait_for_timeout(600)
            page.screenshot(path=OUT / f"{name}.png")
            page.context.close()
        browser.close()
    server.shutdown()
    shutil.rmtree(folder)


if __name__ == "__main__":
    main()
