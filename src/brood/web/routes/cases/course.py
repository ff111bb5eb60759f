"""What a case's course aims at, and which days suit it."""

from __future__ import annotations

from flask import Blueprint, Response, request, url_for

from brood.services.cases import aim
from brood.services.voice.speech import WEEK_STARTS
from brood.store.queries import cases as queries
from brood.web import render
from brood.web.context import catalogue, household, prefs, speech, today, writing
from brood.web.forms.cases import course as form
from brood.web.forms.reader import Reader

bp = Blueprint("course", __name__)


@bp.get("/cases/<int:case_id>/course")
def page(case_id: int) -> Response:
    """The aim, the days, the harvest and the reach of a course."""
    first = WEEK_STARTS[prefs().week]
    with household().store.reading() as session:
        row = queries.bare_case(session, case_id)
        return render.page(
            "cases/course/page.html",
            row=row,
            values=aim.values_of(row),
            hidden=catalogue().hiding.of_plant(row.plant.build, row.plant.kind),
            absences=form.ABSENCES,
            weekdays=[(first + n) % 7 for n in range(7)],
        )


@bp.post("/cases/<int:case_id>/course")
def put(case_id: int) -> Response:
    """Set the course and plan it."""
    said = form.read(Reader(request.form, speech(), today()))
    with writing() as desk:
        aim.put(desk, case_id, said)
    return render.go(url_for("cases.page", case_id=case_id))
