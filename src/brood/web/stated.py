"""What the form of a page states: its fields with their values and their names."""

from __future__ import annotations

import hashlib
import re
from dataclasses import dataclass, field
from datetime import date
from html.parser import HTMLParser

PRIVATE = ("form_key", "form_version", "form_page", "back", "sent_key")
"""Fields that say nothing about the thing itself."""
EDIT_FORM = re.compile(r"<form[^>]*\bdata-edit\b[^>]*>.*?</form>", re.DOTALL)


@dataclass
class Stated:
    """The fields of a form: values by name, what each is called on the page, and how the
    choices are called.
    """

    values: dict[str, str] = field(default_factory=dict)
    names: dict[str, str] = field(default_factory=dict)
    choices: dict[tuple[str, str], str] = field(default_factory=dict)

    def said(self, name: str, value: str) -> str:
        """A value as the page says it."""
        return self.choices.get((name, value), value)

    @property
    def version(self) -> str:
        """A digest of the values."""
        said = repr(sorted(self.values.items()))
        return hashlib.sha256(said.encode()).hexdigest()[:20]


def stated(page: str, today: date) -> Stated | None:
    """What the form of a page that is edited states. None where there is none."""
    found = EDIT_FORM.search(page)
    return None if found is None else of_form(found.group(0), today)


def of_form(markup: str, today: date) -> Stated:
    """What a form states. A day that is filled in as today says nothing of the thing."""
    reader = _FormReader(today)
    reader.feed(markup)
    return reader.found


class _FormReader(HTMLParser):
    """Reads inputs, choices and longer texts, as a browser would send them."""

    def __init__(self, today: date) -> None:
        super().__init__(convert_charrefs=True)
        self.found, self._today = Stated(), today.isoformat()
        self._label, self._text, self._in_label = "", "", False
        self._select: str | None = None
        self._area: str | None = None
        self._choice: tuple[str, str] | None = None

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """Note a field, or the beginning of one."""
        told = {name: value or "" for name, value in attrs}
        name = told.get("name", "")
        if tag == "label":
            self._in_label, self._text = True, ""
        elif tag == "input":
            self._input(name, told)
        elif tag == "select":
            self._select = name
            self._name(name)
        elif tag == "option" and self._select is not None:
            self._choice = (self._select, told.get("value", ""))
            if self._select not in self.found.values or "selected" in told:
                self._put(self._select, told.get("value", ""))
        elif tag == "textarea":
            self._area = name
            self._name(name)
            self._put(name, "")

    def _input(self, name: str, told: dict[str, str]) -> None:
        kind = told.get("type", "text")
        self._name(name)
        if kind in ("checkbox", "radio"):
            if "checked" in told:
                self._put(name, told.get("value", "on"))
        elif kind not in ("submit", "button", "file", "hidden") and not (
            kind == "date" and told.get("value") == self._today
        ):
            self._put(name, told.get("value", ""))

    def _put(self, name: str, value: str) -> None:
        if name and name not in PRIVATE:
            self.found.values[name] = value

    def _name(self, name: str) -> None:
        text = " ".join(self._text.split())
        if name and text and name not in self.found.names:
            self.found.names[name] = text

    def handle_data(self, data: str) -> None:
        """Take up the words of a label, or a longer text."""
        if self._area is not None:
            self.found.values[self._area] = self.found.values.get(self._area, "") + data
        elif self._choice is not None:
            text = self.found.choices.get(self._choice, "") + data
            self.found.choices[self._choice] = " ".join(text.split())
        elif self._in_label:
            self._text += data

    def handle_endtag(self, tag: str) -> None:
        """End a field."""
        if tag == "label":
            self._in_label = False
        elif tag in ("select", "option"):
            self._choice = None
            self._select = self._select if tag == "option" else None
        elif tag == "textarea":
            if self._area is not None:
                self.found.values[self._area] = self.found.values[self._area].strip()
            self._area = None
