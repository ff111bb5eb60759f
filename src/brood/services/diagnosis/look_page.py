"""What a look's pages show: the walk, what it could be, the next checks, and what follows."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.catalogue.signs import Observation, Wait, Zone
from brood.core.biology.stage_classes import ROUGH_COUNTS
from brood.core.diagnosis.evidence import Circumstances, Verdict, group_chances, weigh
from brood.core.diagnosis.next_check import Check, next_checks
from brood.core.diagnosis.severity import Severity, severity
from brood.core.diagnosis.stages_present import StageChance
from brood.services.diagnosis import look_log, put_off
from brood.services.diagnosis.check_cards import CheckCard, card
from brood.services.diagnosis.put_off import Waiting
from brood.services.documents.identify import (
    helpers,
    known_apart,
    season_of,
    setting_of,
    stages_of,
    telling,
)
from brood.services.voice.odds import spoken, strokes
from brood.services.voice.speech import listed
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
HARMLESS, ELSEWHERE = "Nothing to treat", "Not treated here"
SURE_GROUP = 0.8
"""From this chance on a group is named although the kind is open."""
PROPOSED, SHOWN_CHECKS, MOST_SLOW, ALL = 6, 3, 2, 200
SHOWN, SHOWN_AT_LEAST, WORTH_SHOWING, MOST_TELLS = 6, 3, 0.015, 4
MOST_OPEN, STILL_OPEN = 3, 0.12
"""While it is undecided so many are named at most, from this chance on."""


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
class Evidenced:
    """An answer that speaks for or against a cause, in words, with one to three strokes
    of weight.
    """

    text: str
    strokes: int


@dataclass(frozen=True)
class Suspect:
    """A cause as the page ranks it."""

    id: str
    name: str
    harmless: bool
    chance: float
    spoken: str
    speaks_for: tuple[Evidenced, ...]
    against: tuple[Evidenced, ...]
    beforehand: tuple[str, ...]
    lead: str
    why: str
    instead: str
    drawing: str


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
    held, plant = catalogue.evidence, row.plant
    given = look_log.standing(row)
    answers = {a.observation: a.said == "yes" for a in given if a.said != "old"}
    unsure = [a.observation for a in given if not a.sure]
    place = plant.stays[-1].place if plant.stays else None
    setting = setting_of(
        answers, place.setting if place else "", plant.kind, season(now, hemisphere)
    )
    setting = _with_house(session, row, setting, now)
    setting = replace(setting, hosted=held.hosts.of(plant.species or "", plant.name))
    asked = known_apart(answers)
    verdict = weigh(held.model, asked, setting, unsure)
    said = {a.observation: a for a in given}
    built = plant.build or held.walk.of(plant.kind)
    zones = tuple(
        _zone_line(catalogue, n, z, said) for n, z in enumerate(held.walk.build[built], start=1)
    )
    here = next(
        (z for z in zones if z.id == zone_id), next((z for z in zones if not z.answered), zones[0])
    )
    ranked = [
        cause
        for n, (cause, chance) in enumerate(verdict.chances.items())
        if n < SHOWN_AT_LEAST or chance >= WORTH_SHOWING
    ]
    suspects = tuple(
        _suspect(catalogue, verdict, cause, answers, setting) for cause in ranked[:SHOWN]
    )
    present = tuple(s for s in suspects if s.id in verdict.present)
    waiting = put_off.of_look(catalogue, row)
    checks, slow = _cards(
        catalogue, row, asked, setting, unsure, verdict, check, waiting, now.date()
    )
    seen, (group, sure) = tuple(look_log.seen(row)), _likeliest_group(catalogue, verdict)
    known = {catalogue.records[c].group for c in verdict.present if c in catalogue.records} | (
        {group} if sure >= SURE_GROUP else set()
    )
    photos = tuple(p for p in row.photos if p.withdrawn_at is None)
    return LookResult(
        row,
        built,
        place.name if place else "",
        zones,
        here,
        _questions(catalogue, here.zone.ask, said),
        len(given),
        *_headline(verdict, present, suspects, len(given), (catalogue.groups[group].name, sure)),
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
        photos,
        _severity(row, seen, answers),
        tuple(reversed(row.answers)),
    )


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


def _suspect(
    catalogue: Catalogue,
    verdict: Verdict,
    cause: str,
    answers: Mapping[str, bool],
    setting: Circumstances,
) -> Suspect:
    chance, record = verdict.chances[cause], catalogue.evidence.causes[cause]
    tells = [
        (w, Evidenced(_said(catalogue, o, answers[o]), strokes(w)))
        for w, o in telling(catalogue, verdict, cause)
    ]
    pest = catalogue.records.get(cause)
    for_it, against = (tuple(e for w, e in tells if w * side > 0)[:MOST_TELLS] for side in (1, -1))
    return Suspect(
        cause,
        catalogue.name(cause),
        pest is None,
        chance,
        spoken(chance),
        for_it,
        against,
        _beforehand(cause, setting),
        ELSEWHERE if record.elsewhere else HARMLESS,
        record.why,
        record.instead,
        pest.adult_drawing if pest else "",
    )


def _beforehand(cause: str, setting: Circumstances) -> tuple[str, ...]:
    """What made a cause a little likelier before anybody looked."""
    known = {
        "a plant beside it has it now": setting.neighbours,
        "the house had it within a year": setting.history,
        "it likes this kind of plant": setting.hosted,
    }
    return tuple(text for text, causes in known.items() if cause in causes)


def _said(catalogue: Catalogue, observation: str, yes: bool) -> str:
    phrase = catalogue.evidence.observations[observation].phrase
    return phrase if yes else f"Not: {phrase[0].lower()}{phrase[1:]}"


def _headline(
    verdict: Verdict,
    present: tuple[Suspect, ...],
    suspects: tuple[Suspect, ...],
    answered: int,
    group: tuple[str, float],
) -> tuple[str, str]:
    """One sentence on what it is, and one on what to do."""
    if not answered:
        return (
            "Nothing looked at yet.",
            "Begin with any part of the plant. Leave out what you did not look at. Only looking "
            "counts.",
        )
    if verdict.conflict:
        return (
            "Undecided: the answers contradict each other.",
            "Check again those that you are least sure of, or mark them as not sure.",
        )
    if present:
        names = " and ".join(s.name for s in present)
        if all(s.harmless for s in present):
            elsewhere = [s for s in present if s.lead == ELSEWHERE]
            return f"{(elsewhere or present)[0].lead}: {names}, {present[0].spoken}.", " ".join(
                f"{s.why} {s.instead}" for s in present
            )
        return (
            f"{names[0].upper()}{names[1:]}, {present[0].spoken}.",
            "Say roughly how many you see, and the plan is made."
            if not any(s.harmless for s in present)
            else "Some of what you found is harmless; the rest is worth a case.",
        )
    if verdict.unknown >= max(verdict.chances.values()):
        return "Undecided: this fits nothing that Brood knows.", (
            "Note the plant, the part, the size in mm, the day, and take a photo beside a "
            "ruler. Show them to a plant clinic, an extension service "
            "or a botanic garden before anything is sprayed."
        )
    if group[1] >= SURE_GROUP:
        return (
            f"{group[0]}, {spoken(group[1])}. Which kind is not known yet.",
            f"Most likely it is {suspects[0].name}, {suspects[0].spoken}.",
        )
    return "Undecided so far.", _still_open(suspects)


def _still_open(suspects: tuple[Suspect, ...]) -> str:
    """The two or three that are open, and that the check below would tell."""
    near = [s.name for s in suspects[:MOST_OPEN] if s.chance >= STILL_OPEN]
    tell = "The check below would tell most."
    if len(near) < 2:
        return f"Most likely it is {suspects[0].name}, {suspects[0].spoken}. {tell}"
    return f"It could be {listed(near, 'or')}. {tell}"


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
