"""Writes what this version answers, so that two versions can be compared with `diff
-r`.

    python scripts/same_answers.py /tmp/before          documents, commands and pages
    python scripts/same_answers.py /tmp/before --numbers /tmp/after      compare with a tolerance

Sixty case documents are drawn from a fixed seed and given to `brood plan`, `assess`,
`clear-date`; every pest goes through `develop`, every shipped story through `identify`.
Then every page that can be reached in the demo household at a fixed clock is read, once
as text and once as markup with single spaces.
"""

from __future__ import annotations

import argparse
import csv
import json
import re
import sys
import tempfile
from collections.abc import Iterator
from datetime import date, datetime, timedelta
from html.parser import HTMLParser
from pathlib import Path

import numpy as np
from click.testing import CliRunner

from brood.catalogue.loader import shipped
from brood.cli.main import main as brood
from brood.settings import Settings
from brood.web.app import create_app

NOW = datetime(2026, 6, 8, 18, 40)
DAY = date(2026, 6, 1)
DOCUMENTS = 60
MOST_PAGES = 700
STORIES = Path(__file__).parents[1] / "tests" / "core" / "stories.csv"
NUMBER = re.compile(r"-?\d+\.\d+(?:e-?\d+)?")
TOLERANCE = 1e-9


def documents(seed: int = 16) -> Iterator[tuple[str, dict]]:
    """Case documents with one to two pests, all kinds of temperature, some with
    evenings done and counts.
    """
    rng = np.random.default_rng(seed)
    catalogue = shipped()
    pests = sorted(catalogue.pests)
    for n in range(DOCUMENTS):
        pest = pests[n % len(pests)]
        stages = [s.id for s in catalogue.pests[pest].development]
        found = [
            {"date": DAY.isoformat(), "stage": str(stage), "count": int(rng.integers(1, 80))}
            for stage in rng.choice(stages, size=min(2, len(stages)), replace=False)
        ]
        acts = [t.id for t in catalogue.offered(pest)]
        chosen = sorted(rng.choice(acts, size=min(2, len(acts)), replace=False))
        case = {
            "schema": 1,
            "pest": pest,
            "start": DAY.isoformat(),
            "found": found,
            "temperature": _temperature(rng),
            "treatments": [{"id": str(act)} for act in chosen],
            "reach": round(float(rng.uniform(0.6, 0.95)), 2),
            "refuge": round(float(rng.uniform(0, 0.06)), 3),
        }
        if n % 3 == 1:
            case["done"] = [{"date": (DAY + timedelta(days=d)).isoformat()} for d in (0, 5)]
            case["inspections"] = [
                {
                    "date": (DAY + timedelta(days=9)).isoformat(),
                    "stage": stages[1],
                    "count": int(rng.integers(0, 9)),
                }
            ]
        if n % 5 == 2:
            case["limits"] = {"weekdays": ["mon", "wed", "sat"], "min_gap_days": 3}
        if n % 7 == 3:
            other = str(rng.choice([p for p in pests if p != pest]))
            first = catalogue.pests[other].stages[0].id
            case["also"] = [
                {"pest": other, "found": [{"date": DAY.isoformat(), "stage": first, "count": 12}]}
            ]
        yield f"{n:02d}-{pest}", case


def _temperature(rng: np.random.Generator) -> dict:
    kind = rng.integers(0, 3)
    if kind == 0:
        return {"kind": "constant", "celsius": round(float(rng.uniform(14, 29)), 1)}
    if kind == 1:
        night = round(float(rng.uniform(12, 20)), 1)
        return {"kind": "day-night", "day": night + 6, "night": night}
    lows = [round(float(v), 1) for v in rng.uniform(8, 18, size=60)]
    return {"kind": "daily", "start": DAY.isoformat(), "min": lows, "max": [v + 9 for v in lows]}


