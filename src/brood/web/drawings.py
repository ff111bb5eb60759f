"""Charts of a case as they were last drawn: they are drawn again when the hour, the
reader's units or the drawing itself are others.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from flask import g
from sqlalchemy.exc import OperationalError

from brood.services.cases import plans
from brood.services.cases.case_page import CaseResult
from brood.services.cases.chart_data import ChartData
from brood.services.voice.speech import Speech
from brood.store.kept import engine
from brood.web.context import writing


def begin(result: CaseResult, moment: datetime, speech: Speech) -> None:
    """Take up what was drawn of a case before, as far as it still holds."""
    hour = moment.strftime("%Y-%m-%dT%H")
    stamp = f"{engine(('charts',))} {hour} {speech!r} {result.row.plant.name}"
    held = dict(result.drawn)
    g.drawn = held if held.get("stamp") == stamp else {"stamp": stamp}
    g.drawn_before = len(g.drawn)


def once(kind: str, data: ChartData, draw: Callable[[], str]) -> str:
    """A drawing of a case's chart. It comes from what was drawn before where that holds."""
    if not data.key or "drawn" not in g:
        return draw()
    if kind not in g.drawn:
        g.drawn[kind] = draw()
    found: str = g.drawn[kind]
    return found


def end(result: CaseResult) -> None:
    """Keep what was drawn anew."""
    if result.chart is None or len(g.drawn) == g.drawn_before:
        return
    try:
        with writing() as desk:
            plans.keep_drawn(desk, result.row.id, result.row.outlook_key, g.drawn)
    except OperationalError:
        # Somebody else is writing. It is drawn again the next time.
        return
