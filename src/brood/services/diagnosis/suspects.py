"""What it could be, as the page of a look ranks and says it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from brood.catalogue.holdings import Catalogue
from brood.core.diagnosis.evidence import Circumstances, Verdict
from brood.services.documents.identify import telling
from brood.services.voice.odds import spoken, strokes
from brood.services.voice.speech import listed

HARMLESS, ELSEWHERE = "Nothing to treat", "Not treated here"
SURE_GROUP = 0.8
"""From this chance on a group is named although the kind is open."""
SHOWN, SHOWN_AT_LEAST, WORTH_SHOWING, MOST_TELLS = 6, 3, 0.015, 4
MOST_OPEN, STILL_OPEN = 3, 0.12
"""While it is undecided so many are named at most, from this chance on."""


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


def ranked(
    catalogue: Catalogue,
    verdict: Verdict,
    answers: Mapping[str, bool],
    setting: Circumstances,
) -> tuple[Suspect, ...]:
    """The causes that are shown, the likeliest first."""
    causes = [
        cause
        for n, (cause, chance) in enumerate(verdict.chances.items())
        if n < SHOWN_AT_LEAST or chance >= WORTH_SHOWING
    ]
    return tuple(_suspect(catalogue, verdict, one, answers, setting) for one in causes[:SHOWN])


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


def headline(
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
