"""On which evenings several plants can be treated at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta

from brood.catalogue.holdings import Catalogue
from brood.core.course.shared_evenings import DayRange, gather
from brood.services.cases import assemble, effort, history
from brood.services.cases.history import members
from brood.services.voice import words
from brood.services.voice.preferences import Preferences
from brood.store.tables import Application, PestCase

SPAN_DAYS, COMING_DAYS = 14, 7


@dataclass(frozen=True)
class WindowsRow:
    """A case in the chart of evenings: its windows to come (first, target, last day),
    and the evening that serves the next one.
    """

    row: PestCase
    pest: str
    windows: tuple[tuple[date, date, date], ...]
    served_on: date | None
    names: str
    parts: tuple[str, ...]
    mix_ml: float
    acts: tuple[str, ...]
    wet: tuple[str, ...]
    minutes: float

    @property
    def aim(self) -> str:
        """The parts of the plant on which most animals sit."""
        return "; ".join(self.parts)


@dataclass(frozen=True)
class Gathering:
    """One evening: its day, the cases that it serves, and the minutes that it takes."""

    on: date
    rows: tuple[WindowsRow, ...]
    minutes: float

    @property
    def plants(self) -> int:
        """How many plants it serves."""
        every = [p for r in self.rows for p in (r.row.plant, *(m.plant for m in members(r.row)))]
        return sum(p.number for p in {p.id: p for p in every}.values())

    @property
    def mix_ml(self) -> float:
        """How much mix its sprays take: what is sprayed on a plant for two pests is one
        spraying.
        """
        each: dict[tuple[int, tuple[str, ...]], float] = {}
        for r in self.rows:
            if r.wet:
                key = r.row.plant_id, r.wet
                each[key] = max(r.mix_ml, each.get(key, 0.0))
        return sum(each.values())

    @property
    def moved(self) -> tuple[WindowsRow, ...]:
        """The cases that are planned for another day."""
        return tuple(r for r in self.rows if r.windows and r.windows[0][1] != self.on)


def next_evening(row: PestCase) -> Application | None:
    """The next planned evening of a case."""
    return next(iter(history.planned(row)), None)


def brief(catalogue: Catalogue, row: PestCase) -> str:
    """What a case is about, in a word or two: the group of its pest."""
    return catalogue.groups[catalogue.records[row.pest_id].group].brief


def windows_row(catalogue: Catalogue, row: PestCase, today: date) -> WindowsRow:
    slots = history.planned(row)
    spans = tuple(
        (max(a.earliest_on, today), a.target_on, max(a.latest_on, a.target_on))
        for a in slots[:2]
        if a.earliest_on <= today + timedelta(days=SPAN_DAYS)
    )
    here, gone = assemble.limits_of(row).admits(today), history.went_by(row)
    if (
        here
        and gone
        and slots[0].target_on <= today
        and gone.missed_latest_on
        and gone.missed_latest_on < today
    ):
        spans = ((today, today, today), *spans[1:])
    acts = slots[0].treatments if slots else []
    wet = sorted(
        key
        for key in acts
        if key in catalogue.recipes.recipe and not catalogue.treatments[key].by_hand
    )
    plants = [row.plant, *(m.plant for m in members(row))]
    parts = catalogue.evenings.most_on(
        catalogue.records[row.pest_id].group, effort.build_of(row.plant)
    )
    return WindowsRow(
        row,
        brief(catalogue, row),
        spans,
        None,
        words.act_names(acts, catalogue.treatments),
        tuple(parts),
        sum(effort.mix_ml(catalogue, p, key) for key in wet for p in plants),
        tuple(acts),
        tuple(wet),
        effort.evening(catalogue, row, acts),
    )


def joined(catalogue: Catalogue, rows: Sequence[WindowsRow]) -> list[WindowsRow]:
    """The rows with one for a plant whose pests can be treated on one evening."""
    out: dict[int, WindowsRow] = {}
    for row in sorted(rows, key=lambda r: r.row.id):
        held = out.get(row.row.plant_id)
        whole = _whole(catalogue, held, row) if held else None
        out[row.row.plant_id if held is None or whole else -row.row.id] = whole or row
    return list(out.values())


def _whole(catalogue: Catalogue, lead: WindowsRow, other: WindowsRow) -> WindowsRow | None:
    """Two pests of a plant as one row. None where no day serves both."""
    if not lead.windows or not other.windows:
        return None
    first = max(lead.windows[0][0], other.windows[0][0])
    last = min(lead.windows[0][2], other.windows[0][2])
    if first > last:
        return None
    acts = tuple(dict.fromkeys((*lead.acts, *other.acts)))
    same = {*lead.wet} & {*other.wet} or not (lead.wet and other.wet)
    return replace(
        lead,
        pest=" + ".join(brief(catalogue, one.row) for one in (lead, other)),
        windows=((first, min(max(lead.windows[0][1], first), last), last), *lead.windows[1:]),
        names=words.act_names(acts, catalogue.treatments),
        parts=tuple(dict.fromkeys((*lead.parts, *other.parts))),
        mix_ml=max(lead.mix_ml, other.mix_ml) if same else lead.mix_ml + other.mix_ml,
        acts=acts,
        wet=tuple(sorted({*lead.wet, *other.wet})),
        minutes=effort.evening(catalogue, lead.row, acts),
    )


def _evenings(rows: Sequence[WindowsRow]) -> list[date]:
    """The days on which evenings serve cases."""
    return sorted({r.served_on for r in rows if r.served_on})


def _minutes(catalogue: Catalogue, rows: Sequence[WindowsRow]) -> float:
    """The minutes of an evening: what is done to a plant for two pests is done once."""
    acts: dict[int, dict[str, None]] = {}
    for r in rows:
        acts.setdefault(r.row.plant_id, {}).update(dict.fromkeys(r.acts))
    first = {r.row.plant_id: r.row for r in reversed(rows)}
    return sum(effort.evening(catalogue, row, list(acts[plant])) for plant, row in first.items())


def gathered(
    catalogue: Catalogue,
    rows: tuple[WindowsRow, ...],
    prefs: Preferences,
    today: date,
    tried: date | None,
) -> tuple[tuple[WindowsRow, ...], tuple[Gathering, ...], tuple[WindowsRow, ...]]:
    """The rows with the evening that serves each, the evenings, and the rows that no
    free evening serves.
    """
    windows = [
        DayRange(
            str(r.row.id),
            r.windows[0][0].toordinal(),
            r.windows[0][2].toordinal(),
            r.windows[0][1].toordinal(),
        )
        for r in rows
        if r.windows
    ]
    end = max((w.last for w in windows), default=today.toordinal())
    free = [d for d in range(today.toordinal(), end + 1) if prefs.free(date.fromordinal(d))]
    if tried is not None and tried >= today:
        now = [w for w in windows if w.first <= tried.toordinal() <= w.last]
        rest = gather([w for w in windows if w not in now], free)
        serves, unserved = {**rest.serves, **{w.key: tried.toordinal() for w in now}}, rest.unserved
    else:
        found = gather(windows, free)
        serves, unserved = found.serves, found.unserved
    served = tuple(
        replace(
            r,
            served_on=date.fromordinal(serves[str(r.row.id)]) if str(r.row.id) in serves else None,
        )
        for r in rows
    )
    by_day = {day: [r for r in served if r.served_on == day] for day in _evenings(served)}
    return (
        served,
        tuple(
            Gathering(day, tuple(some), _minutes(catalogue, some)) for day, some in by_day.items()
        ),
        tuple(r for r in served if str(r.row.id) in unserved),
    )
