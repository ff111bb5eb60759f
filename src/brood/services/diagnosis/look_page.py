"""What a look's pages show: the walk, what it could be, the next checks, and what follows."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.catalogue.sign_tables import Wait, Zone
from brood.catalogue.signs import Observation
from brood.core.biology.stage_classes import ROUGH_COUNTS
from brood.core.diagnosis.evidence import Circumstances, Verdict, group_chances, weigh
from brood.core.diagnosis.next_check import Check, next_checks
from brood.core.diagnosis.severity import Severity, severity
from brood.core.diagnosis.stages_present import StageChance
from brood.services.diagnosis import look_log, put_off
from brood.services.diagnosis.check_cards import CheckCard, card
from brood.services.diagnosis.put_off import Waiting
from brood.services.diagnosis.suspects import SURE_GROUP, Suspect, headline, ranked
from brood.services.documents.identify import (
    helpers,
    known_apart,
    season_of,
    setting_of,
    stages_of,
)
from brood.store.place_tables import Place
from brood.store.queries import looks as queries
from brood.store.tables import Look, LookAnswer, Photo, StageSeen

HISTORY = timedelta(days=365)
HONEYDEW = ("sticky-plant", "drops-sticky", "black-sooty-film")
SUCKERS = ("aphid", "whitefly", "mealybug", "soft-scale")
SPREAD = "neighbours-affected"
SEARCH = (
    "Ants and stickiness come from something that drinks sap. They prove nothing by themselves. "
    "Look above the sticky spots: shoot tips, undersides "
    "along the veins, axils, twigs all round, then the plants that stand over this one."
)
PROPOSED, SHOWN_CHECKS, MOST_SLOW, ALL = 6, 3, 2, 200


@dataclass(frozen=True)
class AskedSign:
    """An observation with the answer that stands (yes, no, old or empty), and whether
    the keeper was sure.
    """

    observation: Observation
    said: str
    sure: bool

    @property
    def damage(self) -> bool:
        """Whether it can be a scar. Then "only old" is an answer."""
        return self.observation.theme == "damage" and self.observation.background != "half"


@dataclass(frozen=True)
class ZoneLine:
    """A zone of the walk: its number, how many of its questions are answered, and what
    was found, in words.
    """

    n: int
    id: str
    zone: Zone
    answered: int
    found: str


@dataclass(frozen=True)
class SlowCheck:
    """A check that takes days, with its options."""

    options: tuple[str, ...]
    wait: Wait


@dataclass(frozen=True)
class LookResult:
    """All that a look's pages show."""

    row: Look
    build: str
    place: str
    zones: tuple[ZoneLine, ...]
    zone: ZoneLine
    questions: tuple[AskedSign, ...]
    answered: int
    headline: str
    advice: str
    suspects: tuple[Suspect, ...]
    present: tuple[Suspect, ...]
    unknown: float
    conflict: bool
    checks: tuple[CheckCard, ...]
    slow: tuple[SlowCheck, ...]
    waiting: tuple[Waiting, ...]
    notices: tuple[tuple[str, str], ...]
    stages: Mapping[str, tuple[StageChance, ...]]
    seen: tuple[StageSeen, ...]
    photos: tuple[Photo, ...]
    severity: Severity | None
    log: tuple[LookAnswer, ...]


