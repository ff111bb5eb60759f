"""What every answer needs: the household's rows, the catalogue, one moment, and how the
keeper reads dates and units.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date, datetime

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.services.voice.preferences import Preferences
from brood.services.voice.speech import Speech


@dataclass(frozen=True)
class Desk:
    """One request's view of the household. The moment is the same throughout."""

    session: Session
    catalogue: Catalogue
    moment: datetime
    prefs: Preferences = field(default_factory=Preferences)

    @property
    def today(self) -> date:
        """The local day."""
        return self.moment.date()

    @property
    def speech(self) -> Speech:
        """How to say dates and temperatures."""
        return self.prefs.speech
