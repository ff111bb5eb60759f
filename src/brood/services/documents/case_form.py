"""The form of a case document. Every fault is one sentence that names its field."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable
from typing import Annotated, Any, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, ValidationError, model_validator
from pydantic_core import PydanticCustomError

from brood.core.biology.stage_classes import ROUGH_COUNTS
from brood.core.climate.series import SPREAD_C
from brood.core.followup.detection import THOROUGH
from brood.errors import InputError
from brood.services.documents.reading import Json

WEEKDAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
MOST_COUNT = 1_000_000
MOST_PLANTS = 5000
MOST_RAIN = 500
MOST_LEAVES = 100_000
MOST_HOURS = 24 * 366 * 3
MOST_ALSO = 6
FORM = "see docs/case.md"
KINDS = ("constant", "day-night", "hourly", "daily")
WHEN = r"always|first|planner|every-[1-9][0-9]?"


def fault(sentence: str, allowed: str) -> PydanticCustomError:
    """A fault of one value. In the sentence, FIELD stands for its quoted name."""
    return PydanticCustomError("form", "{sentence}", {"sentence": sentence, "allowed": allowed})


def number(low: float, high: float) -> BeforeValidator:
    """Takes a number between two bounds."""

    def checked(value: object) -> float:
        if isinstance(value, int | float) and not isinstance(value, bool) and low <= value <= high:
            return float(value)
        span = f"{low:g} to {high:g}"
        raise fault(f"FIELD must be a number from {span}.", span)

    return BeforeValidator(checked)


def whole(low: int, high: int) -> BeforeValidator:
    """Takes a whole number between two bounds."""

    def checked(value: object) -> int:
        if isinstance(value, float) and not value.is_integer():
            raise fault("FIELD must be a whole number.", f"{low} to {high}")
        if isinstance(value, int | float) and not isinstance(value, bool) and low <= value <= high:
            return int(value)
        raise fault(f"FIELD must be a number from {low} to {high}.", f"{low} to {high}")

    return BeforeValidator(checked)


def iso(read: Callable[[str], Any], example: str) -> Callable[[object], Any]:
    """A reader of ISO dates or times, such as the example."""

    def checked(value: object) -> Any:
        if not isinstance(value, str):
            raise fault("FIELD has the wrong form.", FORM)
        try:
            return read(value)
        except ValueError:
            raise fault(f"FIELD must read like {example}.", example) from None

    return checked


def _day(value: object) -> dt.date:
    day: dt.date = iso(dt.date.fromisoformat, "2026-06-01")(value)
    if not 1990 <= day.year <= 2200:
        raise fault(f"The year {day.year} in FIELD cannot be right.", "1990 to 2200")
    return day


def _count(value: object) -> str | float:
    if isinstance(value, str) and value in ROUGH_COUNTS:
        return value
    if isinstance(value, int | float) and not isinstance(value, bool) and 0 <= value <= MOST_COUNT:
        return float(value)
    raise fault(f"FIELD must be a number from 0 to {MOST_COUNT:g}.", f"0 to {MOST_COUNT:g}")


def _pair(value: object) -> object:
    if not isinstance(value, list) or len(value) != 2:
        raise fault("FIELD must be two dates.", "[from, to]")
    return value


def _weekdays(value: object) -> object:
    if not isinstance(value, list) or not value or any(day not in WEEKDAYS for day in value):
        raise fault("FIELD must list days such as mon, tue.", ", ".join(WEEKDAYS))
    return value


def _when(value: object) -> object:
    if not isinstance(value, str) or not re.fullmatch(WHEN, value):
        raise fault("FIELD is not known.", "always, first, every-N, planner")
    return value


def _thorough(value: object) -> object:
    return THOROUGH.get(value, value) if isinstance(value, str) else value


def _hours(value: object) -> object:
    if isinstance(value, list) and not 1 <= len(value) <= MOST_HOURS:
        span = f"1 to {MOST_HOURS}"
        raise fault(f"FIELD must hold {span} values.", span)
    return value


def _some(value: object) -> object:
    if value == []:
        raise fault("FIELD is empty: say what was found.", "one group or more")
    return value


def _few(value: object) -> object:
    if isinstance(value, list) and len(value) > MOST_ALSO:
        raise fault("FIELD must be a list of further pests.", f"up to {MOST_ALSO} objects")
    return value


def _schema(value: object) -> object:
    if value != 1:
        raise fault("This case has another schema than 1.", "1")
    return value


Day = Annotated[dt.date, BeforeValidator(_day)]
Count = Annotated[str | float, BeforeValidator(_count)]
Celsius = Annotated[float, number(-30, 60)]
Hours = Annotated[list[Celsius], BeforeValidator(_hours)]
Share = Annotated[float, number(0.001, 1)]
Clock = Annotated[dt.time, BeforeValidator(iso(dt.time.fromisoformat, "07:00"))]
Moment = Annotated[dt.datetime, BeforeValidator(iso(dt.datetime.fromisoformat, "2026-06-01T00:00"))]


class Part(BaseModel):
    """A part of the document. null counts as left out; unknown keys are passed over."""

    model_config = ConfigDict(frozen=True, strict=True)

    @model_validator(mode="before")
    @classmethod
    def _without_nulls(cls, data: Any) -> Any:
        if not isinstance(data, dict):
            return data
        return {key: value for key, value in data.items() if value is not None}


class FoundForm(Part):
    """A group found: a number, or a rough class of it."""

    date: Day
    stage: str
    count: Count
    share: Share = 1.0


class TreatmentForm(Part):
    """A treatment with the keeper's own figures."""

    id: str
    when: Annotated[str, BeforeValidator(_when)] = "planner"
    min_gap_days: Annotated[int, whole(1, 120)] | None = None
    max_applications: Annotated[int, whole(1, 100)] | None = None
    kill: dict[str, Annotated[float, number(0, 1)]] | None = None


