"""Evenings across plants: each plant's windows in a row, and one line down through all
that an evening serves. On a phone time runs down.
"""

from __future__ import annotations

from datetime import date, timedelta

from brood.charts.pen.svg import circle, drawing, figure, line, num, path, rect, shortened, text
from brood.services.house.evenings_together import SPAN_DAYS, WindowsRow
from brood.services.house.today import TodayResult
from brood.services.voice.speech import Speech, listed

LEFT, WIDTH, HEAD, BAND = 206.0, 808.0, 92.0, 58.0
TALL_DAYS, TALL_ROWS = 8, 6
TALL_LEFT, TALL_WIDTH, TALL_HEAD, TALL_STEP = 76.0, 354.0, 62.0, 47.0
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


def _wide(result: TodayResult, rows: list[WindowsRow], speech: Speech) -> str:
    foot = HEAD + BAND * len(rows)
    body = _days(result, speech, foot) + "".join(
        _row(result, row, HEAD + BAND * n) for n, row in enumerate(rows)
    )
    body += "".join(_evening(result, n, rows, foot, speech) for n in range(len(result.sessions)))
    body += _counts(result, foot)
    return figure(
        WIDTH, foot + 40, "chart evenings", "Evenings across plants", describe(result, speech), body
    )


def _days(result: TodayResult, speech: Speech, foot: float) -> str:
    out = [line((0, 52), (WIDTH, 52), "ink1"), line((0, foot), (WIDTH, foot), "ink1")]
    for n in range(SPAN_DAYS):
        day = result.first + timedelta(days=n)
        x, middle = _x(result, day), _x(result, day, 0.5)
        out.append(
            line((x, 36), (x, foot + 34), "hair" if speech.starts_week(day) else "grid-line")
        )
        here = n == 1
        out.append(rect(x, 2, (WIDTH - LEFT) / SPAN_DAYS, 46, "ink-fill") if here else "")
        name, number = speech.weekday(day.weekday())[:3], str(day.day)
        out.append(text((middle, 18), name, "on-ink" if here else "tick-note", "middle"))
        out.append(
            text((middle, 40), number, "day-number on-ink" if here else "day-number", "middle")
        )
    now = _x(result, result.first + timedelta(days=1), 0.75)
    return "".join(out) + line((now, 48), (now, foot), "today")


def _row(result: TodayResult, row: WindowsRow, top: float) -> str:
    middle = top + BAND / 2
    out = [
        vignette(row.row.plant.kind, 0, middle - 22, 44),
        text((54, middle - 2), shortened(row.row.plant.name, LEFT - 56, 14), "label"),
        text((54, middle + 16), shortened(row.pest, LEFT - 42), "note2"),
        line((0, top + BAND), (WIDTH, top + BAND), "hair"),
    ]
    end = result.first + timedelta(days=SPAN_DAYS)
    reached = 0.0
    for n, (first, target, last) in enumerate(row.windows):
        if first >= end:
            break
        left, right = max(_x(result, first, 0.2), reached), _x(result, last, 1.0)
        reached = right + 12
        out.append(
            rect(
                left,
                middle - 9,
                max(right - left, 6),
                18,
                "window-bar" if n == 0 else "window-later",
            )
        )
        if last < end:
            out.append(line((right, middle - 13), (right, middle + 13), "breed-stop"))
            out.append(f'<path class="thorn" d="M{num(right + 2)} {num(middle)}l8 -5v10z"/>')
        if n and _x(result, target, 0.8) > left:
            out.append(circle((_x(result, target, 0.8), middle), 5.5, "bead-later"))
    return "".join(out)


def vignette(kind: str, x: float, y: float, size: float) -> str:
    art = drawing("plant-" + kind) if kind else ""
    if not art:
        art = (
            '<path class="ln" d="M50 74V38M50 52C36 52 28 42 26 30C40 30 50 38 50 52ZM50 '
            '44C50 32 60 24 74 24C74 36 64 44 50 44Z"/>'
            '<path class="bd" d="M32 74H68L63 96H37Z"/><path class="bd" d="M29 68H71V76H29Z"/>'
        )
    return (
        f'<g class="vig" transform="translate({num(x)} {num(y)}) scale({size / 100:.2f})">{art}</g>'
    )


