"""Weather for outdoor places: one interface, and a simulated service that ships with
the program.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import date, datetime, timedelta
from typing import Protocol

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from brood.services.warmth.hourly import normal_of
from brood.store.place_tables import Place, WeatherReport
from brood.store.queries import readings

OBSERVED_DAYS, FORECAST_DAYS = 60, 8
STALE = timedelta(hours=3)
COAST = (
    (3.0, 9.0),
    (3.0, 9.5),
    (4.5, 11.5),
    (6.0, 14.0),
    (8.5, 17.0),
    (11.5, 20.0),
    (13.5, 22.0),
    (13.5, 22.0),
    (11.5, 19.5),
    (9.0, 15.5),
    (6.0, 12.0),
    (4.0, 9.5),
)
"""Normal minimum and maximum, °C, by month, at the made-up estuary of the simulation.
They are made up and no station's figures.
"""


FRONT, WET_FRONT, WET_OTHERWISE = 0.6, 0.75, 0.12
FRONT_MM, SHOWER_MM = 6.0, 1.8
"""How often and how much it rains in the simulation, made up."""


@dataclass(frozen=True)
class WeatherDay:
    """A day's lowest and highest °C, observed or forecast, with its rain in mm and the
    hour in which that began (None on a dry day).
    """

    on: str
    low_c: float
    high_c: float
    kind: str
    rain_mm: float = 0.0
    rain_hour: int | None = None


class WeatherService(Protocol):
    """What a weather service must answer for a place."""

    @property
    def name(self) -> str:
        """The name of the service on the page."""
        ...

    def days(self, today: date) -> list[WeatherDay]:
        """The observed days up to yesterday, today, and the forecast after it, in
        order. Raises OSError when there is no answer.
        """
        ...

    def normals(self) -> list[list[float]]:
        """Normal minimum and maximum of the twelve months, °C, from January."""
        ...


@dataclass(frozen=True)
class SimulatedWeather:
    """A simulated weather service. The same seed gives the same weather on the same
    days.

    `hemisphere` turns the year. `as_if_month` puts the normals of that month on the
    month of `today`, so that a demo is always in the same season. The forecast errs
    more with each day ahead.
    """

    hemisphere: str = "north"
    seed: int = 7
    as_if_month: int | None = None
    today: date | None = None
    name: str = "simulated weather"

    def normals(self) -> list[list[float]]:
        """The normals of the months, turned for the hemisphere or the demo."""
        turn = 6 if self.hemisphere == "south" else 0
        if self.as_if_month is not None and self.today is not None:
            turn = self.as_if_month - self.today.month
        return [list(COAST[(month + turn) % 12]) for month in range(12)]

    def days(self, today: date) -> list[WeatherDay]:
        """Sixty observed days, today and seven to come."""
        out = []
        for ahead in range(-OBSERVED_DAYS, FORECAST_DAYS):
            day = today + timedelta(days=ahead)
            low, high = self._day(day)
            if ahead > 0:
                miss = float(
                    np.random.default_rng((self.seed, today.toordinal(), ahead)).normal(
                        0, 0.25 * ahead
                    )
                )
                low, high = low + miss, high + miss
            mm, hour = self._rain(day)
            out.append(
                WeatherDay(
                    day.isoformat(),
                    round(low, 1),
                    round(max(high, low + 0.5), 1),
                    "observed" if ahead < 0 else "forecast",
                    mm,
                    hour,
                )
            )
        return out

    def _rain(self, day: date) -> tuple[float, int | None]:
        """Rain of a day in mm, and the hour in which it began: fronts come every four or
        five days, with showers in between.
        """
        n = self._number(day)
        rng = np.random.default_rng((self.seed, n, 3))
        front = np.sin(n / 0.72 + self.seed) > FRONT
        if rng.random() > (WET_FRONT if front else WET_OTHERWISE):
            return 0.0, None
        mm = float(rng.gamma(1.4, FRONT_MM if front else SHOWER_MM))
        return round(mm, 1), int(rng.integers(0, 24))

    def _number(self, day: date) -> int:
        """The number of a day in the made-up weather."""
        turned = self.today.toordinal() - 700_000 if self.as_if_month and self.today else 0
        return day.toordinal() - turned

    def _day(self, day: date) -> tuple[float, float]:
        """A day around its normals: slow swings over several days, and a quick one of
        its own.
        """
        low, high = normal_of(self.normals(), day)
        n = self._number(day)
        slow = 2.0 * np.sin(n / 3.1 + self.seed) + 1.3 * np.sin(n / 7.3 + 2 * self.seed)
        quick = np.random.default_rng((self.seed, n)).normal(0, 0.8, 2)
        return float(low + 0.8 * slow + quick[0]), float(high + 1.2 * slow + quick[1])


def refresh(
    session: Session, service: WeatherService, now: datetime, *, force: bool = False
) -> int:
    """Fetch the weather for every place that uses it and whose report is older than
    three hours; how many were fetched.

    Where the service does not answer, the last report stands.
    """
    fetched = 0
    for place in session.scalars(select(Place).where(Place.source == "weather")):
        report = readings.weather(session, place.id)
        if report is None or force or now - report.fetched_at >= STALE or report.fetched_at > now:
            fetched += _fetch(session, service, place, now)
    return fetched


def _fetch(session: Session, service: WeatherService, place: Place, now: datetime) -> int:
    try:
        keep(session, place.id, service, now)
    except OSError:
        return 0
    return 1


def keep(session: Session, place_id: int, service: WeatherService, now: datetime) -> None:
    """Keep what the service says of a place at a moment. Raises OSError when it does not
    answer.
    """
    days, normals = service.days(now.date()), service.normals()
    session.add(
        WeatherReport(
            place_id=place_id,
            service=service.name,
            days=[asdict(d) for d in days],
            normals=normals,
            fetched_at=now,
        )
    )
    session.flush()
