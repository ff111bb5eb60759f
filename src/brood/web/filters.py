"""What templates may call: dates, temperatures, drawings, static addresses."""

from __future__ import annotations

import hashlib
import uuid
from collections.abc import Callable, Sequence
from datetime import date, datetime
from functools import cache
from pathlib import Path
from typing import Any

from flask import Flask, request
from jinja2 import pass_context
from markupsafe import Markup

from brood import __version__
from brood.charts.cases import brood, brood_tall, labels, small, spread, tornado, ways
from brood.charts.diagnosis import loupe, plate
from brood.charts.followup import falling, follow
from brood.charts.guide import guide
from brood.charts.house import evenings, how_many, shelves
from brood.charts.pen import svg
from brood.charts.season import year_strip, year_tall
from brood.charts.treatment import load_strip
from brood.charts.warmth import degree_days, rain_strip, ribbon
from brood.services.voice import odds, words
from brood.services.voice.speech import UNITS, days, hours, number, short_days, spelled
from brood.services.warmth.rain import RainLine
from brood.store.place_tables import Place
from brood.store.tables import Plant
from brood.web.context import catalogue, household, now, prefs, speech, today
from brood.web.drawings import once

SPOKEN = (
    "day",
    "day_short",
    "day_month",
    "day_year",
    "moment",
    "said",
    "heat",
    "heat_fine",
    "figure",
    "warmth",
    "weekday",
    "volume",
    "rate",
    "money",
    "rain",
)
"""Filters that are the keeper's way of saying something, by their own names."""

FAR_DAYS = 200
"""Dates further off than this are said with their year."""
PARTS = {
    "": "today",
    "today": "today",
    "sharing": "today",
    "plants": "plants",
    "cases": "plants",
    "looks": "plants",
    "photos": "plants",
    "places": "places",
    "house": "places",
    "quarantine": "places",
    "shelf": "shelf",
    "mix": "shelf",
    "household": "shelf",
    "record": "record",
    "season": "season",
    "guide": "guide",
    "settings": "settings",
}
"""The part of the household to which an address belongs, by the first word of its path."""


def _speech(name: str) -> Callable[..., str]:
    """A filter that says something as this request's keeper reads it. It takes the context,
    so that a constant is not said once and for all when the template is compiled.
    """
    return pass_context(lambda _, *args: getattr(speech(), name)(*args))


