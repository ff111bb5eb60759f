"""The year as a strip: warmth, doors and rest, then a row for each pest at a place. Above
each line stands what comes, below it what is done.
"""

from __future__ import annotations

from datetime import date, timedelta

from brood.charts.pen.svg import drawing, figure, line, num, path, rect, simplify, text
from brood.charts.pen.svg import width as text_width
from brood.charts.season.marks import door, evenings, hill, thorn
from brood.services.season.arrivals import Arrival
from brood.services.season.year import Course, Row, State, WarmthLine, YearResult
from brood.services.voice.speech import Speech

WIDTH, LEFT = 1216.0, 196.0
HEAD, WARM_TOP, WARM, REST, ROW, LINE = 30.0, 34.0, 84.0, 44.0, 58.0, 36.0
COOL_C, HOT_C, STEP_C, MOVING_C = -2.0, 32.0, 10, 10
HILL, SIZE = 22.0, 14.0
TODAY_ROOM, YEAR_ROOM = 74.0, 36.0


def draw(result: YearResult, speech: Speech) -> str:
    """The strip of a year, drawn."""
    rest = REST if result.doors or result.sleeps else 0.0
    top = WARM_TOP + (WARM + 6 if result.warmth else 0) + rest
    foot = top + ROW * len(result.rows)
    body = rect(LEFT, HEAD, _x(result, result.today) - LEFT, foot - HEAD, "yr-past")
    body += _months(result, speech, foot)
    if result.warmth:
        body += _warmth(result, speech)
    if rest:
        body += _rest(result, speech, top - rest)
    for n, row in enumerate(result.rows):
        body += _row(result, row, top + ROW * n, speech)
    body += line((0, foot), (WIDTH, foot), "ink1") + _today(result, speech, foot)
    return figure(WIDTH, foot + 2, "chart year", "The year", describe(result, speech), body)


def describe(result: YearResult, speech: Speech) -> str:
    """The picture in words."""
    said = [
        f"{row.name}, {row.place.name}: likely {speech.day_month(a.early)} to "
        f"{speech.day_month(a.late)}"
        for row in result.rows
        for a in row.arrivals
        if a.late >= result.today
    ]
    return ". ".join(said) + "." if said else "Nothing is expected from earlier years."


def _x(result: YearResult, day: date) -> float:
    days = (result.last - result.first).days + 1
    return LEFT + (WIDTH - LEFT) * (day - result.first).days / days


def _inside(result: YearResult, day: date) -> bool:
    return result.first <= day <= result.last


def _months(result: YearResult, speech: Speech, foot: float) -> str:
    out, day, now = [], result.first, _x(result, result.today)
    while day <= result.last:
        x, heavy = _x(result, day), day.month in (1, 4, 7, 10)
        out.append(line((x, HEAD), (x, foot), "hair" if heavy else "grid-line"))
        name = speech.month(day).split()[0][:3]
        year = f" {day.year}" if day.month == 1 or day == result.first else ""
        if not now - TODAY_ROOM / 2 - text_width(name + year, 15) < x + 7 < now + TODAY_ROOM / 2:
            out.append(text((x + 7, 20), name + year, "label"))
        day = (day.replace(day=28) + timedelta(days=5)).replace(day=1)
    return "".join(out) + line((0, HEAD), (WIDTH, HEAD), "ink1")


def _today(result: YearResult, speech: Speech, foot: float) -> str:
    x, half = _x(result, result.today), TODAY_ROOM / 2
    return (
        line((x, HEAD), (x, foot), "yr-now")
        + rect(x - half, 2, 2 * half, HEAD - 3, "ink-fill")
        + text((x, 21), speech.day_month(result.today), "on-ink yr-date", "middle")
    )


# -- warmth --


def _y(celsius: float) -> float:
    share = (min(max(celsius, COOL_C), HOT_C) - COOL_C) / (HOT_C - COOL_C)
    return WARM_TOP + WARM - 6 - share * (WARM - 10)


def _warmth(result: YearResult, speech: Speech) -> str:
    out = [
        text((0, WARM_TOP + 26), "Warmth", "label"),
        text((0, WARM_TOP + 45), "mean of each day", "tick-note"),
    ]
    for celsius in range(0, 31, STEP_C):
        y = _y(celsius)
        cls = "yr-moving" if celsius == MOVING_C else "dots"
        out.append(line((LEFT, y), (WIDTH, y), cls))
        out.append(text((LEFT - 8, y + 4), f"{speech.degrees(celsius):.0f}", "tick-note", "end"))
    for n, one in enumerate(result.warmth):
        out.append(_line_of(result, one, n, speech))
    return "".join(out) + line((0, WARM_TOP + WARM), (WIDTH, WARM_TOP + WARM), "hair")


