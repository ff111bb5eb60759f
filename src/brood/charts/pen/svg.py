"""Small pieces of SVG: numbers, paths, text."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache
from html import escape
from importlib.resources import files

Point = tuple[float, float]


def num(value: float) -> str:
    """A coordinate with at most one decimal."""
    text = f"{value:.1f}".rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text


def path(points: Sequence[Point], cls: str, *, close: bool = False) -> str:
    """A path through points; empty for fewer than two."""
    if len(points) < 2:
        return ""
    return (
        f'<path class="{cls}" '
        f'd="M{"L".join(f"{num(x)} {num(y)}" for x, y in points)}{"Z" if close else ""}"/>'
    )


def line(a: Point, b: Point, cls: str) -> str:
    """A straight line."""
    return f'<path class="{cls}" d="M{num(a[0])} {num(a[1])}L{num(b[0])} {num(b[1])}"/>'


def rect(x: float, y: float, w: float, h: float, cls: str) -> str:
    """A rectangle. A negative size is turned round."""
    x, w = (x + w, -w) if w < 0 else (x, w)
    y, h = (y + h, -h) if h < 0 else (y, h)
    return f'<rect class="{cls}" x="{num(x)}" y="{num(y)}" width="{num(w)}" height="{num(h)}"/>'


def circle(at: Point, r: float, cls: str) -> str:
    """A circle."""
    return f'<circle class="{cls}" cx="{num(at[0])}" cy="{num(at[1])}" r="{num(r)}"/>'


def text(at: Point, words: str, cls: str = "", anchor: str = "") -> str:
    """A line of text. `anchor` is middle, end or empty."""
    side = f' text-anchor="{anchor}"' if anchor else ""
    return f'<text class="{cls}" x="{num(at[0])}" y="{num(at[1])}"{side}>{escape(words)}</text>'


def width(words: str, size: float = 12.5) -> float:
    """The approximate width of a text in px, rather too wide than too narrow."""
    return len(words) * size * 0.545


def shortened(words: str, room: float, size: float = 12.5) -> str:
    """A text that fits into a width in px; its end is replaced by an ellipsis where
    necessary.
    """
    if width(words, size) <= room:
        return words
    return words[: max(int(room / width("x", size)) - 1, 1)].rstrip() + "…"


def simplify(points: Sequence[Point], tolerance: float = 0.3) -> list[Point]:
    """Fewer points on the same line, none farther off than `tolerance` px (Douglas &
    Peucker 1973, Cartographica 10:112–122).
    """
    keep = [False] * len(points)
    stack = [(0, len(points) - 1)] if points else []
    while stack:
        first, last = stack.pop()
        keep[first] = keep[last] = True
        (ax, ay), (bx, by) = points[first], points[last]
        dx, dy = bx - ax, by - ay
        length = (dx * dx + dy * dy) ** 0.5 or 1.0
        worst, where = tolerance, -1
        for i in range(first + 1, last):
            off = abs((points[i][0] - ax) * dy - (points[i][1] - ay) * dx) / length
            if off > worst:
                worst, where = off, i
        if where > 0:
            stack += [(first, where), (where, last)]
    return [p for p, kept in zip(points, keep, strict=True) if kept]


@cache
def drawing(name: str) -> str:
    """The inside of an ink drawing by name, or nothing when there is none."""
    source = files("brood.charts") / "drawings" / f"{name}.svg"
    return source.read_text("utf-8").strip() if source.is_file() else ""


@cache
def _named() -> tuple[tuple[str, str, str], ...]:
    """Every drawing: its name, its inside, and how the page goes on to it where it is
    drawn in one way only.
    """
    folder = files("brood.charts") / "drawings"
    names = sorted(f.name.removesuffix(".svg") for f in folder.iterdir() if f.name.endswith("svg"))
    return tuple(
        (name, art, "" if name.startswith("plant-") else 'aria-hidden="true">')
        for name in names
        if (art := drawing(name))
    )


def once_each(page: str) -> str:
    """A page in which every drawing stands once, and is referred to where it comes again."""
    for name, art, before in _named():
        first = page.find(before + art)
        if first < 0:
            continue
        rest = page[first + len(before + art) :]
        if before + art not in rest:
            continue
        again = rest.replace(before + art, f'{before}<use href="#art-{name}"/>')
        page = f'{page[:first]}{before}<g id="art-{name}">{art}</g>{again}'
    return page


def figure(
    w: float,
    h: float,
    cls: str,
    title: str,
    desc: str,
    body: str,
    *,
    role: str = "img",
    data: dict[str, str] | None = None,
) -> str:
    """A whole picture with its name and description. `role` is group for one with
    things to move; `data` is for what moves them.
    """
    more = "".join(
        f' data-{key}="{escape(value, quote=True)}"' for key, value in (data or {}).items()
    )
    return (
        f'<svg class="{cls}" viewBox="0 0 {num(w)} {num(h)}" width="{num(w)}" '
        f'height="{num(h)}" role="{role}"{more}'
        f' aria-label="{escape(title, quote=True)}"><desc>{escape(desc)}</desc>{body}</svg>'
    )
