"""Words of the trade are explained where they stand."""

import re

import pytest
from conftest import MITE
from playwright.sync_api import expect
from serving import SIZES, visit

from brood.services.voice.terms import TERMS
from brood.web.explained import explained

WORD = re.compile(r'class="term" popovertarget="([^"]+)">([^<]+)<')


@pytest.fixture
def said(demo_client):
    """How a page explains what it says."""

    def say(html):
        with demo_client.application.test_request_context("/"):
            return explained(html)

    return say


def test_the_first_of_each_word_is_explained_and_no_word_in_a_heading_or_a_link(said):
    html = said(
        "<h1>Larvae</h1><details>The pupa, a pupa.</details><p><a>larva</a> A larva, a LARVA, a "
        "pupa.</p><svg><text>pupa</text></svg>"
    )
    assert WORD.findall(html) == [
        ("word-pupa-f", "pupa"),
        ("word-larva", "larva"),
        ("word-pupa", "pupa"),
    ]
    assert html.count("popover id=") == 3
    assert "<h1>Larvae</h1>" in html


def test_a_word_that_means_something_else_too_is_explained_only_where_it_means_this(said):
    assert not WORD.search(said("<p>No flame, open the window. Windows in outer leaves.</p>"))
    html = said("<p>It was inside its window, as planned.</p>")
    assert WORD.findall(html) == [("word-window", "inside its window")]
    assert "</button>,</span>" in html


def test_a_part_of_a_page_brings_its_own_meanings(demo_client):
    names = set()
    for _ in range(2):
        part = demo_client.get("/cases/2", headers={"HX-Request": "true"})
        names |= {name for name, _ in WORD.findall(part.data.decode())}
    assert len(names) > 2
    assert len({re.sub(r"-[0-9a-f]{6}(f?)$", r"\1", n) for n in names}) == len(names) / 2


@pytest.mark.long
def test_whoever_knows_the_words_switches_the_meanings_off(demo_client):
    assert WORD.search(demo_client.get(f"/guide/{MITE}").data.decode())
    demo_client.post("/settings", data={"unit": "C"})
    assert not WORD.search(demo_client.get(f"/guide/{MITE}").data.decode())
    page = demo_client.get("/words").get_data(as_text=True)
    assert all(term.meaning in page for term in TERMS)


@pytest.mark.browser
@pytest.mark.parametrize("script", [True, False], ids=["script", "no script"])
def test_a_word_is_pressed_and_says_what_it_means(browser, demo_site, script):
    page = visit(browser, demo_site, viewport=SIZES["phone"], java_script_enabled=script)
    page.goto("/cases/2")
    word = page.locator(".term", has_text="instar").first
    word.focus()
    page.keyboard.press("Enter")
    expect(page.locator("#word-instar")).to_be_visible()
    expect(page.locator("#word-instar")).to_contain_text("between two moults")
    page.keyboard.press("Escape")
    expect(page.locator("#word-instar")).to_be_hidden()
    page.context.close()
