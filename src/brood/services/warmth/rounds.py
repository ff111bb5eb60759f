"""What the running program does every minute: ask the sensors, fetch the weather."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from datetime import datetime

from brood.services.warmth import sensor, weather
from brood.services.warmth.weather import WeatherService
from brood.store.session import Store

EVERY_SECONDS = 60.0


class Rounds(threading.Thread):
    """A thread that makes a round every minute until it is told to stop. Errors are
    logged, and the round is tried again.
    """

    def __init__(
        self,
        store: Store,
        service: Callable[[datetime], WeatherService],
        clock: Callable[[], datetime] = datetime.now,
        every: float = EVERY_SECONDS,
    ) -> None:
        super().__init__(name="rounds", daemon=True)
        self.store, self.service, self.clock, self.every = store, service, clock, every
        self._stop_asked = threading.Event()

    def run(self) -> None:
        """Make rounds until stopped."""
        while not self._stop_asked.is_set():
            try:
                now = self.clock()
                once(self.store, self.service(now), now)
            except Exception:
                logging.getLogger("brood").exception("a round failed and will be tried again")
            self._stop_asked.wait(self.every)

    def stop(self) -> None:
        """Stop after the round that is under way."""
        self._stop_asked.set()


def once(store: Store, service: WeatherService, now: datetime) -> None:
    """One round."""
    with store.writing() as session:
        weather.refresh(session, service, now)
    with store.reading() as session:
        due = sensor.due(session, now)
    answers = [(place_id, sensor.answer_of(url)) for place_id, url in due]
    if answers:
        with store.writing() as session:
            for place_id, said in answers:
                sensor.record(session, place_id, said, now)
