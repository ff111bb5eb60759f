"""The form of a course: its aim, the days that suit, the harvest, how well an evening reaches."""

from __future__ import annotations

from datetime import date

from brood.services.cases.aim import CourseCommand
from brood.web.forms.reader import MOST_COUNT, Reader

ABSENCES = 3
AHEAD = 400
MOST_HIDDEN = 50


def read(reader: Reader) -> CourseCommand:
    """A course as typed; raises FieldErrors."""
    aim = reader.choice("aim", ("clear", "hold"), "what the course is for")
    below = reader.number("keep_below", "The number to stay under", 1, MOST_COUNT)
    if aim == "hold" and below is None:
        reader.fault("keep_below", "Say how many you can live with.")
    days = frozenset(n for n in range(7) if reader.raw(f"day-{n}"))
    if not days:
        reader.fault("days", "Leave at least one day of the week.")
    away = tuple(pair for n in range(ABSENCES) if (pair := _absence(reader, n)))
    harvest = (
        reader.day("harvest", "The harvest", back=0, ahead=AHEAD) if reader.raw("harvest") else None
    )
    reach = reader.number("reach", "How many in 100 a treatment touches", 10, 100)
    if reach is None:
        reader.fault("reach", "Say how many in 100 a treatment touches.")
    refuge = reader.number("refuge", "How many in 100 nothing reaches", 0, MOST_HIDDEN)
    reader.done()
    return CourseCommand(
        below if aim == "hold" else None,
        None if len(days) == 7 else days,
        away,
        harvest,
        (reach or 90) / 100,
        None if refuge is None else refuge / 100,
    )


def _absence(reader: Reader, n: int) -> tuple[date, date] | None:
    first, last = reader.raw(f"from-{n}"), reader.raw(f"to-{n}")
    if not first and not last:
        return None
    begin = reader.day(f"from-{n}", "The first day away", back=60, ahead=AHEAD)
    end = reader.day(f"to-{n}", "The last day away", back=60, ahead=AHEAD)
    if end < begin:
        reader.fault(f"to-{n}", "The last day away comes before the first.")
    return begin, end
