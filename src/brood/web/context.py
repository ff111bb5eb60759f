"""What every request needs: the household's database, catalogue, clock and preferences."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import date, datetime

from flask import current_app, g

from brood.catalogue.holdings import Catalogue
from brood.services.cases.planning import Planning
from brood.services.guide import own_figures
from brood.services.house.access import Doorkeeper
from brood.services.voice import preferences
from brood.services.voice.desk import Desk
from brood.services.voice.preferences import Preferences
from brood.services.voice.speech import Speech
from brood.services.warmth.weather import SimulatedWeather, WeatherService
from brood.settings import Settings
from brood.store.session import Store
from brood.store.tables import OwnFigure


@dataclass(frozen=True)
class Running:
    """The parts that one running application holds on to."""

    settings: Settings
    store: Store
    catalogue: Catalogue
    clock: Callable[[], datetime]
    doorkeeper: Doorkeeper
    planning: Planning

    def weather(self, at: datetime) -> WeatherService:
        """The weather service; in the demo it is always early summer."""
        with self.store.reading() as session:
            hemisphere = preferences.load(session).hemisphere
        return SimulatedWeather(
            hemisphere,
            as_if_month=6 if self.settings.demo else None,
            today=at.date() if self.settings.demo else None,
        )


def household() -> Running:
    """The running application's household."""
    found: Running = current_app.extensions["household"]
    return found


def catalogue() -> Catalogue:
    """The catalogue with the keeper's own figures, put together once a request."""
    if "catalogue" not in g:
        g.catalogue = own_figures.adjusted(own(), household().catalogue)
    found: Catalogue = g.catalogue
    return found


def own() -> list[OwnFigure]:
    """The keeper's own figures, read once a request with the settings."""
    _read_once()
    found: list[OwnFigure] = g.own
    return found


@contextmanager
def reading() -> Iterator[Desk]:
    """The household as it stands, for looking things up."""
    with household().store.reading() as session:
        yield Desk(session, catalogue(), now(), prefs())


@contextmanager
def writing() -> Iterator[Desk]:
    """The household for one change, which is kept as a whole or not at all. What follows
    from it is worked out afterwards.
    """
    desk = catalogue(), now(), prefs()
    with household().store.writing() as session:
        yield Desk(session, *desk)


def now() -> datetime:
    """The local time, the same throughout a request."""
    if "now" not in g:
        g.now = household().clock()
    moment: datetime = g.now
    return moment


def today() -> date:
    """The local day."""
    return now().date()


def prefs() -> Preferences:
    """The household's settings, read once a request."""
    _read_once()
    found: Preferences = g.prefs
    return found


def _read_once() -> None:
    if "prefs" not in g:
        with household().store.reading() as session:
            g.prefs, g.own = preferences.load(session), own_figures.standing(session)


def speech() -> Speech:
    """How to say dates and temperatures."""
    return prefs().speech
