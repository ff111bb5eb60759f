"""The year at a glance: what comes, and what is done about it, for twelve months from a
quarter back.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from brood.core.followup.all_clear import Clearing
from brood.core.season.biofix import season_of
from brood.services.cases import beside, history, plans
from brood.services.cases.beside import House
from brood.services.house import plants
from brood.services.house.quarantine import open_quarantines
from brood.services.season import arrivals, doors, hints, rhythm
from brood.services.season.arrivals import Arrival, Seasons
from brood.services.season.doors import Door, Sleep
from brood.services.season.hints import Hint
from brood.services.season.year_warmth import PlaceWarmth
from brood.services.voice.desk import Desk
from brood.services.voice.odds import in_100
from brood.services.voice.speech import Speech, listed
from brood.store.place_tables import Place
from brood.store.queries import lasting
from brood.store.records import Prevention
from brood.store.tables import PestCase, Plant

MONTHS, BACK_MONTHS, MOST_ROWS, MOST_DUE, WEEK = 12, 3, 7, 4, 7
BAND = 0.8
"""The chance that the first sighting falls between the early and the late day."""
DAY_SPREAD_C = 3.2
"""Half the band in which most days' means lie around their normal, °C (C)."""


@dataclass(frozen=True)
class Course:
    """The evenings of an open case, and the day from which its plant may be back."""

    case_id: int
    done: tuple[date, ...]
    planned: tuple[tuple[date, bool], ...]
    clear: date | None


@dataclass(frozen=True)
class State:
    """What lasts on the plants of a place against a pest: a net, a card, a dry surface."""

    kind: str
    name: str
    since: date
    until: date
    plants: tuple[str, ...]


@dataclass(frozen=True)
class Row:
    """A pest at a place through the year. `seen` are the first sightings of earlier years
    (the day of this window, the year), `found` those of this window.
    """

    pest_id: str
    name: str
    drawing: str
    place: Place
    arrivals: tuple[Arrival, ...]
    seen: tuple[tuple[date, int], ...]
    found: tuple[tuple[date, str], ...]
    states: tuple[State, ...]
    courses: tuple[Course, ...]

    @property
    def first_year(self) -> bool:
        """Whether nothing is known of earlier years."""
        return not self.arrivals and not self.seen


@dataclass(frozen=True)
class WarmthLine:
    """The warmth of a place: (day, mean °C) as measured, then as expected, low and high."""

    place: Place
    measured: tuple[tuple[date, float], ...]
    expected: tuple[tuple[date, float, float], ...]


@dataclass(frozen=True)
class Item:
    """Something on a day: what, and where it is done or read."""

    on: date
    text: str
    url: str
    minutes: int = 0


@dataclass(frozen=True)
class YearResult:
    """Everything that the year's page shows."""

    headline: str
    lead: str
    first: date
    last: date
    today: date
    rows: tuple[Row, ...]
    more: int
    warmth: tuple[WarmthLine, ...]
    doors: tuple[Door, ...]
    sleeps: tuple[Sleep, ...]
    due: tuple[Item, ...]
    later: tuple[Item, ...]
    begin: tuple[Arrival, ...]
    places: tuple[Place, ...]
    plants: tuple[Plant, ...]
    noted: Mapping[tuple[str, int, int], str]
    hints: tuple[Hint, ...]


