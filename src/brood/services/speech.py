"""How dates, temperatures and numbers are said to this keeper."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import date, datetime

from babel.dates import format_date, format_datetime

LOCALES = {
    "en-GB": ("English, day first", "EEE d MMMM", "EEE d"),
    "en-US": ("English, month first", "EEE, MMMM d", "EEE d"),
}
UNITS = {"C": "°C", "F": "°F"}


@dataclass(frozen=True)
class Speech:
    """A locale and a temperature unit."""

    locale: str = "en-GB"
    unit: str = "C"

    @property
    def _babel(self) -> str:
        return self.locale.replace("-", "_")

    def day(self, day: date | datetime) -> str:
        """Weekday, day and month."""
        return format_date(day, LOCALES[self.locale][1], locale=self._babel)

    def day_short(self, day: date | datetime) -> str:
        """Weekday and day."""
        return format_date(day, LOCALES[self.locale][2], locale=self._babel)

    def day_year(self, day: date | datetime) -> str:
        """Day, month and year."""
        return format_date(day, "long", locale=self._babel)

    def month(self, day: date) -> str:
        """The month's name."""
        return format_date(day, "MMMM", locale=self._babel)

    def moment(self, at: datetime) -> str:
        """Day and clock time."""
        return f"{self.day(at)}, {format_datetime(at, 'HH:mm', locale=self._babel)}"

    def span(self, first: date, last: date) -> str:
        """Two days as "Thu 4 or Fri 5 June" or "Thu 4 to Sat 6 June"."""
        if first == last:
            return self.day(first)
        between = "or" if (last - first).days == 1 else "to"
        if first.month != last.month or self.locale == "en-US":
            return f"{self.day(first)} {between} {self.day(last)}"
        return f"{self.day_short(first)} {between} {self.day(last)}"

    def degrees(self, celsius: float) -> float:
        """A temperature in the keeper's unit."""
        return celsius if self.unit == "C" else celsius * 9 / 5 + 32

    def celsius(self, degrees: float) -> float:
        """A temperature given in the keeper's unit, in °C."""
        return degrees if self.unit == "C" else (degrees - 32) * 5 / 9

    def warmth(self, celsius: float, digits: int = 0) -> str:
        """A temperature with its unit."""
        return f"{self.degrees(celsius):.{digits}f} {UNITS[self.unit]}"


def number(value: float) -> str:
    """A number of animals, as exact as it deserves."""
    if value < 0.95:
        return "under 1"
    if value < 100:
        return str(round(value))
    step = 10 ** (int(math.log10(value)) - 1)
    return str(round(value / step) * step)


def days(count: int) -> str:
    """So many days."""
    return f"{count} day" if count == 1 else f"{count} days"


def listed(words: list[str], last: str = "and") -> str:
    """Words in a row: "a, b and c"."""
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} {last} {words[-1]}" if words else ""
