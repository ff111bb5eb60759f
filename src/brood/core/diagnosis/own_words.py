"""Signs found from a keeper's own words.

Every sign is a few texts of different weight. A word counts by its inverse document
frequency (Spaerck Jones 1972, Journal of Documentation 28:11-21): the rarer it is among
the signs, the more it says. A word that stands in no text counts by the word most like
it, measured by the letter groups that both share (Dice 1945, Ecology 26:297-302), so that
a slip of the pen does not matter. A sentence is taken in its parts. Sizes and places are
read by rule.
"""

from __future__ import annotations

import math
import re
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

FIELDS = (1.5, 1.4, 0.5)
"""The weights of a sign's texts: its phrase, what keepers call it, how it is checked."""
LIKE_ENOUGH = 0.5
"""From this likeness on a word that stands nowhere counts as another one."""
LIKELY_SLIP = 0.85
"""How much a word counts that is only like another."""
ASIDE = 0.55
"""How much a sign counts that says where or when, and not what was seen."""
ALL_OF_IT = 0.6
"""How much more a sign counts that has all of the words, beside one with few of them."""
WORTH_SHOWING = 0.3
"""Signs with less than this share of the best score are not offered."""
PARTS = re.compile(r"[,.;:!?]|\b(?:and|with|but|plus|also)\b")


def _set(words: str) -> frozenset[str]:
    return frozenset(words.split())


NOT = _set("no not without never none isnt arent dont doesnt didnt havent hasnt cant")
SMALL_WORDS = _set("""
    a an the of to in on at by for from it its is are was were be been i my me we you your they
    them their he she this that these those there here have has had do does did can could will
    would some any so very really just like looks look looking seem seems kind sort all over as
    if when then than or and with but see seen saw find found get got one ones thing things
    something stuff what which who where how still even though although because after before
    into onto up down out
""")
ENDINGS = ("ings", "ing", "edly", "ed", "ies", "es", "s", "ly", "y")
LENGTH = re.compile(r"(\d+(?:[.,]\d+)?)\s*(mm|millimet\w*|cm|centimet\w*|inch\w*|in\b)")
PER_MM = {"m": 1.0, "c": 10.0, "i": 25.4}
SAID_LENGTHS = (
    (re.compile(r"half a mil|half mil|tenth of an inch"), 0.5),
    (re.compile(r"good mil|just over a mil|pin ?head|poppy"), 1.4),
    (re.compile(r"full stop|a millimet|one millimet|grain of salt"), 0.9),
    (re.compile(r"sesame|match ?head|grain of sugar"), 3.0),
    (re.compile(r"rice|half a cent|pea\b"), 6.0),
    (re.compile(r"fingernail|a centimet|one centimet"), 10.0),
    (re.compile(r"an inch|one inch|thumb"), 25.0),
)


@dataclass(frozen=True)
class Hit:
    """A sign that may be meant. With `denied` it was said that it is not there."""

    id: str
    score: float
    denied: bool = False


@dataclass(frozen=True)
class Reading:
    """What was read from somebody's words: signs, the best first; places on the plant;
    a length in mm, or None.
    """

    signs: tuple[Hit, ...]
    places: tuple[str, ...]
    length_mm: float | None


def stem(word: str) -> str:
    """A word without its ending, the same for its common forms."""
    for ending in ENDINGS:
        if word.endswith(ending) and len(word) - len(ending) >= 3:
            return word[: -len(ending)]
    return word


def tokens(text: str) -> list[str]:
    """The words of a text that say something, without their endings."""
    found = re.findall(r"[a-z]+", text.lower().replace("'", "").replace("’", ""))
    return [stem(w) for w in found if w not in SMALL_WORDS and w not in NOT and len(w) > 1]


def _groups(word: str) -> frozenset[str]:
    padded = f" {word} "
    return frozenset(padded[n : n + 2] for n in range(len(padded) - 1)) | frozenset(
        padded[n : n + 3] for n in range(len(padded) - 2)
    )


