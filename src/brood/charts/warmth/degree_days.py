"""The degree-day bench: the sum since the biofix, day by day."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, timedelta

from brood.charts.pen.svg import figure, line, path, rect, text
from brood.services.voice.speech import Speech
from brood.services.warmth.degree_days import BenchResult

W, H, LEFT, RIGHT, TOP, FOOT = 1216.0, 330.0, 64.0, 70.0, 34.0, 34.0
ROUND = (1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000)


def draw(result: BenchResult, speech: Speech) -> str:
    """Cumulative degree-days: measured solid, forecast dotted, expected dashed, with
    the biofix marked.
    """
    scale = 1.0 if speech.unit == "C" else 9 / 5
    days = result.days
    most = max(days[-1].total * scale, 1.0)
    step = next((s for s in ROUND if most / s <= 6), ROUND[-1])
    first = days[0].day

    def x(day: date, end: bool = False) -> float:
        return LEFT + ((day - first).days + end) / len(days) * (W - LEFT - RIGHT)

    def y(total: float) -> float:
        return H - FOOT - total * scale / most * (H - FOOT - TOP)

    out = []
    for n in range(int(most / step) + 1):
        at = H - FOOT - n * step / most * (H - FOOT - TOP)
        out.append(
            line((LEFT, at), (W - RIGHT, at), "hair" if n == 0 else "dots")
            + text((LEFT - 8, at + 4), f"{n * step:g}", "curve-tick", "end")
        )
    out.append(text((LEFT - 8, TOP - 14), speech.heat(0).split()[1], "margin", "end"))
    out.append(_weeks(result, speech, x))
    for kind, cls in (("measured", "measured"), ("forecast", "forecast"), ("expected", "dashes")):
        points = [
            (x(d.day, end=True), y(d.total))
            for n, d in enumerate(days)
            if d.kind == kind or (n + 1 < len(days) and days[n + 1].kind == kind)
        ]
        if kind == "measured" and days[0].kind == "measured":
            points.insert(0, (x(first), y(0.0)))
        out.append(path(points, cls))
    biofix = result.bench.biofix or first
    out.append(
        line((x(biofix), TOP - 8), (x(biofix), H - FOOT), "today")
        + rect(x(biofix) - 1, TOP - 27, 56, 19, "ink-fill")
    )
    out.append(text((x(biofix) + 27, TOP - 13), "biofix", "on-ink", "middle"))
    out.append(
        text((W - RIGHT + 8, y(days[-1].total) + 5), f"{days[-1].total * scale:.0f}", "curve-end")
    )
    words = (
        f"From {speech.day(biofix)} to {speech.day(days[-1].day)}: {speech.heat(result.total)} "
        f"above {speech.warmth(result.bench.lower, 1)}."
    )
    return figure(W, H, "chart", "Degree-days since the biofix", words, "".join(out))


def _weeks(result: BenchResult, speech: Speech, x: Callable[[date], float]) -> str:
    out, free = "", 0.0
    for n in range(len(result.days)):
        day = result.days[0].day + timedelta(days=n)
        if speech.starts_week(day) and x(day) >= free:
            out += line((x(day), TOP), (x(day), H - FOOT), "hair") + text(
                (x(day) + 3, H - 12), speech.day(day), "margin"
            )
            free = x(day) + 96
    return out