def commands(folder: Path) -> None:
    """The answers of the command line."""
    runner = CliRunner()

    def said(name: str, *words: str, given: dict | None = None) -> None:
        result = runner.invoke(brood, words, input=None if given is None else json.dumps(given))
        (folder / f"{name}.txt").write_text(f"exit {result.exit_code}\n{result.output}")

    dates = ",".join((DAY + timedelta(days=d)).isoformat() for d in (3, 8, 13))
    for name, case in documents():
        said(f"plan-{name}", "plan", "-", "--json", given=case)
        said(f"assess-{name}", "assess", "-", "--dates", dates, "--json", given=case)
        said(f"clear-{name}", "clear-date", "-", "--json", given=case)
    for pest in sorted(shipped().pests):
        for celsius in ("15", "22", "30"):
            said(
                f"develop-{pest}-{celsius}",
                "develop",
                pest,
                "--celsius",
                celsius,
                "--sd",
                "1",
                "--json",
            )
    with STORIES.open() as file:
        for n, row in enumerate(csv.DictReader(file)):
            seen = dict.fromkeys(row["yes"].split(), True) | dict.fromkeys(row["no"].split(), False)
            evidence = {
                "schema": 1,
                "observations": seen,
                "place": row["place"],
                "plant_kind": row["kind"],
            }
            said(f"identify-{n:02d}", "identify", "-", "--json", given=evidence)


class _Text(HTMLParser):
    """The text of a page, and where it leads."""

    def __init__(self, html: str) -> None:
        super().__init__()
        self.words: list[str] = []
        self.links: list[str] = []
        self.feed(html)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        given = dict(attrs)
        if tag == "a" and given.get("href"):
            self.links.append(str(given["href"]))

    def handle_data(self, data: str) -> None:
        self.words.append(data)


def pages(folder: Path) -> int:
    """Every page of the demo household that links lead to; their number."""
    from brood.demo import tern_cottage

    with tempfile.TemporaryDirectory() as home:
        tern_cottage.seed(Path(home) / "household.sqlite", now=NOW)
        app = create_app(Settings(data=Path(home), demo=True), lambda: NOW)
        client = app.test_client()
        waiting, seen = ["/"], {"/"}
        for done, path in enumerate(waiting):
            if done >= MOST_PAGES:
                break
            answer = client.get(path)
            if "html" not in answer.content_type:
                continue
            page = _Text(answer.get_data(as_text=True))
            _write(folder, path, answer.status_code, page, answer.get_data(as_text=True))
            for link in page.links:
                target = link.split("#")[0]
                if (
                    target.startswith("/")
                    and not target.startswith("/static")
                    and target not in seen
                ):
                    seen.add(target)
                    waiting.append(target)
        app.extensions["household"].store.close()
    return min(len(waiting), MOST_PAGES)


def _write(folder: Path, path: str, status: int, page: _Text, html: str) -> None:
    name = re.sub(r"[^a-z0-9]+", "-", path.lower()).strip("-")[:150] or "today"
    text = " ".join(" ".join(page.words).split())
    (folder / f"{name}.text").write_text(f"{status}\n{_known(text)}\n")
    markup = re.sub(r"\s+", " ", _known(html))
    markup = re.sub(r"\s*([<>])\s*", r"\1", markup)
    (folder / f"{name}.html").write_text(markup.replace("><", ">\n<"))


def _known(text: str) -> str:
    """Without what is drawn by lot at every start: keys of forms and hashes of static files."""
    return re.sub(
        r"[A-Za-z0-9_\-]{22,}(?=[\"&.\s<]|$)", "KEY", re.sub(r"\?v=[0-9a-f]+", "?v=", text)
    )


def compare(before: Path, after: Path) -> int:
    """Files that differ by more than numbers within a tolerance; they are printed."""
    names = {p.relative_to(before) for p in before.rglob("*.*")} | {
        p.relative_to(after) for p in after.rglob("*.*")
    }
    wrong = 0
    for name in sorted(names):
        both = [folder / name for folder in (before, after)]
        if not all(p.exists() for p in both) or not _near(*(p.read_text() for p in both)):
            print(name)
            wrong += 1
    print(f"{len(names)} files, {wrong} differ")
    return wrong


def _near(one: str, other: str) -> bool:
    if NUMBER.sub("#", one) != NUMBER.sub("#", other):
        return False
    pairs = zip(NUMBER.findall(one), NUMBER.findall(other), strict=True)
    return all(abs(float(a) - float(b)) <= TOLERANCE * max(1.0, abs(float(a))) for a, b in pairs)


def run() -> int:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("folder", type=Path)
    parser.add_argument(
        "--numbers", type=Path, metavar="OTHER", help="compare the folder with another instead"
    )
    given = parser.parse_args()
    if given.numbers:
        return min(compare(given.folder, given.numbers), 100)
    for part in ("commands", "pages"):
        (given.folder / part).mkdir(parents=True, exist_ok=True)
    commands(given.folder / "commands")
    print(f"{pages(given.folder / 'pages')} pages")
    return 0


if __name__ == "__main__":
    sys.exit(run())
