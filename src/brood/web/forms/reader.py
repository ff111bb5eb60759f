"""Reads a form field by field and collects a sentence for every field that cannot be used."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping
from datetime import date, time, timedelta

from brood.errors import FieldErrors
from brood.services.voice.speech import UNITS, Speech

MOST_COUNT = 1_000_000
KEY_DIGITS = 12


def key_of(text: str) -> int | None:
    """The number of something in the household. None for what cannot be one: numbers
    have at most twelve digits.
    """
    return int(text) if text.isascii() and text.isdigit() and len(text) <= KEY_DIGITS else None


class Reader:
    """A form being read. Call `done()` before using what was read: it raises
    FieldErrors when there was a fault.
    """

    def __init__(self, form: Mapping[str, str], speech: Speech, today: date) -> None:
        self.form, self.speech, self.today = form, speech, today
        self.wrong: dict[str, str] = {}

    def raw(self, name: str) -> str:
        """What was typed, without blanks around it."""
        return self.form.get(name, "").strip()

    def fault(self, name: str, sentence: str) -> None:
        """Note what is wrong with a field, once."""
        self.wrong.setdefault(name, sentence)

    def done(self) -> None:
        """Raise FieldErrors when a field could not be used."""
        if self.wrong:
            raise FieldErrors(self.wrong)

    def text(self, name: str, what: str, *, longest: int = 80, needed: bool = True) -> str:
        """One line or a note."""
        value = "".join(c for c in self.raw(name) if c.isprintable() or c == "\n")
        if needed and not value:
            self.fault(name, f"{what} is missing.")
        if len(value) > longest:
            self.fault(name, f"{what} has {len(value)} characters; {longest} is the most.")
        return value

    def name(self, name: str, what: str) -> str:
        """What something is called: one line, without the characters that have a
        meaning in pages and calendars.
        """
        value = self.text(name, what)
        if set(value) & set("<>\n"):
            self.fault(name, f"{what} cannot hold < or >. Leave those signs out.")
        return value

    def choice(self, name: str, allowed: Collection[str], what: str) -> str:
        """One of several."""
        value = self.raw(name)
        if value not in allowed:
            self.fault(name, f"Choose {what} from the list.")
        return value

    def key(self, name: str, what: str) -> int:
        """The number behind a choice."""
        found = key_of(self.raw(name))
        if found is None:
            self.fault(name, f"Choose {what}.")
        return found or 0

    def number(self, name: str, what: str, low: float, high: float) -> float | None:
        """A number, or None when nothing was typed. A decimal comma works too."""
        value = self.raw(name).replace(",", ".").replace("−", "-")
        if not value:
            return None
        try:
            found = float(value)
        except ValueError:
            self.fault(name, f"{what} must be a number, not “{value[:20]}”.")
            return None
        if not math.isfinite(found) or not low <= found <= high:
            self.fault(name, f"{what} must lie between {low:g} and {high:,.0f}.")
            return None
        return found

    def whole(self, name: str, what: str, low: int, high: int) -> int | None:
        """A whole number, or None when nothing was typed."""
        found = self.number(name, what, low, high)
        if found is not None and not found.is_integer():
            self.fault(name, f"{what} must be a whole number.")
            return None
        return None if found is None else int(found)

    def count(self, name: str, what: str) -> float | None:
        """A number of animals: more than 0, at most a million."""
        found = self.number(name, what, 0.0, MOST_COUNT)
        if found is not None and found <= 0:
            self.fault(name, f"{what} must be more than 0. Leave it empty when there was none.")
            return None
        return found

    def celsius(self, name: str, what: str) -> float:
        """A temperature in the keeper's unit, in °C."""
        unit = UNITS[self.speech.unit]
        value = self.raw(name).replace(",", ".").replace("−", "-").removesuffix(unit).strip()
        low, high = self.speech.degrees(-30), self.speech.degrees(60)
        try:
            degrees = float(value)
        except ValueError:
            self.fault(
                name,
                f"{what} is missing."
                if not value
                else f"{what} must be a number of {unit}, not “{value[:20]}”.",
            )
            return 0.0
        if not math.isfinite(degrees) or not low <= degrees <= high:
            self.fault(name, f"{what} must lie between {low:.0f} and {high:.0f} {unit}.")
            return 0.0
        return self.speech.celsius(degrees)

    def difference(self, name: str, what: str, low: float = 0.0, high: float = 15.0) -> float:
        """A difference of temperatures in the keeper's unit, in °C; 0 when nothing was typed."""
        scale = 1.0 if self.speech.unit == "C" else 9 / 5
        found = self.number(name, what, low * scale, high * scale)
        return 0.0 if found is None else found / scale

    def rate(self, name: str, what: str) -> float | None:
        """A label's rate in the keeper's unit, in ml per litre."""
        unit = self.speech.unit_per_litre
        found = self.number(name, what, 0.01 / unit, 999 / unit)
        return None if found is None else found * unit

    def length(self, name: str, what: str, low_mm: float, high_mm: float) -> float | None:
        """A length in the keeper's unit, in mm."""
        unit = self.speech.unit_mm
        found = self.number(name, what, low_mm / unit, high_mm / unit)
        return None if found is None else found * unit

    def clock(self, name: str, what: str) -> time:
        """A time of day."""
        try:
            return time.fromisoformat(self.raw(name))
        except ValueError:
            self.fault(name, f"{what} must be a time such as 07:00.")
            return time()

    def day(self, name: str, what: str, *, back: int = 400, ahead: int = 0) -> date:
        """A day not more than `back` days ago nor `ahead` days from now."""
        value = self.raw(name)
        try:
            found = date.fromisoformat(value)
        except ValueError:
            self.fault(
                name,
                f"{what} must be a day of the calendar{f', not “{value[:20]}”' if value else ''}.",
            )
            return self.today
        first, last = self.today - timedelta(days=back), self.today + timedelta(days=ahead)
        if found < first:
            self.fault(
                name,
                f"{what} cannot be {self.speech.day_year(found)}: "
                f"{self.speech.day_year(first)} is the earliest that is of use.",
            )
        elif found > last:
            self.fault(
                name,
                f"{what} cannot be {self.speech.day_year(found)}: "
                + (
                    "that day has not come yet."
                    if not ahead
                    else f"{self.speech.day_year(last)} is the latest."
                ),
            )
        return found if first <= found <= last else self.today
