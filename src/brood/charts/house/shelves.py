"""The plan of a place: its shelves, the plants along them, what touches, shared trays,
where the air moves, and how each plant stands.
"""

from __future__ import annotations

from collections.abc import Sequence

from brood.charts.pen.svg import drawing, figure, line, num, rect, shortened, text
from brood.services.cases.beside import stay_of
from brood.services.house.neighbours import STATES, Standing

CELL, ROW, TOP, AIR = 104.0, 136.0, 8.0, 48.0
MOST = 40
"""Of a place with more plants than this only those are drawn that are not clear."""
SHORT = {
    "infested": "infested",
    "suspect": "suspect",
    "watched": "watched",
    "unseen": "not looked at",
    "clear": "clear",
}


def draw(name: str, draught: str, standings: Sequence[Standing]) -> str:
    """One shelf under the other; four states by outline and word."""
    shelves: dict[int, list[Standing]] = {}
    shown = (
        [s for s in standings if s.state != "clear"] if len(standings) > MOST else list(standings)
    )
    for standing in shown[:MOST]:
        stay = stay_of(standing.plant)
        shelves.setdefault(stay.shelf if stay else 1, []).append(standing)
    longest = max((len(row) for row in shelves.values()), default=1)
    head = AIR if draught else TOP
    w, h = max(longest, 2) * CELL + 8, head + ROW * max(len(shelves), 1)
    out = [_air(draught, w)]
    for n, (_, row) in enumerate(sorted(shelves.items())):
        out.append(_shelf(row, head + ROW * n, w))
    words = (
        "; ".join(
            f"{s.plant.name}: {STATES[s.state]}{f', {s.why}' if s.why else ''}" for s in standings
        )
        or "No plant stands here."
    )
    return figure(w, h, "chart shelves", f"Plan of {name}", words, "".join(out))


def _air(draught: str, w: float) -> str:
    if not draught:
        return ""
    head = w - 20 if draught == "right" else 20.0
    turn = -1 if draught == "right" else 1
    arrow = (
        line((20, 14), (w - 20, 14), "air")
        + f'<path class="air-head" d="M{num(head)} 14l{8 * turn} -5v10z"/>'
    )
    return arrow + text((w / 2, 29), "air moves this way", "margin", "middle")


def _shelf(row: Sequence[Standing], top: float, w: float) -> str:
    out, foot = [], top + 74
    for n, standing in enumerate(row):
        x = 4 + n * CELL
        stay = stay_of(standing.plant)
        out.append(
            rect(x + 14, top - 4, CELL - 28, 78, f"stand-{standing.state}")
            + vignette(standing.plant.kind, x + 20, top, 64)
        )
        out.append(
            text(
                (x + CELL / 2, foot + 24),
                shortened(standing.plant.name, CELL - 2),
                "shelf-name",
                "middle",
            )
        )
        out.append(
            text(
                (x + CELL / 2, foot + 42),
                SHORT[standing.state],
                f"shelf-state {standing.state}",
                "middle",
            )
        )
        if stay is not None and stay.touches and n + 1 < len(row):
            out.append(line((x + CELL - 18, top + 34), (x + CELL + 18, top + 34), "touching"))
        if stay is not None and stay.tray:
            out.append(line((x + 8, foot + 5), (x + CELL - 8, foot + 5), "tray"))
    return line((0, foot), (w, foot), "axis") + "".join(out)


def vignette(kind: str, x: float, y: float, size: float) -> str:
    """The picture of a kind of plant."""
    art = drawing(f"plant-{kind}") or drawing("plant-other")
    return (
        f'<g class="vig" transform="translate({num(x)} {num(y)}) scale({size / 100:.2f})">{art}</g>'
    )
