"""What a run saw: faults by kind with where they were met, and counts."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field
from datetime import date

KINDS = {
    "answer": "a page that fails (status 500 and above)",
    "slow": "a request that keeps the processor busy for over a minute",
    "text": "NaN, None, inf, an empty date or markup in a text",
    "refused": "a form filled in rightly that was refused",
    "too far": "a next evening further off than a slow generation",
    "past": "an evening in the past that is not called late",
    "absence": "an evening, or a call to treat, during an absence",
    "gone": "a task or an evening on a plant that is gone",
    "count again": "a gap longer than a generation, and the case does not say: count again",
    "old dates": "after such a gap, dates that were not made from a count",
    "recorded": "something on record that the keeper did not do",
    "missing": "something that the keeper did and that is not on record",
    "twice": "a second tap that changed something",
    "unlooked": "called clear, or free to go back, and nobody looked",
    "inherited": "a cutting that does not know what its mother had",
    "not asked": "an evening gone by that is not asked about",
    "cost": "an evening not marked that costs more than one missed",
    "old item": "an item of Today older than two weeks",
    "same item": "the same item twice on Today",
    "export": "a feed, sheet or export that cannot be read",
    "figures": "two pages of one moment that say different figures of a case",
    "stale": "what is kept of a case that does not belong to its facts, and is not due",
    "broke off": "a household that could not be run to its end",
    "longer by a look": "a course longer after a clean look",
}


@dataclass(frozen=True)
class Fault:
    """One thing that was wrong: its kind, whose household, when, where, what."""

    kind: str
    seed: tuple[int, int]
    on: date
    where: str
    what: str


@dataclass
class Report:
    """What one household's run, or many together, came to."""

    faults: list[Fault] = field(default_factory=list)
    counts: Counter[str] = field(default_factory=Counter)
    pests: set[str] = field(default_factory=set)
    most_items: int = 0
    slowest: tuple[float, str, str] = (0.0, "", "")
    later: list[str] = field(default_factory=list)

    def add(self, other: Report) -> None:
        """Take another's in."""
        self.faults += other.faults
        self.counts += other.counts
        self.pests |= other.pests
        self.most_items = max(self.most_items, other.most_items)
        self.slowest = max(self.slowest, other.slowest)
        self.later += other.later

    def of(self, kind: str) -> list[Fault]:
        """The faults of a kind."""
        return [f for f in self.faults if f.kind == kind]

    def table(self, examples: int = 3) -> str:
        """All of it as one table."""
        c = self.counts
        lines = [
            f"{c['households']} households, {c['visits']} days visited of {c['days']}, "
            f"{c['pages']} pages read, {len(self.pests)} pests, "
            f"{c['cases']} cases, {c['evenings']} evenings, {c['looks']} looks "
            f"({c['looks that found life']} found life), {c['finds']} finds"
        ]
        for kind, what in KINDS.items():
            found = self.of(kind)
            lines.append(f"{len(found):6d}  {kind:12s} {what}")
            lines += [
                f"{'':21s}{f.seed[0]}:{f.seed[1]} {f.on} {f.where}: {f.what}"
                for f in _different(found)[:examples]
            ]
        lines.append(
            f"clean looks compared {c['clean looks']}: courses released by "
            f"{c['released by a clean look']}, "
            f"all-clear later by {len(self.later)}"
        )
        lines += [f"{'':21s}{each}" for each in self.later]
        lines.append(
            f"evenings that went by unmarked {c['unmarked']}, asked about {c['asked']}; "
            f"cost compared {c['costs compared']}"
        )
        lines.append(
            f"items on Today: at most {self.most_items}, mean "
            f"{c['items'] / max(c['visits'], 1):.1f}"
        )
        lines.append("the slowest request: {:.1f} s of the processor, {} {}".format(*self.slowest))
        n, k = c["declared"], c["alive though declared"]
        share = k / n if n else 0.0
        error = (share * (1 - share) / n) ** 0.5 if n else 0.0
        lines.append(
            f"declared clear {n}, of them alive {k} ({share:.1%}, standard error {error:.1%})"
        )
        return "\n".join(lines)


def _different(faults: list[Fault]) -> list[Fault]:
    """One of each sort: the same words at the same kind of address are the same sort."""
    seen: dict[str, Fault] = {}
    for f in faults:
        seen.setdefault("".join(c for c in f"{f.where}{f.what}"[:90] if not c.isdigit()), f)
    return list(seen.values())
