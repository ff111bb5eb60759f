"""Words of the trade are explained where they stand: the first of each on a page can be
pressed, and says what it means. That needs no script.
"""

from __future__ import annotations

import re
import uuid
from html import escape

from brood.services.voice.terms import TERMS
from brood.web import render
from brood.web.context import prefs

WRITTEN = {form: term for term in TERMS for form in term.written}
FORMS = re.compile(
    r"\b(" + "|".join(sorted(map(re.escape, WRITTEN), key=len, reverse=True)) + r")\b([,.;:)!?]*)",
    re.IGNORECASE,
)
SHORTEST = min(map(len, WRITTEN)) - 1
TAG = re.compile(r"(<[^>]+>)")
HEADINGS = frozenset(["caption", "dt", "figcaption", "h1", "h2", "h3", "th", "title"])
PRESSED = frozenset(["a", "button", "label", "legend", "option", "select", "summary", "textarea"])
AROUND = frozenset(["footer", "head", "header", "nav", "noscript", "script", "style", "svg"])
QUOTED = frozenset(["cite", "dfn"])
LEFT_ALONE = HEADINGS | PRESSED | AROUND | QUOTED
"""Elements in which a word is no part of a sentence, or cannot be pressed."""
FOLDS = frozenset(["details"])
NAME = re.compile(r"</?(\w+)")


def explained(page: str) -> str:
    """A page, or a part of one, with the first of each word of the trade explained: in
    the open, and once more in what is folded.
    """
    if prefs().words == "off":
        return page
    mark = uuid.uuid4().hex[:6] if render.wants_part() else ""
    open_, folded = _Reader(mark), _Reader(f"{mark}f")
    left_alone = folds = 0
    out = []
    for piece in TAG.split(page):
        if piece.startswith("<"):
            left_alone += _step(piece, LEFT_ALONE)
            folds += _step(piece, FOLDS)
        elif left_alone == 0 and len(piece) > SHORTEST and not piece.isspace():
            piece = FORMS.sub((folded if folds else open_).meets, piece)
        out.append(piece)
    return _with(open_.meanings + folded.meanings, "".join(out))


def _with(meanings: str, page: str) -> str:
    """A page with the meanings at the end of its content, or of its last element."""
    at = page.rfind("</main>")
    at = at if at >= 0 else page.rfind("</")
    return page[:at] + meanings + page[at:]


def _step(tag: str, names: frozenset[str]) -> int:
    """By how much a tag goes into, or out of, elements of these names."""
    found = NAME.match(tag)
    if found is None or found[1] not in names or tag.endswith("/>"):
        return 0
    return -1 if tag.startswith("</") else 1


class _Reader:
    """Somebody who has each word explained once; `mark` keeps the names of the meanings
    apart.
    """

    def __init__(self, mark: str) -> None:
        self._mark, self._met, self.meanings = mark and f"-{mark}", set[str](), ""

    def meets(self, found: re.Match[str]) -> str:
        """A word as it stands, or as a button with its meaning where it is the first."""
        word, point, term = found[1], found[2], WRITTEN[found[1].lower()]
        if term.key in self._met:
            return found[0]
        self._met.add(term.key)
        name = f"word-{term.key.replace(' ', '-')}{self._mark}"
        self.meanings += (
            f'<div popover id="{name}" class="meaning"><strong>{escape(term.key.capitalize())}.'
            f"</strong> {escape(term.meaning)}</div>"
        )
        button = f'<button type="button" class="term" popovertarget="{name}">{word}</button>'
        # A browser may break a line behind a button, also before a comma.
        return f'<span class="whitespace-nowrap">{button}{point}</span>' if point else button
