"""The chance that anything is alive, falling look by look to one in a hundred."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date

import numpy as np

from brood.charts.pen.svg import Point, circle, figure, line, num, path, rect, text
from brood.core.followup.all_clear import SURE, Clearing
from brood.services.voice.speech import Speech

LEAST, NAME_WIDTH = 0.002, 54.0
MARKS = (
    (1.0, "certain"),
    (0.5, "50 in 100"),
    (0.1, "10 in 100"),
    (0.02, "2 in 100"),
    (SURE, "1 in 100"),
)


def draw(found: Clearing, today: date, speech: Speech, *, wide: bool) -> str:
    """From today to the all-clear, or as far as can be foreseen."""
    w, h, left, right, top, foot = (
        (808.0, 300.0, 74.0, 20.0, 40.0, 40.0) if wide else (354.0, 330.0, 66.0, 8.0, 40.0, 40.0)
    )
    first, last = found.if_clean[0][0], max(found.if_clean[-1][0], today)
    span = max((last - first).days, 1)
    tick = "tick-note" if wide else "tall-note2"

    def x(day: date) -> float:
        return left + min(max((day - first).days, 0), span) / span * (w - left - right)

    def y(chance: float) -> float:
        return float(top + np.log(max(chance, LEAST)) / np.log(LEAST) * (h - foot - top))

    out = [rect(left, y(SURE), w - left - right, h - foot - y(SURE), "clear-ground")]
    for chance, words in MARKS:
        out.append(
            line(
                (left, y(chance)), (w - right, y(chance)), "ink1" if chance == SURE else "grid-line"
            )
        )
        out.append(text((left - 8, y(chance) + 4), words, tick, "end"))
    out.append(
        path(_stairs(found.curve, x, y, last), "no-look-line")
        + path(_stairs(found.if_clean, x, y, last), "spread-mean")
    )
    looks = [(look.on, True) for look in found.clean_looks] + [(n.on, False) for n in found.needed]
    out += [
        _loupe(x(day), y(_at(found.if_clean, day)), done) for day, done in looks if day >= first
    ]
    out += [
        line((x(today), top - 8), (x(today), h - foot), "today"),
        line((left, h - foot), (w - right, h - foot), "axis"),
    ]
    said = (
        speech.day_short
        if (first.month, first.year) == (last.month, last.year)
        else speech.day_month
    )
    out.append(_names(found, today, said, x, (w - right, h - foot), tick))
    if found.back and found.back >= first and found.back != found.closed:
        out.append(line((x(found.back), top - 8), (x(found.back), h - foot), "flag-pole"))
        out.append(text((x(found.back) + 6, h - foot - 8), "back", "tick-note halo"))
    if found.closed and found.closed >= first:
        out.append(_flag(x(found.closed), top, h - foot, said(found.closed), wide))
    return figure(
        w,
        h,
        "chart" if wide else "chart-tall",
        "Chance that anything is alive",
        describe(found, speech),
        "".join(out),
    )


def _stairs(
    curve: Sequence[tuple[date, float]],
    x: Callable[[date], float],
    y: Callable[[float], float],
    last: date,
) -> list[Point]:
    return [(x(day), y(chance)) for day, chance in curve if day <= last]


def _at(curve: Sequence[tuple[date, float]], day: date) -> float:
    return next((chance for on, chance in curve if on >= day), curve[-1][1])


def _loupe(x: float, y: float, done: bool) -> str:
    """A look: filled when it was made."""
    return circle((x, y), 7, "look-done" if done else "look-needed") + line(
        (x + 5, y + 5), (x + 12, y + 12), "look-grip"
    )


def _flag(x: float, top: float, foot: float, day: str, wide: bool) -> str:
    pole = (
        line((x, top - 22), (x, foot), "flag-pole")
        + f'<path class="flag" d="M{num(x)} {num(top - 22)}h-26l7 7l-7 7h26z"/>'
    )
    return pole + text(
        (x - 32, top - 11), f"closed {day}", "flag-words" if wide else "flag-words-tall", "end"
    )


def _names(
    found: Clearing,
    today: date,
    said: Callable[[date], str],
    x: Callable[[date], float],
    corner: Point,
    tick: str,
) -> str:
    """The days under the looks. None stands over another, and none beyond the corner at
    the right.
    """
    out, reached = "", -99.0
    edge, foot = corner
    days = sorted(
        {
            today,
            *(n.on for n in found.needed),
            *(look.on for look in found.clean_looks if look.on >= found.if_clean[0][0]),
        }
    )
    for day in days:
        at = x(day)
        if at - reached > NAME_WIDTH + 6:
            last = at + NAME_WIDTH / 2 > edge
            out += line((at, foot), (at, foot + 5), "ink1")
            out += text(
                (edge if last else at, foot + 21),
                "today" if day == today else said(day),
                tick,
                "end" if last else "middle",
            )
            reached = edge - NAME_WIDTH / 2 if last else at
    return out


def describe(found: Clearing, speech: Speech) -> str:
    """The picture in words."""
    steps = "; ".join(
        f"{speech.day(day)}: {100 * chance:.0f} in 100"
        for day, chance in found.if_clean[:: max(1, len(found.if_clean) // 6)]
    )
    return f"Chance that anything lives, if every look finds nothing: {steps}."
