"""What all tests share: the catalogue, a migrated database copied for every test, a
page client, the demo household.
"""

from __future__ import annotations

import fcntl
import os
import re
import shutil
from collections.abc import Callable, Iterator
from datetime import date, datetime, time
from pathlib import Path

import pytest
from flask import Flask
from flask.testing import FlaskClient
from jinja2 import FileSystemBytecodeCache
from remembered import RememberedRule, remember_plans, remember_statements
from werkzeug.test import TestResponse

from brood.catalogue.holdings import Catalogue
from brood.catalogue.loader import shipped
from brood.core.biology.case import Case, Found
from brood.core.climate.series import constant
from brood.demo import tern_cottage
from brood.settings import Settings
from brood.store.session import Store, open_store
from brood.web.app import create_app

DAY = date(2026, 6, 1)
NOW = datetime(2026, 6, 8, 18, 40)
MITE, THRIPS, WHITEFLY = (
    "tetranychus-urticae",
    "frankliniella-occidentalis",
    "trialeurodes-vaporariorum",
)


def tell_before_mixing(client: FlaskClient, case: int, **answers: str) -> TestResponse:
    """Answers what a case's evening asks before anything is mixed; the page behind it."""
    page = client.get(f"/cases/{case}/evening").get_data(as_text=True)
    labels = dict.fromkeys(re.findall(r'name="(label-[^"]+)"', page), "1")
    told = {"alone": "1", "eaten": "no", "flowers": "no", **labels, **answers}
    assert client.post(f"/cases/{case}/before", data=told).status_code == 303
    return client.get(f"/cases/{case}/evening")


@pytest.fixture(scope="session")
def catalogue() -> Catalogue:
    return shipped()


