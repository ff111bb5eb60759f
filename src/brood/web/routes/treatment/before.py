"""The questions that come before a mix. They stand on the page of the evening or of the mix."""

from __future__ import annotations

from flask import Blueprint, Response, request, url_for

from brood.services.house import before_mixing
from brood.services.treatment import evening_page
from brood.store.queries import cases as queries
from brood.web import render
from brood.web.context import speech, today, writing
from brood.web.forms.reader import Reader
from brood.web.forms.treatment import before as form

bp = Blueprint("before", __name__)


@bp.post("/cases/<int:case_id>/before")
def tell(case_id: int) -> Response:
    """Keep the answers, and go on to the evening."""
    act = request.form.get("for", "")
    with writing() as desk:
        row = queries.case(desk.session, case_id)
        asked = (
            before_mixing.for_mix(desk.session, desk.catalogue, row.plant, act)
            if act
            else evening_page.build(desk, case_id).before
        )
        if asked is not None:
            told = form.read(Reader(request.form, speech(), today()), asked)
            before_mixing.tell(desk.session, row.plant, told)
    if act:
        return render.go(url_for("mix.page", case=case_id, treatment=act))
    return render.go(url_for("evening.page", case_id=case_id))
