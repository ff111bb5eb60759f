"""Looking up plants and their cases."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session, aliased, contains_eager, joinedload, selectinload

from brood.errors import NotFound
from brood.store.place_tables import Place
from brood.store.tables import (
    Application,
    Card,
    CaseAct,
    CasePlant,
    Finding,
    PestCase,
    Plant,
    Stay,
)

Later = aliased(Stay)


def _whole(*, plants: bool = True) -> Select[PestCase]:
    """Cases with all that belongs to them, loaded at once in a few queries however many
    they are: with their plants, where those are not at hand already. What there is
    seldom comes along in the first query.
    """
    query = select(PestCase).options(
        selectinload(PestCase.every_act).joinedload(CaseAct.stock),
        selectinload(PestCase.findings),
        selectinload(PestCase.tasks),
        selectinload(PestCase.applications).selectinload(Application.records),
        selectinload(PestCase.inspections),
        joinedload(PestCase.patches),
        joinedload(PestCase.cards).selectinload(Card.counts),
        joinedload(PestCase.members).joinedload(CasePlant.plant),
    )
    if not plants:
        return query
    stays = joinedload(PestCase.plant).joinedload(Plant.stays)
    return query.options(stays.joinedload(Stay.place))


def case(session: Session, case_id: int) -> PestCase:
    """A case with all that belongs to it; raises NotFound."""
    found = session.scalars(_whole().where(PestCase.id == case_id)).unique().first()
    if found is None:
        raise NotFound("There is no such case.")
    return found


def every(session: Session, ids: Collection[int] | None = None) -> Sequence[PestCase]:
    """Cases with all that belongs to them in the order in which they were opened: all
    there are, or those with some ids.
    """
    query = _whole() if ids is None else _whole().where(PestCase.id.in_(ids))
    return session.scalars(query.order_by(PestCase.id)).unique().all()


def worked(session: Session) -> Sequence[PestCase]:
    """All cases with their plants, and no more."""
    query = select(PestCase).options(joinedload(PestCase.plant), joinedload(PestCase.members))
    return session.scalars(query.order_by(PestCase.id)).unique().all()


def bare_case(session: Session, case_id: int) -> PestCase:
    """A case alone, what belongs to it loaded when it is asked for; raises NotFound."""
    found = session.get(PestCase, case_id)
    if found is None:
        raise NotFound("There is no such case.")
    return found


def to_be_cleared(session: Session) -> list[PestCase]:
    """The open cases of plants that are here that are to be cleared and not held, with
    their plants.
    """
    query = (
        select(PestCase)
        .join(Plant, Plant.id == PestCase.plant_id)
        .where(
            PestCase.closed_at.is_(None),
            PestCase.keep_below.is_(None),
            Plant.gone_on.is_(None),
        )
        .options(contains_eager(PestCase.plant))
        .order_by(PestCase.id)
    )
    return list(session.scalars(query))


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


def plants(session: Session, place_id: int | None = None) -> Sequence[Plant]:
    """All plants by name (or those that stood at a place), with where they stand and
    their cases, the open ones with all that belongs to them.
    """
    query = (
        select(Plant)
        .order_by(Plant.name, Plant.id)
        .options(selectinload(Plant.stays).joinedload(Stay.place), selectinload(Plant.cases))
    )
    if place_id is not None:
        query = query.where(Plant.id.in_(select(Stay.plant_id).where(Stay.place_id == place_id)))
    found = session.scalars(query).all()
    open_ids = [c.id for p in found for c in p.cases if c.closed_at is None and not p.gone_on]
    if open_ids:
        session.scalars(_whole(plants=False).where(PestCase.id.in_(open_ids))).unique().all()
    return found


def names(session: Session, *, here: bool = False) -> Sequence[tuple[int, str]]:
    """Ids and names of all plants by name; of those that are `here` alone."""
    query = select(Plant.id, Plant.name).order_by(Plant.name, Plant.id)
    if here:
        query = query.where(Plant.gone_on.is_(None))
    return [(key, name) for key, name in session.execute(query)]


def crowd(session: Session) -> Counter[int]:
    """How many plants stand at each place now, by its id."""
    newest = (
        select(Stay.plant_id, func.max(Stay.id).label("id"))
        .join(Plant, Plant.id == Stay.plant_id)
        .where(Plant.gone_on.is_(None))
        .where(
            Stay.since_on
            == select(func.max(Later.since_on))
            .where(Later.plant_id == Stay.plant_id)
            .scalar_subquery()
        )
        .group_by(Stay.plant_id)
        .subquery()
    )
    found = session.execute(
        select(Stay.place_id, func.count())
        .join(newest, newest.c.id == Stay.id)
        .group_by(Stay.place_id)
    )
    return Counter(dict(found.all()))


def standing_at(session: Session, place_id: int) -> list[Plant]:
    """The plants that stand at a place now, by name."""
    query = (
        select(Plant)
        .where(Plant.id.in_(select(Stay.plant_id).where(Stay.place_id == place_id)))
        .where(Plant.gone_on.is_(None))
        .order_by(Plant.name, Plant.id)
        .options(joinedload(Plant.stays).joinedload(Stay.place))
    )
    return [p for p in session.scalars(query).unique() if p.stays[-1].place_id == place_id]


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
