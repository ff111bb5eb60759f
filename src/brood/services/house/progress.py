"""How far a case has come, step by step in the order of the work."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, time

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.services.cases import beside, history, test_leaves
from brood.services.house.quarantine import apart_of
from brood.services.voice.desk import Desk
from brood.services.voice.speech import days
from brood.store.tables import PestCase

DONE, OPEN, LATER = "done", "open", "later"


@dataclass(frozen=True)
class Step:
    """One step: its name, how it stands in a few words, whether it is done, open or
    later, and where it is done.
    """

    name: str
    said: str
    state: str
    url: str


def of_case(desk: Desk, row: PestCase) -> list[Step]:
    """The steps of a case: keep it apart, neighbours, is it worth it, means, test
    leaves, evenings, after-care, looks, clear.
    """
    session, catalogue, today = desk.session, desk.catalogue, desk.today
    done = [r.done_on for r in history.evenings_done(row) if r.done_on]
    planned = history.planned(row)
    looks = history.looks(row)
    return [
        _apart(session, row),
        _neighbours(session, row),
        Step(
            "Weigh it",
            "cutting, soil, and whether it is worth it",
            DONE if done else OPEN,
            f"/cases/{row.id}/means",
        ),
        *_leaves(catalogue, row, today),
        Step(
            "Evenings",
            _evenings(done, len(planned), today),
            DONE if done and not planned else OPEN,
            f"/cases/{row.id}#dates",
        ),
        Step(
            "Look and count",
            f"{len(looks)} so far, last {_ago(looks[-1].looked_on, today)}" if looks else "not yet",
            OPEN if done else LATER,
            f"/cases/{row.id}/inspect",
        ),
        Step(
            "Clear",
            "closed" if row.closed_at else "when two looks find nothing and a life cycle is over",
            DONE if row.closed_at else LATER,
            f"/cases/{row.id}/clearing",
        ),
    ]


def _apart(session: Session, row: PestCase) -> Step:
    kept = apart_of(session, row.plant_id)
    return Step(
        "Keep it away",
        "since it was moved" if kept else "still among the others",
        DONE if kept else OPEN,
        f"/quarantine/{kept.id}" if kept else f"/plants/{row.plant_id}",
    )


def _neighbours(session: Session, row: PestCase) -> Step:
    near = beside.beside(session, row.plant)
    looked = [n for n in near if n.looked_since(row.start_on)]
    url = (
        f"/places/{row.plant.stays[-1].place_id}/plan"
        if row.plant.stays
        else f"/plants/{row.plant_id}"
    )
    if not near:
        return Step("Neighbours", "it stands alone", DONE, url)
    return Step(
        "Neighbours",
        f"{len(looked)} of {len(near)} checked",
        DONE if len(looked) == len(near) else OPEN,
        "/house" if near else url,
    )


def _leaves(catalogue: Catalogue, row: PestCase, today: date) -> list[Step]:
    """The test leaves, where any are asked for."""
    states = test_leaves.states(catalogue, row, datetime.combine(today, time(12)))
    if not states:
        return []
    fine = [p for p in states if p.state == "fine"]
    return [
        Step(
            "Test leaves",
            f"{len(fine)} of {len(states)} judged fine",
            DONE if len(fine) == len(states) else OPEN,
            f"/cases/{row.id}#patches",
        )
    ]


def _evenings(done: list[date], planned: int, today: date) -> str:
    if not done:
        return f"{planned} planned"
    return f"{len(done)} done, last {_ago(max(done), today)}; {planned} to come"


def _ago(day: date, today: date) -> str:
    return "today" if day == today else f"{days((today - day).days)} ago"
