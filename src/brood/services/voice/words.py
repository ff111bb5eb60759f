"""Sentences made from what was computed: why a date, what to do next, what a slip has cost."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import date

from brood.catalogue.schema import TreatmentRecord
from brood.core.biology.pest import Pest, Stage
from brood.core.course.plan import PlannedEvening, Reason, Slip
from brood.services.voice import odds
from brood.services.voice.speech import Speech, days, listed

VERBS = ("wipe", "swab", "shower", "cut", "change the soil", "repot", "spray", "drench", "dust")
"""The order in which the acts of an evening are done and named."""

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


def reason(pest: Pest, why: Reason, speech: Speech, short_by_days: int = 0) -> str:
    """Why a date stands where it stands, in one or two sentences that name stage, event
    and temperature.
    """
    stage = _stage(pest, why.stage)
    warmth = f"about {speech.warmth(why.celsius)}" if why.celsius is not None else "this warmth"
    breeds = speech.day(why.breeds) if why.breeds else "much later"
    if why.kind == "keep":
        return (
            f"At {warmth} they would grow past the number that is to be held; this evening, as "
            "late as it can be, keeps them under it."
        )
    if why.kind == "first-laying":
        adds = "young" if pest.live_birth else "eggs, and eggs escape treatment best"
        return (
            f"Adults were found, and at {warmth} they {_breed(pest)} every day. Each day of "
            f"waiting adds {adds}.{_worth(why)}"
        )
    if why.kind == "first-immature":
        return (
            f"At {warmth} the most advanced of what was found could {_breed(pest)} from "
            f"{breeds}. The sooner, the fewer get that far.{_worth(why)}"
        )
    if why.kind == "first-hidden":
        return (
            f"Only eggs were found. They keep hatching, and at {warmth} the quickest hatchling "
            f"could breed from {breeds}.{_worth(why)}"
        )
    since = speech.day(why.since) if why.since else "the last treatment"
    quickest = (
        f"at {warmth} the quickest {_newcomer(pest, stage)} could {_breed(pest)} from {breeds}"
    )
    if why.kind == "after-patch":
        patch = (
            "By then the test leaves have had their 48 hours: the first evening for the whole "
            "plant."
        )
        return f"{patch} {_leaving(stage)}, and {quickest}.{_worth(why)}"
    if why.kind == "short":
        late = f"this evening comes {days(short_by_days)} too late for those"
        return f"{_leaving(stage)} after {since}, and {quickest}: {late}.{_worth(why)}"
    if why.kind == "overdue":
        return (
            f"This evening is overdue. {_leaving(stage)} after {since}, and {quickest}. Eggs "
            "laid since then are counted in the later dates."
        )
    return f"{_leaving(stage)} after {since}, and {quickest}.{_worth(why)}"


def _worth(why: Reason) -> str:
    """What an evening adds to the chance of clearing, in words."""
    with_it, without = odds.frequency(why.whole), odds.frequency(why.without)
    if with_it == without:
        return " By itself it adds little to the chance of clearing; the evenings work together."
    return f" With this evening the chance of clearing is {with_it}, without it {without}."


def brief(pest: Pest, why: Reason, speech: Speech, short_by_days: int = 0) -> str:
    """The same in few words, for a date that follows another of its kind."""
    if why.since is None or why.breeds is None:
        return reason(pest, why, speech, short_by_days)
    late = f", {days(short_by_days)} too late for the quickest" if short_by_days else ""
    without = (
        ""
        if odds.frequency(why.whole) == odds.frequency(why.without)
        else f" Without it: {odds.frequency(why.without)}."
    )
    return (
        f"Again: what comes out after {speech.day(why.since)} could {_breed(pest)} from "
        f"{speech.day(why.breeds)}{late}.{without}"
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


def next_step(
    application: PlannedEvening,
    today: date,
    again: bool,
    speech: Speech,
    treatments: Mapping[str, TreatmentRecord],
) -> str:
    """The next action in one sentence."""
    verb = evening_verb(application.acts, treatments) + (" again" if again else "")
    first = max(application.target, today)
    spare = (application.latest - first).days
    if first == today:
        return f"{verb} tonight." if spare <= 0 else f"{verb} tonight or tomorrow evening."
    return f"{verb} {speech.span(first, application.latest if spare <= 2 else first)}, evening."


def window(application: PlannedEvening, today: date, speech: Speech) -> str:
    """How early and how late the next evening may be, in words."""
    if application.short_by_days or application.latest <= max(application.target, today):
        return ""
    early = (
        ""
        if application.earliest >= application.target
        else f"Possible from {speech.day(max(application.earliest, today))}. "
    )
    return (
        f"{early}Up to {speech.day(application.latest)} it costs next to nothing; after that "
        "the chance falls."
    )


def slip_cost(pest: Pest, slip: Slip, speech: Speech) -> str:
    """What got through because an evening was late, in words."""
    stage = _stage(pest, slip.stage)
    quick = _newcomer(pest, stage)
    return (
        f"The evening of {speech.day(slip.done)} came "
        f"{days((slip.done - slip.latest).days)} after the end of its window. "
        f"The quickest {quick} could {_breed(pest)} from {speech.day(slip.breeds)}, so "
        "some have probably "
        f"{'bred: their young' if pest.live_birth else 'laid: those eggs'} are now in the plan."
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
        return f"It costs {listed(parts)}."
    return f"{_capital(listed(parts))}." if parts else "The end of the course does not move."


LOOK_REASONS = {
    "first": "The first of two looks: what came out late shows itself by now.",
    "cycle": "By now whatever was missed while young has grown up and would be seen; an earlier "
    "look proves less.",
    "doubt": "The looks before it leave more than 1 chance in 100; this one takes it under.",
}


def look_reason(kind: str) -> str:
    """Why a look falls on its day."""
    return LOOK_REASONS[kind]
