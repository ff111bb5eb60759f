"""Sentences made from what was computed: why a date, what to do next, what a slip has cost."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import date, datetime
from typing import Any, Protocol

from brood.catalogue.schema import TreatmentRecord
from brood.core.biology.pest import Pest, Stage
from brood.core.biology.rain import HEAVY_MM, LIGHT_MM
from brood.core.course.plan import Reason, Slip
from brood.services.voice import odds
from brood.services.voice.speech import Speech, days, listed
from brood.store.states import PlanState

VERBS = ("wipe", "swab", "shower", "cut", "change the soil", "repot", "spray", "drench", "dust")
"""The order in which the acts of an evening are done and named."""

ADDS_LITTLE = 0.02
"""An evening that adds no more than this to the chance of clearing adds little: it is not said."""

HIDING = {
    "in-tissue": " inside the leaf",
    "in-soil": " in the soil",
    "under-cover": " under the cover",
    "in-wax": " in the wax",
    "in-furled-leaf": " in the folds",
}


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]


def _stage(pest: Pest, stage_id: str) -> Stage:
    position = min(pest.index(stage_id), len(pest.stages) - 1)
    return pest.stages[position]


def _leaving(stage: Stage) -> str:
    """How animals leave a stage, as a verb."""
    if stage.ends_with == "hatch":
        return f"{_capital(stage.plural)}{HIDING.get(stage.habitat, '')} keep hatching"
    if stage.ends_with == "emergence":
        return f"Adults keep emerging from {stage.plural}{HIDING.get(stage.habitat, '')}"
    return f"{_capital(stage.plural)} keep moulting"


def _breed(pest: Pest) -> str:
    """What breeding is called for a pest."""
    return "bear young" if pest.live_birth else "lay"


def _newcomer(pest: Pest, stage: Stage) -> str:
    """What an animal is called once it has left a stage."""
    following = pest.stages[pest.index(stage.id) + 1]
    return "new adult" if following.display == "adult" else f"new {following.name}"


def _quickest(pest: Pest, stage: Stage) -> str:
    """The first that could breed of those that leave a stage."""
    newcomer = _newcomer(pest, stage)
    return f"the quickest {newcomer}" + ("" if newcomer == "new adult" else ", once grown up,")


def reason(pest: Pest, why: Reason, speech: Speech, short_by_days: int = 0) -> str:
    """Why a date stands where it stands, in short sentences that name stage, event and
    temperature.
    """
    stage = _stage(pest, why.stage)
    warmth = f"about {speech.warmth(why.celsius)}" if why.celsius is not None else "this warmth"
    if why.kind == "keep":
        return (
            f"At {warmth} they would grow past your number. This evening, as late as it can be, "
            "keeps them under it."
        )
    if why.kind == "first-laying":
        fewer = (
            "young there will be."
            if pest.live_birth
            else "eggs there will be. Eggs escape treatment best."
        )
        return (
            f"Adults were found. At {warmth} they {_breed(pest)} every day. The sooner you treat, "
            f"the fewer {fewer}{_worth(why)}"
        )
    since = speech.day(why.since) if why.since else "the last treatment"
    if why.kind == "first-immature":
        first = _could_breed(pest, "the oldest of what was found", why, speech)
        return f"At {warmth} {first} The sooner you treat, the fewer get that far.{_worth(why)}"
    if why.kind == "first-hidden":
        first = _could_breed(pest, "the quickest hatchling", why, speech)
        return f"Only eggs were found. They keep hatching. At {warmth} {first}{_worth(why)}"
    leaving = f"{_leaving(stage)} after {since}."
    quickest = _could_breed(pest, _quickest(pest, stage), why, speech)
    if why.kind == "after-patch":
        return (
            "By then the test leaves have had their 48 hours. This is the first evening for the "
            f"whole plant. {leaving} At {warmth} {quickest}{_worth(why)}"
        )
    if why.kind == "short":
        return (
            f"{leaving} At {warmth} {quickest} This evening comes {days(short_by_days)} too late "
            f"for those.{_worth(why)}"
        )
    if why.kind == "overdue":
        return (
            f"This evening is overdue. {leaving} At {warmth} {quickest} "
            f"{'Young born' if pest.live_birth else 'Eggs laid'} since then are counted in the "
            "later dates."
        )
    return f"{leaving} At {warmth} {quickest}{_worth(why)}"


def _could_breed(pest: Pest, who: str, why: Reason, speech: Speech) -> str:
    """From when somebody could breed, as the rest of a sentence."""
    if why.breeds is None:
        return f"none of them could {_breed(pest)} within this plan."
    return f"{who} could {_breed(pest)} from {speech.day(why.breeds)}."


def _worth(why: Reason) -> str:
    """What an evening adds to the chance of clearing, in words. Empty where it is little."""
    if why.whole - why.without < ADDS_LITTLE:
        return ""
    return (
        f" With this evening the chance of clearing is {odds.in_100(why.whole)}, without it "
        f"{odds.in_100(why.without)}, if every treatment touches what it should."
    )


def brief(pest: Pest, why: Reason, speech: Speech, short_by_days: int = 0) -> str:
    """The same in few words, for a date that follows another of its kind."""
    if why.since is None or why.breeds is None:
        return reason(pest, why, speech, short_by_days)
    late = (
        f" This evening is {days(short_by_days)} too late for the quickest."
        if short_by_days
        else ""
    )
    little = why.whole - why.without < ADDS_LITTLE
    without = "" if little else f" Without it: {odds.in_100(why.without)}."
    return (
        f"What comes out after {speech.day(why.since)} could {_breed(pest)} from "
        f"{speech.day(why.breeds)}.{late}{without}"
    )


def evening_verb(acts: Iterable[str], treatments: Mapping[str, TreatmentRecord]) -> str:
    """What to do on an evening: "Wipe and spray"."""
    verbs = list(dict.fromkeys(treatments[a].short_verb for a in acts if a in treatments))
    verbs.sort(key=lambda verb: VERBS.index(verb) if verb in VERBS else len(VERBS))
    return _capital(listed(verbs)) or "Treat"


def act_names(acts: Iterable[str], treatments: Mapping[str, TreatmentRecord]) -> str:
    """The treatments of an evening: "wiping + insecticidal soap"."""
    records = sorted(
        (treatments[a] for a in acts if a in treatments), key=lambda t: (not t.by_hand, t.name)
    )
    return " + ".join(t.name for t in records)


NAMED_BY_VERB = ("wipe", "swab", "shower", "repot")


def acts_in_order(acts: Iterable[str], treatments: Mapping[str, TreatmentRecord]) -> str:
    """What is done on an evening, in its order: "wipe, then insecticidal soap"."""
    records = sorted(
        (treatments[a] for a in acts if a in treatments), key=lambda t: (not t.by_hand, t.name)
    )
    return ", then ".join(dict.fromkeys(map(_done, records))) or "treat it"


def _done(record: TreatmentRecord) -> str:
    """One act, in as few words as are clear."""
    if record.short_verb in NAMED_BY_VERB:
        return record.short_verb
    return record.name if record.short_verb == "spray" else record.verb


class Dated(Protocol):
    """An evening with its window and its acts: as planned, or as it stands in the record."""

    @property
    def earliest_on(self) -> date: ...
    @property
    def target_on(self) -> date: ...
    @property
    def latest_on(self) -> date: ...
    @property
    def short_by_days(self) -> int: ...
    @property
    def treatments(self) -> Sequence[str]: ...


def task(said: str, *, spare: bool) -> str:
    """What to do on an evening. A spare one begins with a look."""
    return f"Look first. Only if something lives: {said[0].lower()}{said[1:]}" if spare else said


def next_step(
    slot: Dated,
    today: date,
    again: bool,
    speech: Speech,
    treatments: Mapping[str, TreatmentRecord],
) -> str:
    """The next action in one sentence."""
    verb = evening_verb(slot.treatments, treatments) + (" again" if again else "")
    first = max(slot.target_on, today)
    spare = (slot.latest_on - first).days
    if first == today:
        if spare <= 1:
            return f"{verb} tonight." if spare <= 0 else f"{verb} tonight or tomorrow evening."
        return f"{verb} tonight, or by {speech.day(slot.latest_on)}."
    return f"{verb} {speech.span(first, slot.latest_on if spare <= 2 else first)}, evening."


def window(slot: Dated, today: date, speech: Speech) -> str:
    """How early and how late the next evening may be, in words."""
    if slot.short_by_days or slot.latest_on <= max(slot.target_on, today):
        return ""
    early = (
        ""
        if slot.earliest_on >= slot.target_on
        else f"You can treat from {speech.day(max(slot.earliest_on, today))}. "
    )
    return f"{early}The chance of clearing hardly changes up to {speech.day(slot.latest_on)}."


def late(pest: Pest, told: Mapping[str, Any], done_on: date | None, speech: Speech) -> str:
    """What it has changed that an evening was late, early or skipped, from the facts in
    its record. Empty for an evening done on its day.
    """
    promised, latest = (date.fromisoformat(told[name]) for name in ("promised", "latest"))
    change = _change(told, speech)
    if done_on is None:
        return f"Skipped. The next date follows from the last treatment that was done. {change}"
    if done_on == promised:
        return ""
    if done_on < promised:
        return f"Done sooner than planned. {change}"
    if done_on <= latest:
        return (
            f"{speech.day(done_on)} was {days((done_on - promised).days)} later than planned, "
            f"still inside the window. That changes almost nothing. {change}"
        )
    over = days((done_on - latest).days)
    slip = told.get("slip")
    if not slip:
        return (
            f"{speech.day(done_on)} was {over} after the end of its window. The plan now counts "
            f"with what was laid meanwhile. {change}"
        )
    breeds = datetime.fromisoformat(slip["breeds"])
    return f"{_slipped(pest, slip['stage'], (latest, done_on), breeds, speech)} {change}"


def slip_cost(pest: Pest, slip: Slip, speech: Speech) -> str:
    """What got through because an evening was late, in words."""
    return _slipped(pest, slip.stage, (slip.latest, slip.done), slip.breeds, speech)


def _slipped(
    pest: Pest, stage: str, days_of: tuple[date, date], breeds: datetime, speech: Speech
) -> str:
    """What bred between the end of a window and the evening that came after it."""
    latest, done = days_of
    quick = _newcomer(pest, _stage(pest, stage))
    return (
        f"The evening of {speech.day(done)} came {days((done - latest).days)} after the end of "
        f"its window. The quickest {quick} could {_breed(pest)} from {speech.day(breeds)}, so "
        f"some have probably {'bred' if pest.live_birth else 'laid'}. The plan now counts with "
        f"{'their young' if pest.live_birth else 'those eggs'}."
    )


def _change(told: Mapping[str, Any], speech: Speech) -> str:
    """How the end of the course has moved since. Empty as long as that is worked out."""
    if "evenings" not in told:
        return ""
    if not told["left"]:
        return "No evening is left in the plan."
    was, end = (told[name] and date.fromisoformat(told[name]) for name in ("end_was", "end"))
    return course_change(was, end, told["evenings_was"], told["evenings"], speech)


WARMTH, RAIN = "the warmth where it stands", "the rain"
ANOTHER_COUNT = "the course now begins with another count"
CHANGED = (
    ("began", ANOTHER_COUNT),
    ("seen", "what was found"),
    ("found", "what was found"),
    ("looks", "what was counted"),
    ("cards", "what was caught on the cards"),
    ("past", "what was done to the plant"),
    ("rain", RAIN),
    ("arrivals", "what flies in"),
    ("series", WARMTH),
    ("acts", "the treatments"),
    ("keep_below", "what you aim for"),
    ("pace", "how far apart you want the evenings"),
    ("reach", "how many a treatment touches"),
    ("refuge", "how many nothing reaches"),
    ("limits", "the days that suit you"),
    ("fixed", "your own dates"),
    ("done", "an evening"),
    ("pest", "the figures of the pest"),
)
"""What a plan follows from, by the fields of the case, in the order in which it is named."""


def moved(
    parts: Sequence[str],
    before: Mapping[str, Any],
    after: Mapping[str, Any],
    on: date,
    speech: Speech,
) -> str:
    """Why the dates of a case moved on a day, and how, in two sentences."""
    if after.get("state") == PlanState.LEFT_ALONE:
        return "Nothing was recorded for so long that no date holds any more."
    fallen = after.get("rain_mm")
    wet = fallen is not None and _wetness(fallen) != _wetness(before.get("rain_mm") or 0.0)
    known = (side.get("celsius") for side in (before, after))
    was, now = (celsius and speech.warmth(celsius) for celsius in known)
    # Every day that passes is another stretch of warmth: only warmth that reads otherwise
    # is a cause.
    idle = {"rain": not wet, "series": was == now}
    causes = [name for key, name in CHANGED if key in parts and not idle.get(key)]
    if not causes:
        return f"{_unnamed(before, on)}. {_where_to(before, after, speech)}"
    why = _capital(causes[0]) + ("" if causes[0] == ANOTHER_COUNT else " changed")
    if causes[0] == WARMTH and was and now:
        why += f": about {now} expected, {was} before"
    if causes[0] == RAIN and fallen is not None:
        why += f": {speech.rain(fallen)} since the last evening, with what is forecast"
    return f"{why}. {_where_to(before, after, speech)}"


def _unnamed(before: Mapping[str, Any], on: date) -> str:
    """Why dates moved where nothing that has a name changed."""
    if before.get("state") == PlanState.LEFT_ALONE:
        return "It was counted again"
    if any(date.fromisoformat(d) < on for d in before["dates"]):
        return "An evening was not marked"
    return "The dates were worked out again with the warmth so far"


def _wetness(mm: float) -> int:
    """Dry, light or heavy rain, as it bears on what was sprayed."""
    return int(mm >= LIGHT_MM) + int(mm > HEAVY_MM)


def _where_to(before: Mapping[str, Any], after: Mapping[str, Any], speech: Speech) -> str:
    """Where dates moved to."""
    old, new = ([date.fromisoformat(d) for d in side["dates"]] for side in (before, after))
    if not new:
        return "No dates are left."
    if not old:
        return f"The first date is {speech.day(new[0])}."
    parts = []
    if new[0] != old[0]:
        parts.append(f"the next evening is {speech.day(new[0])}, not {speech.day(old[0])}")
    if len(new) != len(old):
        parts.append(f"{len(new)} evenings are left, not {len(old)}")
    if new[-1] != old[-1]:
        parts.append(f"the last is {speech.day(new[-1])}, not {speech.day(old[-1])}")
    return f"{_capital(listed(parts))}." if parts else "Some evenings in between moved a little."


def trouble(message: str, limit_c: float | None, *, too_hot: bool, speech: Speech) -> str:
    """Why there are no dates, in the reader's degrees."""
    if limit_c is None:
        return message
    if too_hot:
        return (
            f"Nothing develops at {speech.warmth(limit_c)} and above. Such heat stops this pest, "
            "and many die. Look again when it is cooler: survivors then go on."
        )
    return (
        f"Nothing develops below {speech.warmth(limit_c)}. Eggs wait and nothing hatches. "
        "Look again when it is warmer, or move the plant somewhere warmer for the course."
    )


