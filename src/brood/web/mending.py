"""A form that cannot be used comes back on the page from which it was sent: with what was
typed, a sentence at each field, and the cursor in the first of them.
"""

from __future__ import annotations

from collections.abc import Mapping

from flask import Flask, Response, make_response, request
from werkzeug.datastructures import MultiDict
from werkzeug.exceptions import RequestEntityTooLarge

from brood.errors import ChangedMeanwhile, FieldErrors, InputError
from brood.web import errors, render
from brood.web.filled import Sent, mended, part_of
from brood.web.inner import page_at


def register(app: Flask) -> None:
    """Send every form with a fault back to whoever filled it in."""
    app.register_error_handler(InputError, _back)


def by_field(error: InputError) -> dict[str, str]:
    """What is wrong, a sentence for each field; for the whole form under no name."""
    if isinstance(error, FieldErrors):
        return error.by_field
    return {error.field or "whole": error.message}


def asked(answer: Response, error: InputError) -> Response:
    """A page that was made with something that cannot be used, with the faults in its
    form; the sentence alone where only a part without the form was asked for.
    """
    typed = MultiDict(request.form if request.method == "POST" else request.args)
    sent = Sent(request.full_path, request.path, typed)
    page = mended(answer.get_data(as_text=True), sent, by_field(error))
    if page is None:
        return errors.show(str(error), 422)
    answer.set_data(str(page))
    answer.status_code = 422
    return answer


def came_from() -> str:
    """The page of ours that a form was sent from. Empty where nobody can tell."""
    try:
        named = request.form.get("form_page", "")
    except RequestEntityTooLarge:
        named = ""
    if render.is_ours(named):
        return named
    seen = request.headers.get("HX-Current-URL") or request.referrer or ""
    here = render.path_of(seen)
    return here if render.is_ours(here) else ""


def _back(error: InputError) -> Response:
    status = 409 if isinstance(error, ChangedMeanwhile) else 422
    if request.method != "POST" or render.wants_receipt():
        return errors.show(str(error), status)
    return _page_again(by_field(error), status) or errors.show(
        str(error), status, again=errors.resent()
    )


def _page_again(faults: Mapping[str, str], status: int) -> Response | None:
    """The page of the form with the form as it was sent. None where it is not there."""
    address = came_from() or request.path
    answer = page_at(address)
    if answer.status_code != 200 or answer.mimetype != "text/html":
        return None
    files = any(file.filename for file in request.files.values())
    sent = Sent(address, request.path, MultiDict(request.form), files)
    page = mended(answer.get_data(as_text=True), sent, faults)
    if page is None:
        return None
    if not render.wants_part():
        return make_response(str(page), status)
    response = make_response(part_of(page, "main") or "", status)
    response.headers["HX-Retarget"] = "#main"
    response.headers["HX-Reswap"] = "outerHTML"
    return response
