"""The forms of a look: answers, a choice, stages as seen, marks on a photo."""

from __future__ import annotations

from collections.abc import Sequence

from brood.services.diagnosis.look_log import StageCommand
from brood.web.forms.cases.cases import ROUGH
from brood.web.forms.reader import Reader

LIFE = {"alive": "alive", "unsure": "not sure, counted as alive", "dead": "dead"}
CLUES = {
    "": "no clue noted",
    "moved": "it moved",
    "wet": "crushed wet",
    "holds": "holds on firmly",
    "dry": "dry and crunchy",
    "lifts": "lifts off easily",
    "colour": "changed colour, shrivelled",
    "still": "still for days",
}
AFFECTED = {
    "": "not said",
    "5": "one in twenty or fewer",
    "20": "about a fifth",
    "60": "more than a third",
}
SHARES = {
    "": "not said",
    "5": "a twentieth",
    "10": "a tenth",
    "25": "a quarter",
    "50": "half",
    "100": "the whole plant",
}


def stages(
    reader: Reader, choices: Sequence[tuple[str, str]]
) -> tuple[list[StageCommand], float | None]:
    """The stages as seen, and the share of the leaves that shows it; raises FieldErrors."""
    affected = reader.choice("affected", AFFECTED, "how many leaves show it")
    share = reader.choice("share", SHARES, "how much of the plant was looked at")
    found = []
    for stage, name in choices:
        number = reader.count(f"number-{stage}", f"The number of {name}")
        rough = reader.raw(f"rough-{stage}")
        if rough and rough not in ROUGH:
            reader.fault(f"rough-{stage}", "Choose a rough count from the list.")
        if number is None and not rough:
            continue
        life = (
            reader.choice(f"life-{stage}", LIFE, "whether it lives")
            if reader.raw(f"life-{stage}")
            else "unsure"
        )
        clue = reader.choice(f"clue-{stage}", CLUES, "a clue")
        part = float(share) / 100 if share in SHARES and share else None
        found.append(
            StageCommand(
                stage,
                number,
                None if number is not None else rough,
                part,
                life,
                CLUES.get(clue, "") if clue else "",
            )
        )
    if not found:
        reader.fault(
            "stages", "Say what you see: a number or a rough count for at least one stage."
        )
    reader.done()
    return found, float(affected) / 100 if affected else None


def ends(reader: Reader) -> list[float]:
    """The two ends of a mark, px of the photo; raises FieldErrors."""
    out = [reader.number(name, "The mark", 0, 100_000) for name in ("x1", "y1", "x2", "y2")]
    if any(v is None for v in out):
        reader.fault("ends", "Mark both ends on the photo.")
    reader.done()
    return [v for v in out if v is not None]


def known_mm(reader: Reader) -> float:
    """The length that a mark stands for, mm; raises FieldErrors."""
    value = reader.length("length", "The known length", 0.1, 2000)
    if value is None:
        reader.fault("length", "Say how long the marked line really is.")
    reader.done()
    assert value is not None
    return value