class PestForm(Part):
    """One pest: what was found of it, and the treatments listed with it."""

    pest: str
    found: Annotated[list[FoundForm], BeforeValidator(_some)]
    treatments: list[TreatmentForm] = []


class LimitsForm(Part):
    """What the keeper can and will do."""

    min_gap_days: Annotated[int, whole(1, 120)] | None = None
    max_applications: Annotated[int, whole(1, 100)] | None = None
    weekdays: Annotated[list[str], BeforeValidator(_weekdays)] | None = None
    away: list[Annotated[list[Day], BeforeValidator(_pair)]] = []
    harvest: Day | None = None


class DoneForm(Part):
    """An evening that was done; without a list, all acts of the case were."""

    date: Day
    treatments: list[Any] | None = None


class RainForm(Part):
    """The rain of a day, in mm, and the hour in which it began where that is known."""

    date: Day
    mm: Annotated[float, number(0, MOST_RAIN)]
    hour: Annotated[int, whole(0, 23)] | None = None


class StateForm(Part):
    """A state of the plant from a day on, and until when it is to last."""

    state: str
    since: Day = Field(alias="from")
    until: Day | None = Field(None, alias="to")


class CutForm(Part):
    """So many of so many leaves were cut off on a day, the worst first."""

    date: Day
    leaves: Annotated[int, whole(1, MOST_LEAVES)]
    of: Annotated[int, whole(1, MOST_LEAVES)]


class InspectionForm(Part):
    """Animals of one class that a look counted."""

    date: Day
    count: Count
    stage: Any = None
    share: Share = 1.0
    thorough: Annotated[float, number(0.01, 1), BeforeValidator(_thorough)] = THOROUGH["usual"]
    within_days: Annotated[int, whole(0, 60)] = 0


class ConstantForm(Part):
    """The same °C throughout."""

    kind: Literal["constant"]
    celsius: Celsius


class DayNightForm(Part):
    """Two set points, °C."""

    kind: Literal["day-night"]
    day: Celsius
    night: Celsius
    day_from: Clock = dt.time(7)
    night_from: Clock = dt.time(21)


class HourlyForm(Part):
    """Hourly means, °C."""

    kind: Literal["hourly"]
    start: Moment
    celsius: Hours


class DailyForm(Part):
    """Daily minima and maxima, °C."""

    kind: Literal["daily"]
    start: Day
    min: Hours
    max: Hours


class SpreadForm(Part):
    """Spread of the temperature, °C: where it is given, and beyond."""

    inside: Annotated[float, number(0, 10)] = SPREAD_C[0]
    beyond: Annotated[float, number(0, 10)] = SPREAD_C[3]


Temperature = Annotated[
    ConstantForm | DayNightForm | HourlyForm | DailyForm, Field(discriminator="kind")
]


class CaseForm(PestForm):
    """The whole document."""

    schema_: Annotated[Any, BeforeValidator(_schema)] = Field(1, alias="schema")
    treatments: list[TreatmentForm]
    start: Day
    temperature: Temperature
    temperature_sd: SpreadForm = SpreadForm()
    also: Annotated[list[PestForm], BeforeValidator(_few)] = []
    limits: LimitsForm = LimitsForm()
    done: list[DoneForm] = []
    inspections: list[InspectionForm] = []
    place: Literal["indoor", "glasshouse", "balcony", "outdoor"] | None = None
    rain: list[RainForm] = []
    states: list[StateForm] = []
    cut: list[CutForm] = []
    repotted: list[Day] = []
    reach: Annotated[float, number(0.01, 1)] = 0.9
    refuge: Annotated[float, number(0, 0.9)] = 0.02
    target: Annotated[float, number(0.01, 0.999)] = 0.95
    keep_below: Annotated[float, number(1, MOST_COUNT)] | None = None
    aim: Literal["fewest", "soonest", "gentlest"] | None = None
    group: Annotated[int, whole(1, MOST_PLANTS)] = 1
    horizon_days: Annotated[int, whole(7, 730)] | None = None
    switching: dict[str, Annotated[float, number(0, 24)]] = {}
    test_patch: bool = False
    infer_hidden: bool = True


def read_form(data: Json) -> CaseForm:
    """The document in its form. Raises InputError for the first fault."""
    try:
        return CaseForm.model_validate(data)
    except ValidationError as error:
        raise _told(error) from None


def _told(error: ValidationError) -> InputError:
    """The first fault as a sentence, with its field, its value and what is allowed."""
    first = error.errors(include_url=False)[0]
    field = ".".join(str(step) for step in first["loc"] if step not in KINDS)
    sentence, allowed = "FIELD has the wrong form.", FORM
    if first["type"] == "form":
        sentence, allowed = first["ctx"]["sentence"], first["ctx"]["allowed"]
    elif first["type"] == "missing":
        sentence = "FIELD is missing."
    elif first["type"] in ("model_type", "dict_type"):
        sentence, allowed = "FIELD must be an object.", "an object"
    elif first["type"] == "literal_error":
        allowed = first["ctx"]["expected"].replace("'", "").replace(" or ", ", ")
        sentence = "FIELD is not known."
    elif first["type"].startswith("union_tag"):
        field, sentence, allowed = f"{field}.kind", "FIELD is not known.", ", ".join(KINDS)
    value = None if first["type"] == "missing" else short(first["input"])
    return InputError(
        sentence.replace("FIELD", f"'{field}'"), field=field, value=value, allowed=allowed
    )


def short(value: object) -> str:
    """The beginning of a value, for a message."""
    return str(value)[:60]
