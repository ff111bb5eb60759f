"""Evenings across plants: each plant's windows in a row, and one line down through all
that an evening serves. On a phone time runs down.
"""

from __future__ import annotations

from datetime import date, timedelta
from html import escape

from brood.charts.pen.svg import circle, figure, line, num, path, rect, shortened, text
from brood.services.today.evenings_together import SPAN_DAYS, WindowsRow
from brood.services.today.today import TodayResult
from brood.services.voice.speech import Speech, listed, spelled

LEFT, WIDTH, HEAD, BAND = 142.0, 560.0, 92.0, 43.0
MOST_ROWS, SESSIONS = 10, 2
"""Of more rows, those whose window begins after the fortnight are left out. So many
evenings are drawn.
"""
TALL_DAYS = 7
TALL_LEFT, TALL_COLUMN, TALL_ROOM, TALL_HEAD, TALL_STEP = 74.0, 34.0, 280.0, 122.0, 40.0
PATH_HANDLE = "M-13 -16H13V8L5 17H-5L-13 8Z"


def draw(result: TodayResult, speech: Speech, *, wide: bool) -> str:
    """The fortnight on wide pages, the coming week on a phone."""
    rows = [r for r in result.rows if r.windows]
    return _wide(result, rows, speech) if wide else _tall(result, rows, speech)


def describe(result: TodayResult, speech: Speech) -> str:
    """The picture in words."""
    said = [
        f"{speech.day(s.on)}: {listed([r.row.plant.name for r in s.rows])}" for s in result.sessions
    ]
    return ". ".join(said) + "." if said else "No evening is planned."


# -- wide --


def _x(result: TodayResult, day: date, part: float = 0.0) -> float:
    column = (WIDTH - LEFT) / SPAN_DAYS
    return LEFT + min(max((day - result.first).days + part, 0.0), float(SPAN_DAYS)) * column


def _drawn(result: TodayResult, rows: list[WindowsRow]) -> list[WindowsRow]:
    """The rows in the order of their stops, without those far off where they are many."""
    last = result.first + timedelta(days=SPAN_DAYS - 1)
    near = [r for r in rows if len(rows) <= MOST_ROWS or r.windows[0][0] <= last]
    return sorted(near, key=lambda r: r.windows[0][2])


def _wide(result: TodayResult, rows: list[WindowsRow], speech: Speech) -> str:
    rows = _drawn(result, rows)
    foot = HEAD + BAND * len(rows)
    body = _days(result, speech, foot) + "".join(
        _row(result, row, HEAD + BAND * n, last=n == len(rows) - 1) for n, row in enumerate(rows)
    )
    body += "".join(
        _evening(result, n, rows, speech) for n in range(min(SESSIONS, len(result.sessions)))
    )
    return figure(
        WIDTH, foot + 2, "chart evenings", "Evenings across plants", describe(result, speech), body
    )


def _days(result: TodayResult, speech: Speech, foot: float) -> str:
    out, column = [], (WIDTH - LEFT) / SPAN_DAYS
    for n in range(SPAN_DAYS):
        day, here = result.first + timedelta(days=n), n == 1
        x, middle = _x(result, day), _x(result, day, 0.5)
        if day.weekday() >= 5:
            out.append(rect(x, 48, column, foot - 48, "weekend"))
        out.append(rect(x + 0.5, 2, column - 1, 44, "ink-fill") if here else "")
        name, number = speech.weekday(day.weekday())[:3], str(day.day)
        out.append(text((middle, 18), name, "on-ink" if here else "tick-note", "middle"))
        out.append(
            text((middle, 38), number, "day-number on-ink" if here else "day-number", "middle")
        )
    return "".join(out) + line((0, 48), (WIDTH, 48), "ink1")


def _row(result: TodayResult, row: WindowsRow, top: float, *, last: bool) -> str:
    middle = top + BAND / 2
    out = [
        text((0, middle - 2), shortened(row.row.plant.name, LEFT - 6, 14), "plant-name"),
        text((0, middle + 14), shortened(row.pest, LEFT - 6, 14), "note2"),
        line((0, top + BAND), (WIDTH, top + BAND), "ink1" if last else "hair"),
    ]
    end = result.first + timedelta(days=SPAN_DAYS)
    reached = 0.0
    for n, (first, _, closes) in enumerate(row.windows):
        if first >= end:
            break
        left, right = max(_x(result, first, 0.2), reached), _x(result, closes, 1.0)
        reached = right + 12
        if n:
            out.append(line((left, middle), (max(right, left + 4), middle), "evening-later"))
        else:
            out.append(rect(left, middle - 6, max(right - left, 6), 12, "window-bar"))
        if closes < end:
            half = 6 if n else 10
            stop = "evening-stop-later" if n else "breed-stop"
            out.append(line((right, middle - half), (right, middle + half), stop))
    return "".join(out)


