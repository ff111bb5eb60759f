"""The forms of a look that counts, a card, and what belongs to a case."""

from __future__ import annotations

from collections.abc import Mapping

from brood.services.followup import inspections
from brood.services.followup.inspections import CountCommand, InspectCommand
from brood.web.forms.house.plants import MOST_PLANTS
from brood.web.forms.reader import Reader

BACK = 400


def read(reader: Reader, classes: Mapping[str, str]) -> InspectCommand:
    """A look as typed; raises FieldErrors."""
    looked_on = (
        reader.day("looked_on", "The day of the look", back=BACK)
        if reader.raw("looked_on")
        else reader.today
    )
    counts = []
    for kind, name in classes.items():
        live = reader.number(f"live-{kind}", f"Live {name}", 0, 1_000_000) or 0.0
        dead = reader.number(f"dead-{kind}", f"Dead {name}", 0, 1_000_000) or 0.0
        if live or dead:
            counts.append(
                CountCommand(
                    kind, live, dead, reader.choice(f"clue-{kind}", inspections.CLUES, "a clue")
                )
            )
    share = (
        reader.choice("share", inspections.SHARES, "how much you looked at")
        if reader.raw("share")
        else "1"
    )
    found = InspectCommand(
        looked_on,
        tuple(counts),
        float(share) if share in inspections.SHARES else 1.0,
        _one(reader, "thorough", inspections.HOW, "usual"),
        int(_one(reader, "spread", inspections.VAGUE, "0")),
        _one(reader, "growth", inspections.GROWTH, ""),
        _one(reader, "honeydew", inspections.HONEYDEW, ""),
        _one(reader, "smear", inspections.SMEARS, ""),
        _one(reader, "spot", inspections.SPOTS, ""),
        reader.text("note", "The note", longest=400, needed=False),
        reader.raw("sent_key")[:64],
        reader.whole("plants", "On how many plants", 1, MOST_PLANTS) or 0,
    )
    if reader.raw("seen") == "none" and found.live:
        reader.fault(
            "seen",
            "You counted living ones, and said that nothing was alive. One of the two is not so.",
        )
    if not counts and reader.raw("seen") == "some":
        reader.fault("seen", "Say how many live or dead you saw, or choose that nothing was alive.")
    if reader.raw("seen") not in ("none", "some") and not counts:
        reader.fault(
            "seen", "Looked and found none, or did not look? Only a look counts: choose one."
        )
    reader.done()
    return found


def _one(reader: Reader, name: str, allowed: Mapping[str, str], usual: str) -> str:
    if not reader.raw(name):
        return usual
    value = reader.choice(name, allowed, "one")
    return value if value in allowed else usual