def register(app: Flask) -> None:
    """Make the helpers known to templates."""
    env = app.jinja_env
    env.filters.update({name: _speech(name) for name in SPOKEN})
    env.filters.update(
        pest=lambda key: catalogue().name(key),
        extract=lambda key, names: names.get(key, key),
        ingredient=lambda key, book: book.name(key),
        lengths=lambda pair: speech().lengths(*pair),
        degrees=lambda c, digits=1: f"{speech().degrees(c):.{digits}f}",
        capitalize_first=lambda text: text[:1].upper() + text[1:],
        number=number,
        days=days,
        hours=hours,
        short_days=short_days,
        spoken=odds.spoken,
        in_100=odds.in_100,
        spelled=spelled,
        likelihood=odds.likelihood,
        weekday_of=lambda d: speech().weekday(d.weekday()),
        iso=lambda d: d.isoformat() if isinstance(d, date | datetime) else d,
        lower_first=lambda text: text[:1].lower() + text[1:],
        nth=lambda row, n: row[n],
        acts=lambda ids: words.act_names(ids, catalogue().treatments),
    )
    env.globals.update(
        asset=asset,
        new_key=lambda: uuid.uuid4().hex,
        drawing=lambda name: Markup(svg.drawing(name)),
        span=lambda a, b: speech().span(a, b),
        when=when,
        brood_chart=lambda data, title, movable=False: Markup(
            once("wide", data, lambda: brood.draw(data, speech(), title, movable))
        ),
        label_row=lambda *counts: Markup(labels.row(*counts)),
        way_picture=lambda p, days, tallest, title: Markup(
            ways.way(p.totals, p.fixed, p.spare, p.look, p.back, (days, tallest), title)
        ),
        small_course=lambda *args: Markup(small.course(*args)),
        tornado=lambda rows, chance, wide: Markup(tornado.draw(rows, chance, wide=wide)),
        spread_strip=lambda data, wide: Markup(
            once(f"strip-{wide}", data, lambda: spread.draw(data, speech(), wide=wide))
        ),
        brood_tall=lambda data, title, movable=False: Markup(
            once("tall", data, lambda: brood_tall.draw(data, speech(), title, movable))
        ),
        fig=fig,
        place_options=_options,
        stage_sizes=lambda result: Markup(guide.sizes(result, speech())),
        curve_chart=lambda data, title: Markup(guide.curve(data, speech(), title)),
        degree_day_chart=lambda result: Markup(degree_days.draw(result, speech())),
        walk_plate=lambda result, base: Markup(plate.draw(result, base)),
        loupe_glass=lambda shown: Markup(loupe.magnified(shown, speech())),
        life_size=lambda shown: Markup(loupe.life_size(shown, speech())),
        year_chart=lambda result: Markup(year_strip.draw(result, speech())),
        year_tall=lambda result: Markup(year_tall.draw(result, speech())),
        evenings_chart=lambda result, wide: Markup(evenings.draw(result, speech(), wide=wide)),
        follow_chart=lambda data, wide: Markup(follow.draw(data, speech(), wide=wide)),
        falling_chart=lambda found, wide: Markup(falling.draw(found, today(), speech(), wide=wide)),
        leaf_with=lambda key: Markup(how_many.draw(key)),
        shelf_plan=lambda place, standings: Markup(
            shelves.draw(place.name, place.draught, standings)
        ),
        load_strip=lambda load: Markup(load_strip.draw(load, speech())),
        rain_strip=lambda days: Markup(rain_strip.draw(days, today(), speech())),
        told_rain=_told_rain,
        place_ribbon=lambda result: Markup(ribbon.draw(result, speech())),
    )
    app.context_processor(_values)


def _values() -> dict[str, Any]:
    settings = household().settings
    return {
        "prefs": prefs(),
        "unit": UNITS[prefs().unit],
        "length_unit": speech().length_unit,
        "unit_mm": speech().unit_mm,
        "rate_unit": speech().rate_unit,
        "rain_unit": speech().rain_unit,
        "today": today(),
        "now": now(),
        "version": __version__,
        "demo": settings.demo,
        "part_of": PARTS.get(request.path.split("/")[1], ""),
        "path": request.path,
    }


def _told_rain(days: Sequence[RainLine], day: date) -> str:
    """What the keeper told of the rain of a day, as it stands in a field."""
    found = next((d for d in days if d.on == day and d.told), None)
    return "" if found is None or found.mm is None else speech().rain_amount(found.mm)


def fig(name: str, case_id: int, value: object, said: str) -> Markup:
    """A figure of a case as it is said, with its name and value for machines: two pages
    of one moment show the same value.
    """
    told = (
        value.isoformat()
        if isinstance(value, date | datetime)
        else f"{value:.4g}"
        if isinstance(value, float)
        else str(value)
    )
    return Markup('<data data-figure="{}" data-case="{}" value="{}">{}</data>').format(
        name, case_id, told, said
    )


def when(day: date | datetime) -> Markup:
    """A date as the keeper reads it, with its machine form. One that is far off is said
    with its year.
    """
    on = day.date() if isinstance(day, datetime) else day
    far = abs((on - today()).days) > FAR_DAYS
    said = speech().day_year(day) if far else speech().day(day)
    return Markup('<time datetime="{}">{}</time>').format(on.isoformat(), said)


def asset(name: str) -> str:
    """A static file's address, which changes with its content."""
    return f"/static/{name}?v={_digest(name)}"


@cache
def _digest(name: str) -> str:
    path = Path(__file__).parent / "static" / name
    return hashlib.sha256(path.read_bytes()).hexdigest()[:10]


def _options(places: Sequence[Place | Plant], first: str = "") -> list[tuple[int | str, str]]:
    """Places or plants to choose from, below a `first` line that chooses none. The only
    one is chosen already where no such line is asked for.
    """
    rows: list[tuple[int | str, str]] = [(p.id, p.name) for p in places]
    return rows if len(rows) == 1 and not first else [("", first or "choose"), *rows]
