"""The warmth ribbon: a line for measured hours, and hatching between night and day for
expected ones.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, timedelta

import numpy as np

from brood.charts.pen.svg import Point, figure, line, path, rect, simplify, text
from brood.core.climate.series import EXPECTED, FILLED, FORECAST, MEASURED, SET, HourlySeries
from brood.services.house.places import PlaceResult
from brood.services.voice.speech import UNITS, Speech

STEPS = {"C": (5.0, 10.0, 20.0), "F": (10.0, 20.0, 40.0)}
MOST_STEPS = 3
SHOWN_SPREAD = 0.5
"""The share of an hour's spread that widens the hatch to either side."""


def ribbon(
    series: HourlySeries,
    now: datetime,
    speech: Speech,
    x: Callable[[datetime], float],
    tall: Point,
    wide: Point,
) -> str:
    """Grid, scale, line, forecast and hatch of a stretch of hours; `tall` is (top,
    foot), `wide` (left, right) in px.
    """
    low, high, step = _bounds(series, speech)
    top, foot = tall

    def y(celsius: float) -> float:
        return foot - (speech.degrees(celsius) - low) / (high - low) * (foot - top)

    out = [_scale(low, high, step, speech, tall, wide)]
    moments = [series.start + timedelta(hours=h) for h in range(len(series))]
    past = [
        h
        for h, m in enumerate(moments)
        if m <= now and series.origin[h] not in (EXPECTED, FORECAST)
    ]
    for run in _runs([h for h in past if series.origin[h] == FILLED]):
        out.append(
            rect(
                x(moments[run[0]]),
                top,
                x(moments[run[-1]]) - x(moments[run[0]]),
                foot - top,
                "filled-gap",
            )
        )
    for run in _alike(series, past):
        line_points = simplify(
            [(x(moments[h] + timedelta(minutes=30)), y(series.celsius[h])) for h in run], 0.4
        )
        out.append(
            path(
                line_points,
                {FILLED: "filled-line", SET: "told"}.get(int(series.origin[run[0]]), "measured"),
            )
        )
    known = set(past)
    for run in _alike(series, [h for h in range(len(series)) if h not in known]):
        out.append(
            _forecast(series, run, moments, x, y)
            if series.origin[run[0]] == FORECAST
            else _expected(series, run, moments, x, y, wide[1])
        )
    return "".join(out)


def _bounds(series: HourlySeries, speech: Speech) -> tuple[float, float, float]:
    """Lowest and highest degree of the scale, and its step, in the keeper's unit."""
    widen = np.where(series.origin == MEASURED, 0.0, SHOWN_SPREAD * series.spread_c)
    low = speech.degrees(float((series.celsius - widen).min()))
    high = speech.degrees(float((series.celsius + widen).max()))
    for step in STEPS[speech.unit]:
        first, last = float(np.floor(low / step) * step), float(np.ceil(high / step) * step)
        if last - first <= MOST_STEPS * step:
            break
    return first, last, step


def _scale(low: float, high: float, step: float, speech: Speech, tall: Point, wide: Point) -> str:
    """A dotted line and a number at every step, the unit at the top."""
    count = max(1, round((high - low) / step))
    out = ""
    for n in range(count + 1):
        y = tall[1] - n / count * (tall[1] - tall[0])
        out += line((wide[0], y), (wide[1], y), "hair" if n == 0 else "dots")
        out += text(
            (wide[0] - 7, y + 4),
            f"{low + n * step:.0f}{f' {UNITS[speech.unit]}' if n == count else ''}",
            "tick-note",
            "end",
        )
    return out


def _runs(hours: list[int]) -> list[list[int]]:
    runs: list[list[int]] = []
    for h in hours:
        if runs and h == runs[-1][-1] + 1:
            runs[-1].append(h)
        else:
            runs.append([h])
    return [r for r in runs if len(r) > 1]


def _alike(series: HourlySeries, hours: list[int]) -> list[list[int]]:
    """Runs of neighbouring hours of one origin. Each begins with the last hour of the
    one before, so that lines join.
    """
    runs: list[list[int]] = []
    for h in hours:
        if runs and h == runs[-1][-1] + 1 and series.origin[h] == series.origin[runs[-1][-1]]:
            runs[-1].append(h)
        else:
            runs.append([h])
    return [r for r in runs if len(r) > 1]


