"""What was expected, what was seen, and what follows from the difference."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Any

from brood.catalogue.schema import PestRecord
from brood.errors import NotWorkedOut
from brood.services.cases import history, plans
from brood.services.cases.outlook import VERDICTS, Counted, Dot
from brood.services.followup.causes import Explanation, causes
from brood.services.followup.inspections import class_names, of_class
from brood.services.voice import odds
from brood.services.voice.desk import Desk
from brood.services.voice.speech import Speech, listed
from brood.store.queries import cases
from brood.store.tables import Card, InspectionRecord, PestCase

ORIGIN_WORDS = {
    "eggs": (
        "from eggs",
        "They were eggs on the last evening. Sprays do not kill eggs, and these have hatched "
        "since. The next dates are for them.",
    ),
    "soil": (
        "from the soil",
        "They came up from pupae or larvae in the soil since the last evening. If you treat only "
        "the leaves, you always meet them late.",
    ),
    "folds": (
        "from folded growth",
        "They were hidden where nothing reaches: in folded leaves, axils, sheaths. Open those, or "
        "cut them out.",
    ),
    "missed": (
        "missed in the open",
        "They were in the open and you missed them, or they are the young of such. Treating every "
        "part helps. A stronger mix does not.",
    ),
    "outside": (
        "from outside, or never counted",
        "There are more than these dates can explain. They were missed at the first count, or came "
        "from a neighbour since.",
    ),
}
TWO_COUNTS = (
    "Count once between evenings, and again a few days later. Two counts tell whether it works."
)
AFTER_EFFECTS = (
    "Dead scales and shells stay on for weeks. More of them show two or three days after an "
    "evening. That is the treatment working.",
    "Cast skins and hatched, collapsed egg shells are empty: press one, nothing comes out.",
    "Silvering, stipple and scars on old leaves never heal. Judge only leaves that have "
    "opened since.",
    "Old honeydew stays sticky until it is washed off. Only fresh drops on a clean leaf count.",
)


@dataclass(frozen=True)
class FollowChart:
    """What the chart shows: expected numbers in the open by day (low, middle and high
    by the catalogue, and the middle by what was counted), what was seen, and the
    evenings.
    """

    first: date
    today: date
    low: tuple[float, ...]
    mid: tuple[float, ...]
    high: tuple[float, ...]
    learnt: tuple[float, ...]
    dots: tuple[Dot, ...]
    evenings: tuple[date, ...]


@dataclass(frozen=True)
class Origin:
    """Where the living animals that were seen came from: the likeliest source, how
    likely, and why.
    """

    name: str
    share: float
    why: str
    others: str


@dataclass(frozen=True)
class FollowResult:
    """Everything that the page of looks shows."""

    row: PestCase
    pest: PestRecord
    inspections: tuple[InspectionRecord, ...]
    cards: tuple[Card, ...]
    classes: dict[str, str]
    verdict: str = ""
    headline: str = ""
    why: str = ""
    chart: FollowChart | None = None
    origin: Origin | None = None
    causes: tuple[Explanation, ...] = ()
    after_effects: tuple[str, ...] = AFTER_EFFECTS
    reopen: bool = False
    problem: str = ""


def build(desk: Desk, case_id: int) -> FollowResult:
    """The page of looks of a case, by its counts."""
    row = cases.case(desk.session, case_id)
    record = desk.catalogue.records[row.pest_id]
    looks = tuple(reversed(history.looks(row)))
    cards = tuple(c for c in row.cards if c.withdrawn_at is None)
    bare = FollowResult(row, record, looks, cards, class_names(record))
    found = plans.outlook_of(desk, row)
    if found is None or found.plan is None:
        why = found.trouble.message if found and found.trouble else NotWorkedOut().message
        return replace(bare, headline="Nothing to compare with yet.", why=why, problem=why)
    held = found.counted
    if held is None:
        return replace(bare, headline="Not counted since.", why=TWO_COUNTS)
    done = [r.done_on for r in history.evenings_done(row) if r.done_on]
    headline, why = _said(held, desk.speech)
    over, failing = not history.planned(row), held.sure and held.verdict != "working"
    live = held.live_on
    check = failing or (over and live is not None)
    return replace(
        bare,
        verdict=held.verdict,
        headline=headline,
        why=why,
        chart=_chart(held, done, desk.today),
        origin=_origin(held),
        causes=tuple(causes(desk, row, held, found.plan)) if check else (),
        reopen=bool(failing or (over and live is not None and live >= max(done, default=live))),
    )


def _said(held: Counted, speech: Speech) -> tuple[str, str]:
    """The verdict as a headline, and why."""
    verdict, sure, shares = held.verdict, held.sure, dict(held.shares)
    if not verdict:
        return (
            "Counted, but not treated yet.",
            "The first count after an evening tells how well it worked.",
        )
    share = shares[verdict]
    effect = (
        f"You are killing about {odds.in_100(held.effective)} of the young in the open. "
        f"{100 * held.expected:.0f} was expected."
    )
    numbers = (
        f" At the find there were about {_times(held.scale)} as many as you counted."
        if not 0.67 < held.scale < 1.5
        else ""
    )
    likely = odds.spoken(share)
    if not sure:
        rest = listed(
            [
                f"{VERDICTS[v].lower()} {odds.in_100(n)}"
                for v, n in sorted(held.shares, key=lambda item: -item[1])
            ]
        )
        return (
            "Too early to tell whether it works.",
            f"{effect}{numbers} So far: {rest}. Count once more after the next evening.",
        )
    if verdict == "working":
        return (
            f"It is working: {likely}.",
            f"{effect}{numbers} The dates stay. Go on to the end of the course.",
        )
    if verdict == "rising":
        return f"Their number is rising: {likely}.", (
            f"{effect}{numbers} More are alive than at the find. The plan was made again with "
            f"this. Check the causes below, in order."
        )
    return f"It has stalled: {likely}.", (
        f"{effect}{numbers} The plan was made again with this. Check the causes below in "
        "order before the next evening."
    )


def _times(scale: float) -> str:
    return f"{scale:.1f} times" if scale < 10 else "many times"


def _chart(held: Counted, done: list[date], today: date) -> FollowChart:
    days = max(1, min((today - held.first).days + 1, len(held.mid)))
    return FollowChart(
        held.first,
        held.first + timedelta(days=days - 1),
        held.low[:days],
        held.mid[:days],
        held.high[:days],
        held.learnt[:days],
        held.dots,
        tuple(d for d in done if d <= today),
    )


def _origin(held: Counted) -> Origin | None:
    if not held.sources:
        return None
    (first, share), *rest = sorted(held.sources, key=lambda pair: -pair[1])
    name, why = ORIGIN_WORDS[first]
    others = listed([f"{ORIGIN_WORDS[k][0]} ({odds.in_100(n)})" for k, n in rest if n >= 0.1])
    return Origin(name, share, why, others)


def seen_said(counts: Sequence[Mapping[str, Any]], names: Mapping[str, str]) -> str:
    """What a look saw, in words."""
    live = [of_class(c["live"], names.get(c["class"], c["class"])) for c in counts if c["live"]]
    dead = sum(c["dead"] for c in counts)
    alive = f"{listed(live)} alive" if live else "nothing alive"
    return f"{alive}{f', {dead:g} dead' if dead else ''}"


def due_for_look(row: PestCase, today: date, every: int = 7) -> date:
    """When a case should be looked at next between its evenings."""
    looks = history.looks(row)
    done = [r.done_on for r in history.evenings_done(row) if r.done_on]
    since = max([row.start_on, *(i.looked_on for i in looks)])
    after = min(done) + timedelta(days=2) if done and not looks else since + timedelta(days=every)
    return max(after, row.start_on + timedelta(days=1))