class Index:
    """The signs with their texts, ready to be searched."""

    def __init__(self, texts: Mapping[str, Sequence[str]], aside: Iterable[str] = ()) -> None:
        """`texts` are the three texts of every sign by its id (FIELDS); `aside` the ids of
        signs that say where or when.
        """
        self.weight: dict[str, dict[str, float]] = defaultdict(dict)
        self.aside = frozenset(aside)
        for key, fields in texts.items():
            for weight, text in zip(FIELDS, fields, strict=True):
                for word in dict.fromkeys(tokens(text)):
                    self.weight[word][key] = max(weight, self.weight[word].get(key, 0.0))
        self.rarity = {
            word: math.log((1 + len(texts)) / (0.5 + len(held)))
            for word, held in self.weight.items()
        }
        self.groups = {word: _groups(word) for word in self.weight}
        self._like = lru_cache(maxsize=4096)(self._nearest)

    def _nearest(self, word: str) -> tuple[str, float]:
        """The known word most like another, and how like (0 to 1)."""
        if word in self.weight:
            return word, 1.0
        mine = _groups(word)
        best = max(
            self.groups,
            key=lambda w: len(mine & self.groups[w]) / (len(mine) + len(self.groups[w])),
        )
        likeness = 2 * len(mine & self.groups[best]) / (len(mine) + len(self.groups[best]))
        return best, likeness * LIKELY_SLIP if likeness >= LIKE_ENOUGH else 0.0

    def _part(self, text: str) -> dict[str, float]:
        """The scores of the signs for one part of a sentence."""
        asked = [self._like(word) for word in dict.fromkeys(tokens(text))]
        worth = {word: self.rarity[word] * likeness for word, likeness in asked if likeness}
        whole = sum(worth.values())
        scores: dict[str, float] = defaultdict(float)
        had: dict[str, float] = defaultdict(float)
        for word, value in worth.items():
            for key, weight in self.weight[word].items():
                scores[key] += value * weight
                had[key] += value
        return {
            key: score * (1 - ALL_OF_IT + ALL_OF_IT * had[key] / whole) * self._turned(key)
            for key, score in scores.items()
        }

    def _turned(self, key: str) -> float:
        return ASIDE if key in self.aside else 1.0

    def search(self, text: str, most: int = 12) -> list[Hit]:
        """The signs that may be meant, at most so many, the best first: of the whole
        text, and of each of its parts, so that none is drowned by the others.
        """
        parts = [p for p in PARTS.split(text.lower()) if p and tokens(p)]
        best: dict[str, Hit] = {}
        for n, part in enumerate([*parts, text] if len(parts) > 1 else parts):
            denied = n < len(parts) and _denies(part)
            for key, score in self._part(part).items():
                if key not in best or score > best[key].score:
                    before = best[key].denied if key in best and n == len(parts) else denied
                    best[key] = Hit(key, round(score, 3), before)
        return sorted(best.values(), key=lambda hit: (-hit.score, hit.id))[:most]


def _denies(part: str) -> bool:
    words = part.replace("'", "").replace("’", "").split()
    return any(word in NOT for word in words[:3])


def length_of(text: str) -> float | None:
    """A length that was said, in mm. None where none was."""
    said = LENGTH.search(text.lower())
    if said:
        return float(said[1].replace(",", ".")) * PER_MM[said[2][0]]
    return next((mm for rule, mm in SAID_LENGTHS if rule.search(text.lower())), None)


def read(index: Index, text: str, places: Mapping[str, str], most: int = 6) -> Reading:
    """What somebody's words may mean. `places` are the ids of the places on a plant with
    the pattern by which each is known.
    """
    where = tuple(key for key, rule in places.items() if re.search(rule, text.lower()))
    hits = [hit for hit in index.search(text, most + len(places)) if hit.id not in places]
    least = max((hit.score for hit in hits), default=0.0) * WORTH_SHOWING
    signs = tuple(hit for hit in hits if hit.score >= least)[:most]
    return Reading(signs, where, length_of(text))
