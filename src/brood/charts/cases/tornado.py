"""How far each assumption moves the chance: bars to the left and right of the present
chance, the widest on top.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from brood.charts.pen.svg import figure, line, rect, text
from brood.services.cases.assumptions import Assumption

TOP = 40.0
WIDE, NARROW = (820.0, 250.0, 40.0, 46.0, 0.0), (354.0, 16.0, 16.0, 66.0, 20.0)
"""Width, left and right of the scale, height of a row, and how far the bar stands under
the row's top.
"""


def draw(rows: Sequence[Assumption], chance: float, *, wide: bool = True) -> str:
    """One bar for each assumption, from the chance at its one end to that at its other.
    Both ends are named; the names stand beside or above the bars.
    """
    w, left, right, row_px, drop = WIDE if wide else NARROW
    height = TOP + row_px * len(rows) + 10

    def x(value: float) -> float:
        return left + value * (w - left - right)

    out = []
    for at in (0.0, 0.25, 0.5, 0.75, 1.0):
        out.append(
            line((x(at), TOP - 8), (x(at), height - 6), "hair")
            + text((x(at), TOP - 14), f"{100 * at:.0f}", "curve-tick", "middle")
        )
    out.append(text((0, TOP - (14 if wide else 30)), "chance in 100", "margin"))
    out.append(line((x(chance), TOP - 8), (x(chance), height - 6), "today"))
    for n, row in enumerate(rows):
        y = TOP + n * row_px
        side = (
            text((0, y + 33), row.value, "note2")
            if wide
            else text((w, y + 16), row.value, "note2 halo", "end")
        )
        out.append(text((0, y + 16), row.name, "label halo") + side + _bar(row, y + drop, x, w))
    words = "; ".join(
        f"{r.name}: {r.at_low:.0%} at {r.low}, {r.at_high:.0%} at {r.high}" for r in rows
    )
    return figure(w, height, "chart", "What moves the chance most", words, "".join(out))


def _bar(row: Assumption, y: float, x: Callable[[float], float], w: float) -> str:
    """A bar with its two ends named."""
    low, high = sorted((row.at_low, row.at_high))
    # The ends are named by the number that is assumed there, and not by the chance.
    ends = (row.low, row.high) if row.at_low <= row.at_high else (row.high, row.low)
    out = rect(x(low), y + 6, max(x(high) - x(low), 2), 18, "window-bar") + line(
        (x(low), y + 3), (x(low), y + 27), "window-line"
    )
    out += line((x(high), y + 3), (x(high), y + 27), "window-line")
    if x(high) - x(low) < 90:
        side = "middle" if 0.1 < low < 0.8 else "end" if low >= 0.8 else ""
        return out + text(
            (min(x(low), w - 60), y + 40), f"if {ends[0]} to {ends[1]}", "note2 halo", side
        )
    far = "middle" if x(high) < w - 90 else "end"
    near = "middle" if low > 0.06 else ""
    return (
        out
        + text((x(low), y + 40), f"if {ends[0]}", "note2 halo", near)
        + text((x(high), y + 40), f"if {ends[1]}", "note2 halo", far)
    )
