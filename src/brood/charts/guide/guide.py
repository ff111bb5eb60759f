"""The field guide's pictures: stages at their true relative size, and days against temperature."""

from __future__ import annotations

import math
from collections.abc import Callable

from brood.charts.pen.svg import Point, drawing, figure, line, num, path, text, width
from brood.services.guide.guide import Curve, CurvePoint, PestGuide
from brood.services.voice.speech import UNITS, Speech

Scale = Callable[[float], float]
"""A quantity to px."""

BODY = {
    "mite-egg": 30,
    "mite-larva": 60,
    "mite-nymph": 78,
    "mite-rest": 78,
    "mite-adult": 97,
    "flat-mite-egg": 20,
    "flat-mite-nymph": 65,
    "flat-mite-adult": 90,
    "broad-mite-egg": 52,
    "broad-mite-rest": 92,
    "broad-mite-adult": 74,
    "thrips-egg": 20,
    "thrips-larva": 76,
    "thrips-pupa": 80,
    "thrips-adult": 106,
    "gnat-egg": 14,
    "gnat-larva": 110,
    "gnat-pupa": 74,
    "gnat-adult": 92,
    "whitefly-egg": 18,
    "whitefly-nymph": 77,
    "whitefly-pupa": 80,
    "whitefly-adult": 80,
    "aphid-nymph": 60,
    "aphid-adult": 84,
    "mealybug-egg": 13,
    "mealybug-crawler": 54,
    "mealybug-nymph": 70,
    "mealybug-adult": 88,
    "scale-lifted": 10,
    "scale-crawler": 51,
    "scale-nymph": 73,
    "scale-adult": 90,
    "armoured-nymph": 61,
    "armoured-adult": 84,
    "caterpillar-egg": 52,
    "caterpillar-larva": 108,
    "caterpillar-pupa": 96,
    "caterpillar-moth": 94,
    "caterpillar-butterfly": 68,
}
"""Length of the body (or of one egg) in a drawing's own units."""

SIZE_WIDTH, SIZE_HEIGHT, TALLEST = 1216.0, 236.0, 108.0
FEWEST_PX = 5.0


def sizes(result: PestGuide, speech: Speech) -> str:
    """Every stage at its true size beside the others, with a scale; what is too small
    to draw is a dot.
    """
    stages = result.record.stage
    longest = max(sum(s.length_mm) / 2 for s in stages)
    per_mm = TALLEST / longest
    column = SIZE_WIDTH / len(stages)
    middle = (SIZE_HEIGHT - 66) / 2
    out = [line((0, SIZE_HEIGHT - 66), (SIZE_WIDTH, SIZE_HEIGHT - 66), "hair")]
    for n, stage in enumerate(stages):
        x = column * (n + 0.5)
        long = sum(stage.length_mm) / 2 * per_mm
        body = BODY[stage.drawing]
        if long < FEWEST_PX:
            out.append(
                f'<circle class="dk" cx="{num(x)}" cy="{num(middle)}" '
                f'r="{num(max(long / 2, 0.8))}"/>'
            )
        else:
            scale = long / body
            out.append(
                f'<g class="true-size" transform="translate({num(x)} {num(middle)}) '
                f'scale({scale:.3f})">{drawing(stage.drawing)}</g>'
            )
        out.append(
            text(
                (x, SIZE_HEIGHT - 46),
                stage.name if column > width(stage.name, 13) else stage.id.replace("-", " "),
                "size-name",
                "middle",
            )
        )
        out.append(
            text((x, SIZE_HEIGHT - 29), speech.lengths(*stage.length_mm), "size-note", "middle")
        )
    out.append(_bar(per_mm, speech))
    words = ", ".join(f"{s.name} {speech.lengths(*s.length_mm)}" for s in stages)
    return figure(
        SIZE_WIDTH,
        SIZE_HEIGHT,
        "chart",
        f"Stages of {result.record.name} at their true relative size",
        words,
        "".join(out),
    )


def _bar(per_mm: float, speech: Speech) -> str:
    """A scale bar of a round length, 50 to 140 px wide."""
    unit_mm = speech.unit_mm
    length = next(
        v
        for v in (10**e * m for e in range(-4, 3) for m in (1, 2, 5))
        if v * unit_mm * per_mm >= 50
    )
    wide = length * unit_mm * per_mm
    y = SIZE_HEIGHT - 8
    marks = (
        line((2, y - 5), (2, y + 5), "ink1")
        + line((2, y), (2 + wide, y), "ink1")
        + line((2 + wide, y - 5), (2 + wide, y + 5), "ink1")
    )
    return marks + text((10 + wide, y + 5), f"{length:g} {speech.length_unit}", "size-note")


