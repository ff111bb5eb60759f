"""The degree-day bench."""

from __future__ import annotations

from flask import Blueprint, Response, make_response, request

from brood.core.climate.degree_days import CUTOFFS, METHODS
from brood.errors import FieldErrors, InputError
from brood.services.warmth import degree_days
from brood.services.warmth.degree_days import BenchResult
from brood.store.queries import cases
from brood.web import mending, render
from brood.web.context import household, prefs, speech, today
from brood.web.forms.reader import Reader, key_of
from brood.web.forms.warmth import degree_days as form

bp = Blueprint("degree_days", __name__, url_prefix="/degree-days")


@bp.get("")
def page() -> Response:
    """Degree-days of a place, as a page or, with `as=csv`, as a table."""
    try:
        said = form.read(Reader(request.args, speech(), today()))
    except FieldErrors as error:
        return mending.asked(_page(None, ""), error)
    if not request.args.get("place"):
        return _page(None, "")
    try:
        key = key_of(request.args["place"])
        if key is None:
            raise FieldErrors({"place": "Choose a place from the list."})
        with household().store.reading() as session:
            result = degree_days.of_place(session, key, said.bench, said.first, said.last)
    except InputError as error:
        return mending.asked(_page(None, ""), error)
    return _table(result) if request.args.get("as") == "csv" else _page(result, "")


@bp.post("")
def of_file() -> Response:
    """Degree-days of a file that is read and not kept."""
    file = request.files.get("file")
    said = form.read(Reader(request.form, speech(), today()))
    data = file.read() if file is not None and file.filename else b""
    try:
        result = degree_days.of_file(data, said.bench, day_first=prefs().locale != "en-US")
    except InputError as error:
        raise FieldErrors({error.field or "file": error.message}) from error
    return (
        _table(result)
        if request.form.get("as") == "csv"
        else _page(result, file.filename or "" if file else "")
    )


def _table(result: BenchResult) -> Response:
    answer = make_response(degree_days.as_csv(result))
    answer.headers["Content-Type"] = "text/csv; charset=utf-8"
    answer.headers["Content-Disposition"] = 'attachment; filename="degree-days.csv"'
    return answer


def _page(result: BenchResult | None, filename: str) -> Response:
    with household().store.reading() as session:
        places = cases.places(session)
    return render.page(
        "warmth/degree_days/page.html",
        result=result,
        values=request.values,
        filename=filename,
        places=places,
        methods=METHODS,
        cutoffs=CUTOFFS,
        query=request.query_string.decode(),
    )
