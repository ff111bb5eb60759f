"""The list of pages is whole; what all pages say is in the units and dates of the reader."""

import re

import pytest
from pages import PAGES, words

US = {"locale": "en-US", "unit": "F", "measure": "us", "week": "sun", "shortcuts": "on"}
FOREIGN = {
    "degrees": r"-?\d °C|°C",
    "volumes": r"\d (ml|l|litres?)\b|\bml\b|\blitres?\b",
    "lengths": r"\d(\.\d+)? (mm|cm)\b|\bmm\b",
    "dates": r"\b\d{1,2} (Jan|Feb|March|April|May|June|July|Aug|Sept|Oct|Nov|Dec)[a-z]*\b",
}
"""What no page may say to a reader of °F, US measures and months first."""
FILES = {
    "calendar.ics",
    "household.json",
    "tables.zip",
    "backup.sqlite",
    "image.jpg",
    "<token>.ics",
}
NO_PAGE = {"ready", "<path:filename>", "label"}


def test_the_list_of_pages_has_every_page(demo_client):
    map_ = demo_client.application.url_map.bind("localhost")
    seen = {map_.match(page.split("?")[0])[0] for page in PAGES}
    rules = [r for r in demo_client.application.url_map.iter_rules() if "GET" in r.methods]
    left = {r.rule for r in rules if r.endpoint not in seen}
    assert {r for r in left if r.split("/")[-1] not in FILES | NO_PAGE} == {
        "/demo",
        "/house/<int:place_id>",
        "/sitter/<token>",
    }


@pytest.mark.long
def test_no_page_speaks_in_units_that_the_reader_has_not_chosen(demo_client):
    demo_client.post("/settings", data=US)
    faults = []
    for page in PAGES:
        text = words(demo_client.get(page).get_data(as_text=True))
        faults += [
            f"{page}, {kind}: “{text[max(0, found.start() - 40) : found.end() + 30]}”"
            for kind, foreign in FOREIGN.items()
            for found in re.finditer(foreign, text)
        ]
    assert not faults, "\n".join(faults)
