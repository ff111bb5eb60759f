"""What a plant has had in 30 days: a stroke for every evening, thick where its leaves were
sprayed, thin for work by hand.
"""

from __future__ import annotations

from datetime import timedelta

from brood.charts.pen.svg import figure, line, rect, text
from brood.core.course.problem import SPRAY_DAYS
from brood.services.house.load import SPAN_DAYS, Load
from brood.services.voice.speech import Speech, days

W, TOP, FOOT, LEFT = 360.0, 26.0, 74.0, 6.0
THIN, THICK = 2.0, 7.0


def draw(load: Load, speech: Speech) -> str:
    """The strip, with the span in which sprays count."""
    step = (W - 2 * LEFT) / SPAN_DAYS

    def x(ago: int) -> float:
        return W - LEFT - (ago + 0.5) * step

    span = x(SPRAY_DAYS - 1) - step / 2
    counted = f"{load.sprays} of {load.most} sprays in {days(SPRAY_DAYS)}"
    out = [
        rect(span, TOP, W - LEFT - span, FOOT - TOP, "load-span"),
        text((span + 6, TOP - 8), counted, "tick-note"),
        line((LEFT, FOOT), (W - LEFT, FOOT), "ink1"),
    ]
    for one in load.had:
        wide = THICK if one.wears else THIN
        at = x((load.today - one.on).days) - wide / 2
        top = TOP + 6 if one.wears else TOP + 18
        out.append(rect(at, top, wide, FOOT - top, "load" if one.wears else "load-hand"))
    for ago in range(0, SPAN_DAYS, 7):
        named = "today" if not ago else speech.day_month(load.today - timedelta(days=ago))
        place = "end" if not ago else "middle"
        at = W - LEFT if not ago else x(ago)
        out.append(text((at, FOOT + 18), named, "tick-note", place))
    said = [
        f"{speech.day_short(d.on)} {'sprayed' if d.wears else 'treated by hand'}" for d in load.had
    ]
    return figure(
        W,
        FOOT + 26,
        "chart",
        f"What it has had in {days(SPAN_DAYS)}: {counted}",
        "; ".join(said) or "Nothing.",
        "".join(out),
    )
