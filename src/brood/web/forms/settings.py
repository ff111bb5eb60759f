"""The settings form."""

from __future__ import annotations

from brood.services.preferences import CHOICES, Preferences
from brood.web.forms.reader import Reader


def read(reader: Reader) -> Preferences:
    """Settings as chosen; raises FieldErrors."""
    chosen = {name: reader.choice(name, allowed, "a setting") for name, allowed in CHOICES.items() if name != "shortcuts"}
    reader.done()
    return Preferences(**chosen, shortcuts="on" if reader.raw("shortcuts") else "off")
