"""A page as a keeper meets it: its visible text, what can be pressed, and the tasks of Today."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from html.parser import HTMLParser

VOID = {
    "input",
    "br",
    "img",
    "meta",
    "link",
    "hr",
    "path",
    "circle",
    "line",
    "rect",
    "use",
    "polyline",
    "polygon",
}
SILENT = {"script", "style", "title", "desc"}
WRONG_TEXT = (
    (re.compile(r"\bnan\b|\binf\b|\binfinity\b", re.IGNORECASE), "a number that is none"),
    (re.compile(r"\bNone\b(?! yet| is set| has been| of these| of the)|\bundefined\b"), "None"),
    (re.compile(r"Traceback|Error: "), "a traceback"),
    (re.compile(r"<[a-z/][^>]*>|&(?:lt|gt|amp|quot|#\d+);|\{\{|\}\}|\{%"), "raw markup"),
    (
        re.compile(r"\b(?:on|by|until|since|from|after) (?=[.,;:])|\b\d{4}-\d{2}-\d{2}T\d{2}"),
        "an empty date",
    ),
)


@dataclass
class Form:
    """A form: its address, method, the values it would send as it stands, and its
    buttons (name, value, what is written on them, address).
    """

    action: str
    method: str
    sent: list[tuple[str, str]] = field(default_factory=list)
    names: list[str] = field(default_factory=list)
    buttons: list[tuple[str, str, str, str]] = field(default_factory=list)

    @property
    def values(self) -> dict[str, str]:
        """What it would send as it stands."""
        return dict(self.sent)


@dataclass
class Task:
    """A line of Today: its key, its text, the address it opens, its due day where the
    page says it, the other evenings that are done with it, and what can be tapped
    beside it.
    """

    key: str
    text: str = ""
    url: str = ""
    due: str = ""
    plant: int = 0
    along: tuple[int, ...] = ()
    forms: list[Form] = field(default_factory=list)


class Page(HTMLParser):
    """A page that was read."""

    def __init__(self, html: str) -> None:
        super().__init__(convert_charrefs=True)
        self.forms: list[Form] = []
        self.tasks: list[Task] = []
        self.lines = 0
        self.times: list[str] = []
        self.links: list[str] = []
        self.ids: set[str] = set()
        self.heading = ""
        self.faults: list[str] = []
        self.figures: list[tuple[str, str, str]] = []
        self._parts: list[str] = []
        self._open: list[tuple[str, bool, bool]] = []
        self._form: Form | None = None
        self._select: str | None = None
        self._option: str | None = None
        self._button: list[str] | None = None
        self._fault = False
        self._task: Task | None = None
        self.feed(html)
        self.close()
        self.text = " ".join("".join(self._parts).split())

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        given = {key: value or "" for key, value in attrs}
        if tag not in VOID:
            unseen = (
                bool(self._open and self._open[-1][1])
                or "sr-only" in given.get("class", "")
                or given.get("aria-hidden") == "true"
            )
            self._open.append(
                (tag, unseen, tag in SILENT or bool(self._open and self._open[-1][2]))
            )
        self.ids.add(given.get("id", ""))
        if tag == "data" and "data-figure" in given:
            self.figures.append(
                (given["data-figure"], given.get("data-case", ""), given.get("value", ""))
            )
        if tag == "a":
            self.links.append(given.get("href", ""))
            if self._task and not self._task.url:
                self._task.url = given.get("href", "")
        if tag == "time":
            self.times.append(given.get("datetime", ""))
        self.lines += tag == "li" and "plant-line" in given.get("class", "").split()
        if tag == "li" and "task" in given.get("class", "").split():
            self._task = Task(
                given.get("id", "").removeprefix("task-"),
                due=given.get("data-due", ""),
                plant=int(given.get("data-plant") or 0),
                along=tuple(int(n) for n in given.get("data-along", "").split()),
            )
            self.tasks.append(self._task)
        if given.get("id", "").startswith("coming-"):
            self.ids |= {f"coming-treat-{n}" for n in given.get("data-along", "").split()}
        if "wrong" in given.get("class", "").split():
            self._fault = True
            self.faults.append("")
        if tag == "form":
            self._form = Form(given.get("action", ""), given.get("method", "get"))
            (self._task.forms if self._task else self.forms).append(self._form)
        self._field(tag, given)
        self._parts.append(" ")

    def _field(self, tag: str, given: dict[str, str]) -> None:
        if self._form is None:
            return
        name, value = given.get("name", ""), given.get("value", "")
        if tag == "input" and name:
            self._form.names.append(name)
            ticked = given.get("type") not in ("checkbox", "radio") or "checked" in given
            if ticked and given.get("type") != "file":
                self._form.sent.append((name, value))
        elif tag == "textarea" and name:
            self._form.sent.append((name, ""))
        elif tag == "select":
            self._select, self._option = name, None
        elif tag == "option" and self._select is not None:
            if "selected" in given or self._option is None:
                self._option = value
        elif tag == "button":
            self._button = []
            self._form.buttons.append((name, value, "", given.get("formaction", "")))

    def handle_endtag(self, tag: str) -> None:
        if tag == "select" and self._form is not None and self._select:
            self._form.sent.append((self._select, self._option or ""))
            self._select = None
        if tag == "button" and self._form is not None and self._button is not None:
            name, value, _, action = self._form.buttons[-1]
            self._form.buttons[-1] = (name, value, " ".join("".join(self._button).split()), action)
            self._button = None
        if tag == "span":
            self._fault = False
        if tag == "form":
            self._form = None
        if tag == "li":
            self._task = None
        while self._open and any(t == tag for t, _, _ in self._open):
            if self._open.pop()[0] == tag:
                break
        self._parts.append(" ")

    def handle_data(self, data: str) -> None:
        _, unseen, silent = self._open[-1] if self._open else ("", False, False)
        if silent:
            return
        self._parts.append(data)
        if self._fault:
            self.faults[-1] += data
        if self._task is not None:
            self._task.text = " ".join(f"{self._task.text} {data}".split())
        if self._button is not None and not unseen:
            self._button.append(data)
        if any(t == "h1" for t, _, _ in self._open) and data.strip():
            self.heading = f"{self.heading} {data.strip()}".strip()

    def form(self, action: str) -> Form | None:
        """The form that is sent to an address, here or beside a task."""
        every = [*self.forms, *(f for t in self.tasks for f in t.forms)]
        return next((f for f in every if f.action == action), None)


def wrong_text(text: str) -> list[tuple[str, str]]:
    """What no text may hold: (what it is, the words around it)."""
    out = []
    for pattern, what in WRONG_TEXT:
        found = pattern.search(text)
        if found:
            out.append((what, text[max(0, found.start() - 40) : found.end() + 40]))
    return out
