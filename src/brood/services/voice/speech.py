"""How dates, temperatures and numbers are written for this keeper."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import date, datetime

from babel.dates import format_date, format_datetime
from babel.numbers import format_decimal

from brood.services.voice import units

LOCALES = {
    "en-GB": ("English, day first", "EEE d MMMM", "EEE d", "d MMM"),
    "en-US": ("English, month first", "EEE, MMMM d", "EEE d", "MMM d"),
    "en-CA": ("English, year first", "EEE yyyy-MM-dd", "EEE MM-dd", "MM-dd"),
}
UNITS = {"C": "°C", "F": "°F"}
WEEK_STARTS = {"mon": 0, "sat": 5, "sun": 6}


@dataclass(frozen=True)
class Speech:
    """A locale, a temperature unit, metric or US measures, and the day on which a week starts."""

    locale: str = "en-GB"
    unit: str = "C"
    measure: str = "metric"
    week: str = "mon"

    @property
    def _babel(self) -> str:
        return self.locale.replace("-", "_")

    def day(self, day: date | datetime) -> str:
        """Weekday, day and month."""
        return format_date(day, LOCALES[self.locale][1], locale=self._babel)

    def day_short(self, day: date | datetime) -> str:
        """Weekday and day."""
        return format_date(day, LOCALES[self.locale][2], locale=self._babel)

    def day_month(self, day: date | datetime) -> str:
        """Day and month, short."""
        return format_date(day, LOCALES[self.locale][3], locale=self._babel)

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
        if first.month != last.month or self.locale != "en-GB":
            return f"{self.day(first)} {between} {self.day(last)}"
        return f"{self.day_short(first)} {between} {self.day(last)}"

    def degrees(self, celsius: float) -> float:
        """A temperature in the keeper's unit."""
        return celsius if self.unit == "C" else units.fahrenheit(celsius)

    def celsius(self, degrees: float) -> float:
        """A temperature given in the keeper's unit, in °C."""
        return degrees if self.unit == "C" else units.celsius(degrees)

    def difference(self, celsius: float, digits: int = 1) -> str:
        """A difference of temperatures with its unit."""
        return f"{celsius if self.unit == 'C' else celsius * 9 / 5:.{digits}f} {UNITS[self.unit]}"

    def heat(self, degree_days: float) -> str:
        """A heat sum with its unit."""
        return (
            f"{degree_days if self.unit == 'C' else degree_days * 9 / 5:.0f} {UNITS[self.unit]}·d"
        )

    def heat_fine(self, degree_days: float) -> str:
        """A day's heat sum without its unit, with one more digit."""
        return f"{degree_days if self.unit == 'C' else degree_days * 9 / 5:.1f}"

    def figure(self, value: float, unit: str) -> str:
        """A constant in the keeper's unit. `unit` is the one it is stored in."""
        if self.unit == "F" and unit in ("°C", "°C·d"):
            return f"{self.degrees(value):.4g} °F" if unit == "°C" else f"{value * 9 / 5:.4g} °F·d"
        return f"{value:.4g} {unit}".strip()

    def kept(self, value: float, unit: str) -> float:
        """A constant that was given in the keeper's unit, in the unit it is stored in."""
        if self.unit == "F" and unit in ("°C", "°C·d"):
            return self.celsius(value) if unit == "°C" else value * 5 / 9
        return value

    def weekday(self, number: int) -> str:
        """The name of a day of the week, Monday 0."""
        return format_date(date(2024, 1, 1 + number), "EEEE", locale=self._babel)

    def starts_week(self, day: date | datetime) -> bool:
        """Whether a week starts on that day."""
        return day.weekday() == WEEK_STARTS[self.week]

    @property
    def length_unit(self) -> str:
        """The unit that small lengths are given in."""
        return "mm" if self.measure == "metric" else "in"

    @property
    def unit_mm(self) -> float:
        """How many mm that unit has."""
        return 1.0 if self.measure == "metric" else units.MM["inch"]

    def lengths(self, low_mm: float, high_mm: float) -> str:
        """A range of lengths with its unit."""
        low, high = (f"{v / self.unit_mm:.2g}" for v in (low_mm, high_mm))
        return f"{low} {self.length_unit}" if low == high else f"{low}–{high} {self.length_unit}"

    def said(self, text: str) -> str:
        """A sentence of the catalogue in the keeper's units."""
        text = text if self.unit == "C" else units.with_fahrenheit(text)
        return text if self.measure == "metric" else units.with_inches(text)

    def volume(self, ml: float) -> str:
        """A volume as it is measured out: in ml and litres, or in fluid ounces."""
        if self.measure != "metric":
            return f"{units.fluid_ounces(ml):.3g} fl oz"
        return f"{ml / 1000:.3g} l" if ml >= 1000 else f"{ml:.3g} ml"

    def rain(self, mm: float) -> str:
        """An amount of rain with its unit."""
        if self.measure != "metric":
            return f"{units.inches(mm):.2g} in of rain"
        return f"{mm:.0f} mm of rain"

    def rain_amount(self, mm: float) -> str:
        """An amount of rain as it stands in a field, in the keeper's unit."""
        return f"{mm:g}" if self.measure == "metric" else f"{units.inches(mm):.2g}"

    def mm(self, amount: float) -> float:
        """An amount of rain given in the keeper's unit, in mm."""
        return amount if self.measure == "metric" else units.length(amount, "inch", "mm")

    @property
    def rain_unit(self) -> str:
        """The unit in which rain is given."""
        return "mm" if self.measure == "metric" else "inches"

    @property
    def rate_unit(self) -> str:
        """The unit that a label's rate is given in."""
        return "ml in a litre" if self.measure == "metric" else "fl oz in a gallon"

    @property
    def unit_per_litre(self) -> float:
        """How many ml in a litre that unit is."""
        return 1.0 if self.measure == "metric" else 1 / units.OUNCES_A_GALLON

    def rate(self, ml_per_litre: float) -> str:
        """A label's rate with its unit."""
        return f"{ml_per_litre / self.unit_per_litre:.3g} {self.rate_unit}"

    def money(self, amount: float) -> str:
        """An amount in the keeper's own currency."""
        return format_decimal(amount, "#,##0.00", locale=self._babel)

    def warmth(self, celsius: float, digits: int = 0) -> str:
        """A temperature with its unit."""
        return f"{self.degrees(celsius):.{digits}f} {UNITS[self.unit]}"


