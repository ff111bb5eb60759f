"""The words of the trade that pages use, each with what it means to somebody who has
never met it.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Term:
    """A word with its meaning; `forms` are the ways in which it is written. A word that
    means other things too is taken only in phrases in which it means this one.
    """

    key: str
    meaning: str
    forms: tuple[str, ...] = ()

    @property
    def written(self) -> tuple[str, ...]:
        """Every way in which it is written."""
        return self.forms or (self.key, f"{self.key}s")


TERMS = (
    Term(
        "all-clear",
        "The day from which nothing alive is to be expected any more, as far as anybody can tell "
        "from your looks, the treatments and the warmth.",
        ("all-clear",),
    ),
    Term("axil", "The corner between a leaf stalk and the stem."),
    Term(
        "azadirachtin",
        "The part of neem that keeps young insects from shedding their skin. It works slowly, and "
        "on adults hardly at all.",
        ("azadirachtin",),
    ),
    Term(
        "biofix",
        "The day from which degree-days are counted, such as the day of the first find.",
        ("biofix",),
    ),
    Term(
        "crawler",
        "The newly hatched young of a scale, mealybug or whitefly. It walks about for some hours "
        "or days before it settles, and has no shield yet.",
    ),
    Term(
        "degree-day",
        "One degree more than the temperature at which a stage begins to develop, for one day. A "
        "stage is over once enough of them have come together: soon in a warm room, late in a "
        "cool one.",
        ("degree-day", "degree-days"),
    ),
    Term("drench", "A treatment that is poured on the soil instead of sprayed on leaves."),
    Term("frass", "The droppings of insects.", ("frass",)),
    Term("furled leaf", "A new leaf that is still rolled up.", ("furled leaf", "furled leaves")),
    Term(
        "generation",
        "The time from an egg to the first egg which that animal lays itself.",
    ),
    Term(
        "honeydew",
        "The sticky drops that sap-sucking insects leave on leaves and on what stands below.",
        ("honeydew",),
    ),
    Term(
        "instar",
        "The form of a young insect or mite between two moults. First instars are the smallest.",
    ),
    Term(
        "lacewing",
        "A green insect whose larvae eat aphids and other small pests. They are sold alive.",
    ),
    Term(
        "larva",
        "A young animal that looks unlike its parents: a grub, a maggot, a caterpillar, or the "
        "six-legged young of a mite.",
        ("larva", "larvae"),
    ),
    Term("midrib", "The thick vein along the middle of a leaf."),
    Term("moult", "To shed the skin in order to grow.", ("moult", "moults", "moulting")),
    Term(
        "neem oil",
        "Oil from the seeds of the neem tree. It works on what it touches.",
        ("neem oil",),
    ),
    Term(
        "nematode",
        "A worm too small to see. Some kinds are poured on the soil, where they kill larvae.",
    ),
    Term(
        "nymph",
        "A young insect or mite that looks like a small adult without wings.",
    ),
    Term(
        "paraffinic oil",
        "A fine mineral oil made for plants. It smothers what it covers, eggs too.",
        ("paraffinic oil",),
    ),
    Term(
        "pre-oviposition",
        "The days in which a grown female does not lay yet.",
        ("pre-oviposition",),
    ),
    Term(
        "pupa",
        "The resting form in which a larva turns into an adult. Most treatments do not reach it.",
        ("pupa", "pupae", "pupate", "pupates"),
    ),
    Term(
        "resistance",
        "Some animals survive a product and pass that on. The more often the same kind of product "
        "is used, the more of them there are.",
        ("resistance",),
    ),
    Term("sheath", "The lowest part of a leaf, where it wraps around the stem."),
    Term(
        "sooty mould",
        "A black film of fungus that grows on honeydew. It can be wiped off.",
        ("sooty mould",),
    ),
    Term(
        "sticky card",
        "A coloured card with glue on it, to catch and count what flies.",
        ("sticky card", "sticky cards"),
    ),
    Term(
        "stippling",
        "Many pale dots on a leaf, where single cells were sucked empty.",
        ("stipple", "stipples", "stippling", "stippled"),
    ),
    Term(
        "threshold",
        "The temperature below which a stage does not develop.",
    ),
    Term(
        "window",
        "The days among which an evening can be moved while the chance of clearing the plant falls "
        "by no more than 2 in 100.",
        (
            "a window ends",
            "each window",
            "end of a window",
            "inside its window",
            "inside the window",
            "its window closes",
            "windows close",
        ),
    ),
)
