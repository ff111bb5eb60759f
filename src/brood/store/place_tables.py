"""The tables of places and their temperatures, in °C; `*_at` is a naive local moment."""

from __future__ import annotations

from datetime import date, datetime, time

from sqlalchemy import JSON, CheckConstraint, ForeignKey, Index
from sqlalchemy.orm import Mapped, mapped_column

from brood.store.base import Table


class Place(Table):
    """Where plants stand. `source` says where the temperature comes from.

    `offset_c` shifts every hour (a shelf above a radiator); `warm_spot_c` and
    `cool_spot_c` say how much warmer and cooler than that its warmest and coolest plant
    stands, 0 or more. `sensor_url` is the address of a live sensor, `visitors` who goes
    there; `draught` is right or left where air moves along the shelves that way;
    `apart_room` how many plants can stand there to be kept apart, None where none do.
    """

    __tablename__ = "place"
    __table_args__ = (
        CheckConstraint(
            "source in ('constant', 'set-points', 'diary', 'logger', 'sensor', 'weather')",
            name="source",
        ),
        CheckConstraint(
            "setting in ('indoor', 'glasshouse', 'balcony', 'outdoor')", name="setting"
        ),
        CheckConstraint("offset_c between -15 and 15", name="offset"),
        CheckConstraint(
            "warm_spot_c between 0 and 15 and cool_spot_c between 0 and 15", name="spots"
        ),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    note: Mapped[str] = mapped_column(default="")
    setting: Mapped[str] = mapped_column(default="indoor", server_default="indoor")
    source: Mapped[str] = mapped_column(default="set-points")
    offset_c: Mapped[float] = mapped_column(default=0.0, server_default="0")
    warm_spot_c: Mapped[float] = mapped_column(default=0.0, server_default="0")
    cool_spot_c: Mapped[float] = mapped_column(default=0.0, server_default="0")
    sensor_url: Mapped[str] = mapped_column(default="", server_default="")
    visitors: Mapped[list[str]] = mapped_column(JSON, default=list, server_default="[]")
    draught: Mapped[str] = mapped_column(default="", server_default="")
    apart_room: Mapped[int | None]
    created_at: Mapped[datetime]


class SetPoint(Table):
    """What a keeper says of a place's warmth: day and night and when each begins. The
    newest row of a season counts.

    `season` is empty for the whole year, or heating for the months in which the house
    is heated.
    """

    __tablename__ = "set_point"
    __table_args__ = (
        CheckConstraint("day_c between -30 and 60 and night_c between -30 and 60", name="range"),
        CheckConstraint("season in ('', 'heating')", name="season"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    place_id: Mapped[int] = mapped_column(ForeignKey("place.id"), index=True)
    day_c: Mapped[float]
    night_c: Mapped[float]
    day_from: Mapped[time]
    night_from: Mapped[time]
    season: Mapped[str] = mapped_column(default="", server_default="")
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class DiaryDay(Table):
    """A day's lowest and highest °C as a keeper read them off, or as a file gave them.
    A correction withdraws the old row.
    """

    __tablename__ = "diary_day"
    __table_args__ = (
        Index("ix_diary_day_place_id_on", "place_id", "on"),
        CheckConstraint(
            "low_c between -30 and 60 and high_c between -30 and 60 and low_c <= high_c",
            name="range",
        ),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    place_id: Mapped[int] = mapped_column(ForeignKey("place.id"))
    upload_id: Mapped[int | None] = mapped_column(ForeignKey("upload.id"), index=True)
    on: Mapped[date]
    low_c: Mapped[float]
    high_c: Mapped[float]
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class RainDay(Table):
    """The rain of a day at a place in mm, as a keeper told it with a tap or in the diary.
    `hour` is when it began, where that is known.
    """

    __tablename__ = "rain_day"
    __table_args__ = (
        CheckConstraint("mm between 0 and 500", name="mm"),
        CheckConstraint("source in ('tap', 'diary')", name="source"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    place_id: Mapped[int] = mapped_column(ForeignKey("place.id"), index=True)
    on: Mapped[date]
    mm: Mapped[float]
    hour: Mapped[int | None]
    source: Mapped[str]
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class Poll(Table):
    """One asking of a live sensor: its answer in °C, or in `trouble` why there was none."""

    __tablename__ = "poll"
    __table_args__ = (Index("ix_poll_place_id_at", "place_id", "at"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    place_id: Mapped[int] = mapped_column(ForeignKey("place.id"))
    at: Mapped[datetime]
    celsius: Mapped[float | None]
    trouble: Mapped[str] = mapped_column(default="")


class WeatherReport(Table):
    """What a weather service said for a place: observed, forecast and normal days, as
    it was fetched. The newest row counts.
    """

    __tablename__ = "weather_report"
    id: Mapped[int] = mapped_column(primary_key=True)
    place_id: Mapped[int] = mapped_column(ForeignKey("place.id"), index=True)
    service: Mapped[str]
    days: Mapped[list[dict[str, object]]] = mapped_column(JSON)
    normals: Mapped[list[list[float]]] = mapped_column(JSON)
    fetched_at: Mapped[datetime]


class Upload(Table):
    """A logger file that was read: what was taken, what was already known, what refused
    (row, text, reason), what repaired.
    """

    __tablename__ = "upload"
    id: Mapped[int] = mapped_column(primary_key=True)
    place_id: Mapped[int] = mapped_column(ForeignKey("place.id"), index=True)
    filename: Mapped[str]
    sha256: Mapped[str]
    taken: Mapped[int]
    known: Mapped[int] = mapped_column(default=0)
    refused: Mapped[list[dict[str, object]]] = mapped_column(JSON)
    notes: Mapped[list[str]] = mapped_column(JSON)
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]


class Reading(Table):
    """One temperature reading. `fold` is 1 in an hour that a clock change repeated."""

    __tablename__ = "reading"
    __table_args__ = (
        Index("ix_reading_place_id_at", "place_id", "at"),
        CheckConstraint("celsius between -30 and 60", name="range"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    place_id: Mapped[int] = mapped_column(ForeignKey("place.id"))
    upload_id: Mapped[int | None] = mapped_column(ForeignKey("upload.id"), index=True)
    at: Mapped[datetime]
    fold: Mapped[int] = mapped_column(default=0)
    celsius: Mapped[float]
    corrects_id: Mapped[int | None] = mapped_column(ForeignKey("reading.id"))
    recorded_at: Mapped[datetime]
    withdrawn_at: Mapped[datetime | None]