def build(
    session: Session,
    catalogue: Catalogue,
    look_id: int,
    zone_id: str,
    *,
    now: datetime,
    hemisphere: str,
    check: str = "",
) -> LookResult:
    """A look as its pages show it now. `zone_id` is the zone whose questions are shown;
    when it is unknown, the first one with open questions. `check` is the check that was
    asked for among those proposed.
    """
    row = queries.look(session, look_id)
    held = catalogue.evidence
    given = look_log.standing(row)
    answers = {a.observation: a.said == "yes" for a in given if a.said != "old"}
    unsure = [a.observation for a in given if not a.sure]
    setting = _circumstances(session, catalogue, row, answers, now, hemisphere)
    asked = known_apart(answers)
    verdict = weigh(held.model, asked, setting, unsure)
    said = {a.observation: a for a in given}
    built = row.plant.build or held.walk.of(row.plant.kind)
    zones = tuple(
        _zone_line(catalogue, n, z, said) for n, z in enumerate(held.walk.build[built], start=1)
    )
    here = next(
        (z for z in zones if z.id == zone_id), next((z for z in zones if not z.answered), zones[0])
    )
    suspects = ranked(catalogue, verdict, answers, setting)
    present = tuple(s for s in suspects if s.id in verdict.present)
    waiting = put_off.of_look(catalogue, row)
    checks, slow = _cards(
        catalogue, row, asked, setting, unsure, verdict, check, waiting, now.date()
    )
    seen, (group, sure) = tuple(look_log.seen(row)), _likeliest_group(catalogue, verdict)
    known = {catalogue.records[c].group for c in verdict.present if c in catalogue.records}
    known |= {group} if sure >= SURE_GROUP else set()
    place = _place(row)
    return LookResult(
        row,
        built,
        place.name if place else "",
        zones,
        here,
        _questions(catalogue, here.zone.ask, said),
        len(given),
        *headline(verdict, present, suspects, len(given), (catalogue.groups[group].name, sure)),
        suspects,
        present,
        verdict.unknown,
        verdict.conflict,
        checks,
        slow,
        tuple(one for one in waiting if one.due > now.date() and one.key != check),
        _notices(catalogue, verdict, answers, known),
        {s.id: stages_of(catalogue, s.id, asked) for s in present if not s.harmless},
        seen,
        tuple(p for p in row.photos if p.withdrawn_at is None),
        _severity(row, seen, answers),
        tuple(reversed(row.answers)),
    )


def _place(row: Look) -> Place | None:
    """Where the plant stands."""
    return row.plant.stays[-1].place if row.plant.stays else None


def _circumstances(
    session: Session,
    catalogue: Catalogue,
    row: Look,
    answers: Mapping[str, bool],
    now: datetime,
    hemisphere: str,
) -> Circumstances:
    """What is known of a plant beside its signs: where it stands, its kind, the season, what was
    in the house, and which pests like such a plant.
    """
    place, plant = _place(row), row.plant
    setting = setting_of(
        answers, place.setting if place else "", plant.kind, season(now, hemisphere)
    )
    likes = catalogue.evidence.hosts.of(plant.species or "", plant.name)
    return replace(_with_house(session, row, setting, now), hosted=likes)


def _cards(
    catalogue: Catalogue,
    row: Look,
    answers: Mapping[str, bool],
    setting: Circumstances,
    unsure: Collection[str],
    verdict: Verdict,
    first: str,
    waiting: Sequence[Waiting],
    today: date,
) -> tuple[tuple[CheckCard, ...], tuple[SlowCheck, ...]]:
    """The checks that are proposed, the one asked for first, then those that were put off
    to this day. Once something is held present, only those that could change that. And
    what takes days.
    """
    model = catalogue.evidence.model
    away = [o for one in waiting for o in one.options]
    worth = next_checks(
        model, answers, verdict, (*row.tools, "none"), most=ALL, passed=[*row.passed, *away]
    )
    ripe = [one for one in waiting if one.due <= today or one.key == first]
    asked = [Check(one.options, 2.0, "none", 0.0) for one in ripe]

    def then(more: Mapping[str, bool]) -> Verdict:
        return weigh(model, {**answers, **more}, setting, unsure)

    cards = [card(catalogue, one, then, verdict) for one in worth[:PROPOSED]]
    cards = [one for one in cards if one.changes or not verdict.present]
    come = [replace(card(catalogue, one, then, verdict), wait=None) for one in asked]
    shown = sorted([*come, *cards][:SHOWN_CHECKS], key=lambda one: one.key != first)
    return tuple(shown), _slow(catalogue, worth, {o for one in shown for o in one.options})


def _slow(catalogue: Catalogue, worth: Sequence[Check], shown: set[str]) -> tuple[SlowCheck, ...]:
    """What takes days and would tell something, the most telling first."""
    found = [
        SlowCheck(one.outcomes, wait)
        for one in sorted(worth, key=lambda one: -one.gain)
        if (wait := catalogue.evidence.waits.for_all(one.outcomes))
        and shown.isdisjoint(one.outcomes)
    ]
    return tuple({one.wait.begin: one for one in reversed(found)}.values())[::-1][:MOST_SLOW]


def season(now: datetime, hemisphere: str) -> str:
    """The season of a day. It is meteorological: in the north winter begins in December."""
    return season_of(now.month, hemisphere)


