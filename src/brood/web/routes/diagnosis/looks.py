"""Looking a plant over: the walk, the suspects, the loupe, photos."""

from __future__ import annotations

from datetime import datetime

from flask import Blueprint, Response, make_response, request, url_for

from brood.errors import InputError
from brood.services.cases.commands import stage_choices
from brood.services.diagnosis import look_log, look_page, loupe, noticed, photos, put_off
from brood.services.treatment import first_plan
from brood.store.queries import looks as queries
from brood.web import render, undo
from brood.web.context import catalogue, household, now, prefs, speech, today, writing
from brood.web.forms.cases.cases import ROUGH
from brood.web.forms.diagnosis import looks as form
from brood.web.forms.reader import Reader

bp = Blueprint("looks", __name__)
VIEWS = ("page", "suspects", "every")


@bp.post("/plants/<int:plant_id>/look")
def begin(plant_id: int) -> Response:
    """Begin to look a plant over, or go on."""
    with household().store.writing() as session:
        look_id = look_log.begin(session, plant_id, now=now())
        begun = bool(look_log.standing(queries.look(session, look_id)))
    return render.go(url_for("looks.suspects" if begun else "looks.signs", look_id=look_id))


@bp.post("/cases/<int:case_id>/look")
def again(case_id: int) -> Response:
    """Ask again what a case's plant has."""
    with household().store.writing() as session:
        look_id = look_log.reopen_of_case(session, case_id, now=now())
    return render.go(url_for("looks.suspects", look_id=look_id))


@bp.get("/looks/<int:look_id>/signs")
def signs(look_id: int) -> Response:
    """What was noticed: drawings, and one's own words."""
    words = " ".join(request.args.get("words", "").split())
    with household().store.reading() as session:
        found = noticed.build(session, catalogue(), look_id, words)
        return render.page(
            "diagnosis/looks/signs.html",
            r=found,
            drawn=set(request.args.getlist("sign")),
            phrases=catalogue().evidence.observations,
        )


@bp.post("/looks/<int:look_id>/signs")
def notice(look_id: int) -> Response:
    """Keep what was noticed."""
    drawn = request.form.getlist("sign")
    drawings = [one.id for one in catalogue().evidence.folk.drawn]
    asked = {key: request.form.get(f"which-{key}", "") for key in drawings}
    seen, unseen = request.form.getlist("seen"), request.form.getlist("unseen")
    with household().store.writing() as session:
        noticed.keep(session, catalogue(), look_id, drawn, asked, seen, unseen, now=now())
    undo.offer("Kept.", f"/looks/{look_id}/undo", given=now().isoformat())
    return render.go(url_for("looks.suspects", look_id=look_id))


@bp.post("/looks/<int:look_id>/plan")
def plan(look_id: int) -> Response:
    """Open the case of what was found, with the treatments chosen: the first plan."""
    reader = Reader(request.form, speech(), today())
    how_many = reader.choice("how_many", first_plan.HOW_MANY, "roughly how many")
    pest = reader.choice("pest", catalogue().records, "a pest")
    reader.done()
    with writing() as desk:
        row = queries.look(desk.session, look_id)
        case_id = first_plan.plan_for(desk, row.plant_id, pest, how_many)
        look_log.close(desk.session, look_id, now=now(), case_id=case_id)
    return render.go(url_for("cases.page", case_id=case_id))


@bp.get("/looks/<int:look_id>")
def page(look_id: int) -> Response:
    """The walk over the plant."""
    return _show(look_id, "page")


@bp.get("/looks/<int:look_id>/suspects")
def suspects(look_id: int) -> Response:
    """What it could be, and what would settle it."""
    return _show(look_id, "suspects")


@bp.get("/looks/<int:look_id>/every")
def every(look_id: int) -> Response:
    """Every question, by theme."""
    return _show(look_id, "every")


