"""Plants kept apart: newcomers, neighbours, cuttings."""

from __future__ import annotations

from flask import Blueprint, Response, request, url_for

from brood.services.followup import inspections
from brood.services.house import quarantine
from brood.store.queries import cases
from brood.web import render, undo
from brood.web.context import catalogue, household, now, speech, today
from brood.web.forms.followup import follow as form
from brood.web.forms.reader import Reader

bp = Blueprint("quarantine", __name__)
CLASSES = {"young": "young", "adult": "adults"}


@bp.get("/quarantine")
def page() -> Response:
    """Every plant that is kept apart, and a form for another."""
    with household().store.reading() as session:
        rows = quarantine.open_quarantines(session)
        looked = quarantine.last_looks_apart(session, rows)
        return render.page(
            "house/quarantine/page.html",
            rows=[(q, quarantine.next_look(q, looked.get(q.id))) for q in rows],
            plants=cases.names(session, here=True),
            reasons=quarantine.REASONS,
            rooms=quarantine.rooms(session),
        )


@bp.post("/quarantine")
def keep_apart() -> Response:
    """Keep a plant apart."""
    reader = Reader(request.form, speech(), today())
    plant_id = reader.key("plant", "the plant")
    reason = reader.choice("reason", quarantine.REASONS, "why")
    since = reader.day("since_on", "The day", back=200) if reader.raw("since_on") else today()
    note = reader.text("note", "The note", longest=200, needed=False)
    place = reader.key("place", "where from the list") if reader.raw("place") else None
    reader.done()
    with household().store.writing() as session:
        found = quarantine.keep_apart(
            session, plant_id, reason, since, note, now=now(), place_id=place
        )
    undo.offer("The plant is kept away from the others.", f"/quarantine/{found}/undo", to="never")
    return render.go(url_for("quarantine.one", quarantine_id=found))


@bp.post("/quarantine/<int:quarantine_id>/undo")
def undone(quarantine_id: int) -> Response:
    """Take back that a plant was kept apart, or let back."""
    with household().store.writing() as session:
        plant_id = quarantine.undo(session, quarantine_id, request.form.get("to", ""), now=now())
    return render.back(url_for("plants.one", plant_id=plant_id))


@bp.get("/quarantine/<int:quarantine_id>")
def one(quarantine_id: int) -> Response:
    """A plant kept apart: when it may go back, its looks, the steps of its return."""
    with household().store.reading() as session:
        row = quarantine.quarantine(session, quarantine_id)
        found = quarantine.of_quarantine(session, catalogue(), row, today(), speech())
        lacking = "" if row.released_on else quarantine.missing(session, row, today())
        return render.page(
            "house/quarantine/one.html",
            q=row,
            o=found,
            lacking=lacking,
            looks=quarantine.looks_apart(session, row),
            steps=quarantine.STEPS,
            reasons=quarantine.REASONS,
            how=inspections,
            classes=CLASSES,
            places=cases.places(session),
        )


@bp.post("/quarantine/<int:quarantine_id>/look")
def look(quarantine_id: int) -> Response:
    """A look at a plant that is kept apart."""
    said = form.read(Reader(request.form, speech(), today()), CLASSES)
    with household().store.writing() as session:
        quarantine.look_apart(session, quarantine_id, said, now=now())
    return render.go(url_for("quarantine.one", quarantine_id=quarantine_id))


@bp.post("/quarantine/<int:quarantine_id>/step")
def step(quarantine_id: int) -> Response:
    """Tick a step of the return, or take the tick back, as the form says."""
    name, done = request.form.get("step", ""), request.form.get("to") != "open"
    with household().store.writing() as session:
        quarantine.step(session, quarantine_id, name, done=done)
    if done:
        undo.offer(
            quarantine.STEPS[name], f"/quarantine/{quarantine_id}/step", step=name, to="open"
        )
    return render.go(url_for("quarantine.one", quarantine_id=quarantine_id) + "#return")


@bp.post("/quarantine/<int:quarantine_id>/release")
def release(quarantine_id: int) -> Response:
    """Let a plant back; what is missing is asked for first."""
    reader = Reader(request.form, speech(), today())
    place = reader.key("place", "where it goes back from the list") if reader.raw("place") else None
    reader.done()
    with household().store.writing() as session:
        plant_id = quarantine.release(
            session, quarantine_id, place, sure=bool(reader.raw("sure")), now=now()
        )
    undo.offer("The plant is back.", f"/quarantine/{quarantine_id}/undo", to="apart")
    return render.go(url_for("plants.one", plant_id=plant_id))


@bp.post("/plants/<int:plant_id>/cutting")
def cutting(plant_id: int) -> Response:
    """A clean cutting was taken, as insurance."""
    reader = Reader(request.form, speech(), today())
    name = reader.name("name", "The cutting's name")
    reader.done()
    with household().store.writing() as session:
        found = quarantine.take_cutting(session, plant_id, name, now=now())
    return render.go(url_for("quarantine.one", quarantine_id=found))


@bp.post("/plants/<int:plant_id>/check")
def checked(plant_id: int) -> Response:
    """One tap on a button that says so: checked, nothing alive."""
    with household().store.writing() as session:
        plant = cases.plant(session, plant_id)
        kept = quarantine.looked_over(
            session, plant, request.form.get("sent_key", "")[:64], now=now()
        )
    undo.offer(f"{plant.name}: checked, nothing seen.", f"/inspections/{kept}/withdraw", to="out")
    return render.back(url_for("plants.one", plant_id=plant_id))
