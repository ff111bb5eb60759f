"""The parts of the brood chart that are the same in its wide and its tall form: bands,
cuts and passes.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from html import escape

import numpy as np
from numpy.typing import NDArray

from brood.charts.pen.svg import Point, drawing, num, path, simplify
from brood.services.cases.chart_data import Band, ChartData, Stroke
from brood.services.voice.speech import Speech

Array = NDArray[np.float64]
Place = Callable[[float, float], Point]

POWER = 0.6
"""Height grows with the number to this power, so that the last few stay visible. The
scale at the edge shows it.
"""
STAMPS = "ENRAB"


@dataclass(frozen=True)
class BandRow:
    """Where a band stands: `at(days, height)` gives a point on the page; `tallest` is
    its greatest height in px.
    """

    band: Band
    base: float
    tallest: float
    at: Place


def height(count: Array | float, k: float) -> Array:
    """px for a count."""
    return np.asarray(k * np.maximum(0.0, np.asarray(count, dtype=float)) ** POWER)


def days_since(data: ChartData, moment: datetime) -> float:
    """Days from the chart's first midnight."""
    return float((moment - data.first) / timedelta(days=1))


def edges(numbers: Array, k: float) -> Array:
    """Cumulative heights, shape (moments, bands + 1). Eggs are lowest, so that a cut
    takes from the top.
    """
    shown = np.where(numbers > 0.02, numbers, 0.0)
    return height(np.concatenate((np.zeros((len(shown), 1)), np.cumsum(shown, axis=1)), axis=1), k)


def band(row: BandRow, data: ChartData, k: float) -> str:
    """The stages of one group as areas, with the fronts between them and the outline."""
    t = np.array([days_since(data, m) for m in data.moments])
    levels = edges(row.band.numbers, k)
    out = [_area(row, t, levels[:, c], levels[:, c + 1], f"f{STAMPS[c]}") for c in range(5)]
    for c in range(4):
        out.append(
            _runs(
                row,
                t,
                levels[:, c + 1],
                (levels[:, c + 1] - levels[:, c] > 0.4)
                & (levels[:, 5] - levels[:, c + 1] > 0.6)
                & (levels[:, 5] > 10),
                "front",
            )
        )
    out.append(_runs(row, t, levels[:, 5], levels[:, 5] > 3, "top-edge"))
    out.append(path([row.at(t[0], 0), row.at(t[0], float(levels[0, 5]))], "top-edge"))
    return "".join(out)


def ghost(row: BandRow, data: ChartData, k: float) -> str:
    """What the group would do without treatment: dotted fronts, and the breeding front
    in madder.
    """
    if row.band.untreated is None or not row.band.breeds:
        return ""
    t = np.array([days_since(data, m) for m in data.untreated_moments])
    levels = edges(row.band.untreated, k)
    whole = levels[:, 5]
    out = [
        _runs(row, t, whole, (whole > 1) & (t < days_since(data, row.band.breeds) + 0.3), "dotted")
    ]
    out += [
        _runs(
            row,
            t,
            levels[:, c + 1],
            (levels[:, c + 1] > 0.6) & (levels[:, c + 1] < whole - 0.6),
            "dotted",
        )
        for c in range(3)
    ]
    front = levels[:, 4]
    out.append(_runs(row, t, front, (front > 0.4) & (front < whole - 0.3), "breeding-front"))
    return "".join(out)


def _area(row: BandRow, t: Array, low: Array, high: Array, cls: str) -> str:
    return "".join(
        path(
            [
                *simplify([row.at(t[i], high[i]) for i in run]),
                *reversed(simplify([row.at(t[i], low[i]) for i in run])),
            ],
            cls,
            close=True,
        )
        for run in _stretches(high - low > 0.05)
    )


def _runs(row: BandRow, t: Array, level: Array, shown: NDArray[np.bool_], cls: str) -> str:
    return "".join(
        path(simplify([row.at(t[i], level[i]) for i in run]), cls) for run in _stretches(shown)
    )


