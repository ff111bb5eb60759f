"""The brood chart: warmth on top, one band for each group found, evenings as strokes,
windows below. Time runs right.
"""

from __future__ import annotations

from datetime import timedelta

from brood.charts.cases import bands
from brood.charts.cases.bands import BandRow, days_since
from brood.charts.pen.svg import figure, line, num, path, rect, text, width
from brood.charts.warmth.ribbon import ribbon
from brood.services.cases.chart_data import ChartData, Stroke
from brood.services.voice.speech import Speech, number

WIDTH, GUTTER, RIGHT = 884.0, 190.0, 8.0
DATES, WARM_TOP, WARM_FOOT, LABELS, HANDLES = 22.0, 34.0, 84.0, 104.0, 127.0
BANDS_TOP, BAND_GAP, ALL_BANDS, LEAST = 134.0, 25.0, 272.0, 16.0
SCALE_COUNTS = (1, 10, 50, 100, 500, 1000, 5000)


class _Chart:
    """Measures shared by the parts of one chart."""

    def __init__(self, data: ChartData, speech: Speech) -> None:
        self.data, self.speech = data, speech
        self.length = days_since(data, data.last)
        self.per_day = (WIDTH - GUTTER - RIGHT) / self.length
        most = bands.biggest(data.bands)
        self.k = min(
            124 / max(max(most) ** bands.POWER, 1e-9),
            ALL_BANDS / max(sum(m**bands.POWER for m in most), 1e-9),
        )
        self.rows: list[BandRow] = []
        y = BANDS_TOP
        for band, top in zip(data.bands, most, strict=True):
            tallest = float(bands.height(top, self.k))
            y += max(tallest, LEAST) + BAND_GAP
            self.rows.append(BandRow(band, y, tallest, self._place(y)))
        self.axis = y + 10
        self.windows = self.axis + 22
        self.foot = self.windows + 46

    def x(self, days: float) -> float:
        """Where a day is."""
        return GUTTER + days * self.per_day

    def _place(self, base: float) -> bands.Place:
        return lambda days, high: (self.x(days), base - high)

    def at(self, stroke: Stroke) -> float:
        """Where a stroke is."""
        return self.x(days_since(self.data, stroke.at))

    def room(self, stroke: Stroke) -> float:
        """px from a stroke to the next one, or to the edge."""
        x = self.at(stroke)
        after = [self.at(s) for s in self.data.strokes if self.at(s) > x + 1]
        return min([*after, WIDTH - RIGHT]) - x


def draw(data: ChartData, speech: Speech, title: str, movable: bool = False) -> str:
    """The chart for wide pages. With `movable` its handles can be moved along the axis."""
    c = _Chart(data, speech)
    body = "".join(
        (
            _days(c),
            _warmth(c),
            *(_row_head(c, row) for row in c.rows),
            *(bands.ghost(row, data, c.k) for row in c.rows),
            *(bands.band(row, data, c.k) for row in c.rows),
            _strokes(c),
            _looks(c),
            _today(c),
            *(bands.stamps(row, data, c.k, 19, c.per_day) for row in c.rows),
            _notes(c),
            _thorns(c),
            _handles(c, movable),
            _windows(c),
        )
    )
    if not movable:
        return figure(WIDTH, c.foot, "chart", title, describe(data, speech), body)
    return figure(
        WIDTH,
        c.foot,
        "chart",
        title,
        describe(data, speech),
        body,
        role="group",
        data={"per-day": num(c.per_day), "axis": "x"},
    )


def describe(data: ChartData, speech: Speech) -> str:
    """The chart in words."""
    done = [speech.day(s.at) for s in data.strokes if s.state == "done"]
    planned = [speech.day(s.at) for s in data.strokes if s.state in ("next", "planned")]
    spare = [speech.day(s.at) for s in data.strokes if s.state == "spare"]
    released = [speech.day(at) for at in data.released]
    groups = ", ".join(f"{b.label.lower()}: about {number(b.count)}" for b in data.bands if b.count)
    return (
        f"Groups: {groups}. Done: {', '.join(done) or 'none'}. Planned: "
        f"{', '.join(planned) or 'none'}. "
        + (f"Only if a look finds life: {', '.join(spare)}. " if spare else "")
        + (f"Released: {', '.join(released)}. " if released else "")
        + "The tables below say the same in numbers."
    )


