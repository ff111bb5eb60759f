"""Tally gates: a count as strokes in fives."""

from __future__ import annotations

from brood.charts.pen.svg import line

MOST = 35
STEP, GATE, HIGH = 3.6, 21.0, 16.0


def draw(count: int) -> str:
    """Up to 35 strokes, every fifth across the four before it. It decorates the written
    number.
    """
    shown = min(count, MOST)
    out = []
    for n in range(shown):
        gate, place = divmod(n, 5)
        x = 2 + gate * GATE
        ends = (
            ((x - 1, HIGH - 1), (x + 15, 3.0))
            if place == 4
            else ((x + place * STEP + 2, 2.0), (x + place * STEP + 1, HIGH))
        )
        out.append(line(*ends, "tally-mark"))
    wide = 2 + (shown + 4) // 5 * GATE
    return (
        f'<svg class="tally-gates" viewBox="0 0 {wide:g} 18" width="{wide:g}" height="18" '
        f'aria-hidden="true">{"".join(out)}</svg>'
    )
