"""Chances in words and numbers, and the weight of evidence in strokes."""

from __future__ import annotations

WORDS = ((0.9, "very likely"), (0.6, "likely"), (0.25, "possible"), (0.05, "unlikely"))
STROKES = ((2.2, 3), (1.1, 2), (0.4, 1))


def likelihood(chance: float) -> str:
    """A chance as a word."""
    return next((word for least, word in WORDS if chance >= least), "very unlikely")


def frequency(chance: float) -> str:
    """A chance as a natural frequency, such as "9 in 10"."""
    if chance >= 0.95:
        return "over 19 in 20"
    if chance < 0.05:
        return "under 1 in 20"
    return f"about {max(1, min(9, round(chance * 10)))} in 10"


def in_100(chance: float) -> str:
    """A chance out of 100, for comparing two."""
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
