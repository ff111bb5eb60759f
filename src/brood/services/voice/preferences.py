"""The household's settings: how dates and temperatures are written, when the calendar
rings, keyboard shortcuts.
"""

from __future__ import annotations

import json
from dataclasses import dataclass, fields
from datetime import date
from typing import Any
from zoneinfo import available_timezones

from sqlalchemy.orm import Session

from brood.services.voice.speech import LOCALES, UNITS, WEEK_STARTS, Speech
from brood.store.tables import Setting

HOUSEHOLD = "household"
"""The key of what is told of the household."""
THEMES = {"": "as this device is set", "light": "light", "dark": "dark"}
MONTHS = tuple(str(n) for n in range(1, 13))
CHOICES: dict[str, tuple[str, ...]] = {
    "locale": tuple(LOCALES),
    "unit": tuple(UNITS),
    "measure": ("metric", "us"),
    "week": tuple(WEEK_STARTS),
    "hemisphere": ("north", "south"),
    "heating_from": ("", *MONTHS),
    "heating_to": ("", *MONTHS),
    "theme": tuple(THEMES),
    "alarm_hours": ("0", "2", "10", "34"),
    "shortcuts": ("on", "off"),
    "words": ("on", "off"),
    "minutes": ("20", "40", "60", "120"),
    "rhythm": ("on", "off"),
}
HEATING = {"north": (10, 4), "south": (4, 10)}
"""The first and last month of heating where the keeper has not said otherwise, by
hemisphere.
"""


@dataclass(frozen=True)
class Preferences:
    """The settings of one household. Every one has a default.

    `heating_from` and `heating_to` are the first and last month of heating; empty means
    what is usual in the hemisphere. `zone` is the household's time zone by its tz name;
    empty means that clocks are taken as they are. `evenings` are the weekdays (Monday
    0) on which somebody can treat. With `words` on, words of the trade are explained
    where they stand. `minutes` is how long a day's checks may take,
    without treatments. With `rhythm` on, plants without a
    case are looked over in turn.
    """

    locale: str = "en-GB"
    unit: str = "C"
    measure: str = "metric"
    week: str = "mon"
    hemisphere: str = "north"
    heating_from: str = ""
    heating_to: str = ""
    zone: str = ""
    theme: str = ""
    alarm_hours: str = "10"
    shortcuts: str = "on"
    words: str = "on"
    evenings: str = "0123456"
    minutes: str = "40"
    rhythm: str = "on"

    @property
    def speech(self) -> Speech:
        """How to say dates and temperatures."""
        return Speech(self.locale, self.unit, self.measure, self.week)

    def free(self, day: date) -> bool:
        """Whether somebody can treat on that day's evening."""
        return str(day.weekday()) in self.evenings

    @property
    def heating(self) -> tuple[int, int]:
        """First and last month of the heating season."""
        usual = HEATING[self.hemisphere]
        return int(self.heating_from or usual[0]), int(self.heating_to or usual[1])

    def heated(self, day: date) -> bool:
        """Whether the house is heated in that day's month."""
        first, last = self.heating
        return (
            first <= day.month <= last if first <= last else day.month >= first or day.month <= last
        )


def zones() -> tuple[str, ...]:
    """The names of time zones."""
    return tuple(
        sorted(
            name
            for name in available_timezones()
            if "/" in name and not name.startswith(("Etc/", "posix", "right"))
        )
    )


def _allowed(name: str, value: str) -> bool:
    if name == "evenings":
        return value != "" and set(value) <= set("0123456")
    return (
        value in CHOICES[name] if name in CHOICES else value == "" or value in available_timezones()
    )


def load(session: Session) -> Preferences:
    """The settings as they stand. Anything unknown falls back to its default."""
    stored = {row.key: row.value for row in session.query(Setting)}
    known = {
        f.name: stored[f.name]
        for f in fields(Preferences)
        if f.name in stored and _allowed(f.name, stored[f.name])
    }
    return Preferences(**known)


def save(session: Session, preferences: Preferences) -> None:
    """Keep the settings."""
    for item in fields(Preferences):
        put(session, item.name, getattr(preferences, item.name))


def get(session: Session, key: str) -> str | None:
    """One stored value."""
    row = session.get(Setting, key)
    return row.value if row else None


def of_household(session: Session) -> dict[str, Any]:
    """What was told of the household: who lives there, local rules, what is barred."""
    told: dict[str, Any] = json.loads(get(session, HOUSEHOLD) or "{}")
    return told


def barred(session: Session) -> frozenset[str]:
    """The treatments that are not allowed where the household lives."""
    return frozenset(map(str, of_household(session).get("barred", ())))


def put(session: Session, key: str, value: str) -> None:
    """Store one value."""
    session.merge(Setting(key=key, value=value))
