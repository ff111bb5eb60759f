"""Looking up plants and their cases."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from sqlalchemy import Select, select
from sqlalchemy.orm import Session, selectinload

from brood.errors import NotFound
from brood.store.place_tables import Place
from brood.store.tables import Application, Card, CasePlant, Finding, PestCase, Plant, Stay


def _whole() -> Select[PestCase]:
    """Cases with all that belongs to them, loaded at once in a dozen queries however
    many they are.
    """
    return select(PestCase).options(
        selectinload(PestCase.every_act),
        selectinload(PestCase.findings),
        selectinload(PestCase.patches),
        selectinload(PestCase.tasks),
        selectinload(PestCase.applications).selectinload(Application.records),
        selectinload(PestCase.inspections),
        selectinload(PestCase.cards).selectinload(Card.counts),
        selectinload(PestCase.members).selectinload(CasePlant.plant),
        selectinload(PestCase.plant).selectinload(Plant.stays).selectinload(Stay.place),
    )


def case(session: Session, case_id: int) -> PestCase:
    """A case with all that belongs to it; raises NotFound."""
    found = session.scalars(_whole().where(PestCase.id == case_id)).first()
    if found is None:
        raise NotFound("There is no such case.")
    return found


def every(session: Session, ids: Collection[int] | None = None) -> Sequence[PestCase]:
    """Cases with all that belongs to them in the order in which they were opened: all
    there are, or those with some ids.
    """
    query = _whole() if ids is None else _whole().where(PestCase.id.in_(ids))
    return session.scalars(query.order_by(PestCase.id)).all()


def bare_case(session: Session, case_id: int) -> PestCase:
    """A case alone, what belongs to it loaded when it is asked for; raises NotFound."""
    found = session.get(PestCase, case_id)
    if found is None:
        raise NotFound("There is no such case.")
    return found


def case_of_application(session: Session, application_id: int) -> tuple[PestCase, Application]:
    """The case an application belongs to, and the application; raises NotFound."""
    application = session.get(Application, application_id)
    if application is None:
        raise NotFound("There is no such treatment evening.")
    return case(session, application.case_id), application


def case_of_finding(session: Session, finding_id: int) -> tuple[PestCase, Finding]:
    """The case a finding belongs to, and the finding; raises NotFound."""
    finding = session.get(Finding, finding_id)
    if finding is None:
        raise NotFound("There is no such find.")
    return case(session, finding.case_id), finding


def plants(session: Session) -> Sequence[Plant]:
    """All plants by name, with where they stand and their cases."""
    query = (
        select(Plant)
        .order_by(Plant.name, Plant.id)
        .options(
            selectinload(Plant.stays).selectinload(Stay.place),
            selectinload(Plant.cases).selectinload(PestCase.applications),
            selectinload(Plant.cases).selectinload(PestCase.tasks),
        )
    )
    return session.scalars(query).all()


def plant(session: Session, plant_id: int) -> Plant:
    """A plant; raises NotFound."""
    found = session.get(Plant, plant_id)
    if found is None:
        raise NotFound("There is no such plant.")
    return found


def places(session: Session) -> Sequence[Place]:
    """All places by name."""
    return session.scalars(select(Place).order_by(Place.name)).all()


def place(session: Session, place_id: int) -> Place:
    """A place; raises NotFound."""
    found = session.get(Place, place_id)
    if found is None:
        raise NotFound("There is no such place.")
    return found