def _with_house(
    session: Session, row: Look, setting: Circumstances, now: datetime
) -> Circumstances:
    """The circumstances with what was found in the house within a year, and what plants
    at the same place have now.
    """
    place_id = row.plant.stays[-1].place_id if row.plant.stays else None
    found = [c for c in queries.cases_since(session, now - HISTORY) if c.plant_id != row.plant_id]
    near = {
        c.pest_id
        for c in found
        if c.closed_at is None and c.plant.stays and c.plant.stays[-1].place_id == place_id
    }
    return Circumstances(
        setting.place,
        setting.kind,
        setting.season,
        frozenset({c.pest_id for c in found} - near),
        frozenset(near),
    )


def _zone_line(
    catalogue: Catalogue, n: int, zone_id: str, said: Mapping[str, LookAnswer]
) -> ZoneLine:
    zone = catalogue.evidence.walk.zone[zone_id]
    given = [said[o] for o in zone.ask if o in said]
    found = [catalogue.evidence.observations[a.observation] for a in given if a.said == "yes"]
    words = (
        ", ".join(o.phrase.lower() for o in found[:2])
        if found
        else "nothing"
        if given
        else "not looked"
    )
    return ZoneLine(n, zone_id, zone, len(given), words)


def _questions(
    catalogue: Catalogue, ids: Iterable[str], said: Mapping[str, LookAnswer]
) -> tuple[AskedSign, ...]:
    return tuple(
        AskedSign(
            catalogue.evidence.observations[o],
            said[o].said if o in said else "",
            said[o].sure if o in said else True,
        )
        for o in ids
    )


def questions_of_theme(catalogue: Catalogue, row: Look, theme: str) -> tuple[AskedSign, ...]:
    """Every question of a theme, with the answers that stand."""
    said = {a.observation: a for a in look_log.standing(row)}
    return _questions(
        catalogue,
        [o.id for o in catalogue.evidence.observations.values() if o.theme == theme],
        said,
    )


def _likeliest_group(catalogue: Catalogue, verdict: Verdict) -> tuple[str, float]:
    """The id of the group of pests that is likeliest, with its chance."""
    chances = group_chances(catalogue.evidence.model, verdict)
    pests = {g: p for g, p in chances.items() if g in catalogue.groups}
    best = max(pests, key=lambda g: pests[g])
    return best, pests[best]


def _notices(
    catalogue: Catalogue, verdict: Verdict, answers: Mapping[str, bool], known: Collection[str]
) -> tuple[tuple[str, str], ...]:
    """What must be said whatever the verdict: leave a hunter alone; look for what ants
    or stickiness point to, unless a group is known.
    """
    out = []
    for one in helpers(verdict):
        record = catalogue.evidence.causes[one]
        out.append(("Leave it:", f"{record.why} {record.instead}"))
    if (answers.get("ants-on-plant") or any(answers.get(o) for o in HONEYDEW)) and not set(
        known
    ) & set(SUCKERS):
        out.append(("Search:", SEARCH))
    return tuple(out)


def _severity(
    row: Look, seen: tuple[StageSeen, ...], answers: Mapping[str, bool]
) -> Severity | None:
    alive = [s for s in seen if s.life != "dead"]
    if not alive:
        return None
    kinds = {s.stage for s in alive}
    return severity(
        sum(whole_plant(s) for s in alive), row.affected, kinds, bool(answers.get(SPREAD))
    )


def carried_over(row: Look, pest_id: str) -> dict[str, str]:
    """What a look found of a pest, as the form of a new case takes it: living stages,
    on the whole plant. What is not sure counts as alive.
    """
    out = {"found_on": row.started_at.date().isoformat()}
    for stage in look_log.seen(row, pest_id):
        if stage.life != "dead":
            key = f"rough-{stage.stage}" if stage.rough else f"number-{stage.stage}"
            out[key] = stage.rough or f"{max(round(whole_plant(stage)), 1)}"
            out[f"where-{stage.stage}"] = ", ".join(
                w for w in (stage.clue, "not sure it lives" if stage.life == "unsure" else "") if w
            )
    return out


def whole_plant(stage: StageSeen) -> float:
    """The number on the whole plant: the count divided by the share that was looked at,
    or the middle of a rough class.
    """
    return (
        ROUGH_COUNTS[stage.rough] if stage.rough else (stage.number or 0.0) / (stage.share or 1.0)
    )
