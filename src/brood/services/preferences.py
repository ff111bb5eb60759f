"""The household's settings: how dates and temperatures are said, when the calendar rings, keyboard shortcuts."""

from __future__ import annotations

from dataclasses import dataclass, fields

from sqlalchemy.orm import Session

from brood.services.speech import LOCALES, UNITS, Speech
from brood.store.tables import Setting

THEMES = {"": "as this device is set", "light": "day page", "dark": "evening page"}
CHOICES: dict[str, tuple[str, ...]] = {
    "locale": tuple(LOCALES), "unit": tuple(UNITS), "theme": tuple(THEMES), "alarm_hours": ("0", "2", "10", "34"), "shortcuts": ("on", "off"),
}  # fmt: skip


@dataclass(frozen=True)
class Preferences:
    """The settings of one household; every one has a default."""

    locale: str = "en-GB"
    unit: str = "C"
    theme: str = ""
    alarm_hours: str = "10"
    shortcuts: str = "on"

    @property
    def speech(self) -> Speech:
        """How to say dates and temperatures."""
        return Speech(self.locale, self.unit)


def load(session: Session) -> Preferences:
    """The settings as they stand; anything unknown falls back to its default."""
    stored = {row.key: row.value for row in session.query(Setting)}
    known = {f.name: stored[f.name] for f in fields(Preferences) if stored.get(f.name) in CHOICES[f.name]}
    return Preferences(**known)


def save(session: Session, preferences: Preferences) -> None:
    """Keep the settings."""
    for item in fields(Preferences):
        put(session, item.name, getattr(preferences, item.name))


def get(session: Session, key: str) -> str | None:
    """One stored value."""
    row = session.get(Setting, key)
    return row.value if row else None


def put(session: Session, key: str, value: str) -> None:
    """Store one value."""
    session.merge(Setting(key=key, value=value))