def _show(look_id: int, view: str) -> Response:
    held = catalogue()
    themes = list(dict.fromkeys(o.theme for o in held.evidence.observations.values()))
    theme = request.values.get("theme", "")
    theme = theme if theme in themes else themes[0]
    with household().store.reading() as session:
        result = look_page.build(
            session,
            held,
            look_id,
            request.values.get("zone", ""),
            now=now(),
            hemisphere=prefs().hemisphere,
            check=request.values.get("check", ""),
        )
        return render.page(
            f"diagnosis/looks/{view}.html",
            part=f"diagnosis/looks/_{view}.html",
            r=result,
            tools=look_log.TOOLS,
            view=view,
            theme=theme,
            themes=themes,
            questions=look_page.questions_of_theme(held, result.row, theme)
            if view == "every"
            else (),
            phrases=held.evidence.observations,
            how_many=first_plan.HOW_MANY,
            asked_check=request.values.get("check", ""),
        )


def _after(look_id: int, mark: str = "") -> Response:
    """The view that the form came from, or its part."""
    view = request.form.get("view", "page")
    view = view if view in VIEWS else "page"
    if render.wants_part():
        return _show(look_id, view)
    zone = request.form.get("zone") if view == "page" else None
    theme = request.form.get("theme") if view == "every" else None
    return render.go(
        url_for(f"looks.{view}", look_id=look_id, zone=zone, theme=theme, _anchor=mark or None)
    )


@bp.post("/looks/<int:look_id>/answers")
def answer(look_id: int) -> Response:
    """Keep one answer."""
    observation = request.form.get("observation", "")
    said, _, doubt = request.form.get("said", "").partition(" ")
    with household().store.writing() as session:
        look_log.answer(
            session,
            catalogue(),
            look_id,
            {observation: said},
            now=now(),
            sure=doubt != "unsure",
        )
    return _after(look_id, f"q-{observation}")


@bp.post("/looks/<int:look_id>/choice")
def choose(look_id: int) -> Response:
    """Keep the choice among the outcomes of one check."""
    with household().store.writing() as session:
        look_log.choose(
            session,
            catalogue(),
            look_id,
            request.form.getlist("option"),
            request.form.getlist("chosen"),
            none=bool(request.form.get("none")),
            now=now(),
        )
    undo.offer("Kept.", f"/looks/{look_id}/undo", given=now().isoformat())
    return _after(look_id, "check")


@bp.post("/looks/<int:look_id>/pass")
def cannot_tell(look_id: int) -> Response:
    """Go on to another check: nothing is said of this one."""
    with household().store.writing() as session:
        look_log.pass_over(session, look_id, request.form.getlist("option"))
    return _after(look_id, "check")


@bp.post("/looks/<int:look_id>/later")
def later(look_id: int) -> Response:
    """Begin a check that takes days, and go on to another meanwhile."""
    with household().store.writing() as session:
        options = request.form.getlist("option")
        waiting = put_off.begin(session, catalogue(), look_id, options, today())
        key, day = waiting.key, waiting.due
    said = "tonight" if day == today() else f"on {speech().day(day)}"
    undo.offer(f"It is asked for {said}.", f"/looks/{look_id}/not-later", check=key)
    return _after(look_id, "check")


@bp.post("/looks/<int:look_id>/not-later")
def not_later(look_id: int) -> Response:
    """Wait no longer for a check."""
    with household().store.writing() as session:
        put_off.give_up(session, look_id, request.form.get("check", ""))
    return render.go(url_for("looks.suspects", look_id=look_id))


@bp.post("/looks/<int:look_id>/undo")
def take_back(look_id: int) -> Response:
    """Take back the answers of one tap."""
    try:
        at = datetime.fromisoformat(request.form.get("given", ""))
    except ValueError:
        raise InputError("These answers cannot be found. Nothing was changed.") from None
    with household().store.writing() as session:
        look_log.take_back(session, look_id, at, now=now())
    return render.go(url_for("looks.suspects", look_id=look_id))


@bp.post("/looks/<int:look_id>/tools")
def set_tools(look_id: int) -> Response:
    """What is at hand, and who looks."""
    reader = Reader(request.form, speech(), today())
    looker = reader.text("looker", "Who looks", longest=60, needed=False)
    reader.done()
    with household().store.writing() as session:
        look_log.set_tools(session, look_id, request.form.getlist("tool"), looker)
    return _after(look_id, "tools")


