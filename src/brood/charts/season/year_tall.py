"""The year turned, for a phone: time runs down; right of each line stands what comes, left
of it what is done.
"""

from __future__ import annotations

from datetime import date, timedelta

from brood.charts.pen.svg import drawing, figure, line, num, path, rect, shortened, simplify, text
from brood.charts.pen.svg import width as text_width
from brood.charts.season.marks import door, evenings, hill, thorn
from brood.charts.season.year_strip import COOL_C, HOT_C, MOVING_C, describe
from brood.services.season.year import Course, Row, State, YearResult
from brood.services.voice.speech import Speech

WIDTH, TOP, TALL = 354.0, 70.0, 640.0
WARM_LEFT, WARM_RIGHT, DOOR_X, LEFT = 44.0, 84.0, 95.0, 106.0
MOST, HILL, INSET = 5, 24.0, 17.0


def draw(result: YearResult, speech: Speech) -> str:
    """The year of the first rows, drawn from top to bottom."""
    rows = result.rows[:MOST]
    foot = TOP + TALL
    body = rect(0, TOP, WIDTH, _y(result, result.today) - TOP, "yr-past")
    body += _months(result, speech) + _warmth(result, speech) + _rest(result)
    column = (WIDTH - LEFT) / max(len(rows), 3)
    for n, row in enumerate(rows):
        body += _column(result, row, LEFT + column * n, column)
    body += line((0, TOP), (WIDTH, TOP), "ink1") + line((0, foot), (WIDTH, foot), "ink1")
    y = _y(result, result.today)
    body += line((0, y), (WIDTH, y), "yr-now") + rect(0, y - 12, 46, 24, "ink-fill")
    body += text((23, y + 5), speech.day_month(result.today), "on-ink-tall", "middle")
    return figure(WIDTH, foot + 2, "chart-tall year", "The year", describe(result, speech), body)


def _y(result: YearResult, day: date) -> float:
    days = (result.last - result.first).days + 1
    return TOP + TALL * (day - result.first).days / days


def _inside(result: YearResult, day: date) -> bool:
    return result.first <= day <= result.last


def _months(result: YearResult, speech: Speech) -> str:
    out, day, now = [], result.first, _y(result, result.today)
    while day <= result.last:
        y, heavy = _y(result, day), day.month in (1, 4, 7, 10)
        out.append(line((0, y), (WIDTH, y), "hair" if heavy else "grid-line"))
        if not -14 < now - (y + 13) < 26:
            out.append(text((2, y + 18), speech.month(day).split()[0][:3], "yr-month"))
            if day.month == 1:
                out.append(text((2, y + 36), str(day.year), "tall-note2"))
        day = (day.replace(day=28) + timedelta(days=5)).replace(day=1)
    return "".join(out)


def _x(celsius: float) -> float:
    share = (min(max(celsius, COOL_C), HOT_C) - COOL_C) / (HOT_C - COOL_C)
    return WARM_LEFT + share * (WARM_RIGHT - WARM_LEFT)


def _warmth(result: YearResult, speech: Speech) -> str:
    if not result.warmth:
        return ""
    x = _x(MOVING_C)
    out = [
        text((x, TOP - 8), speech.warmth(MOVING_C), "tall-note2", "middle"),
        line((x, TOP), (x, TOP + TALL), "yr-moving"),
    ]
    for n, one in enumerate(result.warmth):
        second = " second" if n else ""
        points = simplify([(_x(c), _y(result, d)) for d, c in one.measured[::3]])
        out.append(path(points, f"yr-warm{second}"))
        low = [(_x(a), _y(result, day)) for day, a, _ in one.expected[::7]]
        high = [(_x(b), _y(result, day)) for day, _, b in one.expected[::7]]
        out += [path(edge, f"yr-expected{second}") for edge in (low, high)]
    return "".join(out)


def _rest(result: YearResult) -> str:
    out = []
    for one in result.sleeps:
        since, until = max(one.since, result.first), min(one.until, result.last)
        y0, y1 = _y(result, since), _y(result, until)
        out.append(rect(DOOR_X - 7, y0, 14, y1 - y0, "yr-sleep"))
        out.append(rect(DOOR_X - 7, y0, 14, y1 - y0, "yr-sleep-ink"))
    out += [
        door(DOOR_X, _y(result, d.on) + 3, out=d.out, past=d.on <= result.today)
        for d in result.doors
    ]
    return "".join(out)


def _column(result: YearResult, row: Row, left: float, column: float) -> str:
    x, middle = left + INSET, left + column / 2
    name = row.name if text_width(row.name, 13.5) <= column else row.name.split()[-1]
    name = name[:1].upper() + name[1:]
    out = [
        f'<g class="ico" transform="translate({num(middle)} 22) scale(.27)">'
        f"{drawing(row.drawing)}</g>",
        text((middle, TOP - 8), shortened(name, column, 13.5), "tall-note", "middle"),
        line((x, TOP), (x, TOP + TALL), "yr-water"),
    ]
    for one in row.arrivals:
        over = one.state(result.today) in ("found", "over")
        out.append(
            hill(
                one,
                (result.first, result.last),
                lambda d, h: (x + HILL * h, _y(result, d)),
                over=over,
            )
        )
        if not over and _inside(result, one.begin):
            y, end = _y(result, one.begin), _y(result, min(one.early, result.last))
            out.append(path([(x - 6, y), (x + 6, y)], "yr-begin"))
            out.append(path([(x, y), (x, end)], "yr-begin"))
    for day, _ in row.seen:
        y = _y(result, day)
        out.append(line((x, y), (x + HILL, y), "yr-stem") + thorn(x + HILL + 6, y, 90))
    for day, _ in row.found:
        y = _y(result, day)
        out.append(line((x, y), (x + 16, y), "yr-found") + thorn(x + 9, y, 90, "yr-thorn"))
    out += [_state(result, one, x) for one in row.states]
    out += [_course(result, one, x) for one in row.courses]
    return "".join(out)


def _state(result: YearResult, one: State, x: float) -> str:
    if one.until < result.first or one.since > result.last:
        return ""
    y0, y1 = (_y(result, d) for d in (max(one.since, result.first), min(one.until, result.last)))
    if one.kind == "netting":
        body = rect(x - 12, y0, 9, y1 - y0, "yr-net")
    elif one.kind == "repellent":
        points = [(x - 12, y0), (x - 8, y1), (x - 7, y1), (x - 3, y0)]
        body = path(points, "yr-fade", close=True)
    else:
        body = line((x - 8, y0), (x - 8, y1), "yr-kept")
    return body + line((x - 14, y1), (x - 1, y1), "yr-cap")


def _course(result: YearResult, one: Course, x: float) -> str:
    out = [
        line((x - 14, _y(result, d)), (x - 2, _y(result, d)), cls)
        for d, cls in evenings(one, result.today)
        if _inside(result, d)
    ]
    if one.clear and _inside(result, one.clear):
        y = _y(result, one.clear)
        out.append(f'<path class="yr-flag" d="M{num(x - 13)} {num(y)}h11l-3 4l3 4h-11z"/>')
    return "".join(out)