def _forecast(
    series: HourlySeries,
    run: list[int],
    moments: list[datetime],
    x: Callable[[datetime], float],
    y: Callable[[float], float],
) -> str:
    """A dotted line hour by hour on a pale band as wide as the forecast is unsure."""
    upper = [(x(moments[h]), y(float(series.celsius[h] + series.spread_c[h]))) for h in run]
    lower = [(x(moments[h]), y(float(series.celsius[h] - series.spread_c[h]))) for h in run]
    middle = simplify([(x(moments[h]), y(float(series.celsius[h]))) for h in run], 0.4)
    return path([*upper, *reversed(lower)], "forecast-band", close=True) + path(middle, "forecast")


def _expected(
    series: HourlySeries,
    run: list[int],
    moments: list[datetime],
    x: Callable[[datetime], float],
    y: Callable[[float], float],
    right: float,
) -> str:
    """Night to day of every coming day, widened by the spread of an expectation."""
    lows, highs = [], []
    first, last = run[0], run[-1] + 1
    for a in [*range(first, last, 12), last - 1]:
        day = slice(max(first, a - 12), min(last, a + 12))
        spread = float(series.spread_c[a]) * SHOWN_SPREAD
        lows.append((min(x(moments[a]), right), y(float(series.celsius[day].min()) - spread)))
        highs.append((min(x(moments[a]), right), y(float(series.celsius[day].max()) + spread)))
    if len(lows) < 2:
        return ""
    return (
        path([*highs, *reversed(lows)], "hatch", close=True)
        + path(highs, "dashes")
        + path(lows, "dashes")
    )


PLACE_WIDTH, LEFT, TOP, FOOT = 1216.0, 52.0, 44.0, 214.0


def draw(result: PlaceResult, speech: Speech) -> str:
    """A place's warmth: measured, filled or told up to now, forecast and expected after
    it, and what was refused.
    """
    series, now = result.series, result.now
    if series is None:
        return ""
    start, span = series.start, max((series.end - series.start) / timedelta(days=1), 1.0)

    def x(moment: datetime) -> float:
        return LEFT + (moment - start) / timedelta(days=1) / span * (PLACE_WIDTH - LEFT - 8)

    out = []
    for d in range(int(span) + 1):
        day = start.replace(hour=0) + timedelta(days=d)
        if speech.starts_week(day) and x(day) >= LEFT:
            out.append(line((x(day), TOP - 6), (x(day), FOOT), "hair"))
            if x(day) < PLACE_WIDTH - 70 and abs(x(day) + 40 - x(now)) > 76:
                out.append(text((x(day) + 3, TOP - 10), speech.day(day), "margin"))
    out.append(ribbon(series, now, speech, x, (TOP, FOOT), (LEFT, PLACE_WIDTH - 8)))
    out += [
        f'<path class="refused-mark" d="M{x(m) - 4:.1f} {FOOT + 6}l8 8m0 -8l-8 8"/>'
        for m in result.refused_at
        if start <= m <= series.end
    ]
    out.append(line((LEFT, FOOT), (PLACE_WIDTH - 8, FOOT), "ink1"))
    if start <= now <= series.end:
        out.append(
            line((x(now), TOP - 16), (x(now), FOOT), "today")
            + rect(x(now) - 24, TOP - 34, 48, 19, "ink-fill")
        )
        out.append(text((x(now), TOP - 20), "now", "on-ink", "middle"))
    return figure(
        PLACE_WIDTH,
        FOOT + 20,
        "chart",
        f"Temperatures at {result.place.name}",
        _words(result, series, speech),
        "".join(out),
    )


def _words(result: PlaceResult, series: HourlySeries, speech: Speech) -> str:
    past = max(1, min(len(series), series.hour_of(result.now)))
    known, coming = series.celsius[:past], series.celsius[past:]
    words = (
        f"Up to now from {speech.moment(series.start)}: {speech.warmth(float(known.min()), 1)} "
        f"to {speech.warmth(float(known.max()), 1)}, "
    )
    words += f"{result.filled_share * 100:.1f} % of hours filled."
    if len(coming):
        words += (
            f" To come: {speech.warmth(float(coming.min()), 1)} to "
            f"{speech.warmth(float(coming.max()), 1)}."
        )
    return words
