"""Several ways to clear a plant side by side, and taking another one."""

from __future__ import annotations

from flask import Blueprint, Response, request, url_for

from brood.errors import InputError
from brood.services.cases import history
from brood.services.treatment import look_tried, ways
from brood.store.queries import cases as queries
from brood.store.tables import PestCase
from brood.web import render, undo
from brood.web.context import household, reading, writing

bp = Blueprint("ways", __name__)


@bp.get("/cases/<int:case_id>/ways")
def page(case_id: int) -> Response:
    """The ways of a case. It takes seconds to work them out: the page comes first, and
    asks for them with `now`.
    """
    with reading() as desk:
        if not request.args.get("now"):
            row = queries.bare_case(desk.session, case_id)
            return render.page("treatment/ways/page.html", row=row, result=None)
        result = ways.of_case(desk, case_id)
        return render.page(
            "treatment/ways/page.html",
            part="treatment/ways/_ways.html",
            row=result.row,
            result=result,
            evenings_done=history.evenings_done(result.row),
        )


@bp.post("/cases/<int:case_id>/ways")
def take(case_id: int) -> Response:
    """Take another way."""
    with household().store.reading() as session:
        row = queries.case(session, case_id)
        back = _back(row)
    with writing() as desk:
        acts = tuple(filter(None, request.form.get("acts", "").split(",")))
        ways.take(desk, case_id, request.form.get("way", ""), acts)
    undo.offer(f"{row.plant.name}: another way taken.", f"/cases/{case_id}/ways", **back)
    return render.go(url_for("cases.page", case_id=case_id))


@bp.get("/cases/<int:case_id>/look")
def look(case_id: int) -> Response:
    """What the look that decides would change, if it finds nothing or something alive."""
    alive = request.args.get("found") == "alive"
    with reading() as desk:
        row = queries.bare_case(desk.session, case_id)
        try:
            found, trouble = look_tried.tried(desk, case_id, alive=alive), ""
        except InputError as error:
            found, trouble = None, error.message
        return render.page(
            "treatment/ways/look.html",
            part="treatment/ways/_look.html",
            row=row,
            found=found,
            trouble=trouble,
        )


def _back(row: PestCase) -> dict[str, str]:
    """What brings back the way of a case as it is: its pace, and its treatments."""
    return {"way": row.pace, "acts": ",".join(a.treatment_id for a in row.acts)}