def course_change(
    old_last: date | None, new_last: date | None, old_count: int, new_count: int, speech: Speech
) -> str:
    """How a re-plan moved the end of the course."""
    if new_last is None:
        return "No evening is left in the plan."
    parts = []
    if new_count > old_count:
        parts.append(
            f"{new_count - old_count} more evening{'s' if new_count - old_count > 1 else ''}"
        )
    if old_last is not None and new_last != old_last:
        moved = (new_last - old_last).days
        parts.append(
            f"the course ends {days(abs(moved))} {'later' if moved > 0 else 'sooner'}, on "
            f"{speech.day(new_last)}"
        )
    if new_count > old_count:
        return f"That means {listed(parts)}."
    return f"{_capital(listed(parts))}." if parts else "The end of the course does not move."


LOOK_REASONS = {
    "evening": "Look before you treat. If nothing lives, this may be the evening that you are "
    "spared.",
    "first": "What came out late can be seen by now.",
    "back": "If this look finds nothing either, the plant may go back among the others.",
    "cycle": "By now young ones that were missed have grown up and would be seen. An earlier "
    "look proves less.",
    "doubt": "The looks before it leave a chance of more than 1 in 100. This one brings it under.",
}


def look_reason(kind: str) -> str:
    """Why a look falls on its day."""
    return LOOK_REASONS[kind]