def _days(c: _Chart) -> str:
    """Day numbers, the first day of each week by name, and the grid."""
    out = []
    every = next(n for n in (1, 2, 7, 14, 28) if n * c.per_day >= 17)
    named_to = -99.0
    for d in range(round(c.length) + 1):
        day = (c.data.first + timedelta(days=d)).date()
        monday = c.speech.starts_week(day)
        if monday or c.per_day >= 9:
            out.append(
                line((c.x(d), WARM_TOP - 6), (c.x(d), c.axis), "hair" if monday else "grid-line")
            )
        if d >= c.length:
            break
        if (
            every <= 2
            and d % every == 0
            and not 0 < abs(d - int(days_since(c.data, c.data.now))) < every
        ):
            out.append(
                text(
                    (c.x(d + 0.5), DATES),
                    str(day.day),
                    "note2" if day.weekday() < 5 else "note",
                    "middle",
                )
            )
        words = c.speech.day(day)
        now = c.x(days_since(c.data, c.data.now))
        clear = not c.x(d) - 34 < now < c.x(d) + width(words, 13) + 34
        if (monday or d == 0) and c.x(d) > named_to and c.x(d) + width(words, 15) < WIDTH and clear:
            out.append(text((c.x(d) + 3, DATES - 15), words, "margin"))
            named_to = c.x(d) + 3 + width(words, 13) + 8
    return "".join(out) + line((GUTTER, WARM_TOP - 8), (WIDTH - RIGHT, WARM_TOP - 8), "ink1")


def _warmth(c: _Chart) -> str:
    drawn = ribbon(
        c.data.series,
        c.data.now,
        c.speech,
        lambda moment: c.x(days_since(c.data, moment)),
        (WARM_TOP, WARM_FOOT),
        (GUTTER, WIDTH - RIGHT),
    )
    middle = (WARM_TOP + WARM_FOOT) / 2
    now = c.x(days_since(c.data, c.data.now))
    side = text((now - 6, WARM_TOP + 4), "so far", "note2 halo", "end") if now - GUTTER > 60 else ""
    return (
        drawn
        + text((0, middle - 1), "Warmth", "label")
        + text((0, middle + 15), "night to day", "note2")
        + side
        + text((now + 8, WARM_TOP + 4), "expected", "note2 halo")
    )


def _row_head(c: _Chart, row: BandRow) -> str:
    """A group's name, number, drawing, base line and height scale."""
    band, y = row.band, row.base
    middle = y - min(max(row.tallest, LEAST), 84) / 2
    icon = bands.icon((16, middle - 1), band.drawing, 0.26)
    detail = (
        f"about {number(band.count)}"
        if band.count
        else f"{number(sum(band.numbers[-1]))} at the end"
    )
    ticks = ""
    shown = -99.0
    for count in SCALE_COUNTS:
        up = float(bands.height(count, c.k))
        if 9 <= up <= row.tallest and up - shown >= 13:
            ticks += line((GUTTER - 4, y - up), (GUTTER, y - up), "ink1") + text(
                (GUTTER - 7, y - up + 4), str(count), "tick-note", "end"
            )
            shown = up
    return (
        line((GUTTER, y + 0.5), (WIDTH - RIGHT, y + 0.5), "ink1")
        + icon
        + ticks
        + text((40, middle - 4), band.label, "label")
        + text((40, middle + 12), detail, "note2")
    )


def _strokes(c: _Chart) -> str:
    out = []
    for stroke in c.data.strokes:
        x = c.at(stroke)
        spare = stroke.state == "spare"
        drawn = [
            line((x, HANDLES + 14), (x, c.windows + 10), "stroke-spare" if spare else "stroke")
        ]
        drawn += [
            bands.stroke_through(row, position, stroke, c.data, c.k)
            for position, row in enumerate(c.rows)
        ]
        out.append(f'<g class="spare">{"".join(drawn)}</g>' if spare else "".join(drawn))
    return "".join(out)


def _looks(c: _Chart) -> str:
    """The mornings of looks, on the axis, and the evenings that looks have taken back."""
    glasses = (bands.glass((c.x(days_since(c.data, at)) - 9, c.axis - 9)) for at in c.data.looks)
    back = (bands.released((c.x(days_since(c.data, at)), HANDLES)) for at in c.data.released)
    return "".join((*glasses, *back))


def _today(c: _Chart) -> str:
    x = c.x(days_since(c.data, c.data.now))
    middle = min(max(c.x(int(days_since(c.data, c.data.now)) + 0.5), GUTTER + 26), WIDTH - 30)
    flag = (
        f'<path class="ink-fill" d="M{num(middle - 26)} '
        f'-8H{num(middle + 26)}V8H{num(middle + 11)}V27H{num(middle - 11)}V8H{num(middle - 26)}Z"/>'
    )
    return (
        line((x, WARM_TOP - 8), (x, c.axis), "today")
        + flag
        + text((middle, 4.5), "today", "on-ink", "middle")
        + text((middle, DATES), str(c.data.now.day), "on-ink", "middle")
    )