def _line_of(result: YearResult, one: WarmthLine, n: int, speech: Speech) -> str:
    """One place: as measured, then the band in which most days lie."""
    second = " second" if n else ""
    out = "".join(
        path(simplify([(_x(result, d), _y(c)) for d, c in part]), f"yr-warm{second}")
        for part in _runs(one.measured)
    )
    weekly = one.expected[::7]
    low = [(_x(result, d), _y(a)) for d, a, _ in weekly]
    high = [(_x(result, d), _y(b)) for d, _, b in weekly]
    if len(weekly) > 1:
        out += "" if n else path([*low, *reversed(high)], "hatch", close=True)
        out += path(low, f"yr-expected{second}") + path(high, f"yr-expected{second}")
    return out + _name_of(result, one, n)


def _runs(measured: tuple[tuple[date, float], ...]) -> list[list[tuple[date, float]]]:
    """Measured days without the gaps between them."""
    out: list[list[tuple[date, float]]] = []
    for day, celsius in measured:
        if not out or (day - out[-1][-1][0]).days > 2:  # a missing day is bridged
            out.append([])
        out[-1].append((day, celsius))
    return out


def _name_of(result: YearResult, one: WarmthLine, n: int) -> str:
    """The name of a place at its line: over the first, under the second."""
    points = [(d, b if not n else a) for d, a, b in one.expected] or list(one.measured)
    if not points:
        return ""
    wanted = [p for p in points if abs((p[0] - result.today).days) > 45] or points
    day, celsius = wanted[len(wanted) // 3]
    y = _y(celsius) + (-7 if not n else 16)
    y = min(max(y, WARM_TOP + 12), WARM_TOP + WARM - 4)
    return text((_x(result, day), y), one.place.name.lower(), "halo yr-note", "middle")


# -- doors and rest --


def _rest(result: YearResult, speech: Speech, top: float) -> str:
    middle = top + 26
    out = [text((0, middle + 2), "Doors and rest", "label")]
    for one in result.sleeps:
        since, until = max(one.since, result.first), min(one.until, result.last)
        x0, x1 = _x(result, since), _x(result, until)
        out.append(rect(x0, middle - 12, x1 - x0, 22, "yr-sleep"))
        out.append(rect(x0, middle - 10, x1 - x0, 18, "yr-sleep-ink"))
        name = f"{one.place.name.lower()} asleep"
        if x1 - x0 > text_width(name, SIZE) + 12:
            out.append(text(((x0 + x1) / 2, middle + 4), name, "halo-leaf yr-rest", "middle"))
    for way in result.doors:
        x, past = _x(result, way.on), way.on <= result.today
        words = f"pots {'out' if way.out else 'in'}, {speech.day_month(way.on)}"
        out.append(door(x, middle + 2, out=way.out, past=past))
        end = x + 14 + text_width(words, SIZE)
        asleep = any(x < _x(result, s.since) < end for s in result.sleeps)
        left = past or asleep or end > WIDTH
        at = (x - 12 if left else x + 12, middle + 4)
        out.append(text(at, words, "halo yr-note", "end" if left else ""))
    return "".join(out)


# -- rows --


def _row(result: YearResult, row: Row, top: float, speech: Speech) -> str:
    y = top + LINE
    name = row.name[:1].upper() + row.name[1:]
    icon = drawing(row.drawing)
    out = [
        line((0, top), (WIDTH, top), "hair"),
        f'<g class="ico" transform="translate(21 {num(top + 30)}) scale(.3)">{icon}</g>',
        text((50, top + 27), name, "label"),
        text((50, top + 46), row.place.name.lower(), "tick-note"),
        line((LEFT, y), (WIDTH, y), "yr-water"),
    ]
    for one in row.arrivals:
        over = one.state(result.today) in ("found", "over")
        out.append(
            hill(
                one,
                (result.first, result.last),
                lambda d, h: (_x(result, d), y - HILL * h),
                over=over,
            )
        )
        if not over and _inside(result, one.begin):
            x, end = _x(result, one.begin), _x(result, min(one.early, result.last))
            out.append(path([(x, y - 7), (x, y), (end, y)], "yr-begin"))
        out.append(_likely(result, one, y, speech))
    out += [_seen(result, row, y), *(_found(result, on, came, y, speech) for on, came in row.found)]
    out += [_state(result, one, y, speech) for one in row.states]
    out += [_course(result, one, y, speech) for one in row.courses]
    if row.first_year and not row.found:
        x = max(_x(result, result.today) + 12, LEFT + 12)
        out.append(text((x, y - 6), "first year", "margin halo"))
    return "".join(out)


def _beside(result: YearResult, x: float, y: float, words: str, cls: str) -> str:
    """A label right of a mark, left where the sheet ends, and never across today."""
    room, now = text_width(words, SIZE), _x(result, result.today)
    if x + 10 + room > WIDTH:
        return text((x - 10, y), words, cls, "end")
    if x + 6 < now < x + 10 + room:
        x = now
    return text((x + 10, y), words, cls)


def _likely(result: YearResult, one: Arrival, y: float, speech: Speech) -> str:
    state = one.state(result.today)
    if state == "found" or not _inside(result, one.early):
        return ""
    words = (
        "none found"
        if state == "over"
        else f"likely {speech.day_month(one.early)} to {speech.day_month(one.late)}"
    )
    end = _x(result, min(one.late + (one.late - one.likely) / 2, result.last))
    if end + 10 + text_width(words, SIZE) > WIDTH:
        start = _x(result, max(one.begin, result.first))
        return text((start - 10, y - 8), words, "halo yr-note", "end")
    return _beside(result, end, y - 8, words, "halo yr-note")


def _seen(result: YearResult, row: Row, y: float) -> str:
    """The first sightings of earlier years, with the years of the first and the last."""
    marks = sorted(row.seen)
    if not marks:
        return ""
    out = []
    for day, _ in marks:
        x, top = _x(result, day), y - HILL
        out.append(line((x, top), (x, y), "yr-stem") + thorn(x, top - 2))
    first, last = (_x(result, marks[n][0]) for n in (0, -1))
    years = [f"’{marks[n][1] % 100:02d}" for n in ((0, -1) if len(marks) > 1 else (0,))]
    # Beside this year's find, and at the end of the sheet, both stand on the left.
    if row.found or last + YEAR_ROOM > WIDTH:
        words = " ".join(years)
        return "".join(out) + text((first - 8, y - HILL + 1), words, "halo yr-note", "end")
    if len(years) > 1:
        out.append(text((first - 8, y - HILL + 1), years[0], "halo yr-note", "end"))
    return "".join(out) + text((last + 8, y - HILL + 1), years[-1], "halo yr-note")


def _found(result: YearResult, on: date, came: str, y: float, speech: Speech) -> str:
    x = _x(result, on)
    words = f"found {speech.day_month(on)}" + (f", {came}" if came else "")
    return (
        line((x, y - 16), (x, y), "yr-found")
        + thorn(x, y - 9, cls="yr-thorn")
        + _beside(result, x, y - 8, words, "halo yr-note yr-bold")
    )


def _state(result: YearResult, one: State, y: float, speech: Speech) -> str:
    if one.until < result.first or one.since > result.last:
        return ""
    x0, x1 = (_x(result, d) for d in (max(one.since, result.first), min(one.until, result.last)))
    until = speech.day_month(one.until)
    words = f"{one.name} to {until}"
    if one.kind == "netting":
        body = rect(x0, y + 4, x1 - x0, 13, "yr-net")
    elif one.kind == "repellent":
        points = [(x0, y + 5), (x1 - 2, y + 10), (x1 - 2, y + 11), (x0, y + 16)]
        body = path(points, "yr-fade", close=True) + line((x0, y + 3), (x0, y + 18), "yr-cap")
    else:
        body = line((x0, y + 10), (x1, y + 10), "yr-kept")
        body += line((x0, y + 3), (x0, y + 18), "yr-cap")
    body += line((x1, y + 2), (x1, y + 19), "yr-cap")
    return body + _beside(result, x1, y + 16, words, "halo yr-blue")


def _course(result: YearResult, one: Course, y: float, speech: Speech) -> str:
    """A course on a year: done, tonight, set and spare evenings, and where it ends."""
    days = [*one.done, *(d for d, _ in one.planned)]
    shown = [d for d in days if _inside(result, d)]
    out = []
    end = one.clear if one.clear and _inside(result, one.clear) else None
    if shown:
        last = end or max(shown)
        out.append(line((_x(result, min(shown)), y + 10), (_x(result, last), y + 10), "yr-course"))
    for day, cls in evenings(one, result.today):
        if _inside(result, day):
            out.append(line((_x(result, day), y + 2), (_x(result, day), y + 18), cls))
    if end:
        x = _x(result, end)
        out.append(line((x, y + 20), (x, y + 4), "yr-pole"))
        out.append(f'<path class="yr-flag" d="M{num(x)} {num(y + 4)}h12l-3 4l3 4h-12z"/>')
        after = max([x + 8, *(_x(result, d) for d in shown)])
        words = f"clear about {speech.day_month(end)}"
        out.append(_beside(result, after, y + 16, words, "halo yr-green"))
    return "".join(out)
