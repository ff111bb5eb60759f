"""What is known of a place's warmth and what is assumed, in sentences."""

from __future__ import annotations

from datetime import datetime, timedelta

from brood.services.house.places import PlaceResult
from brood.services.voice.speech import Speech
from brood.store.place_tables import SetPoint

SILENT = timedelta(minutes=25)
STALE = timedelta(hours=6)
PATTERN = "After that, the pattern of its last seven days is taken"

SOURCES = {
    "constant": "one temperature",
    "set-points": "day and night",
    "diary": "a diary of lowest and highest",
    "logger": "a logger's files",
    "sensor": "a live sensor",
    "weather": "the weather service",
}


def facts(result: PlaceResult, speech: Speech) -> list[str]:
    """Sentences on what is known and what is assumed, the source first."""
    if result.series is None:
        return ["Nothing is known yet of how warm it is here.", _how(result.place.source)]
    say = {"sensor": _sensor, "logger": _logger, "diary": _diary, "weather": _weather}.get(
        result.place.source, _said
    )
    out = say(result, speech)
    place = result.place
    if place.offset_c:
        out.append(
            "Every hour is shifted by "
            f"{'+' if place.offset_c > 0 else '−'}{speech.difference(abs(place.offset_c))}."
        )
    if place.warm_spot_c or place.cool_spot_c:
        out.append(
            f"The warmest spot is {speech.difference(place.warm_spot_c)} warmer, the "
            f"coolest {speech.difference(place.cool_spot_c)} cooler: "
            "the days between treatments are worked out for the warmest, the length of a course "
            "for the coolest."
        )
    return out


def _how(source: str) -> str:
    """What would make the warmth of a place known."""
    return {
        "diary": "Type in the first day below.",
        "logger": "Add a logger's file below.",
        "sensor": "Ask the sensor, or see that it is switched on.",
        "weather": "Fetch the weather.",
    }.get(source, "Say how warm it is under “Change”.")


def _point(point: SetPoint, speech: Speech) -> str:
    if point.day_c == point.night_c:
        return f"{speech.warmth(point.day_c, 1)} day and night"
    return (
        f"{speech.warmth(point.day_c, 1)} by day from {point.day_from:%H:%M}, "
        f"{speech.warmth(point.night_c, 1)} at night from "
        f"{point.night_from:%H:%M}"
    )


def _said(result: PlaceResult, speech: Speech) -> list[str]:
    if result.warmth is None:
        return []
    out = [f"As you said: {_point(result.warmth, speech)}. Nothing is measured here."]
    if result.heating:
        out.append(f"While the house is heated: {_point(result.heating, speech)}.")
    return out


def _fallback(result: PlaceResult, speech: Speech) -> str:
    return f"Until then, as you said: {_point(result.warmth, speech)}." if result.warmth else ""


def _logger(result: PlaceResult, speech: Speech) -> list[str]:
    if result.bounds is None:
        return ["No file has been read yet.", _fallback(result, speech)]
    return [
        f"{result.bounds[2]:,} readings up to {speech.moment(result.bounds[1])}. {PATTERN}.",
        *_gaps(result),
    ]


def _gaps(result: PlaceResult) -> list[str]:
    share = result.filled_share * 100
    return (
        [
            f"{share:.1f} % of the hours so far were missing and are filled from the same "
            "hours of the days around them."
        ]
        if share >= 0.05
        else []
    )


def _diary(result: PlaceResult, speech: Speech) -> list[str]:
    kept = [row for _, row in result.diary if row is not None]
    if not kept:
        return ["Nothing was read off in the last fortnight.", _fallback(result, speech)]
    return [
        f"Lowest and highest read off up to {speech.day(kept[0].on)}, drawn as a wave "
        f"through each day. {PATTERN}.",
        *_gaps(result),
    ]


def _sensor(result: PlaceResult, speech: Speech) -> list[str]:
    if not result.polls:
        return ["The sensor has not been asked yet.", _fallback(result, speech)]
    last = next((p for p in result.polls if p.celsius is not None), None)
    misses = 0
    for p in result.polls:
        if p.celsius is not None:
            break
        misses += 1
    if result.stuck is not None:
        since = speech.moment(result.stuck.since)
        return [
            f"{speech.warmth(result.stuck.celsius, 1)} without any change since {since}: "
            "the sensor is probably stuck. "
            f"What it says since then is set aside. {PATTERN} until it moves again.",
            *_gaps(result),
        ]
    if misses:
        since = f"since {speech.moment(last.at)}" if last and last.at else "at all"
        return [
            f"No reading {since} ({misses} {'try' if misses == 1 else 'tries'}: "
            f"{result.polls[0].trouble}). "
            f"{PATTERN if last else _fallback(result, speech).rstrip('.')} until it answers again.",
            *_gaps(result),
        ]
    assert last is not None
    silent = _silent(last.at, result.now)
    when = f"{last.at:%H:%M}" if last.at.date() == result.now.date() else speech.moment(last.at)
    pause = ", but not lately: Brood was not running" if silent else ""
    return [
        f"{speech.warmth(last.celsius or 0.0, 1)} at {when}, asked every ten "
        f"minutes{pause}. {PATTERN}.",
        *_gaps(result),
    ]


def _silent(at: datetime, now: datetime) -> bool:
    return now - at > SILENT


def _weather(result: PlaceResult, speech: Speech) -> list[str]:
    report = result.report
    if report is None:
        return ["The weather service has not answered yet.", _fallback(result, speech)]
    ahead = max((str(d["on"]) for d in report.days), default="")
    last = speech.day(datetime.fromisoformat(ahead)) if ahead else "today"
    late = (
        " There is no newer report: it is used until one comes."
        if result.now - report.fetched_at > STALE
        else ""
    )
    return [
        f"Observed up to yesterday, forecast to {last}, then what is normal for the month. "
        f"From the {report.service}, "
        f"fetched {speech.moment(report.fetched_at)}.{late}"
    ]
