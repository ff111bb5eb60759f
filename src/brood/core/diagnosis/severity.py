"""How bad it is, by one rule that is always the same."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

FEW, MANY = 15.0, 120.0
SOME_LEAVES, MOST_LEAVES = 0.1, 0.34
GRADES = ((2, "light"), (4, "middling"))
HEAVY = "heavy"


@dataclass(frozen=True)
class Severity:
    """A grade (light, middling or heavy) with the points behind it: (what, points, most
    points).
    """

    grade: str
    points: tuple[tuple[str, int, int], ...]

    @property
    def total(self) -> int:
        """All points together."""
        return sum(p for _, p, _ in self.points)


def severity(number: float, leaves: float | None, kinds: Collection[str], spread: bool) -> Severity:
    """The grade, from the number alive, the share of leaves that show it (None when
    unknown), the kinds of stage seen, and its spread.

    Up to two points each for number and leaves, one for adults together with young (it
    breeds here), one for neighbours that show the same. Up to 2 points are light, 3 or
    4 middling, more heavy. The rule is our own (C): it orders cases, it predicts
    nothing.
    """
    of_number = 0 if number <= FEW else 1 if number <= MANY else 2
    of_leaves = 0 if leaves is None or leaves <= SOME_LEAVES else 1 if leaves <= MOST_LEAVES else 2
    points = (
        ("number alive", of_number, 2),
        ("share of the plant", of_leaves, 2),
        ("breeding here", int({"young", "adult"} <= set(kinds)), 1),
        ("seen on neighbours", int(spread), 1),
    )
    total = sum(p for _, p, _ in points)
    return Severity(next((grade for most, grade in GRADES if total <= most), HEAVY), points)
