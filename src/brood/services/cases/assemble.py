"""From the household's record to one case as a value: what was found, done and counted,
the warmth, the means. All that is worked out follows from this and from nothing else.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta

from brood.catalogue.holdings import Catalogue
from brood.core.biology.case import (
    Act,
    Arrival,
    CardCatch,
    Case,
    Evening,
    Found,
    Inspection,
    Limits,
    Pace,
)
from brood.core.biology.digest import digest_of
from brood.core.biology.handling import cut_act, handled
from brood.core.biology.pest import ADULT
from brood.core.biology.plant_states import arrivals, keep_up, under
from brood.core.biology.rain import rained_on
from brood.core.biology.stage_classes import ROUGH_COUNTS, class_of
from brood.core.biology.stage_times import generation_ends
from brood.core.biology.unseen import infer_hidden, spread_group
from brood.core.climate.series import HourlySeries
from brood.core.course import planner
from brood.core.followup.all_clear import suspected
from brood.core.followup.detection import THOROUGH, found_by
from brood.errors import InputError, LeftAlone
from brood.services.cases import history, test_leaves
from brood.services.voice import preferences
from brood.services.voice.desk import Desk
from brood.services.warmth.hourly import at_least_usual, plant_series
from brood.services.warmth.rain import rain_of
from brood.store.place_tables import Place
from brood.store.queries import lasting
from brood.store.states import EveningOutcome, PlanState
from brood.store.tables import Finding, InspectionRecord, PestCase, Plant

LEAST_GAP_DAYS, MOST_GAP_DAYS = 7, 120
"""A case counts as left alone never before so many days, however quick its pest, and
always after so many, however slow (our judgement, C).
"""


OUT = ("outdoor", "balcony")
"""Settings of places from which adults can fly off."""
RAIN_AHEAD = timedelta(days=14)
SKIP_REACHES = timedelta(days=14)
FLIGHT_DAYS = 14
"""For so many days more of those that fly are to be expected (our judgement, C)."""
REPOT = "repotting"
SEASON = timedelta(days=365)
"""Labels count uses within so many days, also those before the present course."""
LONG_COURSE, KEPT_COUNTS = timedelta(days=180), timedelta(days=60)
"""A course that has gone on for longer is reckoned from a later count, with so much of its
record where there is life to begin with (our judgement, C).
"""
RETURN_CHANCE = 0.3
"""How likely something still lives when a look finds nothing after more than a
generation without a look (our judgement, C).
"""


def expected_count(finding: Finding, plants: int = 1) -> float:
    """The number that a find stands for, on so many plants: what was counted on some of
    them stands for all.
    """
    counted = finding.number if finding.number is not None else ROUGH_COUNTS[finding.rough or "few"]
    return counted * plants / finding.plants if finding.plants else counted


@dataclass(frozen=True)
class Facts:
    """A recorded case as a value. `case` is as it was found, before anything was counted
    in its present course; its evenings to come are not in it but in `promised`, because
    they follow from the rest. `on` is the day from which it looks ahead. `silent_since` is
    the last day of which anything is known where that is longer than a generation ago: then
    no new dates can be made. `began` is the day of the count with which the present course
    began, None for the first course.
    """

    on: date
    case: Case
    looks: tuple[Inspection, ...]
    cards: tuple[CardCatch, ...]
    promised: tuple[Evening, ...]
    silent_since: date | None = None
    began: date | None = None

    def digest(self) -> str:
        """The digest of the facts, without the evenings that were worked out from them."""
        case = replace(self.case, beside=())
        return digest_of(replace(self, promised=(), silent_since=None, case=case))

    def parts(self) -> dict[str, str]:
        """The digest of every kind of fact by name, to tell what has changed."""
        parts = replace(self.case, beside=()).parts() | {
            "seen": digest_of(_seen(self.case)),
            "looks": digest_of(self.looks),
            "cards": digest_of(self.cards),
            "began": str(self.began),
        }
        del parts["found"]
        return parts


def _seen(case: Case) -> dict[str, float]:
    """The sum of what was found, by day and class of stage. How it spreads over the stages,
    and what must be there unseen, follows from the warmth too.
    """
    seen: dict[str, float] = {}
    for one in case.found:
        if not one.inferred:
            name = f"{one.on} {class_of(case.pest, one.stage)}"
            seen[name] = seen.get(name, 0.0) + one.count
    return {name: round(count, 6) for name, count in seen.items()}


def facts_of(desk: Desk, row: PestCase, on: date | None = None) -> Facts:
    """A recorded case as a value, looking ahead from a day: its own, where none is given.

    Raises LeftAlone where it must be counted again first, InputError when finds or
    temperatures are missing.
    """
    day = on or day_of(row, desk.today)
    case = as_found(desk, row, day)
    # What stands in the keeper's calendar is promised: the planner moves it only for a reason.
    promised = [
        Evening(a.target_on, tuple(a.treatments))
        for a in history.planned(row)
        if a.target_on >= day
    ]
    return Facts(
        day,
        case,
        looks_of(row),
        catches_of(row),
        () if row.anew else _known(promised, case.acts),
        _silent_since(desk, row, day),
        history.course_began(row),
    )


def _silent_since(desk: Desk, row: PestCase, on: date) -> date | None:
    """The last day of which anything is known of a case that has no evenings to come, where
    that is too long ago. One that waits for a count was refused before.
    """
    if row.closed_at is not None or history.waits_for_a_count(row):
        return None
    return history.touched_on(row) if left_alone(desk, row, on) else None


def _seen_on(row: PestCase, on: date, found: Sequence[Found]) -> date:
    """The last day up to `on` on which something alive was seen."""
    looks = [x.on for x in looks_of(row) if x.live and x.on <= on]
    return max([*looks, *(f.on for f in found if f.on <= on)], default=on)


def day_of(row: PestCase, today: date) -> date:
    """The day from which a case looks ahead: that of its plan while it holds, otherwise
    today, or the day on which it was closed.
    """
    if row.planned_on is not None and not history.plan_is_due(row, today):
        return row.planned_on
    return today if row.closed_at is None else row.closed_at.date()


def as_found(desk: Desk, row: PestCase, on: date) -> Case:
    """A recorded case as the computation takes it, before anything was counted in its
    present course.

    Raises LeftAlone where it must be counted again first, InputError when finds or
    temperatures are missing.
    """
    finds = history.standing(row.findings)
    began = history.course_began(row)
    if not finds and began is None:
        raise InputError(
            "Every find of this case is withdrawn. Add what was found, and the plan is made again.",
            field="found",
        )
    # Numbers from before a silence of a generation are fiction; nothing is planned from them.
    if history.waits_for_a_count(row) and left_alone(desk, row, on):
        raise LeftAlone(history.touched_on(row))
    first = began or min(f.found_on for f in finds)
    series = plant_series(
        desk.session,
        row.plant,
        first - timedelta(days=1),
        max(on, row.start_on) + timedelta(days=2 * planner.DEFAULT_HORIZON_DAYS),
        known_to=datetime.combine(on, time()),
    )
    (acts, past), done, skipped = _evenings(desk, row, on, first if began else date.min)
    found = _found(desk, row, began, series)
    place = _place(row.plant)
    case = Case(
        pest=desk.catalogue.pest(row.pest_id, outdoors=place is not None and place.setting in OUT),
        start=max([row.start_on, on, *(day + timedelta(days=1) for day in skipped)]),
        found=found,
        seen_on=_seen_on(row, on, found),
        series=series,
        acts=acts,
        past=past,
        reach=row.reach,
        refuge=hidden_share(desk.catalogue, row),
        done=done,
        fixed=_known(_fixed(row, on), acts),
        keep_below=row.keep_below,
        pace=Pace(row.pace),
        beside=_beside(row, on),
        limits=limits_of(row),
        rain=rain_of(desk.session, place, first, on + RAIN_AHEAD) if place else (),
    )
    return _handled(desk, row, case, first)


def _beside(row: PestCase, on: date) -> tuple[date, ...]:
    """The evenings to come of the pest that came first on the same plant."""
    first = history.followed(row)
    return tuple(a.target_on for a in history.planned(first) if a.target_on >= on) if first else ()


def _place(plant: Plant) -> Place | None:
    """Where a plant stands now."""
    return plant.stays[-1].place if plant.stays else None


def protects(catalogue: Catalogue, row: PestCase) -> bool:
    """Whether a course can only protect the plant, one brood at a time: outdoors, from a
    pest whose adults come and go.
    """
    place = _place(row.plant)
    comes = catalogue.records[row.pest_id].leaves_outdoors is not None
    return comes and place is not None and place.setting in OUT


def _handled(desk: Desk, row: PestCase, case: Case, since: date) -> Case:
    """The case with what was done to the plant beside its evenings, the rain that fell on
    it, what comes flying, and the states that last on it.
    """
    catalogue, done_on = desk.catalogue, {(e.on, a) for e in case.done for a in e.acts}
    for event in lasting.handled(desk.session, row.plant_id, since):
        if event.kind == "repotted" and (event.on, REPOT) not in done_on:
            case = handled(case, catalogue.act(REPOT, row.pest_id), event.on)
        elif event.kind == "cut" and event.leaves and event.of_leaves:
            cut = cut_act(case.pest, event.leaves, event.of_leaves, f"cut-{event.id}")
            case = handled(case, cut, event.on)
    case = replace(rained_on(case), arrivals=_arrivals(row, case))
    states = [
        catalogue.held(one.kind, one.since_on, lasting.last_day(one), row.pest_id)
        for one in lasting.of_plant(desk.session, row.plant_id)
        if one.kind in catalogue.states
    ]
    return keep_up(under(case, states), row.start_on)


def _arrivals(row: PestCase, case: Case) -> tuple[Arrival, ...]:
    """What flies in outdoors, by the adults that were last seen, for the time of a flight."""
    finds = [f for f in history.standing(row.findings) if f.stage == ADULT]
    plants = history.number_of(row)
    seen = [(f.found_on, expected_count(f, plants)) for f in finds]
    seen += [(x.on, float(x.counts.get(ADULT, 0.0))) for x in looks_of(row)]
    lately = [(on, n) for on, n in seen if 0 <= (case.start - on).days <= FLIGHT_DAYS and n > 0]
    if not lately:
        return ()
    on, number = max(lately)
    return arrivals(case, number, on, FLIGHT_DAYS)


def _found(
    desk: Desk, row: PestCase, began: date | None, series: HourlySeries
) -> tuple[Found, ...]:
    """What was found, with what must be there too: of the whole case, or since its
    present course `began` with a count.
    """
    pest, celsius = desk.catalogue.pest(row.pest_id), float(series.celsius[: 24 * 7].mean())
    finds = [f for f in history.standing(row.findings) if began is None or f.found_on >= began]
    plants = history.number_of(row)
    groups = [Found(f.found_on, f.stage, expected_count(f, plants)) for f in finds]
    found = [piece for group in groups for piece in spread_group(pest, group, celsius)]
    for look in looks_of(row) if began else ():
        if look.on == began:
            found += found_by(pest, look, celsius)
    if not found and began is not None:
        found = list(suspected(began, RETURN_CHANCE))
    return infer_hidden(pest, tuple(found), series)


def _evenings(
    desk: Desk, row: PestCase, on: date, since: date
) -> tuple[tuple[tuple[Act, ...], tuple[Act, ...]], tuple[Evening, ...], list[date]]:
    """The treatments at hand and those that were, the evenings done and those skipped
    since a day.
    """
    said = [(a, r) for a in row.applications if (r := history.last_word(a))]
    every = [
        Evening(r.done_on, tuple(r.treatments), r.reach)
        for r in history.evenings_done(row)
        if r.done_on
    ]
    in_order = tuple(sorted((e for e in every if e.on >= since), key=lambda e: e.on))
    earlier = [e for e in every if on - SEASON < e.on < since]
    # Who skips an evening months ahead says nothing about the weeks until then.
    skipped = [
        min(a.target_on, r.recorded_at.date() + SKIP_REACHES)
        for a, r in said
        if r.outcome == EveningOutcome.SKIPPED and a.target_on >= since
    ]
    return (
        _acts(desk, row, in_order, earlier, on),
        in_order,
        skipped,
    )


def hidden_share(catalogue: Catalogue, row: PestCase) -> float:
    """The share of a case's animals that nothing reaches: as the keeper says, otherwise
    by how the plant is built.
    """
    if row.refuge is not None:
        return row.refuge
    return catalogue.hiding.of_plant(row.plant.build, row.plant.kind)


def left_alone(desk: Desk, row: PestCase, on: date) -> bool:
    """Whether, by a day, nothing has been known of a case for longer than a slow
    generation, or for four months.
    """
    since = history.touched_on(row)
    if not LEAST_GAP_DAYS < (on - since).days <= MOST_GAP_DAYS:
        return (on - since).days > MOST_GAP_DAYS
    return _generation_ends(desk, row, since, on) is not None


def silent_from(desk: Desk, row: PestCase) -> date:
    """The first day on which a case counts as left alone if nothing more is recorded."""
    since = history.touched_on(row)
    low, high = since + timedelta(days=LEAST_GAP_DAYS), since + timedelta(days=MOST_GAP_DAYS + 1)
    likely = _generation_ends(desk, row, since, high) or high
    tries = [likely - timedelta(days=1), likely]
    # A silence only grows: the first such day lies between two that are halved. The likely day
    # and the one before it are nearly always those two.
    while (high - low).days > 1:
        middle = tries.pop() if tries else low + (high - low) // 2
        if low < middle < high:
            low, high = (low, middle) if left_alone(desk, row, middle) else (middle, high)
    return high


def _generation_ends(desk: Desk, row: PestCase, since: date, until: date) -> date | None:
    """The day by which a slow generation from a day on is over. None where it is not by
    `until`, or where it is not known how warm it is.
    """
    try:
        series = plant_series(desk.session, row.plant, since, until)
    except InputError:
        return None
    watched = at_least_usual(series, row.plant.stays[-1].place)
    return generation_ends(desk.catalogue.pest(row.pest_id), watched, since, until)


def counted_again(desk: Desk, row: PestCase, on: date, *, live: bool) -> None:
    """Begin a new course with a count that is about to be recorded, where the case was
    left alone for longer than a generation.

    A count that finds nothing begins one only where evenings were still to come. After
    a whole course it is one of the looks that end it. Where life is found in a course that
    has gone on for long, the course is reckoned from a later count.
    """
    if on <= history.touched_on(row) or not (live or history.waits_for_a_count(row)):
        return
    if left_alone(desk, row, on):
        row.course_from, row.own_dates, row.plan_state = on, [], PlanState.NEVER
    elif live:
        row.course_from = _later_count(row, on) or row.course_from


def _later_count(row: PestCase, on: date) -> date | None:
    """The day with which a long course begins from now on: the newest of old on which
    something lived, or the first after it. None where the course is not so long.

    What was found half a year ago says less of today than what was counted since.
    """
    alive = [f.found_on for f in history.standing(row.findings)]
    began = history.course_began(row) or min(alive, default=on)
    if on - began <= LONG_COURSE:
        return None
    alive += [x.on for x in looks_of(row) if x.live]
    since = sorted({on, *(day for day in alive if day > began)})
    return max((day for day in since if day <= on - KEPT_COUNTS), default=since[0])


def _acts(
    desk: Desk,
    row: PestCase,
    done: Sequence[Evening],
    earlier: Sequence[Evening],
    on: date,
) -> tuple[tuple[Act, ...], tuple[Act, ...]]:
    """The treatments at hand, and those that were. Sprays are allowed once their test
    leaves are judged and new roots have taken.

    A treatment that was given up, that marked the leaves, or that is not allowed where
    the household lives, can be used no more, but what it did still counts. Labels count
    the uses of `earlier` evenings of the season too.
    """
    uses = Counter(act for evening in (*done, *earlier) for act in evening.acts)
    catalogue, repotted = desk.catalogue, history.repotted_on(desk.session, row.plant_id)
    barred = preferences.barred(desk.session)
    out: list[Act] = []
    past: list[Act] = []
    for a in row.every_act:
        ready = test_leaves.first_evening(catalogue, row, a.treatment_id, on)
        if a.dropped_at is not None or ready == date.max or a.treatment_id in barred:
            if uses[a.treatment_id]:
                act = catalogue.act(a.treatment_id, row.pest_id)
                past.append(replace(act, used=_days(earlier, act.id)))
            continue
        act = catalogue.act(
            a.treatment_id,
            row.pest_id,
            min_gap_days=a.min_gap_days,
            max_applications=a.max_applications,
        )
        harvest = act.harvest_days if a.harvest_days is None else a.harvest_days
        rooted = (
            repotted + timedelta(days=history.ROOTING_DAYS)
            if repotted and catalogue.care[a.treatment_id].technique == "spray"
            else None
        )
        waits = [day for day in (ready, rooted) if day is not None]
        out.append(
            replace(
                act,
                harvest_days=harvest,
                not_before=max(waits, default=None),
                used=_days(earlier, act.id),
            )
        )
    return tuple(out), tuple(past)


def _days(evenings: Sequence[Evening], act: str) -> tuple[date, ...]:
    """The days of evenings with an act, in order."""
    return tuple(sorted(one.on for one in evenings if act in one.acts))


def limits_of(row: PestCase) -> Limits:
    """The days that suit a case, as recorded."""
    held = row.limits
    days, away = held.get("weekdays"), held.get("away", ())
    return Limits(
        weekdays=None if days is None else frozenset(days),
        away=tuple((date.fromisoformat(first), date.fromisoformat(last)) for first, last in away),
        harvest=date.fromisoformat(held["harvest"]) if "harvest" in held else None,
    )


def is_away(row: PestCase, today: date) -> bool:
    """Whether nobody is there to treat a case today, as was said of its course."""
    return any(first <= today <= last for first, last in limits_of(row).away)


def _known(evenings: Iterable[Evening], acts: tuple[Act, ...]) -> tuple[Evening, ...]:
    """The evenings with those of their acts that are still at hand. Evenings without
    any are left out. What is kept up is no part of an evening.
    """
    ids = {a.id for a in acts if not a.kept}
    kept = [replace(e, acts=tuple(i for i in e.acts if i in ids)) for e in evenings]
    return tuple(e for e in kept if e.acts)


def _fixed(row: PestCase, on: date) -> tuple[Evening, ...]:
    """The dates that the keeper has set, from a day on, with the acts that are planned
    for the evening at the same place of the course. An evening that was done or skipped
    has used up its date, whenever it was done.
    """
    used = history.settled_days(row)
    own = (date.fromisoformat(text) for text in row.own_dates)
    days = sorted(day for day in own if day >= on and day not in used)
    slots = history.planned(row)
    every = [a.treatment_id for a in row.acts]
    return tuple(
        Evening(day, tuple(slots[n].treatments if n < len(slots) else every))
        for n, day in enumerate(days)
    )


def looks_of(row: PestCase) -> tuple[Inspection, ...]:
    """The looks at a case. A look at one of several plants has seen that much less of
    all of them.
    """
    plants = history.number_of(row)
    return tuple(as_look(i, plants) for i in history.looks(row))


def as_look(record: InspectionRecord, plants: int = 1) -> Inspection:
    """One look in the form that the computation takes. `plants` is how many the case
    stands for.
    """
    counts = {str(c["class"]): float(c["live"]) for c in record.counts if c["live"]}
    return Inspection(
        record.looked_on,
        counts,
        record.share * min(1.0, (record.plants or record.plant.number) / plants),
        THOROUGH[record.thorough],
        record.spread_days,
    )


def catches_of(row: PestCase) -> tuple[CardCatch, ...]:
    """What cards caught between their counts."""
    out = []
    for card in (c for c in row.cards if c.withdrawn_at is None):
        since = card.placed_on
        for count in (c for c in card.counts if c.withdrawn_at is None):
            if count.counted_on > since:
                out.append(CardCatch(since, count.counted_on, float(count.number)))
            since = count.counted_on
    return tuple(sorted(out, key=lambda c: c.until))
