"""The treatment evening, test leaves, and what comes after."""

from __future__ import annotations

import uuid

from flask import Blueprint, Response, request, url_for

from brood.services.cases import aftercare, test_leaves
from brood.services.house import load
from brood.services.house import who_lives_here as living
from brood.services.treatment import evening_page
from brood.store.queries import cases as queries
from brood.store.states import LeafOutcome
from brood.web import render, undo
from brood.web.context import catalogue, household, now, prefs, reading, speech, today, writing
from brood.web.forms.reader import Reader
from brood.web.forms.treatment import evening as form
from brood.web.forms.treatment.shelf import VOLUME_UNITS

bp = Blueprint("evening", __name__)


@bp.get("/cases/<int:case_id>/evening")
def page(case_id: int) -> Response:
    """What to do tonight, part by part."""
    with reading() as desk:
        result = evening_page.build(desk, case_id)
        return render.page(
            "treatment/evening/page.html",
            e=result,
            sent_key=uuid.uuid4().hex,
            units=VOLUME_UNITS,
            light=evening_page.LIGHT,
            weather=evening_page.WEATHER,
            reactions=load.REACTIONS,
            living=living.LIVING,
            unit="ml" if prefs().measure == "metric" else "fl oz",
        )


@bp.post("/cases/<int:case_id>/evening")
def finish(case_id: int) -> Response:
    """Record the evening, set the after-care going and plan again."""
    with household().store.reading() as session:
        sights = evening_page.sights(catalogue(), queries.case(session, case_id))
    said = form.read(Reader(request.form, speech(), today()), catalogue(), sights)
    file = request.files.get("photo")
    photo = (file.filename, file.read()) if file is not None and file.filename else None
    with writing() as desk:
        kept = evening_page.finish(desk, case_id, said)
        if photo is not None:
            evening_page.add_photo(desk, kept, *photo)
        application_id, told = evening_page.after(desk, kept)
    undo.offer(told, f"/evenings/{application_id}/withdraw")
    return (
        render.kept(said.sent_key)
        if render.wants_receipt()
        else render.go(url_for("cases.page", case_id=case_id))
    )


@bp.post("/cases/<int:case_id>/patch")
def start_patch(case_id: int) -> Response:
    """Test leaves were sprayed just now."""
    reader = Reader(request.form, speech(), today())
    leaf = reader.text("leaf", "Which leaves", longest=120, needed=False)
    reader.done()
    with writing() as desk:
        test_leaves.start(desk, case_id, reader.raw("treatment"), leaf)
    return render.go(url_for("cases.page", case_id=case_id))


@bp.post("/patches/<int:patch_id>")
def judge(patch_id: int) -> Response:
    """How the test leaves look."""
    reader = Reader(request.form, speech(), today())
    note = reader.text("note", "The note", longest=300, needed=False)
    reader.done()
    with writing() as desk:
        case_id = test_leaves.judge(desk, patch_id, reader.raw("outcome"), note)
    if reader.raw("outcome") in list(LeafOutcome):
        undo.offer(
            f"The test leaves are {reader.raw('outcome')}.",
            f"/patches/{patch_id}",
            outcome=test_leaves.NOT_JUDGED,
        )
    return render.go(url_for("cases.page", case_id=case_id))


@bp.post("/tasks/<int:task_id>")
def tick(task_id: int) -> Response:
    """Tick a task off, or take the tick back, as the form says."""
    done = request.form.get("to") != "open"
    with household().store.writing() as session:
        case_id, text = aftercare.tick(session, task_id, done=done, now=now())
    if done:
        undo.offer(text, f"/tasks/{task_id}", to="open")
    return render.back(url_for("cases.page", case_id=case_id))