def _evening(
    result: TodayResult, n: int, rows: list[WindowsRow], foot: float, speech: Speech
) -> str:
    """A line down through what an evening serves, its handle, and a bead on every
    window that it falls into.
    """
    session = result.sessions[n]
    if session.on >= result.first + timedelta(days=SPAN_DAYS):
        return ""
    x = _x(result, session.on, 0.8)
    served = [
        HEAD + BAND * k + BAND / 2 for k, row in enumerate(rows) if row.served_on == session.on
    ]
    nxt = n == 0
    out = line((x, 72), (x, served[-1]), "stroke-next" if nxt else "stroke-later") + line(
        (x, served[-1]), (x, foot), "dots"
    )
    out += (
        f'<path class="{"handle-next" if nxt else "handle-planned"}" '
        f'transform="translate({num(x)} 72) scale(.82)" d="{PATH_HANDLE}"/>'
    )
    grip = "grip-on" if nxt else "grip"
    out += "".join(line((x - 5, y), (x + 5, y), grip) for y in (66, 70, 74))
    if nxt:
        out += text(
            (x - 16, 69), f"{speech.day_short(session.on)}, evening", "stroke-day halo", "end"
        )
        out += text(
            (x - 16, 84),
            f"{session.plants} plant{'s' if session.plants > 1 else ''}",
            "note2 halo",
            "end",
        )
    for y in served:
        out += circle((x, y), 9, "bead-next" if nxt else "bead-later")
        out += path([(x - 4, y), (x - 1, y + 3.4), (x + 4.6, y - 3.6)], "tick-mark") if nxt else ""
    return out


def _counts(result: TodayResult, foot: float) -> str:
    out = text((0, foot + 24), "plants that could be treated", "margin")
    for n, count in enumerate(result.counts):
        day = result.first + timedelta(days=n)
        on = result.chosen is not None and day == result.chosen.on
        if n and count:
            middle = _x(result, day, 0.5)
            out += rect(middle - 15, foot + 7, 30, 24, "spray-fill") if on else ""
            out += text(
                (middle, foot + 24),
                str(count),
                "day-number on-ink" if on else "day-number",
                "middle",
            )
    return out


# -- tall --


def _y(first: date, day: date, part: float) -> float:
    return TALL_HEAD + min(max((day - first).days + part, 0.0), float(TALL_DAYS)) * TALL_STEP


def _tall(result: TodayResult, rows: list[WindowsRow], speech: Speech) -> str:
    rows = rows[:TALL_ROWS]
    first, foot = result.first + timedelta(days=1), TALL_HEAD + TALL_STEP * TALL_DAYS
    step = (TALL_WIDTH - TALL_LEFT - 20) / max(len(rows), 1)
    places = [TALL_LEFT + 24 + step * (n + 0.5) for n in range(len(rows))]
    out = [
        _tall_day(first + timedelta(days=n), TALL_HEAD + n * TALL_STEP, speech, here=n == 0)
        for n in range(TALL_DAYS)
    ]
    out.append(line((0, foot), (TALL_WIDTH, foot), "hair"))
    out += [_tall_row(row, x, first, foot) for x, row in zip(places, rows, strict=True)]
    for n, session in enumerate(result.sessions):
        served = [x for x, row in zip(places, rows, strict=True) if row.served_on == session.on]
        if served and session.on < first + timedelta(days=TALL_DAYS):
            out.append(_tall_evening(_y(first, session.on, 0.8), served, nxt=n == 0))
    return figure(
        TALL_WIDTH,
        foot + 4,
        "chart-tall evenings",
        "Evenings across plants",
        describe(result, speech),
        "".join(out),
    )


def _tall_day(day: date, top: float, speech: Speech, *, here: bool) -> str:
    ground = rect(0, top, 66, TALL_STEP, "ink-fill") if here else ""
    words = "on-ink-tall" if here else "tall-note2"
    name = text((6, top + 29), speech.weekday(day.weekday())[:3], words) + text(
        (60, top + 30), str(day.day), f"day-number {words}", "end"
    )
    return ground + line((0, top), (TALL_WIDTH, top), "ink1" if here else "hair") + name


def _tall_row(row: WindowsRow, x: float, first: date, foot: float) -> str:
    out, reached = [vignette(row.row.plant.kind, x - 21, 6, 42)], 0.0
    for n, (start, target, last) in enumerate(row.windows):
        top, end = max(_y(first, start, 0.2), reached), _y(first, last, 1.0)
        reached = end + 12
        if top >= foot:
            break
        out.append(
            rect(x - 10, top, 20, max(end - top, 5), "window-bar" if n == 0 else "window-later")
        )
        if end < foot:
            out.append(
                line((x - 14, end), (x + 14, end), "breed-stop")
                + f'<path class="thorn" d="M{num(x)} {num(end + 2)}l-5 8h10z"/>'
            )
        if n and top < _y(first, target, 0.8) < foot:
            out.append(circle((x, _y(first, target, 0.8)), 6, "bead-later"))
    return "".join(out)


def _tall_evening(at: float, served: list[float], *, nxt: bool) -> str:
    out = line((70, at), (served[-1], at), "stroke-next" if nxt else "stroke-later") + line(
        (served[-1], at), (TALL_WIDTH, at), "dots"
    )
    for x in served:
        out += circle((x, at), 9, "bead-next" if nxt else "bead-later")
        out += (
            path([(x - 4, at), (x - 1, at + 3.4), (x + 4.6, at - 3.6)], "tick-mark") if nxt else ""
        )
    return out