def _notes(c: _Chart) -> str:
    """What each stroke meets, where there is room for it between two strokes."""
    out = []
    for stroke in c.data.strokes:
        for position, row in enumerate(c.rows):
            took, met, eggs = bands.caught(stroke, position)
            if took < 0.95 or row.tallest < 20:
                continue
            at = c.at(stroke) + 8
            room = c.room(stroke) - 14
            day = days_since(c.data, stroke.at)
            high = bands.highest(row, c.data, c.k, day + 0.01, day + min(room, 78) / c.per_day)
            words = next(
                (
                    w
                    for w in (
                        f"{number(took)} of {number(met)} caught",
                        f"{number(took)} caught",
                        number(took),
                    )
                    if width(w) <= room
                ),
                "",
            )
            y = row.base - high - 6
            if words:
                out.append(text((at, y), words, "caught halo"))
            eggs_words = "1 egg passes" if number(eggs) == "1" else f"{number(eggs)} eggs pass"
            if eggs >= 0.95 and width(eggs_words) <= room and row.tallest - high > 26:
                out.append(text((at, y - 16), eggs_words, "note2 halo"))
    return "".join(out)


def _thorns(c: _Chart) -> str:
    """First breeding: of each group as found, and of what comes out after the last
    treatment that was done.
    """
    out = []
    for row in c.rows:
        if row.band.breeds is None or row.band.breeds >= c.data.last:
            continue
        adult = row.band.label.startswith("Adults")
        x = c.x(max(days_since(c.data, row.band.breeds), 0)) + (6 if adult else 0)
        words = (
            "breeding when found"
            if adult
            else f"could breed from {c.speech.day_short(row.band.breeds)}, untreated"
        )
        y = row.base - max(row.tallest, LEAST) - 1
        left = x + 9 + width(words) > WIDTH
        out.append(
            bands.thorn((x, y))
            + text((x - 9 if left else x + 9, y - 2), words, "breed halo", "end" if left else "")
        )
    return "".join(out)


def _handles(c: _Chart, movable: bool) -> str:
    out = []
    planned = 0
    for stroke in c.data.strokes:
        if stroke.was is not None:
            out.append(bands.was_there((c.x(days_since(c.data, stroke.was)), HANDLES)))
        x = c.at(stroke)
        before = [x - c.at(s) for s in c.data.strokes if x - c.at(s) > 1]
        room = min([*before, c.room(stroke), 999.0])
        words = (
            c.speech.day_short(stroke.at)
            if room >= 54
            else str(stroke.at.day)
            if room >= 20
            else ""
        )
        if stroke.state == "next" and room >= 30:
            words = c.speech.day_short(stroke.at)
        drawn = bands.handle((x, HANDLES), stroke.state, scale=1.0 if room > 30 else 0.7)
        drawn += (
            text(
                (x, LABELS - 1 if stroke.state != "next" else LABELS - 4),
                words,
                "stroke-day halo",
                "middle",
            )
            if words
            else ""
        )
        if movable and stroke.state != "done":
            drawn = bands.slider(
                stroke, planned, (x, HANDLES), (min(max(room, 24), 54), 54), c.speech, drawn
            )
            planned += 1
        out.append(drawn)
    return "".join(out)


def _windows(c: _Chart) -> str:
    """Earliest, chosen and last evening of each planned treatment, staggered where they
    would overlap.
    """
    out = [
        line((GUTTER, c.axis), (WIDTH - RIGHT, c.axis), "axis"),
        text((0, c.windows - 2), "Treat between", "label"),
        text((0, c.windows + 14), "earliest and last evening", "note2"),
    ]
    for n, stroke in enumerate(s for s in c.data.strokes if s.earliest and s.latest):
        out.append(_window(c, stroke, c.windows + 9 * (n % 3 - 1)))
    return "".join(out)


def _window(c: _Chart, stroke: Stroke, y: float) -> str:
    """One window: tick, line, bar of the good evenings, madder stop, and the evening chosen."""
    if not stroke.earliest or not stroke.latest:
        return ""
    x, first, last = (
        c.at(stroke),
        c.x(days_since(c.data, stroke.earliest)),
        c.x(days_since(c.data, stroke.latest)),
    )
    last = min(last, WIDTH - RIGHT)
    out = line((first, y - 4), (first, y + 4), "window-line") + path(
        [(first, y), (last, y)], "window-line"
    )
    if last > x:
        out += rect(x, y - 3, last - x, 6, "window-bar") + line(
            (last, y - 6), (last, y + 6), "breed-stop"
        )
    size = "6.2" if stroke.state == "next" else "4.6"
    out += (
        f'<circle class="bead{" bead-short" if stroke.short_by_days else ""}" cx="{num(x)}" '
        f'cy="{num(y)}" r="{size}"/>'
    )
    if stroke.state != "next":
        return out
    words = c.speech.span(stroke.earliest.date(), stroke.latest.date())
    middle = min(max((first + last) / 2, GUTTER + width(words) / 2), WIDTH - width(words) / 2)
    return out + text((middle, c.windows + 30), words, "note halo", "middle")
