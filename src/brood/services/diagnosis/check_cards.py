"""Checks in words: the question, how to do it safely, and what each outcome would mean."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from brood.catalogue.holdings import Catalogue
from brood.catalogue.sign_tables import Wait
from brood.catalogue.signs import Observation
from brood.core.diagnosis.evidence import Verdict
from brood.core.diagnosis.next_check import Check
from brood.services.voice.odds import spoken

TITLES = {
    "creature": "Which of these does it look like?",
    "behaviour": "What does it do when you touch it?",
    "residue": "What lies or sticks on the plant?",
    "damage": "Which mark does it show?",
    "eggs": "Which eggs, bags or pegs do you see?",
    "where": "Where is it thickest?",
    "size": "How long is it?",
    "alcohol": "Touch it with a swab of rubbing alcohol. What happens?",
    "smear": "Wipe it with a damp white tissue. What is on the tissue?",
    "crush": "Crush one. What comes out?",
    "lift": "Lift it with a nail or pin. What happens?",
    "tap": "Tap it over white paper and wait. What is there?",
    "card": "What is on the sticky card?",
    "roots": "How do the roots look?",
    "gait": "How does it move?",
    "look-fly": "Which small fly is it?",
    "look-speck": "Which speck is it?",
    "look-sliver": "Which slim insect is it?",
    "look-soft": "Which soft insect is it?",
    "look-white": "Which white body is it?",
    "look-bump": "Which bump is it?",
    "look-grub": "Which green grub is it?",
    "look-worm": "Which worm is it?",
    "winged-look": "Which winged insect is it?",
    "rear-tubes": "Are there two tubes at the rear?",
    "holes": "Which holes are they?",
    "film": "Which film is it?",
    "web": "Which threads are there?",
    "drops": "Which drops are there?",
    "eggs-minute": "Which tiny eggs are there?",
    "eggs-leaf": "Which eggs stand on the leaf?",
    "silk-bag": "Which bag is it?",
    "black-dots": "Which black dots are there?",
    "wing-posture": "How does it hold its wings?",
    "forehead": "How is its forehead, between the feelers?",
    "tube-length": "How long are the tubes at the rear?",
    "under-lid": "What lies under the lid?",
    "abundance": "How many are on a leaf?",
    "trend": "More or fewer than a week ago?",
}
DRAWN = {
    "speck-": "mite-adult",
    "speck-flat": "flat-mite-adult",
    "speck-glassy": "broad-mite-adult",
    "sliver-": "thrips-adult",
    "sliver-pale": "thrips-larva",
    "soft-": "aphid-adult",
    "white-oval": "mealybug-adult",
    "white-narrow": "mealybug-crawler",
    "bump-": "scale-adult",
    "disc-": "armoured-adult",
    "cover-": "armoured-adult",
    "wings-": "whitefly-adult",
    "oval-see": "whitefly-nymph",
    "oval-pale": "whitefly-pupa",
    "fly-": "gnat-adult",
    "grub-": "caterpillar-larva",
    "worm-glassy": "gnat-larva",
    "winged-white": "whitefly-adult",
    "winged-dark": "aphid-adult",
    "butterfly": "caterpillar-butterfly",
    "flyer-": "caterpillar-moth",
    "eggs-round": "mite-egg",
    "eggs-orange": "flat-mite-egg",
    "eggs-flat": "broad-mite-egg",
    "eggs-in-fluff": "mealybug-egg",
    "eggs-upright": "caterpillar-egg",
    "pegs": "whitefly-egg",
}
"""Drawings that help to choose, by the beginning of the observation's id. The longest
that fits counts.
"""


MOST_OUTCOMES = 7
"""So many outcomes are offered, the likeliest. What is not offered is not denied either."""

Weigh = Callable[[Mapping[str, bool]], Verdict]


@dataclass(frozen=True)
class CheckOutcome:
    """One outcome of a check: the observation (empty for none of them), its words, and
    what the verdict would be then.
    """

    id: str
    text: str
    means: str
    drawing: str


@dataclass(frozen=True)
class CheckCard:
    """A check as the page proposes it. Outcomes that can be true `together` are ticked,
    others chosen. It `changes` something where an outcome changes the verdict. `wait` says
    what it waits for, where it takes days.
    """

    title: str
    how: str
    tool: str
    minutes: float
    safety: str
    outcomes: tuple[CheckOutcome, ...]
    together: bool
    changes: bool
    wait: Wait | None = None

    @property
    def key(self) -> str:
        """What identifies the card on its page."""
        return self.outcomes[0].id

    @property
    def options(self) -> list[str]:
        """The observations that it offers."""
        return [o.id for o in self.outcomes if o.id]


def card(catalogue: Catalogue, check: Check, then: Weigh, now: Verdict) -> CheckCard:
    """A check in words. `then` gives the verdict with more answers, by the same rule as
    the verdict of the page, which is `now`.
    """
    ids = check.outcomes[:MOST_OUTCOMES]
    seen = [catalogue.evidence.observations[o] for o in ids]
    one = seen[0] if len(seen) == 1 else None
    after = [then({o: True}) for o in ids] + [then(dict.fromkeys(ids, False))]
    means = [said(catalogue, verdict) for verdict in after]
    outcomes = [
        CheckOutcome(o.id, "Yes" if one else o.phrase, means[k], "" if one else drawn(o.id))
        for k, o in enumerate(seen)
    ]
    none = CheckOutcome("", "No" if one else f"None of these {len(ids)}", means[-1], "")
    groups = [o.group for o in seen]
    return CheckCard(
        f"{one.phrase}?" if one else _plate_title(seen),
        one.how_to_check if one else _plate_how(seen),
        check.tool,
        check.minutes,
        _safety(seen),
        (*outcomes, none),
        one is None and not all(g and g == groups[0] for g in groups),
        any(verdict.present != now.present for verdict in after),
        catalogue.evidence.waits.for_all(ids),
    )


def said(catalogue: Catalogue, verdict: Verdict) -> str:
    """A verdict in a few words: what is held present, or what is likeliest."""
    first = next(iter(verdict.chances))
    if verdict.present:
        names = " and ".join(catalogue.name(one) for one in verdict.present)
        return f"{names}, {spoken(verdict.chances[verdict.present[0]])}"
    if verdict.unknown >= verdict.chances[first]:
        return "undecided: it fits nothing known"
    return f"undecided: {catalogue.name(first)}, {spoken(verdict.chances[first])}"


def drawn(observation: str) -> str:
    """The drawing beside an observation, if there is one."""
    fitting = [start for start in DRAWN if observation.startswith(start)]
    return DRAWN[max(fitting, key=len)] if fitting else ""


def _plate_title(seen: list[Observation]) -> str:
    return TITLES.get(_common(seen)) or "Which of these is it?"


def _common(seen: list[Observation]) -> str:
    """What all outcomes share: their group, otherwise their plate."""
    return seen[0].group if len({o.group for o in seen}) == 1 and seen[0].group else seen[0].plate


def _plate_how(seen: list[Observation]) -> str:
    return (
        seen[0].how_to_check
        if _common(seen) == seen[0].group
        else "Choose the nearest. Look at several before you decide."
    )


def _safety(seen: list[Observation]) -> str:
    tools = {o.tool for o in seen} if _common(seen) == seen[0].group or len(seen) == 1 else set()
    if "swab" in tools:
        return (
            "Alcohol burns: no flame, air the room, and keep it off the plant's roots and flowers."
        )
    if tools & {"knife or nail", "trowel"}:
        return "Work away from your fingers; wash hands and tool before the next plant."
    return "Wash your hands before you touch the next plant." if tools & {"tissue", "paper"} else ""
