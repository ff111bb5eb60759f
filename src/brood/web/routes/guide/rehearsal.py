"""The rehearsal: try an infestation and two schedules; nothing is kept."""

from __future__ import annotations

from flask import Blueprint, Response, make_response, request

from brood.errors import InputError
from brood.services.guide import guide, rehearsal
from brood.services.guide.rehearsal import RehearsalResult
from brood.web import mending, render
from brood.web.context import catalogue, reading, speech, today
from brood.web.forms.guide import rehearsal as form
from brood.web.forms.reader import Reader, key_of

bp = Blueprint("rehearsal", __name__, url_prefix="/rehearsal")

BEGIN = {
    "pest": "tetranychus-urticae",
    "day": "24",
    "night": "18",
    "egg": "40",
    "young": "15",
    "adult": "6",
    "reach": "90",
    "refuge": "2",
    "act-wiping": "1",
    "act-insecticidal-soap": "1",
    "first": "every 3 days 7 times",
    "second": "every 7 days 4 times",
}


@bp.get("")
def page() -> Response:
    """Two schedules side by side, from the address, from a case, or from an example."""
    values = {key: value for key, value in request.args.items() if key != "case"} or _begin()
    try:
        said = form.read(Reader(values, speech(), today()), catalogue())
        if values.get("as") == "json":
            return _file(rehearsal.as_case_file(said, catalogue(), today()))
        return _page(values, rehearsal.rehearse(said, catalogue(), today()))
    except InputError as error:
        return mending.asked(_page(values, None), error)


def _begin() -> dict[str, str]:
    """What stands in the form at first: the case asked for, or an example in the keeper's unit."""
    number = key_of(request.args.get("case", ""))
    if number is not None:
        with reading() as desk:
            try:
                values = rehearsal.of_case(desk, number)
            except InputError:
                values = BEGIN
    else:
        values = BEGIN
    return {
        **values,
        **{key: f"{speech().degrees(float(values[key])):.0f}" for key in ("day", "night")},
    }


def _page(values: dict[str, str], result: RehearsalResult | None) -> Response:
    held = catalogue()
    pest_id = values.get("pest", "") if values.get("pest") in held.records else BEGIN["pest"]
    ticked = {key.removeprefix("act-") for key in values if key.startswith("act-")}
    shown = {
        **{t.id: t for t in held.offered(pest_id)},
        **{a: held.treatments[a] for a in ticked if a in held.treatments},
    }
    return render.page(
        "guide/rehearsal/page.html",
        values=values,
        r=result,
        groups=guide.by_group(held),
        treatments=list(shown.values()),
        ticked=ticked,
        query=request.query_string.decode(),
    )


def _file(text: str) -> Response:
    answer = make_response(text)
    answer.headers["Content-Type"] = "application/json"
    answer.headers["Content-Disposition"] = 'attachment; filename="rehearsal.json"'
    return answer
