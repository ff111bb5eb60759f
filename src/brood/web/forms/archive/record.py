"""The form of an expense."""

from __future__ import annotations

from datetime import date

from brood.web.forms.reader import Reader

BACK_DAYS, MOST = 3660, 1_000_000


def expense(reader: Reader) -> tuple[str, float, date, int | None]:
    """What was bought, for how much, on which day, and for which case, None for the
    household; raises FieldErrors.
    """
    what = reader.name("what", "What it was for")
    amount = reader.number("amount", "The amount", 0.0, MOST)
    if amount is None:
        reader.fault("amount", "The amount is missing.")
    on = reader.day("on", "The day", back=BACK_DAYS) if reader.raw("on") else reader.today
    case_id = reader.key("case", "the case from the list") if reader.raw("case") else None
    reader.done()
    return what, round(amount or 0.0, 2), on, case_id
