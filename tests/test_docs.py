"""The documents are true: commands, screens, pictures and terms are those of the program."""

import runpy
from dataclasses import fields
from pathlib import Path

from brood.core.biology.rates import RateModel
from brood.settings import Settings
from brood.web.app import create_app

ROOT = Path(__file__).parent.parent
DOCS = ROOT / "docs"


def test_the_command_reference_is_that_of_the_commands():
    reference = runpy.run_path(str(ROOT / "scripts" / "cli_reference.py"))["reference"]
    assert (DOCS / "cli.md").read_text("utf-8") == reference()


def test_every_page_stands_in_the_list_of_screens(tmp_path):
    text = (DOCS / "screens.md").read_text("utf-8")
    app = create_app(Settings(data=tmp_path))
    for rule in app.url_map.iter_rules():
        if "GET" in rule.methods and rule.endpoint != "static":
            shown = (
                rule.rule.replace("<day>", "D")
                .replace("<pest_id>", "PEST")
                .replace("<int:item_id>", "N")
                .replace("<token>", "SECRET")
            )
            for kind in ("plant", "place", "case", "look", "photo", "quarantine"):
                shown = shown.replace(f"<int:{kind}_id>", "N")
            assert f"`{shown}`" in text, shown
    app.extensions["household"].store.close()


def test_every_picture_is_linked_and_every_link_leads_somewhere():
    readme = (ROOT / "README.md").read_text("utf-8")
    for picture in (DOCS / "screenshots").glob("*.png"):
        assert f"docs/screenshots/{picture.name}" in readme
    for target in [part.split(")")[0] for part in readme.split("](")[1:]]:
        assert (ROOT / target).exists(), target


def test_the_glossary_has_the_terms_of_the_rate_model():
    text = (DOCS / "glossary.md").read_text("utf-8")
    for item in fields(RateModel):
        assert item.name in text


def test_the_makefile_describes_every_target():
    lines = (ROOT / "Makefile").read_text("utf-8").splitlines()
    targets = [
        line
        for line in lines
        if line[:1].islower() and ":" in line and not line.startswith("export")
    ]
    assert all("## " in line for line in targets)
