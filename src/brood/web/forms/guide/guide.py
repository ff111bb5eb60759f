"""The form of an own figure."""

from __future__ import annotations

from dataclasses import dataclass

from brood.web.forms.reader import Reader


@dataclass(frozen=True)
class OwnFigureSaid:
    """A figure as typed: its key, the value in the catalogue's own unit, and where it
    comes from.
    """

    figure: str
    value: float
    note: str


def read(reader: Reader, unit: str, *, note_needed: bool = True) -> OwnFigureSaid:
    """An own figure as typed, `unit` being the one it is kept in; raises FieldErrors."""
    value = reader.number("value", "Your figure", -100, 5000)
    if value is None:
        reader.fault("value", "Your figure is missing.")
    note = reader.text("note", "Where your figure comes from", longest=300, needed=note_needed)
    reader.done()
    return OwnFigureSaid(reader.raw("figure"), reader.speech.kept(value or 0.0, unit), note)
