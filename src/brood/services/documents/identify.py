"""Identification as JSON, as `brood identify` and `brood observations` answer."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from brood.catalogue.holdings import Catalogue
from brood.catalogue.signs import sizes_of
from brood.core.biology.stage_classes import BY_DISPLAY
from brood.core.diagnosis.evidence import TELLS, Circumstances, Verdict, group_chances, weigh
from brood.core.diagnosis.next_check import Check, next_checks
from brood.core.diagnosis.stages_present import StageChance, stage_chances
from brood.errors import InputError

PLACES = ("indoor", "glasshouse", "balcony", "outdoor")
SEASONS = ("spring", "summer", "autumn", "winter")
HEMISPHERES = ("north", "south")
BY_QUARTER = ("winter", "spring", "summer", "autumn")
PLACE_SAID = {"place-indoors": "indoor", "place-glasshouse": "glasshouse"}
KIND_SAID = "kind-"
MOST_LETTERS = 200
HELPERS = ("predator-larva", "mummies")
SPARED_FROM = 0.25
"""From this chance on a helper is named, so that nobody sprays it by mistake (C)."""


def answer(catalogue: Catalogue, evidence: Mapping[str, Any]) -> dict[str, Any]:
    """What is suspected, what counts as present, and what to check next. Raises InputError."""
    answers = _answers(catalogue, evidence.get("observations", {}))
    answers |= dict.fromkeys(_measured(evidence.get("measured", [])), True)
    passed = _listed(evidence, "cannot_tell")
    _answers(catalogue, dict.fromkeys(passed))
    setting = setting_of(
        answers,
        _choice(evidence, "place", PLACES),
        str(evidence.get("plant_kind") or ""),
        _choice(evidence, "season", SEASONS) or _season_of(evidence),
    )
    species = str(evidence.get("species") or "")[:MOST_LETTERS]
    setting = replace(setting, hosted=catalogue.evidence.hosts.of(species))
    model = catalogue.evidence.model
    asked = known_apart(answers)
    verdict = weigh(model, asked, setting)

    def changes(check: Check) -> bool:
        after = [{o: True} for o in check.outcomes] + [dict.fromkeys(check.outcomes, False)]
        return any(weigh(model, asked | more, setting).present != verdict.present for more in after)

    return {
        "schema": 1,
        "suspects": [_suspect_json(catalogue, verdict, cause) for cause in verdict.chances],
        "present": list(verdict.present),
        "undecided": verdict.undecided,
        "something_else": verdict.unknown,
        "contradictory": verdict.conflict,
        "groups": [
            {"id": g, "probability": p}
            for g, p in sorted(group_chances(model, verdict).items(), key=lambda pair: -pair[1])
        ],
        "companions": _companions(catalogue, verdict),
        "next_checks": [
            {**_check_json(c), "changes": changes(c)}
            for c in next_checks(model, asked, verdict, passed=passed)
        ],
        "stages": [
            {"id": cause, "stage": s.kind, "probability": s.chance, "seen": s.seen}
            for cause in verdict.present
            for s in stages_of(catalogue, cause, asked)
        ],
    }


def _answers(catalogue: Catalogue, given: object) -> dict[str, bool]:
    if not isinstance(given, Mapping):
        raise InputError(
            "'observations' must map observation ids to true or false.",
            field="observations",
            allowed="an object of true and false",
        )
    for key, value in given.items():
        if key not in catalogue.evidence.observations:
            short = str(key)[:60]
            raise InputError(
                f"There is no observation '{short}'.",
                field="observations",
                value=short,
                allowed="see brood observations",
            )
        if value is not None and not isinstance(value, bool):
            raise InputError(
                f"'{key}' must be true or false.",
                field=f"observations.{key}",
                value=str(value)[:60],
                allowed="true or false",
            )
    return {key: value for key, value in given.items() if value is not None}


def _listed(evidence: Mapping[str, Any], key: str) -> list[str]:
    """A list of observation ids. Raises InputError."""
    given = evidence.get(key) or []
    if not isinstance(given, list) or not all(isinstance(one, str) for one in given):
        raise InputError(
            f"'{key}' must be a list of observation ids.", field=key, allowed="a list of ids"
        )
    return given


def _measured(given: object) -> list[str]:
    """The sizes of measured bodies, in mm, as observations: each body counts by itself."""
    if not isinstance(given, list) or not all(
        isinstance(mm, int | float) and not isinstance(mm, bool) and 0 < mm < 200 for mm in given
    ):
        raise InputError(
            "'measured' must be a list of lengths in mm.", field="measured", allowed="0 to 200 mm"
        )
    return [name for mm in given for name in sizes_of(mm)]


def _season_of(evidence: Mapping[str, Any]) -> str:
    """The season of a month where one is given: in the north December begins winter."""
    month, hemisphere = evidence.get("month"), _choice(evidence, "hemisphere", HEMISPHERES)
    if month is None:
        return ""
    if not isinstance(month, int) or isinstance(month, bool) or not 1 <= month <= 12:
        raise InputError(
            "'month' must be 1 to 12.", field="month", value=str(month)[:20], allowed="1 to 12"
        )
    return season_of(month, hemisphere or "north")


def season_of(month: int, hemisphere: str) -> str:
    """The meteorological season of a month (1 to 12)."""
    quarter = month % 12 // 3
    return BY_QUARTER[(quarter + 2) % 4 if hemisphere == "south" else quarter]


def _companions(catalogue: Catalogue, verdict: Verdict) -> list[str]:
    """What is harmless or helps, and is held present beside a pest; helpers from a lower
    chance on.
    """
    if not any(one in catalogue.records for one in verdict.present):
        return []
    held = [one for one in verdict.present if one not in catalogue.records]
    return list(dict.fromkeys([*held, *helpers(verdict)]))


def helpers(verdict: Verdict) -> list[str]:
    """What hunts or kills the pests and is likely enough to be spared."""
    return [one for one in HELPERS if verdict.chances[one] >= SPARED_FROM]


def _choice(evidence: Mapping[str, Any], key: str, allowed: tuple[str, ...]) -> str:
    value = evidence.get(key) or ""
    if value and value not in allowed:
        raise InputError(
            f"'{key}' must be one of {', '.join(allowed)}.",
            field=key,
            value=str(value)[:60],
            allowed=", ".join(allowed),
        )
    return str(value)


def setting_of(
    answers: Mapping[str, bool], place: str, kind: str, season: str = ""
) -> Circumstances:
    """The circumstances as given, or as told among the answers."""
    said = [name for name, yes in answers.items() if yes]
    place = place or next((PLACE_SAID[name] for name in said if name in PLACE_SAID), "")
    kind = kind or next(
        (name.removeprefix(KIND_SAID) for name in said if name.startswith(KIND_SAID)), ""
    )
    return Circumstances(place, kind, season or ("winter" if answers.get("winter-time") else ""))


def known_apart(answers: Mapping[str, bool]) -> dict[str, bool]:
    """The answers without those that are circumstances: place and plant kind count once."""
    return {
        name: yes
        for name, yes in answers.items()
        if name not in PLACE_SAID and not name.startswith(KIND_SAID)
    }


def telling(catalogue: Catalogue, verdict: Verdict, cause: str) -> list[tuple[float, str]]:
    """(weight, answer) of what speaks for a cause (above 0) and against it, the
    weightiest first. What hardly counts is left out.
    """
    weights = verdict.weights[:, catalogue.evidence.model.row[cause]]
    order = sorted(
        zip(map(float, weights), verdict.answers, strict=True), key=lambda pair: -abs(pair[0])
    )
    return [(w, name) for w, name in order if abs(w) >= TELLS]


def _suspect_json(catalogue: Catalogue, verdict: Verdict, cause: str) -> dict[str, Any]:
    tells = telling(catalogue, verdict, cause)
    return {
        "id": cause,
        "probability": verdict.chances[cause],
        "for": [name for w, name in tells if w > 0],
        "against": [name for w, name in tells if w < 0],
        "harmless": cause not in catalogue.records,
    }


def _check_json(check: Check) -> dict[str, Any]:
    return {
        "observation": check.outcomes[0],
        "minutes": check.minutes,
        "gain": check.gain,
        "outcomes": list(check.outcomes),
    }


def stages_of(
    catalogue: Catalogue, cause: str, answers: Mapping[str, bool]
) -> tuple[StageChance, ...]:
    """The stages of a pest as words that a case document takes (egg, larva, nymph,
    pupa, adult), with their chances. Empty for what is no pest.
    """
    record = catalogue.records.get(cause)
    if record is None:
        return ()
    words: dict[str, str] = {}
    for stage in record.stage:
        words.setdefault(BY_DISPLAY[stage.display], stage.display)
    model = catalogue.evidence.model
    chances = stage_chances(model, model.causes[model.row[cause]], list(words), answers)
    return tuple(StageChance(words[s.kind], s.chance, s.seen) for s in chances)


def observations(catalogue: Catalogue) -> dict[str, Any]:
    """Every observation that can be reported."""
    return {
        "schema": 1,
        "observations": [
            {
                "id": o.id,
                "theme": o.theme,
                "group": o.group or None,
                "phrase": o.phrase,
                "how_to_check": o.how_to_check,
                "tool": o.tool,
                "minutes": o.effort_minutes,
            }
            for o in catalogue.evidence.observations.values()
        ],
    }
