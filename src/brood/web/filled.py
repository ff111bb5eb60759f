"""A form filled in once more with what was typed, and with a sentence at every field that
cannot be used.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from urllib.parse import urljoin, urlsplit

from bs4 import BeautifulSoup, Tag
from werkzeug.datastructures import MultiDict

from brood.web.stated import PRIVATE

Typed = MultiDict[str, str]
CONTROLS = ("input", "select", "textarea")
NOT_TYPED = ("hidden", "submit", "button", "file", "image", "reset", "password")


@dataclass(frozen=True)
class Sent:
    """A form as it was sent: from which page to which address, and what was typed."""

    page: str
    to: str
    typed: Typed
    files: bool = False


def mended(markup: str, sent: Sent, faults: Mapping[str, str]) -> BeautifulSoup | None:
    """The page with its form as it was sent and its faults said at their fields. What
    came of the form before is taken away: it does not belong to what was typed.

    None where the page has no such form any more.
    """
    page = BeautifulSoup(markup, "html.parser")
    form = _form_of(page, sent)
    if form is None:
        return None
    for result in page.select("[data-result]"):
        result.clear()
    controls = _controls(page, form)
    _fill(controls, sent.typed)
    for there in page.select("[autofocus]"):
        del there["autofocus"]
    _say(page, form, controls, sent, faults)
    return page


def part_of(page: BeautifulSoup, target: str) -> str | None:
    """One element of a page by its id, as a part of it. None where there is none."""
    found = page.find(id=target)
    return str(found) if isinstance(found, Tag) else None


def _form_of(page: BeautifulSoup, sent: Sent) -> Tag | None:
    """The form that was sent: the one for that address whose hidden fields fit best."""
    fitting = [
        (_likeness(form, sent.typed), -n, form)
        for n, form in enumerate(page.find_all("form"))
        if isinstance(form, Tag) and _leads_to(form, sent)
    ]
    return max(fitting, key=lambda one: one[:2])[2] if fitting else None


def _leads_to(form: Tag, sent: Sent) -> bool:
    buttons = [str(b["formaction"]) for b in form.select("[formaction]")]
    addresses = [str(form.get("action") or sent.page), *buttons]
    return any(urlsplit(urljoin(sent.page, a)).path == urlsplit(sent.to).path for a in addresses)


def _likeness(form: Tag, typed: Typed) -> int:
    """How well the hidden fields of a form fit those that were sent."""
    told = {
        str(i["name"]): str(i.get("value", "")) for i in form.select("input[type=hidden][name]")
    }
    names = {str(c["name"]) for c in form.select("[name]")}
    fit = sum(1 if typed.get(k) == v else -5 for k, v in told.items() if k not in PRIVATE)
    return fit - 2 * len(set(typed) - names - {*PRIVATE, "act"})


def _controls(page: BeautifulSoup, form: Tag) -> list[Tag]:
    """The fields of a form, those too that stand elsewhere on the page, in their order."""
    name = str(form.get("id") or "")
    found = page.find_all(CONTROLS, attrs={"name": True})
    return [
        c
        for c in found
        if isinstance(c, Tag)
        and (c.find_parent("form") is form if "form" not in c.attrs else c["form"] == name)
    ]


def _fill(controls: list[Tag], typed: Typed) -> None:
    """Put into every field what was typed there."""
    met: Counter[str] = Counter()
    for control in controls:
        name, kind = str(control["name"]), str(control.get("type") or "text")
        values = typed.getlist(name)
        if name == "form_version" and values:
            control["value"] = values[0]
        elif control.name == "select":
            _choose(control, values)
        elif kind in ("checkbox", "radio"):
            _tick(control, str(control.get("value", "on")) in values)
        elif kind not in NOT_TYPED and met[name] < len(values):
            _write(control, values[met[name]])
            met[name] += 1


def _choose(control: Tag, values: list[str]) -> None:
    options = [o for o in control.find_all("option") if isinstance(o, Tag)]
    if not any(str(o.get("value", o.get_text())) in values for o in options):
        return
    for option in options:
        option.attrs.pop("selected", None)
        if str(option.get("value", option.get_text())) in values:
            option["selected"] = ""


def _tick(control: Tag, ticked: bool) -> None:
    control.attrs.pop("checked", None)
    if ticked:
        control["checked"] = ""


def _write(control: Tag, text: str) -> None:
    if control.name == "textarea":
        control.string = text
    else:
        control["value"] = text


def _say(
    page: BeautifulSoup, form: Tag, controls: list[Tag], sent: Sent, faults: Mapping[str, str]
) -> None:
    """Say each fault at its field, begin at the first, and sum up at the top of the form.
    A fault's name may say which of several fields of that name is meant: `day:2`.
    """
    visible = [c for c in controls if c.get("type") != "hidden"]
    loose = []
    for key, sentence in faults.items():
        name, _, nth = key.partition(":")
        there = [c for c in visible if c["name"] == name][int(nth or 0) :]
        spot = form.select_one(f'[data-wrong="{name}"]')
        if not there and spot is None:
            loose.append(sentence)
            continue
        line = page.new_tag("span", attrs={"class": "wrong", "id": f"{name}-wrong"})
        line.string = sentence
        if spot is not None:
            spot.append(line)
            there = there or _after(spot, visible)
        else:
            _beside(there[0], line)
        for control in there[:1]:
            _mark(control, name)
    first = [c for c in visible if c.get("aria-invalid")][:1]
    for control in first:
        control["autofocus"] = ""
    for control in [c for c in visible if c.get("aria-invalid")]:
        _open(control)
    _open(form)
    form.insert(0, _summary(page, faults, loose, sent, focus=not first))


def _after(spot: Tag, visible: list[Tag]) -> list[Tag]:
    """The first field after the place where a fault of several is said."""
    found = spot.find_all_next(CONTROLS, attrs={"name": True})
    return [c for c in found if any(c is one for one in visible)][:1]


def _beside(control: Tag, line: Tag) -> None:
    """Put a sentence under a field: within its label where that stands above it, after a
    tick and its words, or behind the field itself.
    """
    label = control.find_parent("label")
    if not isinstance(label, Tag):
        control.insert_after(line)
    elif control.get("type") in ("checkbox", "radio"):
        label.insert_after(line)
    else:
        label.append(line)


def _mark(control: Tag, name: str) -> None:
    control["aria-invalid"] = "true"
    said = [*str(control.get("aria-describedby") or "").split(), f"{name}-wrong"]
    control["aria-describedby"] = " ".join(said)


def _open(tag: Tag) -> None:
    """Open whatever is folded around a field."""
    for fold in tag.find_parents("details"):
        fold["open"] = ""


def _summary(
    page: BeautifulSoup, faults: Mapping[str, str], loose: list[str], sent: Sent, *, focus: bool
) -> Tag:
    box = page.new_tag(
        "div", attrs={"class": "notice faults", "role": "alert", "id": "faults", "tabindex": "-1"}
    )
    if focus:
        box["autofocus"] = ""
    count = len(faults) - len(loose)
    many = "One thing has" if count == 1 else f"{count} things have"
    kept = "What you typed is still here." + (" Choose the file again." if sent.files else "")
    for text in [*loose, f"{many} to be changed. {kept}" if count else kept]:
        line = page.new_tag("p")
        line.string = text
        box.append(line)
    return box
