"""A pest's stages through the loupe, and at life size on a ruler."""

from __future__ import annotations

import math
from collections.abc import Sequence

from brood.charts.guide.guide import BODY
from brood.charts.pen.svg import Point, circle, drawing, figure, line, num, text
from brood.services.diagnosis.loupe import Loupe
from brood.services.voice.speech import Speech

R, MIDDLE = 158.0, 166.0
RULER_MM, CSS_MM = 70, 96 / 25.4
SMALLEST, LEGS = 0.2, 64.0
"""The smallest scale at which a drawing can still be read, and how far below its middle
a drawing with legs reaches.
"""


def magnified(loupe: Loupe, speech: Speech) -> str:
    """The stages at one scale, as large as the circle allows. What would be too small
    to see is drawn a little larger.
    """
    stages = loupe.stages
    longest = max(s.middle_mm for s in stages)
    per_mm = (112.0 if len(stages) < 4 else 84.0) / longest
    seats = _seats(len(stages))
    out = circle((MIDDLE, MIDDLE), R, "loupe-rim") + circle((MIDDLE, MIDDLE), R - 9, "loupe-glass")
    for k in range(120):
        across, down = math.cos(math.tau * k / 120), math.sin(math.tau * k / 120)
        inner, outer = (
            (MIDDLE + r * across, MIDDLE + r * down) for r in (R - 8, R - (3 if k % 5 else 1))
        )
        out += line(inner, outer, "fn")
    for stage, (x, y) in zip(sorted(stages, key=lambda s: -s.middle_mm), seats, strict=False):
        scale = max(stage.middle_mm * per_mm / BODY[stage.drawing], SMALLEST)
        out += (
            f'<g class="true-size" transform="translate({num(x)} {num(y)}) '
            f'scale({scale:.3f})">{drawing(stage.drawing)}</g>'
        )
        out += (
            f'<rect class="stamp" x="{num(x - 8)}" y="{num(y + LEGS * scale)}" width="17" '
            'height="17"/>'
        )
        out += text((x + 0.5, y + LEGS * scale + 13), stage.letter, "stamp-letter", "middle")
    bar = speech.unit_mm * next(
        n
        for n in (10, 5, 2, 1, 0.5, 0.2, 0.1, 0.05, 0.02, 0.01)
        if n * speech.unit_mm * per_mm <= 96
    )
    left = MIDDLE - bar * per_mm / 2
    out += line((left, 293), (left + bar * per_mm, 293), "ink1") + "".join(
        line((x, 288), (x, 298), "ink1") for x in (left, left + bar * per_mm)
    )
    out += text((MIDDLE, 311), speech.lengths(bar, bar), "size-note", "middle")
    names = ", ".join(f"{s.name} {speech.lengths(*s.length_mm)}" for s in stages)
    return figure(
        2 * MIDDLE, 2 * MIDDLE, "loupe", f"{loupe.record.name} through the loupe", names, out
    )


def _seats(n: int) -> Sequence[Point]:
    """Where the stages sit, the largest first."""
    return {
        1: [(166, 150)],
        2: [(210, 140), (106, 150)],
        3: [(216, 128), (112, 190), (100, 92)],
        4: [(214, 134), (104, 190), (190, 212), (94, 100)],
        5: [(222, 128), (108, 200), (190, 214), (70, 136), (132, 84)],
    }[min(n, 5)]


def life_size(loupe: Loupe, speech: Speech) -> str:
    """A ruler in mm, or in tenths of an inch, with every stage at its true size. It is drawn
    in mm and shown true once the screen is calibrated.
    """
    out = line((2, 14), (2 + RULER_MM, 14), "mm-line")
    tick = speech.unit_mm if speech.unit_mm == 1 else speech.unit_mm / 10
    for n in range(int(RULER_MM / tick) + 1):
        at = 2 + n * tick
        out += line(
            (at, 14), (at, 14 - (2.6 if n % 10 == 0 else 1.8 if n % 5 == 0 else 1.1)), "mm-tick"
        )
        if n % 10 == 0:
            named = n if speech.unit_mm == 1 else n // 10
            out += f'<text class="mm-n" x="{num(at)}" y="18">{named}</text>'
    stages = loupe.stages
    for k, stage in enumerate(stages):
        x, long = 8 + k * (RULER_MM - 8) / len(stages), stage.middle_mm
        scale = long / BODY[stage.drawing]
        out += (
            f'<g class="ico mm-art" transform="translate({x:.2f} 6) '
            f'scale({scale:.4f})">{drawing(stage.drawing)}</g>'
        )
        out += (
            f'<text class="mm-n" x="{x + max(long / 2, 1) + 1.4:.2f}" y="7">{stage.letter}</text>'
        )
    wide, high = RULER_MM + 6, 23
    return (
        f'<svg class="life-size" data-mm="{wide}" viewBox="0 -3 {wide} {high}" '
        f'width="{num(wide * CSS_MM)}" height="{num(high * CSS_MM)}" '
        f'role="img" aria-label="Stages at life size on a ruler of '
        f'{speech.lengths(RULER_MM, RULER_MM)}">{out}</svg>'
    )
