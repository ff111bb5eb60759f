"""Every form of the demo household, posted empty and with each single field wrong: a
sentence at the field, the cursor there, and what was typed still in its place.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

import pytest
from bs4 import BeautifulSoup, Tag
from flask.testing import FlaskClient
from pages import PAGES

ACCEPTED = 299
WORDS = "<" * 1200
"""More than any line or note can hold, and with a sign that no name may have."""
FREE = {"list", "q"}
SEARCHES = {"/theme", "/plants", "/record", "/season", "/season/journal"}
"""Forms that look for something, and the switch of the theme: whatever is sent will do."""
NEEDS = {
    "gap-": {"act-": "1"},
    "most-": {"act-": "1"},
    "life-": {"number-": "3"},
    "clue-": {"number-": "3", "live-": "3"},
    "after": {"number": "2"},
    "constant": {"source": "constant"},
    **{key: {"source": "set-points"} for key in ("day", "night", "day_from", "night_from")},
    "heating_constant": {"source": "constant", "constant": "20"},
    "heating_day": {"source": "set-points", "heating_night": "12"},
    "heating_night": {"source": "set-points", "heating_day": "14"},
}
"""What else has to be said for a field to count."""
NOT_KEPT = {"passcode"}


class Taken(Exception):
    """A form was taken; nothing of it is kept, so that every form meets the same household."""


@pytest.fixture
def unwritten(demo_client: FlaskClient, monkeypatch: pytest.MonkeyPatch) -> FlaskClient:
    app = demo_client.application
    store = app.extensions["household"].store
    real = store.writing

    @contextmanager
    def writing() -> Iterator[object]:
        with real() as session:
            yield session
            session.flush()
            raise Taken

    app.register_error_handler(Taken, lambda error: ("", ACCEPTED))
    monkeypatch.setattr(store, "writing", writing)
    return demo_client


@dataclass(frozen=True)
class Form:
    """A form as a browser would send it."""

    page: str
    action: str
    method: str
    fields: tuple[tuple[str, str, str], ...]
    """Name, kind and value of each."""

    @property
    def shape(self) -> str:
        names = sorted({re.sub(r"[-\d]+\w*$", "", name) for name, _, _ in self.fields})
        return f"{self.method} {re.sub(r'[0-9]+', 'N', self.action)} {names}"

    def sent(self, **changed: str) -> list[tuple[str, str]]:
        there = {name: value for name, kind, value in self.fields if kind not in ("off", "file")}
        names = {name for name, _, _ in self.fields}
        return list({**there, **{n: v for n, v in changed.items() if n in names}}.items())

    def with_wrong(self, name: str, wrong: str) -> list[tuple[str, str]]:
        """The form with one field wrong, and with what makes that field count."""
        family = name[: name.find("-") + 1] or name
        more = {
            n + name.removeprefix(family) if n.endswith("-") else n: v
            for n, v in NEEDS.get(family, {}).items()
        }
        return self.sent(**more, **{name: wrong})


def _forms(page: str, html: str) -> Iterator[Form]:
    soup = BeautifulSoup(html, "html.parser")
    for form in soup.select("form"):
        action = str(form.get("action") or page).split("?")[0]
        if action not in SEARCHES:
            yield Form(page, action, str(form.get("method") or "get"), tuple(_fields(form)))


def _fields(form: Tag) -> Iterator[tuple[str, str, str]]:
    pressed = form.select_one("button:not([name]):not([formaction])") is not None
    for control in form.select("input[name], select[name], textarea[name], button[name]"):
        name, kind = str(control["name"]), str(control.get("type") or control.name)
        value = str(control.get("value") or "")
        if control.name == "select":
            chosen = control.select_one("option[selected]") or control.select_one("option")
            value = str(chosen.get("value", chosen.get_text(strip=True))) if chosen else ""
        elif control.name == "button":
            if pressed or control.get("formaction"):
                continue
            pressed, kind = True, "hidden"
        elif control.name == "textarea":
            value = control.get_text()
        elif kind in ("checkbox", "radio") and "checked" not in control.attrs:
            kind = "off"
        elif control.get("inputmode") in ("numeric", "decimal"):
            kind = "figure"
        yield name, kind, value


@pytest.fixture
def forms(unwritten: FlaskClient) -> dict[str, Form]:
    found: dict[str, Form] = {}
    for page in PAGES:
        for form in _forms(page, unwritten.get(page).get_data(as_text=True)):
            found.setdefault(form.shape, form)
    return found


def _wrong(kind: str) -> str | None:
    """What can never stand in a field of this kind."""
    if kind in ("date", "time", "figure", "number"):
        return "many"
    if kind in ("select", "radio"):
        return "no-such"
    return WORDS if kind in ("text", "input", "textarea") else None


def _post(client: FlaskClient, form: Form, sent: list[tuple[str, str]]) -> tuple[int, Tag]:
    body: dict[str, list[str]] = {"form_page": [form.page]}
    for name, value in sent:
        body.setdefault(name, []).append(value)
    send = client.post if form.method == "post" else client.get
    answer = send(form.action, **{"data" if form.method == "post" else "query_string": body})
    return answer.status_code, BeautifulSoup(answer.get_data(as_text=True), "html.parser")


def _faults_of(form: Form, sent: list[tuple[str, str]], page: Tag) -> Iterator[str]:
    """What is wrong with how a refused form came back."""
    if page.select_one("#faults") is None:
        yield f"no form came back: {page.get_text(' ', strip=True)[:160]}"
        return
    if len(page.select("[autofocus]")) != 1:
        yield "no one place for the cursor"
    for field in page.select("[aria-invalid]"):
        said = [page.find(id=i) for i in str(field.get("aria-describedby", "")).split()]
        if not all(said) or not any(s and "wrong" in str(s.get("class")) for s in said):
            yield f"nothing is said at {field.get('name')}"
    back = page.select_one("#faults").find_parent("form")
    kept = [(name, value) for name, kind, value in _fields(back) if kind not in ("off", "file")]
    plain = {(n, " ".join(v.split())) for n, v in kept}
    for name, value in sent:
        if name in NOT_KEPT or name.startswith("form_") or name == "sent_key":
            continue
        kind = next(k for n, k, _ in form.fields if n == name)
        typed = kind not in ("hidden", "select", "radio", "checkbox", "off")
        if typed and (name, " ".join(value.split())) not in plain:
            yield f"{name} was typed as “{value[:20]}” and is lost"


@pytest.mark.long
def test_every_form_posted_empty_comes_back_with_its_sentences(unwritten, forms):
    assert len(forms) > 40
    faults = []
    for form in forms.values():
        bare = {n: "" for n, kind, _ in form.fields if kind in ("figure", "date", "time", "text")}
        sent = [(n, v) for n, v in form.sent(**bare) if v or n in bare]
        status, page = _post(unwritten, form, sent)
        if status >= 500 or status == 400:
            faults.append(f"{form.page} {form.action}: {status}")
        if status == 422:
            faults += [f"{form.page} {form.action}: {f}" for f in _faults_of(form, sent, page)]
    assert not faults, "\n".join(faults)


@pytest.mark.long
def test_every_single_wrong_field_is_told_where_it_stands(unwritten, forms):
    faults, tried = [], 0
    for form in forms.values():
        seen = set()
        for name, kind, _ in form.fields:
            wrong, family = _wrong(kind), re.sub(r"[-\d]+\w*$", "", name)
            if wrong is None or family in seen or name in FREE:
                continue
            seen.add(family)
            tried += 1
            sent = form.with_wrong(name, wrong)
            status, page = _post(unwritten, form, sent)
            where = f"{form.page} {form.action} {name}={wrong[:8]}"
            if status != 422:
                faults.append(f"{where}: {status}")
                continue
            faults += [f"{where}: {f}" for f in _faults_of(form, sent, page)]
            if not page.select(f'[name="{name}"][aria-invalid]'):
                faults.append(f"{where}: not told there")
    assert tried > 150
    assert not faults, "\n".join(faults)