@bp.post("/looks/<int:look_id>/close")
def close(look_id: int) -> Response:
    """Nothing to treat, or enough for now."""
    with household().store.writing() as session:
        look_log.close(session, look_id, now=now())
        plant_id = queries.look(session, look_id).plant_id
    return render.go(url_for("plants.one", plant_id=plant_id))


@bp.get("/looks/<int:look_id>/loupe/<pest_id>")
def glass(look_id: int, pest_id: str) -> Response:
    """A suspect's stages, magnified and at life size."""
    with household().store.reading() as session:
        shown = loupe.build(session, catalogue(), look_id, pest_id, now=now())
        return render.page(
            "diagnosis/looks/loupe.html",
            r=shown,
            rough=ROUGH,
            life=form.LIFE,
            clues=form.CLUES,
            shares=form.SHARES,
            affected=form.AFFECTED,
            group=catalogue().groups[shown.record.group],
        )


@bp.post("/looks/<int:look_id>/loupe/<pest_id>")
def keep_stages(look_id: int, pest_id: str) -> Response:
    """Keep the stages as seen, and go on to the case, or back."""
    record = catalogue().records[catalogue().pest(pest_id).id]
    found, affected = form.stages(Reader(request.form, speech(), today()), stage_choices(record))
    with household().store.writing() as session:
        look_log.keep_stages(session, look_id, pest_id, found, now=now(), affected=affected)
        row = queries.look(session, look_id)
        plant_id, case_id = row.plant_id, row.case_id
    if request.form.get("then") == "case" and any(f.life != "dead" for f in found):
        return render.go(url_for("cases.new", plant_id=plant_id, pest=pest_id, look=look_id))
    return render.go(
        url_for("looks.suspects", look_id=look_id)
        if case_id is None
        else url_for("cases.page", case_id=case_id)
    )


@bp.post("/looks/<int:look_id>/photos")
def add_photo(look_id: int) -> Response:
    """Keep a photo."""
    file = request.files.get("photo")
    with household().store.writing() as session:
        photo_id = photos.add(
            session,
            look_id,
            (file.filename or "") if file else "",
            file.read() if file else b"",
            now=now(),
        )
    return render.go(url_for("looks.photo", photo_id=photo_id))


@bp.get("/photos/<int:photo_id>")
def photo(photo_id: int) -> Response:
    """A photo, to be given a scale and measured."""
    with household().store.reading() as session:
        found = queries.photo(session, photo_id)
        look = queries.look(session, found.look_id or 0)
        return render.page(
            "diagnosis/looks/photo.html",
            photo=found,
            look=look,
        )


@bp.get("/photos/<int:photo_id>/image.jpg")
def image(photo_id: int) -> Response:
    """The photo itself."""
    with household().store.reading() as session:
        response = make_response(queries.photo(session, photo_id).jpeg)
    response.headers["Content-Type"] = "image/jpeg"
    response.headers["Cache-Control"] = "private, max-age=86400"
    return response


@bp.post("/photos/<int:photo_id>")
def mark(photo_id: int) -> Response:
    """A mark on a photo: its scale, or the length of a body."""
    reader = Reader(request.form, speech(), today())
    ends = form.ends(reader)
    with household().store.writing() as session:
        if request.form.get("what") == "scale":
            photos.set_scale(session, photo_id, ends, form.known_mm(reader))
        else:
            photos.measure(session, catalogue(), photo_id, ends, now=now())
    return render.go(url_for("looks.photo", photo_id=photo_id))


@bp.post("/photos/<int:photo_id>/withdraw")
def withdraw(photo_id: int) -> Response:
    """Take a photo out of its look."""
    with household().store.writing() as session:
        look_id = photos.withdraw(session, photo_id, now=now())
    return render.go(url_for("looks.suspects", look_id=look_id))


@bp.get("/ruler")
def ruler() -> Response:
    """Calibrate the screen with a card."""
    return render.page("diagnosis/looks/ruler.html")
