"""A household served to a real browser."""

import logging
import threading
from datetime import timedelta

from conftest import NOW
from werkzeug.serving import make_server

from brood.settings import Settings
from brood.web.app import create_app

logging.getLogger("werkzeug").setLevel(logging.WARNING)
QUIET = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-dev-shm-usage",
]
PATIENCE = 120_000
"""How long a browser waits (ms): the first page of a day works out the dates before it
answers, and a busy computer takes its time. Only a test that fails waits so long.
"""
SIZES = {"laptop": {"width": 1280, "height": 800}, "phone": {"width": 390, "height": 844}}


class Days:
    """A clock that a test sets forward."""

    def __init__(self):
        self.passed = 0

    def __call__(self):
        return NOW + timedelta(days=self.passed)


class Site:
    """A household served on a free port in this process, at a fixed moment or by a clock.

    When a case will be over is asked for by every page of it, in the background, and takes
    longer than all else: it is worked out here only for tests that look at it.
    """

    def __init__(self, folder, clock=lambda: NOW, *, lan=False, port=0, ends=False):
        self.app = create_app(Settings(data=folder, lan=lan), clock)
        if not ends:
            self.app.extensions["household"].planning.want_end = lambda _: None
        self.server = make_server("127.0.0.1", port, self.app, threaded=True)
        self.address = f"http://127.0.0.1:{self.server.server_port}"
        self.thread = threading.Thread(target=self.server.serve_forever)
        self.thread.start()

    def stop(self):
        self.server.shutdown()
        self.thread.join()
        self.server.server_close()
        self.app.extensions["household"].store.close()


def visit(browser, site, **options):
    context = browser.new_context(base_url=site.address, accept_downloads=True, **options)
    context.set_default_timeout(PATIENCE)
    page = context.new_page()
    page.faults = []
    page.on(
        "console",
        lambda m: (
            page.faults.append(m.text)
            if m.type == "error" and "422" not in m.text and "404" not in m.text
            else None
        ),
    )
    page.on("pageerror", lambda e: page.faults.append(str(e)))
    page.clock.install(time=NOW)
    return page


def tell_what_is_asked(page, eaten="no"):
    """Answer what the evening's page asks before anything is mixed."""
    form = page.locator("form[action$='/before']")
    if form.locator("[name=eaten]").count():
        form.locator(f"[name=eaten][value={eaten}]").check()
    form.locator("[name=flowers][value=no]").check()
    if form.locator("[name=alone]").count():
        form.locator("[name=alone]").check()
    for label in form.locator("[name^=label-]").all():
        label.check()
    form.locator("button.go").click()