def span(today: date) -> tuple[date, date]:
    """The first and the last day of the strip."""
    months = today.year * MONTHS + today.month - 1 - BACK_MONTHS
    first = date(months // MONTHS, months % MONTHS + 1, 1)
    after = months + MONTHS
    return first, date(after // MONTHS, after % MONTHS + 1, 1) - timedelta(days=1)


def build(desk: Desk, place_id: int | None = None, plant_id: int | None = None) -> YearResult:
    """The year as it stands: of the whole house, of one place, or of one plant."""
    house = beside.house_of(desk.session)
    known = arrivals.seasons(desk.session, desk.catalogue, desk.prefs.hemisphere, desk.today)
    first, last = span(desk.today)
    coming = _wanted(desk, house, arrivals.ahead_of(desk, known), place_id, plant_id)
    rows = _rows(desk, house, known, (first, last), coming, place_id, plant_id)
    warmth = _of_places(desk, known, house)
    lines = _lines(warmth, first, last, desk.today, place_id)
    there = [(place, one) for place, one in warmth if place_id in (None, place.id)]
    moved = [d for place, one in there for d in doors.of_place(place, one, first, last)][:2]
    rests = [s for place, one in there for s in doors.sleeps(place, one, first, last)]
    where = _where(house, place_id, plant_id)
    events = _events(desk, house, coming, rows, moved, rests, known)
    events = sorted(
        [*events, *_walks(desk, house, coming, where)],
        key=lambda i: (i.on, i.text),
    )
    week = desk.today + timedelta(days=WEEK)
    head = _headline(desk, coming, known.preventions)
    return YearResult(
        *head,
        first,
        last,
        desk.today,
        tuple(rows[:MOST_ROWS]),
        max(0, len(rows) - MOST_ROWS),
        lines,
        tuple(moved),
        tuple(rests),
        tuple(i for i in events if i.on <= week)[:MOST_DUE],
        tuple(i for i in events if i.on > week)[: 3 * MOST_DUE],
        tuple(a for a in coming if a.state(desk.today) in ("begin", "likely")),
        tuple(sorted(known.places.values(), key=lambda p: p.name)),
        tuple(sorted(house.here, key=lambda p: p.name)),
        {(p.pest_id, p.place_id, p.season): p.kind for p in known.preventions},
        tuple(h for h in hints.every(desk, house) if where in (None, h.place_id)),
    )


def _wanted(
    desk: Desk, house: House, every: list[Arrival], place_id: int | None, plant_id: int | None
) -> list[Arrival]:
    """The forecasts of a place, or of what a plant may get where it stands."""
    if plant_id is None:
        return [a for a in every if place_id in (None, a.place.id)]
    plant = next((p for p in house.here if p.id == plant_id), None)
    stay = beside.stay_of(plant) if plant else None
    if plant is None or stay is None:
        return []
    return [
        a
        for a in every
        if a.place.id == stay.place_id and plants.susceptible(desk.catalogue, plant, a.pest_id)
    ]


# -- rows --


def _rows(
    desk: Desk,
    house: House,
    known: Seasons,
    window: tuple[date, date],
    coming: Sequence[Arrival],
    place_id: int | None,
    plant_id: int | None,
) -> list[Row]:
    first, last = window
    this = season_of(desk.prefs.hemisphere, desk.today)
    every = [
        a
        for year in (this - 1, this, this + 1)
        for a in arrivals.of_season(desk.catalogue, known, year, desk.today)
        if a.late >= first and a.early <= last
    ]
    open_cases = [c for c in house.open_cases if plant_id in (None, c.plant_id)]
    keys = {(a.pest_id, a.place.id) for a in every}
    if plant_id is not None:
        keys = {(a.pest_id, a.place.id) for a in coming}
    for case in open_cases:
        stay = beside.stay_of(case.plant)
        if stay is not None:
            keys.add((case.pest_id, stay.place_id))
    ends = plans.ends_of(desk, open_cases)
    rows = [
        _row(desk, house, known, window, pest_id, place, every, open_cases, ends)
        for pest_id, place in keys
        if place_id in (None, place)
    ]
    order = {(a.pest_id, a.place.id): a.begin for a in coming}
    return sorted(rows, key=lambda r: _rank(r, order, desk.today))


def _rank(
    row: Row, order: Mapping[tuple[str, int], date], today: date
) -> tuple[bool, date, str, str]:
    """What was expected and is fought now, then what is ahead by its next day, then what
    nobody had expected.
    """
    fought = bool(row.arrivals and row.courses)
    begin = order.get((row.pest_id, row.place.id), date.max)
    return not row.arrivals, today if fought else begin, row.name, row.place.name


def _row(
    desk: Desk,
    house: House,
    known: Seasons,
    window: tuple[date, date],
    pest_id: str,
    place_id: int,
    every: Sequence[Arrival],
    open_cases: Sequence[PestCase],
    ends: Mapping[int, Clearing],
) -> Row:
    first, last = window
    record, group = desk.catalogue.records[pest_id], desk.catalogue.groups
    mine = tuple(a for a in every if (a.pest_id, a.place.id) == (pest_id, place_id))
    years = known.first.get((pest_id, place_id), {})
    here = house.by_place.get(place_id, [])
    cases = [
        c
        for c in open_cases
        if c.pest_id == pest_id and (s := beside.stay_of(c.plant)) and s.place_id == place_id
    ]
    return Row(
        pest_id,
        group[record.group].brief if not record.variant_of else record.plural.lower(),
        group[record.group].drawing,
        known.places[place_id],
        mine,
        tuple(
            (day, seen.on.year)
            for seen in years.values()
            if seen.on < first
            for day in _in_window(seen.on, first, last)
        ),
        tuple(
            (seen.on, _came(mine, seen.on))
            for seen in years.values()
            if first <= seen.on <= last and not seen.moved
        ),
        tuple(_states(desk, here, record.group, first)),
        tuple(_course(c, ends[c.id].back if c.id in ends else None) for c in cases),
    )


def _in_window(on: date, first: date, last: date) -> Iterable[date]:
    """The day of the window that is so many whole years after an earlier one."""
    for year in (first.year, last.year):
        day = date(year, on.month, min(on.day, 28) if on.month == 2 else on.day)
        if first <= day <= last:
            yield day


def _came(mine: Sequence[Arrival], on: date) -> str:
    """How a find came out against its forecast."""
    one = next((a for a in mine if a.found is not None and a.found.on == on), None)
    if one is None:
        return ""
    days = one.missed_by
    if not days:
        return "as expected"
    return f"{abs(days)} days {'early' if days < 0 else 'late'}"


def _states(desk: Desk, here: Sequence[Plant], group: str, first: date) -> Iterable[State]:
    """What lasts on these plants against the pests of a group, plants together."""
    kind = desk.catalogue.prevention[group].state
    spans: dict[tuple[str, date, date], list[str]] = {}
    for plant in here:
        for row in lasting.of_plant(desk.session, plant.id):
            if row.kind in (kind, "repellent") and lasting.last_day(row) >= first:
                key = (row.kind, row.since_on, lasting.last_day(row))
                spans.setdefault(key, []).append(plant.name)
    for (what, since, until), names in sorted(spans.items(), key=lambda one: one[0][1]):
        yield State(what, desk.catalogue.states[what].name, since, until, tuple(names))


def _course(row: PestCase, back: date | None) -> Course:
    return Course(
        row.id,
        tuple(r.done_on for r in history.evenings_done(row) if r.done_on),
        tuple((a.target_on, history.is_spare(a)) for a in history.planned(row)),
        back,
    )


# -- warmth --


def _of_places(desk: Desk, known: Seasons, house: House) -> list[tuple[Place, PlaceWarmth]]:
    """The warmth of the places at which something stands and that differ by season, those
    outdoors first.
    """
    order = {"outdoor": 0, "balcony": 1, "glasshouse": 2, "indoor": 3}
    places = [p for p in known.places.values() if p.id in house.by_place]
    found = [(p, known.warmth[p.id]) for p in places]
    varies = [(p, w) for p, w in found if not w.told and (w.normals or w.seasons)]
    return sorted(varies, key=lambda one: (not one[1].normals, order[one[0].setting], one[0].id))


def _lines(
    warmth: Sequence[tuple[Place, PlaceWarmth]],
    first: date,
    last: date,
    today: date,
    place_id: int | None,
) -> tuple[WarmthLine, ...]:
    """Two places at most, of those with a normal: the one outdoors comes first."""
    wanted = [one for one in warmth if place_id in (None, one[0].id)]
    known = [one for one in wanted if one[1].normals] or wanted
    out = []
    for place, one in known[:2]:
        measured, expected = [], []
        for n in range((last - first).days + 1):
            day = first + timedelta(days=n)
            found = one.mean_of(day)
            if found is not None and day < today and found[1]:
                measured.append((day, found[0]))
            elif found is not None and day >= today:
                expected.append((day, found[0] - DAY_SPREAD_C, found[0] + DAY_SPREAD_C))
        out.append(WarmthLine(place, tuple(measured), tuple(expected)))
    return tuple(out)


# -- words --


def _events(
    desk: Desk,
    house: House,
    coming: Sequence[Arrival],
    rows: Sequence[Row],
    moved: Sequence[Door],
    rests: Sequence[Sleep],
    known: Seasons,
) -> list[Item]:
    """What is due from today on, in order of days."""
    today, catalogue = desk.today, desk.catalogue
    begun = {(p.pest_id, p.place_id, p.season) for p in known.preventions}
    out = []
    for one in coming:
        group = catalogue.records[one.pest_id].group
        brief, where = catalogue.groups[group].brief, one.place.name.lower()
        if one.key not in begun and one.late >= today:
            say = catalogue.prevention[group].say
            out.append(Item(max(one.begin, today), f"{say} against {brief}: {where}", "#begin"))
        if one.early > today:
            out.append(
                Item(one.early, f"{_cap(brief)} likely from now: {where}", f"/guide/{one.pest_id}")
            )
    for row in rows:
        for state in row.states:
            if state.until >= today:
                text = f"{_cap(state.name)}, {listed([n.lower() for n in state.plants])}: it ends"
                out.append(Item(state.until, text, "/plants"))
        for course in row.courses:
            if course.clear is not None and course.clear >= today:
                text = f"{_cap(row.name)} expected clear: {row.place.name.lower()}"
                out.append(Item(course.clear, text, f"/cases/{course.case_id}"))
    out += [
        Item(d.on, d.said(desk.speech), f"/places/{d.place.id}") for d in moved if d.on >= today
    ]
    out += [
        Item(s.until, f"{s.place.name} wakes: look for mites and scale", f"/places/{s.place.id}")
        for s in rests
        if s.until >= today
    ]
    once = {(item.on, item.text): item for item in out}
    return sorted(once.values(), key=lambda i: (i.on, i.text))


def _where(house: House, place_id: int | None, plant_id: int | None) -> int | None:
    """The place that is asked for, by itself or by a plant. None for the whole house."""
    plant = next((p for p in house.here if p.id == plant_id), None)
    stay = beside.stay_of(plant) if plant else None
    return stay.place_id if stay else place_id


def _walks(desk: Desk, house: House, coming: Sequence[Arrival], place_id: int | None) -> list[Item]:
    """The next walk past the plants of each place, or of one, that are due within the week."""
    if desk.prefs.rhythm != "on":
        return []
    found = rhythm.looks(desk, house, open_quarantines(desk.session), coming)
    week = desk.today + timedelta(days=WEEK)
    by_place: dict[int, list[rhythm.DueLook]] = {}
    for one in found:
        if one.due_on <= week and place_id in (None, one.place.id):
            by_place.setdefault(one.place.id, []).append(one)
    return [
        Item(
            max(some[0].due_on, desk.today),
            f"Check {some[0].place.name.lower()}: {len(some)} plant{'' if len(some) == 1 else 's'}",
            f"/house/{some[0].place.id}/walk",
            rhythm.minutes(some),
        )
        for some in by_place.values()
    ]


def _headline(
    desk: Desk, coming: Sequence[Arrival], begun: Sequence[Prevention]
) -> tuple[str, str]:
    """The sentence that comes first, and where it comes from."""
    done = {(p.pest_id, p.place_id, p.season) for p in begun}
    waiting = [a for a in coming if a.key not in done]
    if not coming:
        return "Nothing is due.", (
            "No pest of earlier years is on record yet. Note the first sightings of years before, "
            "and this page tells when to expect them again."
        )
    one = min(waiting or coming, key=lambda a: max(a.begin, desk.today))
    catalogue, speech = desk.catalogue, desk.speech
    group = catalogue.records[one.pest_id].group
    brief, where = catalogue.groups[group].brief, one.place.name.lower()
    lead = _lead(one, _cap(brief), where, speech)
    state = one.state(desk.today)
    if one.key in done or state == "ahead":
        verb = "Look for" if one.key in done else "Begin watching for"
        day = (
            one.early if one.key in done and one.early > desk.today else max(one.begin, desk.today)
        )
        return f"{verb} {brief} from {speech.day(day)}: {where}.", lead
    say = catalogue.prevention[group].say
    return f"{say} now: {brief}, {where}.", lead


def _lead(one: Arrival, brief: str, where: str, speech: Speech) -> str:
    days = listed([speech.day_year(s.on) for s in one.seen[-3:]])
    basis = "by the warmth so far" if one.by_heat else "by these dates"
    newest = one.seen[-1]
    came = f"came to the {where} on {days}"
    if newest.moved and newest.plant is not None:
        came = f"came to the {newest.plant.name.lower()} on {days}, where it stood then"
    return (
        f"{brief} {came}. They are likely ({in_100(BAND)}) from "
        f"{speech.day_month(one.early)} to {speech.day_month(one.late)}, {basis}."
    )


def _cap(text: str) -> str:
    return text[:1].upper() + text[1:]
