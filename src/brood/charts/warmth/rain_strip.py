"""The rain of a place, day by day: drops hang from the line, as long as much fell."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from brood.charts.pen.svg import figure, line, rect, text
from brood.core.biology.rain import HEAVY_MM
from brood.services.voice.speech import Speech
from brood.services.warmth.rain import RainLine

W, TOP, FOOT, LEFT = 640.0, 24.0, 84.0, 20.0
TALLEST_MM = 25.0


def draw(days: Sequence[RainLine], today: date, speech: Speech) -> str:
    """A bar for every day that is known; what is forecast is outlined."""
    step = (W - 2 * LEFT) / max(len(days), 1)
    out = [line((LEFT, FOOT), (W - LEFT, FOOT), "ink1")]
    heavy = FOOT - HEAVY_MM / TALLEST_MM * (FOOT - TOP)
    out.append(line((LEFT, heavy), (W - LEFT, heavy), "grid-line"))
    for n, one in enumerate(days):
        x = LEFT + n * step
        tall = min(one.mm or 0.0, TALLEST_MM) / TALLEST_MM * (FOOT - TOP)
        if one.mm:
            kind = "rain-ahead" if one.forecast else "rain"
            out.append(rect(x + step * 0.2, FOOT - tall, step * 0.6, tall, kind))
            said = speech.rain_amount(round(one.mm))
            out.append(text((x + step / 2, FOOT - tall - 4), said, "tick-note", "middle"))
        away = (one.on - today).days
        if away % 7 == 0:
            named = "today" if not away else speech.day_short(one.on)
            out.append(text((x + step / 2, FOOT + 16), named, "tick-note", "middle"))
    wet = [f"{speech.day_short(d.on)} {speech.rain(d.mm)}" for d in days if d.mm]
    return figure(
        W,
        FOOT + 24,
        "chart",
        "Rain, day by day",
        "; ".join(wet) or "No rain on the days that are known.",
        "".join(out),
    )