def number(value: float) -> str:
    """A number of animals, no more exact than it is known."""
    if value < 0.95:
        return "under 1"
    if value < 100:
        return str(round(value))
    step = 10 ** (int(math.log10(value)) - 1)
    return str(round(value / step) * step)


def short_days(value: float | None) -> str:
    """A number of days, as exact as a stage time is known. A dash for none."""
    return "–" if value is None else f"{value:.1f}" if value < 20 else f"{value:.0f}"


def hours(minutes: float) -> str:
    """So many minutes; from an hour and a half on, hours to the half."""
    if minutes < 90:
        return f"{minutes:.0f} minute{'' if round(minutes) == 1 else 's'}"
    return f"{round(minutes / 30) / 2:g} hours"


FEW = ("no", "one", "two", "three", "four", "five", "six")
SPELLED = (*FEW, "seven", "eight", "nine", "ten", "eleven", "twelve")


def spelled(count: int) -> str:
    """A number of things, in a word up to twelve."""
    return SPELLED[count] if 0 <= count < len(SPELLED) else str(count)


def days(count: int) -> str:
    """So many days."""
    return f"{count} day" if count == 1 else f"{count} days"


def listed(words: list[str], last: str = "and") -> str:
    """Words in a list: "a, b and c"."""
    return (
        words[0]
        if len(words) == 1
        else f"{', '.join(words[:-1])} {last} {words[-1]}"
        if words
        else ""
    )