W, H, LEFT, RIGHT, TOP, FOOT = 760.0, 380.0, 54.0, 14.0, 30.0, 40.0
DAY_TICKS = (0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1000)


def curve(data: Curve, speech: Speech, title: str) -> str:
    """Days against temperature on a logarithmic scale: fitted line, band of
    individuals, tabulated points by grade.
    """
    low_c, high_c = (
        min([data.celsius[0], *(p.celsius for p in data.points)]) - 1,
        data.celsius[-1] + 1.5,
    )
    every = [*(s.fast or 1.0 for s in data.spans), *(p.days for p in data.points)]
    most = min(
        max([p.days for p in data.points], default=100.0) * 2.2,
        max(s.slow or 1.0 for s in data.spans),
    )
    low_d, high_d = math.log(min(every) * 0.85), math.log(most * 1.1)

    def x(celsius: float) -> float:
        return LEFT + (celsius - low_c) / (high_c - low_c) * (W - LEFT - RIGHT)

    def y(days: float) -> float:
        return (
            H
            - FOOT
            - (min(max(math.log(days), low_d), high_d) - low_d)
            / (high_d - low_d)
            * (H - FOOT - TOP)
        )

    out = [_axes(low_c, high_c, low_d, high_d, speech, x, y), _limits(data, speech, x)]
    shown = [i for i, days in enumerate(data.means) if math.log(days) < high_d + 0.4]
    upper = [(x(data.celsius[i]), y(data.spans[i].slow or 1)) for i in shown]
    lower = [(x(data.celsius[i]), y(data.spans[i].fast or 1)) for i in shown]
    out.append(path([*upper, *reversed(lower)], "curve-band", close=True))
    out.append(path([(x(data.celsius[i]), y(data.means[i])) for i in shown], "curve-line"))
    out += [_point((x(p.celsius), y(p.days)), p) for p in data.points]
    return figure(W, H, "chart", title, _words(data, speech), "".join(out))


def _axes(
    low_c: float, high_c: float, low_d: float, high_d: float, speech: Speech, x: Scale, y: Scale
) -> str:
    out = []
    for days in DAY_TICKS:
        if low_d <= math.log(days) <= high_d:
            out.append(
                line((LEFT, y(days)), (W - RIGHT, y(days)), "dots")
                + text((LEFT - 8, y(days) + 4), f"{days:g}", "curve-tick", "end")
            )
    step = 5 if speech.unit == "C" else 10
    first = math.ceil(speech.degrees(low_c) / step) * step
    for degrees in range(int(first), int(speech.degrees(high_c)) + 1, step):
        at = x(speech.celsius(degrees))
        out.append(
            line((at, H - FOOT), (at, H - FOOT + 5), "ink1")
            + text((at, H - FOOT + 20), str(degrees), "curve-tick", "middle")
        )
    out.append(
        line((LEFT, H - FOOT), (W - RIGHT, H - FOOT), "ink1")
        + line((LEFT, TOP), (LEFT, H - FOOT), "ink1")
    )
    out.append(
        text((LEFT - 8, TOP - 12), "days", "margin", "end")
        + text((W - RIGHT, H - 4), UNITS[speech.unit], "margin", "end")
    )
    return "".join(out)


def _limits(data: Curve, speech: Speech, x: Scale) -> str:
    """Where it is fastest, and where it ends."""
    _, fastest, end = data.limits
    lines = [
        line((x(c), TOP - 4), (x(c), H - FOOT), "curve-limit")
        for c in (fastest, end)
        if LEFT < x(c) < W - 4
    ]
    return "".join(lines) + text(
        (x(fastest) - 5, TOP + 6), f"no faster above {speech.warmth(fastest)}", "curve-note", "end"
    )


def _point(at: Point, p: CurvePoint) -> str:
    cls = "point" if p.used else "point-out"
    if p.grade == "C":
        return f'<path class="{cls}" d="M{num(at[0] - 4)} {num(at[1] - 4)}l8 8m0-8l-8 8"/>'
    return (
        f'<circle class="{cls}{" point-a" if p.grade == "A" else ""}" cx="{num(at[0])}" '
        f'cy="{num(at[1])}" r="4.5"/>'
    )


def _words(data: Curve, speech: Speech) -> str:
    said = [
        f"{speech.warmth(p.celsius)}: {p.days:g} days in the table, {p.fitted:.1f} fitted"
        for p in data.points
    ]
    return f"Days of {data.name} against temperature. " + "; ".join(said)
