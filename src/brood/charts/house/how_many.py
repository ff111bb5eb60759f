"""A leaf with few, dozens or hundreds of animals on it, for choosing by picture."""

from __future__ import annotations

import math

from brood.charts.pen.svg import num

ON_A_LEAF = {"few": 4, "dozens": 28, "hundreds": 130}
"""So many are drawn. Hundreds are too many to count, and need no more than to look so."""
TURN = math.pi * (3.0 - math.sqrt(5.0))
"""The golden angle: points set one after the other by it lie evenly over a disc."""
LEAF = "M12 50C40 4 112 2 150 46C118 92 44 98 12 50Z"
RIBS = "M12 50C60 46 104 44 150 46M52 47L66 24M52 48L70 74M84 46L100 22M84 46L104 72"
MIDDLE, WIDE, HIGH = (84.0, 48.0), 54.0, 31.0


def draw(how_many: str) -> str:
    """The inside of the picture, 162 by 98."""
    count = ON_A_LEAF[how_many]
    marks = "".join(_animal(n, count) for n in range(count))
    return f'<path class="bd" d="{LEAF}"/><path class="fn" d="{RIBS}"/>{marks}'


def _animal(n: int, count: int) -> str:
    out, turn = math.sqrt((n + 0.5) / count), n * TURN + 0.6
    x, y = MIDDLE[0] + WIDE * out * math.cos(turn), MIDDLE[1] + HIGH * out * math.sin(turn)
    size = 3.4 if count < 10 else 2.8 if count < 60 else 1.9
    where = f"rotate({num(math.degrees(turn) % 180)} {num(x)} {num(y)})"
    return (
        f'<ellipse class="dk" cx="{num(x)}" cy="{num(y)}" rx="{num(size * 1.5)}" ry="{num(size)}" '
        f'transform="{where}"/>'
    )