def _once(folder: Path, name: str, make: Callable[[Path], None]) -> Path:
    """A file made by the first worker that asks; others wait for it."""
    done = folder / name
    with (folder / f"{name}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not done.exists():
            making = folder / f"making-{name}"
            make(making)
            making.rename(done)
    return done


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Tests of the demo household first: one worker lays it out while the other begins
    with those that do not need it.
    """
    items.sort(key=lambda item: "demo_household" not in getattr(item, "fixturenames", ()))


@pytest.fixture(scope="session")
def shared(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The folder of what is made once for all workers."""
    base = tmp_path_factory.getbasetemp()
    return (base.parent if "PYTEST_XDIST_WORKER" in os.environ else base) / "households"


@pytest.fixture(scope="session", autouse=True)
def _nothing_twice(shared: Path) -> None:
    """Templates, addresses and statements are compiled once for the whole run, and a plan is
    made once: every test opens its own application, and many begin with the same case.
    """
    shared.mkdir(exist_ok=True)
    Flask.jinja_options = {"bytecode_cache": FileSystemBytecodeCache(str(shared))}
    Flask.url_rule_class = RememberedRule
    remember_plans(shared)
    remember_statements()


@pytest.fixture(scope="session")
def empty_household(shared: Path) -> Path:
    """A migrated database without a row."""
    return _once(shared, "empty.sqlite", lambda path: open_store(path).close())


@pytest.fixture(scope="session")
def demo_household(shared: Path) -> Path:
    """The demo household."""
    return _once(shared, "demo.sqlite", lambda path: tern_cottage.seed(path, now=NOW))


def _copy(source: Path, folder: Path) -> Path:
    folder.mkdir(parents=True, exist_ok=True)
    return Path(shutil.copy(source, folder / "household.sqlite"))


def _settling(opened: Store) -> Store:
    """A household whose dates are worked out at every change."""
    from planned import last, planning_of

    last[0] = NOW
    opened.when_facts_change.append(planning_of(opened).changed)
    return opened


@pytest.fixture
def store(empty_household: Path, tmp_path: Path) -> Iterator[Store]:
    opened = _settling(Store(_copy(empty_household, tmp_path / "empty")))
    yield opened
    opened.close()


@pytest.fixture
def demo_store(demo_household: Path, tmp_path: Path) -> Iterator[Store]:
    opened = _settling(Store(_copy(demo_household, tmp_path / "demo")))
    yield opened
    opened.close()


class Clock:
    """A clock that tests set."""

    def __init__(self) -> None:
        self.now = NOW

    def __call__(self) -> datetime:
        return self.now


@pytest.fixture
def clock() -> Clock:
    return Clock()


FORM_KEY = re.compile(r'<input type="hidden" name="form_(key|version|page)" value="[^"]*">')
TERM = re.compile(
    r'(?:<span class="whitespace-nowrap">)?<button type="button" class="term"[^>]*>(.*?)</button>'
    r"(?:([,.;:)!?]+)</span>)?|<div popover .*?</div>",
    re.DOTALL,
)


class Tidy(TestResponse):
    """An answer whose markup has single spaces, and none inside the edges of an element:
    as a browser shows it, however the templates are laid out. The keys of its forms,
    which never are the same, and the meanings of words are left out.
    """

    def get_data(self, as_text: bool = False) -> str | bytes:  # type: ignore[override]
        found = super().get_data(as_text)
        if not as_text or "html" not in self.content_type:
            return found
        plain = TERM.sub(
            lambda found: "".join(filter(None, found.groups())), FORM_KEY.sub("", str(found))
        )
        single = re.sub(r"\s+", " ", plain)
        return re.sub(r"(<\w[^<>]*>) | (?=</)", r"\1", single)


def client_of(
    household: Path, folder: Path, clock: Clock, **settings: object
) -> Iterator[FlaskClient]:
    """Pages of a copy of a household, laid down in a folder."""
    _copy(household, folder)
    app = create_app(Settings(data=folder, **settings), clock)  # type: ignore[arg-type]
    app.testing = False
    with app.test_client() as client:
        client.response_wrapper = Tidy
        yield client
    app.extensions["household"].store.close()


@pytest.fixture
def client(empty_household: Path, tmp_path: Path, clock: Clock) -> Iterator[FlaskClient]:
    """Pages of an empty household."""
    yield from client_of(empty_household, tmp_path / "empty-pages", clock, upload_mb=1)


@pytest.fixture
def demo_client(demo_household: Path, tmp_path: Path, clock: Clock) -> Iterator[FlaskClient]:
    """Pages of the demo household."""
    yield from client_of(demo_household, tmp_path / "pages", clock, demo=True)


@pytest.fixture
def lan_client(demo_household: Path, tmp_path: Path, clock: Clock) -> Iterator[FlaskClient]:
    """Pages as another device on the home network sees them."""
    hosts = ("127.0.0.1", "localhost", "10.9.8.7")
    yield from client_of(demo_household, tmp_path / "pages", clock, lan=True, hosts=hosts)


@pytest.fixture
def make_case(catalogue: Catalogue) -> Callable[..., Case]:
    """A case at a constant temperature with three groups found."""

    def make(
        pest: str = MITE,
        celsius: float = 20.0,
        acts: tuple[str, ...] = ("wiping", "insecticidal-soap"),
        **more: object,
    ) -> Case:
        gap = more.pop("min_gap_days", None)
        stages = [("egg", 30.0), (catalogue.pests[pest].stages[1].id, 20.0), ("adult", 6.0)]
        values: dict[str, object] = {
            "pest": catalogue.pest(pest),
            "start": DAY,
            "found": tuple(Found(DAY, s, n) for s, n in stages),
            "series": constant(datetime.combine(DAY, time()), 24 * 220, celsius, spread_c=0.5),
            "acts": tuple(catalogue.act(a, pest, min_gap_days=gap) for a in acts),  # type: ignore[arg-type]
        }
        return Case(**{**values, **more})  # type: ignore[arg-type]

    return make


@pytest.fixture(scope="module")
def browser():
    """A headless Chromium."""
    from playwright.sync_api import expect, sync_playwright
    from serving import PATIENCE, QUIET

    expect.set_options(timeout=PATIENCE)
    with sync_playwright() as play:
        opened = play.chromium.launch(executable_path=shutil.which("chromium"), args=QUIET)
        yield opened
        opened.close()


@pytest.fixture(scope="module")
def demo_site(demo_household, tmp_path_factory):
    """The demo household, served for a whole module."""
    from serving import Site

    folder = tmp_path_factory.mktemp("demo-site")
    shutil.copy(demo_household, folder / "household.sqlite")
    opened = Site(folder, ends=True)
    yield opened
    opened.stop()