def _evening(result: TodayResult, n: int, rows: list[WindowsRow], speech: Speech) -> str:
    """A line down through what an evening serves, its handle, and a bead on every
    window that it falls into.
    """
    session, nxt = result.sessions[n], n == 0
    served = [
        HEAD + BAND * k + BAND / 2 for k, row in enumerate(rows) if row.served_on == session.on
    ]
    if session.on >= result.first + timedelta(days=SPAN_DAYS) or not served:
        return ""
    x = _x(result, session.on, 0.5)
    out = line((x, 72), (x, served[-1]), "stroke-next" if nxt else "stroke-later")
    out += (
        f'<path class="{"handle-next" if nxt else "handle-open"}" '
        f'transform="translate({num(x)} 72) scale(.72)" d="{PATH_HANDLE}"/>'
    )
    out += "".join(
        line((x - 4.5, y), (x + 4.5, y), "grip-on" if nxt else "grip") for y in (66, 70, 74)
    )
    left = session.on - result.first < timedelta(days=SPAN_DAYS // 2) and n == 0
    said = "tonight" if session.on == result.first + timedelta(days=1) else ""
    at, anchor = (x - 15, "end") if left else (x + 15, "")
    if not left and x > WIDTH - 130:
        at, anchor = x - 15, "end"
    plants = f"{spelled(session.plants)} plant{'s' if session.plants > 1 else ''}"
    out += text(
        (at, 68), said or f"{speech.day_short(session.on)}, evening", "stroke-day halo", anchor
    )
    out += text((at, 83), plants, "note2 halo", anchor)
    for y in served:
        out += circle((x, y), 8 if nxt else 6, "bead-next" if nxt else "bead-later")
        out += path([(x - 3.6, y), (x - 1, y + 3), (x + 3.8, y - 3.2)], "tick-mark") if nxt else ""
    return out


# -- tall --


def _y(first: date, day: date, part: float) -> float:
    return TALL_HEAD + min(max((day - first).days + part, 0.0), float(TALL_DAYS)) * TALL_STEP


def _tall(result: TodayResult, rows: list[WindowsRow], speech: Speech) -> str:
    """The coming week with time running down. More plants than fit make it wider; the page
    scrolls it in a frame.
    """
    rows = _drawn(result, rows)
    first, foot = result.first + timedelta(days=1), TALL_HEAD + TALL_STEP * TALL_DAYS
    step = max(TALL_ROOM / max(len(rows), 1), TALL_COLUMN)
    step = min(step, 56.0)
    wide = max(TALL_LEFT + step * len(rows), TALL_LEFT + TALL_ROOM)
    places = [TALL_LEFT + step * (n + 0.5) for n in range(len(rows))]
    out = [
        _tall_day(first + timedelta(days=n), TALL_HEAD + n * TALL_STEP, wide, speech, here=n == 0)
        for n in range(TALL_DAYS)
    ]
    out.append(line((0, TALL_HEAD), (wide, TALL_HEAD), "ink1"))
    out += [_tall_row(row, x, first, foot) for x, row in zip(places, rows, strict=True)]
    for n, session in enumerate(result.sessions[:SESSIONS]):
        served = [x for x, row in zip(places, rows, strict=True) if row.served_on == session.on]
        if served and session.on < first + timedelta(days=TALL_DAYS):
            out.append(_tall_evening(_y(first, session.on, 0.5), served, nxt=n == 0))
    return figure(
        wide,
        foot + 2,
        "chart-tall evenings",
        "Evenings across plants",
        describe(result, speech),
        "".join(out),
    )


def _tall_day(day: date, top: float, wide: float, speech: Speech, *, here: bool) -> str:
    ground = rect(0, top, TALL_LEFT - 10, TALL_STEP, "ink-fill") if here else ""
    words = "on-ink-tall" if here else "tall-note2"
    name = text((5, top + 25), speech.weekday(day.weekday())[:3], words)
    name += text((TALL_LEFT - 16, top + 26), str(day.day), f"day-number {words}", "end")
    return ground + line((0, top + TALL_STEP), (wide, top + TALL_STEP), "hair") + name


def _tall_row(row: WindowsRow, x: float, first: date, foot: float) -> str:
    name = shortened(row.row.plant.name, TALL_HEAD - 12, 14)
    place = f'transform="translate({num(x + 5)} {num(TALL_HEAD - 8)}) rotate(-90)"'
    out, reached = [f'<text class="plant-name" {place}>{escape(name)}</text>'], 0.0
    for n, (start, _, last) in enumerate(row.windows):
        top, end = max(_y(first, start, 0.2), reached), _y(first, last, 1.0)
        reached = end + 10
        if top >= foot:
            break
        if n:
            out.append(line((x, top), (x, max(end, top + 4)), "evening-later"))
        else:
            out.append(rect(x - 7, top, 14, max(end - top, 5), "window-bar"))
        if end < foot:
            half = 7 if n else 12
            stop = "evening-stop-later" if n else "breed-stop"
            out.append(line((x - half, end), (x + half, end), stop))
    return "".join(out)


def _tall_evening(at: float, served: list[float], *, nxt: bool) -> str:
    start = (TALL_LEFT - 6, at)
    out = line(start, (served[-1], at), "stroke-next" if nxt else "stroke-later")
    for x in served:
        out += circle((x, at), 9 if nxt else 6.5, "bead-next" if nxt else "bead-later")
        out += (
            path([(x - 4, at), (x - 1, at + 3.4), (x + 4.6, at - 3.6)], "tick-mark") if nxt else ""
        )
    return out
