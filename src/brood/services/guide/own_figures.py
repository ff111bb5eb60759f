"""A keeper's own figures: kept beside the catalogue, compared with it, and taken back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import date, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from brood.catalogue import own
from brood.catalogue.holdings import Catalogue
from brood.catalogue.own import SettableFigure
from brood.core.biology.pest import Span
from brood.core.biology.stage_times import stage_times
from brood.errors import FieldErrors, InputError, NotFound
from brood.services.cases import assemble, outlook
from brood.services.voice.desk import Desk
from brood.store.queries import cases
from brood.store.tables import OwnFigure, PestCase

COMPARE_C = (15.0, 20.0, 25.0)


@dataclass(frozen=True)
class FigureLine:
    """One figure on the page, with the keeper's own value where there is one, and
    earlier ones.
    """

    figure: SettableFigure
    own: OwnFigure | None
    earlier: tuple[OwnFigure, ...]


@dataclass(frozen=True)
class Effect:
    """What a change does to the days from egg (or birth) to adult and to the first
    young by °C, and to the evenings of every open case.

    Each pair is (as shipped, with the own figures).
    """

    days: tuple[tuple[float, tuple[Span, Span], tuple[Span, Span]], ...]
    cases: tuple[tuple[PestCase, tuple[date, ...], tuple[date, ...]], ...]


@dataclass(frozen=True)
class OwnResult:
    """Everything that the page of own figures shows. `lost` are own figures for
    constants that the catalogue no longer has.
    """

    pest_id: str
    lines: tuple[FigureLine, ...]
    lost: tuple[OwnFigure, ...]
    effect: Effect | None

    @property
    def parts(self) -> dict[str, list[FigureLine]]:
        """The lines by the part that they belong to, in the order of the catalogue."""
        out: dict[str, list[FigureLine]] = {}
        for line in self.lines:
            out.setdefault(line.figure.part, []).append(line)
        return out


def standing(session: Session) -> list[OwnFigure]:
    """The own figures that stand."""
    return list(
        session.scalars(
            select(OwnFigure).where(OwnFigure.withdrawn_at.is_(None)).order_by(OwnFigure.id)
        )
    )


def _values(rows: list[OwnFigure], catalogue: Catalogue) -> dict[str, dict[str, float]]:
    """Own values by pest and figure, without those that the catalogue no longer knows."""
    out: dict[str, dict[str, float]] = {}
    for row in rows:
        out.setdefault(row.pest_id, {})[row.figure] = row.value
    lost = {pest_id: own.unknown(catalogue, pest_id, values) for pest_id, values in out.items()}
    return {
        pest_id: kept
        for pest_id, values in out.items()
        if (kept := {k: v for k, v in values.items() if k not in lost[pest_id]})
    }


def adjusted(rows: list[OwnFigure], catalogue: Catalogue) -> Catalogue:
    """The catalogue with the keeper's own figures. A pest whose figures no longer fit
    together keeps the shipped ones.
    """
    for pest_id, values in _values(rows, catalogue).items():
        try:
            catalogue = own.with_own(catalogue, {pest_id: values})
        except InputError:
            continue
    return catalogue


def in_use(rows: list[OwnFigure], pest_id: str) -> int:
    """How many own figures a keeper has set for a pest."""
    return sum(row.pest_id == pest_id for row in rows)


def build(desk: Desk, pest_id: str, draft: Mapping[str, float] | None = None) -> OwnResult:
    """The figures of a pest with the keeper's own, and their effect compared with the
    shipped ones. `draft` is tried on top of those kept.

    Raises InputError for an impossible draft.
    """
    shipped = desk.catalogue
    shipped.pest(pest_id)
    every = list(
        desk.session.scalars(
            select(OwnFigure).where(OwnFigure.pest_id == pest_id).order_by(OwnFigure.id.desc())
        )
    )
    lines = []
    for figure in own.figures(shipped, pest_id):
        rows = [r for r in every if r.figure == figure.key]
        stands = next((r for r in rows if r.withdrawn_at is None), None)
        lines.append(FigureLine(figure, stands, tuple(r for r in rows if r is not stands)))
    values = {
        **_values([r for r in every if r.withdrawn_at is None], shipped).get(pest_id, {}),
        **(draft or {}),
    }
    known = {line.figure.key for line in lines}
    lost = tuple(r for r in every if r.withdrawn_at is None and r.figure not in known)
    effect = (
        _effect(desk, replace(desk, catalogue=own.with_own(shipped, {pest_id: values})), pest_id)
        if values
        else None
    )
    return OwnResult(pest_id, tuple(lines), lost, effect)


def _effect(shipped: Desk, changed: Desk, pest_id: str) -> Effect:
    days = []
    for celsius in COMPARE_C:
        before, after = (
            stage_times(d.catalogue.pest(pest_id), celsius) for d in (shipped, changed)
        )
        days.append(
            (
                celsius,
                (before.egg_to_adult, after.egg_to_adult),
                (before.generation, after.generation),
            )
        )
    affected = []
    for row in (
        c
        for p in cases.plants(shipped.session)
        for c in p.cases
        if c.pest_id == pest_id and c.closed_at is None
    ):
        affected.append((row, _evenings(shipped, row), _evenings(changed, row)))
    return Effect(tuple(days), tuple(affected))


def _evenings(desk: Desk, row: PestCase) -> tuple[date, ...]:
    try:
        return outlook.dates_tried(assemble.facts_of(desk, row, row.planned_on))
    except InputError:
        return ()


def keep(
    session: Session,
    shipped: Catalogue,
    pest_id: str,
    key: str,
    value: float,
    note: str,
    *,
    now: datetime,
) -> None:
    """Keep an own figure with its source. The old one is withdrawn. Raises FieldErrors
    when it is impossible.
    """
    if own.unknown(shipped, pest_id, [key]):
        raise FieldErrors({"figure": "There is no such figure for this pest."})
    try:
        rows = [r for r in standing(session) if r.pest_id == pest_id]
        own.with_own(shipped, {pest_id: {**_values(rows, shipped).get(pest_id, {}), key: value}})
    except InputError as error:
        raise FieldErrors({"value": error.message}) from None
    _withdraw(session, pest_id, key, now)
    session.add(OwnFigure(pest_id=pest_id, figure=key, value=value, note=note, recorded_at=now))


def restore(session: Session, pest_id: str, key: str, *, now: datetime) -> None:
    """Return to the shipped figure. The own one is kept as withdrawn. Raises NotFound
    when there is none.
    """
    if not _withdraw(session, pest_id, key, now):
        raise NotFound("There is no figure of your own to take back here.")


def _withdraw(session: Session, pest_id: str, key: str, now: datetime) -> bool:
    rows = [r for r in standing(session) if r.pest_id == pest_id and r.figure == key]
    for row in rows:
        row.withdrawn_at = now
    return bool(rows)