def _stretches(shown: NDArray[np.bool_]) -> list[range]:
    marks = np.flatnonzero(np.diff(np.concatenate(([False], shown, [False])).astype(int)))
    return [range(a, b) for a, b in zip(marks[::2], marks[1::2], strict=True) if b - a > 1]


def spared_height(stroke: Stroke, row: int, k: float) -> tuple[float, float]:
    """The px of eggs that a stroke passes over, and of everything that it meets, at the
    moment of the stroke.
    """
    before, after = stroke.before[row], stroke.after[row]
    passes = before[0] if before[0] and after[0] > 0.5 * before[0] else 0.0
    return float(height(passes, k)), float(height(sum(before), k))


def stroke_through(row: BandRow, position: int, stroke: Stroke, data: ChartData, k: float) -> str:
    """The stroke inside a band: hollow where most of the stage survives, thick where it
    is hit.
    """
    t = days_since(data, stroke.at)
    passed, whole = spared_height(stroke, position, k)
    a, b, c = row.at(t, 0), row.at(t, passed), row.at(t, max(whole, passed + 2.5))
    across = (1.0, 0.0) if a[0] == b[0] and a[0] == c[0] else (0.0, 1.0)
    out = ""
    if passed > 5:
        out += _between(a, b, "pass-case") + _between(a, b, "pass-egg")
        out += "".join(
            _between(_off(a, across, 3.6 * side), _off(b, across, 3.6 * side), "pass-side")
            for side in (-1, 1)
        )
    met = sum(stroke.before[position]) - (stroke.before[position][0] if passed else 0.0)
    return out + (_between(b, c, "cut-case") + _between(b, c, "cut") if met > 0.04 else "")


def _between(a: Point, b: Point, cls: str) -> str:
    return f'<path class="{cls}" d="M{num(a[0])} {num(a[1])}L{num(b[0])} {num(b[1])}"/>'


def _off(p: Point, across: Point, by: float) -> Point:
    return p[0] + across[0] * by, p[1] + across[1] * by


def highest(row: BandRow, data: ChartData, k: float, first: float, last: float) -> float:
    """Greatest height in px of a band between two days."""
    t = np.array([days_since(data, m) for m in data.moments])
    inside = (t >= first) & (t <= last)
    return float(height(row.band.numbers[inside].sum(axis=1).max(initial=0.0), k))


def caught(stroke: Stroke, position: int) -> tuple[float, float, float]:
    """(caught, met, eggs that pass) of one band at one stroke."""
    before, after = stroke.before[position], stroke.after[position]
    return sum(before) - sum(after), sum(before), after[0]


def biggest(bands: Sequence[Band]) -> list[float]:
    """Greatest number in each band."""
    return [float(b.numbers.sum(axis=1).max(initial=0.0)) for b in bands]


SMALL = ("mite-egg", "thrips-egg", "whitefly-egg")


def icon(at: Point, name: str, scale: float) -> str:
    """An ink drawing at label size; the eggs that are drawn small twice as large."""
    size = scale * (2 if name in SMALL else 1)
    return (
        f'<g class="ico" transform="translate({num(at[0])} {num(at[1])}) '
        f'scale({size:g})">{drawing(name)}</g>'
    )


def stamp(at: Point, letter: str, size: float = 8) -> str:
    """A stage's letter in a small square."""
    x, y = at
    return (
        f'<rect class="stamp" x="{num(x - size)}" y="{num(y - size)}" '
        f'width="{num(2 * size)}" height="{num(2 * size)}"/>'
        f'<text class="stamp-letter" x="{num(x)}" y="{num(y + size * 0.55)}" '
        f'text-anchor="middle">{letter}</text>'
    )


def stamps(row: BandRow, data: ChartData, k: float, room: float, per_day: float) -> str:
    """Letters on the widest place of each stage that is at least `room` px high and
    clear of the strokes.
    """
    t = np.array([days_since(data, m) for m in data.moments])
    levels = edges(row.band.numbers, k)
    busy = [days_since(data, s.at) for s in data.strokes] + [
        days_since(data, data.now),
        float(t[0]),
    ]
    clear = np.array([min(abs(float(x) - b) for b in busy) * per_day > 12 for x in t])
    out = ""
    for c in range(5):
        thick = levels[:, c + 1] - levels[:, c]
        where = np.flatnonzero((thick >= room) & clear)
        if not len(where):
            continue
        best = where[int(np.argmax(thick[where]))]
        out += stamp(
            row.at(float(t[best]) + 0.001, float((levels[best, c + 1] + levels[best, c]) / 2)),
            data.letters[c],
        )
    return out


