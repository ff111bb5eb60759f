"""Chances as they are said everywhere: words first, then out of 100; and the weight of
evidence in strokes.
"""

from __future__ import annotations

WORDS = (
    (0.995, "almost certain"),
    (0.9, "very likely"),
    (0.6, "likely"),
    (0.4, "about even"),
    (0.05, "unlikely"),
)
STROKES = ((2.2, 3), (1.1, 2), (0.4, 1))


def likelihood(chance: float) -> str:
    """A chance as a word."""
    return next((word for least, word in WORDS if chance >= least), "very unlikely")


def spoken(chance: float) -> str:
    """A chance as a word with its number, such as "very likely (96 in 100)"."""
    return f"{likelihood(chance)} ({in_100(chance)})"


def in_100(chance: float) -> str:
    """A chance or a share out of 100, for a table or for comparing two."""
    return (
        "over 99 in 100"
        if chance > 0.995
        else "under 1 in 100"
        if chance < 0.005
        else f"{round(100 * chance)} in 100"
    )


def strokes(weight: float) -> int:
    """A weight of evidence (the logarithm of a likelihood ratio) as 0 to 3 strokes."""
    return next((n for least, n in STROKES if abs(weight) >= least), 0)
