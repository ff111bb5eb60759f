"""The brood chart for phones: time runs down, bands grow to the right, and the handles
are at the right thumb.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta

from brood.charts.cases import bands
from brood.charts.cases.bands import BandRow, days_since
from brood.charts.cases.brood import describe
from brood.charts.pen.svg import Point, figure, line, num, path, rect, text
from brood.core.climate.series import EXPECTED
from brood.services.cases.chart_data import ChartData
from brood.services.voice.speech import Speech, number

Down = Callable[[float], float]
"""Days from the first midnight to px from the top."""

WIDTH, GUTTER, HEAD, RIGHT = 354.0, 86.0, 62.0, 34.0
LEAST_PER_DAY, GAP, LEAST = 13.0, 16.0, 26.0


def draw(data: ChartData, speech: Speech, title: str, movable: bool = False) -> str:
    """The chart for narrow pages. With `movable` its handles can be moved along the axis."""
    length = days_since(data, data.last)
    gaps = [
        (b.at - a.at) / timedelta(days=1)
        for a, b in zip(data.strokes, data.strokes[1:], strict=False)
    ]
    per_day = min(24.0, max(LEAST_PER_DAY, 24 / min([*filter(None, gaps), 9.0])))

    def y(days: float) -> float:
        return HEAD + days * per_day

    rows, k = _columns(data, y)
    foot = y(length)
    right = WIDTH - RIGHT
    out = [_weeks(data, speech, y, length), _warmth(data, y)]
    for row in rows:
        out.append(line((row.base - 0.5, HEAD - 2), (row.base - 0.5, foot), "ink1") + _head(row))
    out += [bands.ghost(row, data, k) for row in rows]
    out += [bands.band(row, data, k) for row in rows]
    handles, planned = [], 0
    for stroke in data.strokes:
        at = y(days_since(data, stroke.at))
        out.append(
            line(
                (GUTTER, at),
                (right - 8, at),
                {"next": "stroke-next", "spare": "stroke-spare"}.get(stroke.state, "stroke"),
            )
        )
        out += [
            bands.stroke_through(row, position, stroke, data, k)
            for position, row in enumerate(rows)
        ]
        if stroke.was is not None:
            handles.append(bands.was_there((right + 8, y(days_since(data, stroke.was))), 90))
        drawn = bands.handle(
            (right + 8, at), stroke.state, 90, 0.8 if per_day * min([*gaps, 9.0]) > 26 else 0.6
        )
        if movable and stroke.state != "done":
            drawn = bands.slider(
                stroke,
                planned,
                (right + 4, at),
                (58, min(max(per_day * min([*gaps, 9.0]), 24), 54)),
                speech,
                drawn,
            )
            planned += 1
        handles.append(drawn)
        out.append(text((0, at + 5), speech.day_short(stroke.at), "stroke-day-tall halo"))
    out += [bands.stamps(row, data, k, 19, per_day) for row in rows]
    out += [bands.glass((GUTTER + 8, y(days_since(data, at)) - 12)) for at in data.looks]
    handles += [bands.released((right + 8, y(days_since(data, at))), 90) for at in data.released]
    now = y(days_since(data, data.now))
    out.append(
        line((GUTTER - 4, now), (WIDTH, now), "today")
        + rect(0, now - 10, 54, 20, "ink-fill")
        + text((27, now + 5), "today", "on-ink-tall", "middle")
    )
    body = "".join([*out, _window(data, y, right), *handles])
    if not movable:
        return figure(WIDTH, foot + 6, "chart-tall", title, describe(data, speech), body)
    return figure(
        WIDTH,
        foot + 6,
        "chart-tall",
        title,
        describe(data, speech),
        body,
        role="group",
        data={"per-day": num(per_day), "axis": "y"},
    )


def _columns(data: ChartData, y: Down) -> tuple[list[BandRow], float]:
    most = bands.biggest(data.bands)
    wide = WIDTH - RIGHT - GUTTER - 10 - GAP * len(most)
    weights = [m**bands.POWER for m in most]
    k = wide / max(sum(weights), 1e-9)
    least = sum(max(LEAST, w * k) for w in weights)
    k = k * wide / least if least > wide else k
    rows, x = [], GUTTER + 4
    for band, weight in zip(data.bands, weights, strict=True):
        base = x

        def place(days: float, high: float, base: float = base) -> Point:
            return base + high, y(days)

        rows.append(BandRow(band, base, weight * k, place))
        x += max(LEAST, weight * k) + GAP
    return rows, k


def _head(row: BandRow) -> str:
    icon = bands.icon((row.base + 10, HEAD - 34), row.band.drawing, 0.2)
    words = number(row.band.count) if row.band.count else "since"
    return icon + text((row.base, HEAD - 10), words, "tall-note")


def _weeks(data: ChartData, speech: Speech, y: Down, length: float) -> str:
    taken = [days_since(data, s.at) for s in data.strokes] + [days_since(data, data.now)]
    out = []
    for d in range(round(length)):
        day = data.first + timedelta(days=d)
        if speech.starts_week(day):
            out.append(line((GUTTER - 30, y(d)), (WIDTH, y(d)), "hair"))
            if all(abs((d + 0.5 - t) * (y(1) - y(0))) > 20 for t in taken):
                out.append(text((0, y(d) + 13), speech.day_short(day), "tall-note2"))
    return "".join(out)


def _warmth(data: ChartData, y: Down) -> str:
    series = data.series
    low, high = float(series.celsius.min()), float(series.celsius.max())

    def x(celsius: float) -> float:
        return 60 + (celsius - low) / max(high - low, 1.0) * 22

    points = [
        (x(float(c)), y(days_since(data, series.moment(h + 0.5))))
        for h, c in enumerate(series.celsius)
    ]
    past = [
        h
        for h in range(len(series))
        if series.moment(h) <= data.now and series.origin[h] != EXPECTED
    ]
    split = past[-1] + 1 if past else 0
    days = range(split, len(series) - 12, 12)
    lows = [(x(float(series.celsius[h : h + 24].min())), points[h][1]) for h in days]
    highs = [(x(float(series.celsius[h : h + 24].max())), points[h][1]) for h in days]
    return path(points[:split], "measured") + (
        path([*highs, *reversed(lows)], "hatch", close=True) if len(lows) > 1 else ""
    )


def _window(data: ChartData, y: Down, right: float) -> str:
    following = next(
        (s for s in data.strokes if s.state == "next" and s.earliest and s.latest), None
    )
    if (
        following is None
        or not following.earliest
        or not following.latest
        or following.latest <= following.earliest
    ):
        return ""
    a, b, x = (
        y(days_since(data, following.earliest)),
        y(days_since(data, following.latest)),
        right + 28,
    )
    return rect(x - 3, a, 6, b - a, "window-bar") + line((x - 9, b), (x + 6, b), "breed-stop")
