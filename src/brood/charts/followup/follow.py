"""Expected and seen: the expected band, what looks saw as dots, evenings as strokes,
and the course that the counts speak for.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import date

import numpy as np

from brood.charts.pen.svg import circle, figure, line, path, rect, text
from brood.services.cases.outlook import Dot
from brood.services.followup.follow_page import FollowChart
from brood.services.voice.speech import Speech, number

FEWEST = 0.3
Along = Callable[[date | float], float]


def draw(data: FollowChart, speech: Speech, *, wide: bool) -> str:
    """On a scale of tens, from the find to today."""
    w, h, left, right, top, foot = (
        (808.0, 330.0, 54.0, 130.0, 26.0, 36.0) if wide else (354.0, 330.0, 40.0, 10.0, 44.0, 36.0)
    )
    days = max((data.today - data.first).days, 1)
    most = 10.0 ** np.ceil(np.log10(max(*data.high, *(d.count for d in data.dots), 10.0)))
    note, tick = ("note2", "tick-note") if wide else ("tall-note2", "tall-note2")

    def x(day: date | float) -> float:
        n = (day - data.first).days if isinstance(day, date) else day
        return left + n / days * (w - left - right)

    def y(count: float) -> float:
        return float(
            h
            - foot
            - np.log10(max(count, FEWEST) / FEWEST) / np.log10(most / FEWEST) * (h - foot - top)
        )

    out = []
    count = 1.0
    while count <= most:
        out.append(
            line((left, y(count)), (w - right, y(count)), "ink1" if count == 1 else "grid-line")
        )
        out.append(text((left - 7, y(count) + 4), f"{count:,.0f}", tick, "end"))
        count *= 10
    out.append(
        text((left - 7, h - foot + 4), "0", tick, "end")
        + line((left, h - foot), (w - right, h - foot), "axis")
    )
    high = [(x(float(n)), y(v)) for n, v in enumerate(data.high)]
    low = [(x(float(n)), y(v)) for n, v in enumerate(data.low)]
    out.append(
        path([*high, *reversed(low)], "spread-area", close=True)
        + path(high, "dotted")
        + path(low, "dotted")
    )
    out.append(path([(x(float(n)), y(v)) for n, v in enumerate(data.mid)], "expected-line"))
    out.append(path([(x(float(n)), y(v)) for n, v in enumerate(data.learnt)], "learnt-line"))
    for day in data.evenings:
        at = min((day - data.first).days + 0.4, float(days))
        out.append(line((x(at), top), (x(at), h - foot), "stroke"))
        out.append(
            f'<path class="handle-done" transform="translate({x(at):.1f} {top - 4:.1f}) '
            'scale(.5)" d="M-11 -15H11V7L4 15H-4L-11 7Z"/>'
        )
    out += [_dot(x, y, dot) for dot in data.dots]
    out.append(_ends(data, y, w, right, wide) + _days(data, speech, x, h - foot, tick, wide))
    if not wide:
        out.append(text((0, 14), "Grey: expected. Line: by the counts. Rings: seen.", note))
    return figure(
        w,
        h,
        "chart" if wide else "chart-tall",
        "Expected against seen",
        describe(data, speech),
        "".join(out),
    )


def _dot(x: Along, y: Callable[[float], float], dot: Dot) -> str:
    """What a look saw. The dot is as wide as its day is vague; an open ring at the foot
    means nothing alive.
    """
    at = (x(dot.on), y(dot.count))
    reach = x(float(dot.spread_days)) - x(0.0)
    vague = line((at[0] - reach, at[1]), (at[0] + reach, at[1]), "seen-vague") if reach else ""
    return vague + circle(at, 6.5, "seen" if dot.count else "seen-none")


def _ends(
    data: FollowChart, y: Callable[[float], float], w: float, right: float, wide: bool
) -> str:
    """The two courses named at their ends, apart from each other."""
    if not wide:
        return ""
    expected, learnt = y(data.mid[-1]), y(data.learnt[-1])
    if abs(expected - learnt) < 34:
        middle = (expected + learnt) / 2
        expected, learnt = (
            (middle + 17, middle - 17)
            if data.mid[-1] <= data.learnt[-1]
            else (middle - 17, middle + 17)
        )
    at = w - right + 10
    return (
        text((at, learnt), "by the counts", "label")
        + text((at, learnt + 15), f"about {number(data.learnt[-1])}", "note2")
        + text((at, expected), "expected", "margin")
        + text((at, expected + 15), f"about {number(data.mid[-1])}", "note2")
    )


def _days(data: FollowChart, speech: Speech, x: Along, foot: float, tick: str, wide: bool) -> str:
    days = (data.today - data.first).days
    step = max(1, -(-days // (7 if wide else 3)))
    out = ""
    for n in range(0, days + 1, step):
        day = date.fromordinal(data.first.toordinal() + n)
        out += line((x(float(n)), foot), (x(float(n)), foot + 5), "ink1")
        out += text((x(float(n)), foot + 20), speech.day_short(day), tick, "middle" if n else "")
    return out + rect(x(float(days)), foot - 3, 1.6, 12, "ink-fill")


def describe(data: FollowChart, speech: Speech) -> str:
    """The picture in words."""
    seen = "; ".join(f"{speech.day(d.on)}: {d.seen:g} seen" for d in data.dots)
    return (
        f"Expected on {speech.day(data.today)}: about {number(data.mid[-1])} in the open, "
        f"by the counts about {number(data.learnt[-1])}. "
        f"{seen}."
    )
