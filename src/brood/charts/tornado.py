"""How far each assumption moves the chance: bars to the left and the right of what it is, the widest on top."""

from __future__ import annotations

from collections.abc import Sequence

from brood.charts.svg import figure, line, rect, text
from brood.services.assumptions import Assumption

W, ROW, LEFT, RIGHT, TOP = 820.0, 46.0, 250.0, 40.0, 40.0


def draw(rows: Sequence[Assumption], chance: float) -> str:
    """One bar for each assumption, from the chance at its one end to that at its other, with both ends named."""
    height = TOP + ROW * len(rows) + 10

    def x(value: float) -> float:
        return LEFT + value * (W - LEFT - RIGHT)

    out = []
    for at in (0.0, 0.25, 0.5, 0.75, 1.0):
        out.append(line((x(at), TOP - 8), (x(at), height - 6), "hair") + text((x(at), TOP - 14), f"{100 * at:.0f}", "curve-tick", "middle"))
    out.append(text((0, TOP - 14), "chance in 100", "margin"))
    for n, row in enumerate(rows):
        y = TOP + n * ROW
        low, high = sorted((row.at_low, row.at_high))
        ends = (row.low, row.high) if row.at_low <= row.at_high else (row.high, row.low)
        out.append(text((0, y + 16), row.name, "label") + text((0, y + 33), row.value, "note2"))
        out.append(rect(x(low), y + 6, max(x(high) - x(low), 2), 18, "window-bar") + line((x(low), y + 3), (x(low), y + 27), "window-line"))
        out.append(line((x(high), y + 3), (x(high), y + 27), "window-line"))
        out.append(text((x(low), y + 40), ends[0], "note2", "middle" if low > 0.06 else "") + _far(x(low), x(high), y, ends[1]))
    out.append(line((x(chance), TOP - 8), (x(chance), height - 6), "today"))
    words = "; ".join(f"{r.name}: {r.at_low:.0%} at {r.low}, {r.at_high:.0%} at {r.high}" for r in rows)
    return figure(W, height, "chart", "What moves the chance most", words, "".join(out))


def _far(low: float, high: float, y: float, words: str) -> str:
    """The name of the far end, on the bar's own line where both ends stand close."""
    close = high - low < 90
    return text((high + 8, y + 20), words, "note2 halo") if close else text((high, y + 40), words, "note2", "middle" if high < W - 90 else "end")
