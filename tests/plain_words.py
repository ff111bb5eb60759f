"""Words that were given up for plain ones, and what is said instead."""

import re

GIVEN_UP = {
    r"\b(the|other|of|these|your|no|as|which|all) means\b(?! that)": "treatments",
    r"\b(kept|keeps?|keep (it|them|this one|\w+)) apart\b|\btime apart\b": "away from the others",
    r"\b(evening|day) page\b(?! (of|for|knows))": "dark, light",
    r"\bminded\b|\bmind:|\bmind, ": "taken into account, careful",
    r"\bbefell\b": "other events",
    r"\bit came to\b": "costs and hours",
    r"\brests? on\b": "relies on",
    r"(?<![.\"])\brefuges?\b(?!\")": "hidden where nothing reaches",
    r"\b(full|better|the|and|its) reach\b(?! of| [<>])|\breach, ": "how much a treatment touches",
    r"\bin nine of ten\b|\bin ten scenarios\b": "even if it turns out warmer or cooler",
    r"\b(over|under|about)? ?\d+ in (10|20)\b|\b1 in (2|50)\b": "out of 100",
    r"\b(about|over) (under|about|over)\b|under 1 to under 1": "one number",
    r"\blet breed\b": "survivors may breed from",
    r"\blives on\b|\bevery line dies\b": "survives, is left",
    r"\blook(ed|ing)? (it |them |the \w+ |\w+ )?over\b(?! (paper|white|the (top|whole)))": "check",
    r"\bserves\b": "treats, meets",
    r"\bmuch later\b": "not within this plan",
    r"\botherwise than\b": "change the recipe",
    r"\bbuys most\b": "tells you most",
    r"\bdeclared\b": "the record does not show yet",
    r"\bby these acts\b|\bthese acts\b": "these treatments",
    r"\bhas befallen\b|\bthereof\b|\bwherein\b": "plain words",
}


def given_up(text):
    """What a text says that must not be said any more, each with its surroundings."""
    return [
        f"“{text[max(0, found.start() - 30) : found.end() + 30]}”: say {instead}"
        for pattern, instead in GIVEN_UP.items()
        for found in re.finditer(pattern, text, re.IGNORECASE)
    ]
