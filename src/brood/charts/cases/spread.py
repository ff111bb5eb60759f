"""Everything alive in one line: the expected number on a scale of tens, between a cool,
slow course and a warm, quick one.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta

import numpy as np

from brood.charts.cases import bands
from brood.charts.cases.brood import GUTTER, WIDTH
from brood.charts.cases.brood import RIGHT as MARGIN
from brood.charts.pen.svg import figure, line, path, text
from brood.services.cases.chart_data import ChartData
from brood.services.voice.speech import Speech, number

FEWEST = 0.1
"""The scale ends here. Less than this is as good as none."""


@dataclass(frozen=True)
class _Frame:
    """Places of the plot, px: its edges, height, and how many days it is wide."""

    whole: float
    left: float
    right: float
    top: float
    foot: float
    days: float
    most: float

    def x(self, day: float) -> float:
        return self.left + day * (self.right - self.left) / self.days

    def y(self, count: float) -> float:
        span = np.log10(self.most / FEWEST)
        return float(
            self.foot - np.log10(max(count, FEWEST) / FEWEST) / span * (self.foot - self.top)
        )


def draw(data: ChartData, speech: Speech, *, wide: bool) -> str:
    """The strip under the brood chart. On wide pages it has the same days as the chart
    above it.
    """
    spread = data.spread
    most = 10.0 ** np.ceil(np.log10(max(float(spread.high.max()), 10.0)))
    length = bands.days_since(data, data.last)
    f = (
        _Frame(WIDTH, GUTTER, WIDTH - MARGIN, 10, 96, length, most)
        if wide
        else _Frame(354, 40, 346, 26, 150, length, most)
    )
    start = bands.days_since(data, data.moments[0])
    evenings = [start + 10 / 24 + n for n in range(len(spread.mean))]
    edge = [(f.x(t), f.y(float(v))) for t, v in zip(evenings, spread.high, strict=True)]
    under = [(f.x(t), f.y(float(v))) for t, v in zip(evenings, spread.low, strict=True)]
    middle = [(f.x(t), f.y(float(v))) for t, v in zip(evenings, spread.mean, strict=True)]
    body = (
        _scale(f)
        + path([*edge, *reversed(under)], "spread-area", close=True)
        + path(edge, "dotted")
        + path(under, "dotted")
        + path(middle, "spread-mean")
        + _strokes(f, data)
        + _heads(f, speech, data, wide)
    )
    return figure(
        f.whole,
        f.foot + (22 if wide else 24),
        "chart" if wide else "chart-tall",
        "Alive in all",
        describe(data, speech),
        body,
    )


def describe(data: ChartData, speech: Speech) -> str:
    """The strip in words."""
    spread = data.spread
    one = np.flatnonzero(spread.high < 1)
    clear = (
        "Under one in 90 of 100 runs from "
        f"{speech.day(spread.first + timedelta(days=int(one[0])))}."
        if len(one)
        else ""
    )
    begin, end = number(float(spread.mean[0])), number(float(spread.high[-1]))
    return (
        f"All stages together: about {begin} after the first evening, in 90 of 100 runs at most "
        f"{end} at the end. {clear}"
    )


def _scale(f: _Frame) -> str:
    out = ""
    count = 1.0
    while count <= f.most:
        y = f.y(count)
        out += line((f.left, y), (f.right, y), "ink1" if count == 1 else "grid-line")
        out += text((f.left - 7, y + 4), f"{count:g}", "tick-note", "end")
        count *= 10
    return out + line((f.left, f.foot), (f.right, f.foot), "axis")


def _strokes(f: _Frame, data: ChartData) -> str:
    places = [f.x(bands.days_since(data, s.at)) for s in data.strokes]
    return "".join(line((x, f.foot - 8), (x, f.foot), "stroke") for x in places)


def _heads(f: _Frame, speech: Speech, data: ChartData, wide: bool) -> str:
    if wide:
        middle = (f.top + f.foot) / 2
        return (
            text((0, middle - 6), "Alive in all", "label")
            + text((0, middle + 10), "grey: cool and slow,", "note2")
            + text((0, middle + 25), "warm and quick runs", "note2")
        )
    last = speech.day_short(data.last)
    return (
        text((0, 14), "Alive in all; grey: cool and slow, warm and quick", "tall-note")
        + text((f.left, f.foot + 18), speech.day_short(data.first), "tall-note2")
        + text((f.right, f.foot + 18), last, "tall-note2", "end")
    )
