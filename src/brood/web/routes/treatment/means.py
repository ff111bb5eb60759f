"""The treatments of a case: what is offered here, what each would change, leaves, soil,
and whether the plant is worth it.
"""

from __future__ import annotations

from flask import Blueprint, Response, request, url_for

from brood.errors import InputError
from brood.services.treatment import advice, choose
from brood.web import mending, render
from brood.web.context import catalogue, reading, speech, today, writing
from brood.web.forms.reader import Reader
from brood.web.forms.treatment import means as form

bp = Blueprint("means", __name__)


@bp.get("/cases/<int:case_id>/means")
def page(case_id: int) -> Response:
    """What may be done to this plant, here."""
    with reading() as desk:
        result = choose.build(desk, case_id)
        return render.page(
            "treatment/means/page.html",
            m=result,
            ticked=set(result.chosen),
            rungs=choose.RUNGS,
            own=_own(result),
        )


def _own(result: choose.MeansResult) -> dict[str, str]:
    """The label's figures that stand in the case now."""
    out = {}
    for act in result.row.acts:
        out[f"gap-{act.treatment_id}"] = "" if act.min_gap_days is None else str(act.min_gap_days)
        out[f"most-{act.treatment_id}"] = (
            "" if act.max_applications is None else str(act.max_applications)
        )
    return out


@bp.post("/cases/<int:case_id>/means")
def put(case_id: int) -> Response:
    """Set the treatments and plan again."""
    reader = Reader(request.form, speech(), today())
    acts = form.acts(reader, catalogue().treatments)
    reader.done()
    with writing() as desk:
        choose.put(desk, case_id, acts, test_patch=bool(reader.raw("test_patch")))
    return render.go(url_for("cases.page", case_id=case_id))


@bp.get("/cases/<int:case_id>/means/figures")
def figures(case_id: int) -> Response:
    """What each treatment would do to the evenings and the chance."""
    with reading() as desk:
        try:
            now_, toggles, soil, triage = advice.whole(desk, case_id)
        except InputError as error:
            return render.page(
                "treatment/means/figures.html",
                part="treatment/means/_figures.html",
                case_id=case_id,
                trouble=error.message,
            )
        return render.page(
            "treatment/means/figures.html",
            part="treatment/means/_figures.html",
            case_id=case_id,
            now_=now_,
            toggles=toggles,
            soil=soil,
            triage=triage,
            trouble="",
            rungs=choose.RUNGS,
        )


@bp.get("/cases/<int:case_id>/means/cut")
def cut(case_id: int) -> Response:
    """What cutting the worst leaves would save."""
    reader = Reader(request.args, speech(), today())
    worst, leaves = (
        reader.whole("worst", "How many to cut", 1, 500),
        reader.whole("leaves", "How many have it", 1, 5000),
    )
    try:
        reader.done()
        with reading() as desk:
            said = advice.cut(desk, case_id, worst, leaves) if worst and leaves else None
    except InputError as error:
        return mending.asked(_cut(case_id, None), error)
    return _cut(case_id, said)


def _cut(case_id: int, said: advice.CutAdvice | None) -> Response:
    return render.page(
        "treatment/means/cut.html",
        part="treatment/means/_cut.html",
        case_id=case_id,
        cut=said,
    )