def handle(at: Point, state: str, turn: int = 0, scale: float = 1.0) -> str:
    """A plant label as a handle: ticked when done, filled with a ring when next, filled
    when set, outlined when spare.
    """
    body = "M-11 -15H11V7L4 15H-4L-11 7Z"
    inner = {
        "done": f'<path class="tick-mark" transform="rotate({-turn})" d="M-6 -2.5L-1.8 2.1L6 '
        '-7.5"/>',
        "next": '<path class="grip-on" d="M-5.5 -8H5.5M-5.5 -3H5.5M-5.5 2H5.5"/>',
        "planned": '<path class="grip-on" d="M-5.5 -8H5.5M-5.5 -3H5.5M-5.5 2H5.5"/>',
        "spare": "",
    }[state]
    ring = (
        '<path class="handle-ring" d="M-15 -19H15V9L6.5 19.5H-6.5L-15 9Z"/>'
        if state == "next"
        else ""
    )
    place = (
        f"translate({num(at[0])} {num(at[1])})"
        + (f" rotate({turn})" if turn else "")
        + (f" scale({scale:g})" if scale != 1 else "")
    )
    return f'<g transform="{place}">{ring}<path class="handle-{state}" d="{body}"/>{inner}</g>'


def slider(
    stroke: Stroke, n: int, at: Point, hit: tuple[float, float], speech: Speech, body: str
) -> str:
    """A handle that can be moved along the axis; its window is said. `n` counts the
    planned evenings from 0.
    """
    window = (
        f", window {speech.span(stroke.earliest.date(), stroke.latest.date())}"
        if stroke.earliest and stroke.latest
        else ""
    )
    wide, high = hit
    return (
        f'<g class="drag" role="slider" tabindex="0" data-drag="{n}" aria-label="Evening '
        f'{stroke.n}" aria-valuenow="{stroke.at.toordinal()}"'
        f' aria-valuemin="{(stroke.earliest or stroke.at).toordinal()}" '
        f'aria-valuemax="{(stroke.latest or stroke.at).toordinal()}"'
        f' aria-valuetext="{escape(speech.day(stroke.at) + window, quote=True)}">'
        f'<rect class="hit" x="{num(at[0] - wide / 2)}" y="{num(at[1] - high / 2)}" '
        f'width="{num(wide)}" height="{num(high)}"/>{body}</g>'
    )


def was_there(at: Point, turn: int = 0) -> str:
    """Where a handle stood before it was tried elsewhere."""
    spin = f" rotate({turn})" if turn else ""
    return (
        f'<path class="handle-was" transform="translate({num(at[0])} {num(at[1])}){spin}" '
        'd="M-11 -15H11V7L4 15H-4L-11 7Z"/>'
    )


def released(at: Point, turn: int = 0) -> str:
    """An evening that looks have taken back: its label, struck through."""
    spin = f" rotate({turn})" if turn else ""
    return (
        f'<g class="released" transform="translate({num(at[0])} {num(at[1])}){spin}">'
        '<path class="handle-spare" d="M-8 -11H8V5L3 11H-3L-8 5Z"/>'
        '<path class="struck" d="M-14 8L14 -8"/></g>'
    )


def glass(at: Point) -> str:
    """A look."""
    return (
        f'<g class="look-mark" transform="translate({num(at[0])} {num(at[1])})">'
        '<circle r="5.4"/><path d="M3.8 3.8L10 10"/></g>'
    )


def thorn(at: Point, turn: int = 0) -> str:
    """The first moment that anyone in the group could breed."""
    spin = f" rotate({turn})" if turn else ""
    return (
        f'<path class="thorn" transform="translate({num(at[0])} {num(at[1])}){spin}" d="M0 '
        '0L-5.2 -11H5.2Z"/>'
    )
