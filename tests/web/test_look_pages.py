"""The pages of a look without a browser: every form works by post and redirect, bad
input is told, nothing is lost.
"""

import io
import re
from datetime import timedelta

import pytest
from PIL import Image

from brood.charts.diagnosis import loupe as loupe_chart
from brood.charts.diagnosis import plate
from brood.services.diagnosis import look_page, loupe
from brood.services.voice.speech import Speech
from brood.store.tables import Plant

PEPPER = 2


def html(client, path):
    return client.get(path).get_data(as_text=True)


def said(client, look, observation):
    found = re.findall(
        rf'id="b-{observation}-(\w+)"[^>]*aria-pressed="true"',
        html(client, f"/looks/{look}/every?theme={theme(observation)}"),
    )
    return found[0] if found else None


def theme(observation):
    return {
        "web": "residue",
        "sti": "damage",
        "bum": "creature",
        "dis": "creature",
        "siz": "size",
    }[observation[:3]]


@pytest.fixture
def look(demo_client):
    """An empty look at the sweet pepper."""
    where = demo_client.post(f"/plants/{PEPPER}/look").headers["Location"]
    return int(where.split("/looks/")[1].split("/")[0])


def post(client, look, observation, answer, **more):
    return client.post(
        f"/looks/{look}/answers", data={"observation": observation, "said": answer, **more}
    )


@pytest.mark.long
def test_an_answer_leads_back_to_its_question_and_can_be_taken_back(demo_client, look):
    answer = post(demo_client, look, "web-fine", "yes", view="page", zone="tip")
    assert answer.headers["Location"] == f"/looks/{look}?zone=tip#q-web-fine"
    assert said(demo_client, look, "web-fine") == "yes"
    post(demo_client, look, "web-fine", "no unsure")
    assert said(demo_client, look, "web-fine") == "no"
    assert "counts half" in html(demo_client, f"/looks/{look}/every?theme=residue")
    post(demo_client, look, "web-fine", "")
    assert said(demo_client, look, "web-fine") == "out"
    log = html(demo_client, f"/looks/{look}/suspects")
    assert "Evidence log (2)" in log
    assert log.count("withdrawn.") == 2


@pytest.mark.parametrize(
    ("observation", "answer"),
    [("no-such", "yes"), ("web-fine", "perhaps"), ("", "yes"), ("<script>alert(1)</script>", "no")],
)
def test_an_impossible_answer_is_refused(demo_client, look, observation, answer):
    refused = post(demo_client, look, observation, answer)
    assert refused.status_code == 422
    assert "<script>alert" not in refused.get_data(as_text=True)


def test_old_damage_is_an_answer_for_marks_only(demo_client, look):
    page = html(demo_client, f"/looks/{look}?zone=upper")
    assert 'id="b-stipple-pale-dots-old"' in page
    assert 'id="b-sticky-plant-old"' not in page
    post(demo_client, look, "stipple-pale-dots", "old")
    assert said(demo_client, look, "stipple-pale-dots") == "old"


def test_a_check_is_answered_by_one_choice_or_by_none_of_them(demo_client, look):
    options = ["bump-flat-oval-brown", "bump-smooth-dome", "disc-thin-round-pale"]
    demo_client.post(
        f"/looks/{look}/choice",
        data={"option": options, "chosen": "bump-smooth-dome", "view": "suspects"},
    )
    assert said(demo_client, look, "bump-smooth-dome") == "yes"
    assert said(demo_client, look, "bump-flat-oval-brown") == "out"
    demo_client.post(
        f"/looks/{look}/choice", data={"option": options, "none": "1", "view": "suspects"}
    )
    assert {said(demo_client, look, o) for o in options} == {"no"}
    page = html(demo_client, f"/looks/{look}/suspects")
    given = re.search(r'name="given" value="([^"]+)"', page)[1]
    demo_client.post(f"/looks/{look}/undo", data={"given": given, "undo": "1"})
    assert said(demo_client, look, "bump-smooth-dome") == "yes"
    nothing = demo_client.post(f"/looks/{look}/choice", data={"option": options})
    assert nothing.status_code == 422
    assert demo_client.post(f"/looks/{look}/undo", data={"given": "x"}).status_code == 422


@pytest.mark.long
def test_a_check_that_takes_days_is_begun_now_and_asked_on_its_day(demo_client, look, clock):
    options = ["tape-ring-dots"]
    begun = demo_client.post(
        f"/looks/{look}/later", data={"option": options, "view": "suspects"}, follow_redirects=True
    ).get_data(as_text=True)
    assert "It is asked for on Thu 11 June." in begun
    assert "Begun, and asked for later" in begun
    assert "Look at the tape" not in html(demo_client, "/")
    clock.now += timedelta(days=3)
    assert f"/looks/{look}/suspects?check=tape-ring-dots#check" in html(demo_client, "/")
    page = html(demo_client, f"/looks/{look}/suspects?check=tape-ring-dots")
    assert "Sticky tape round twig: tiny crawling dots caught?" in page
    demo_client.post(
        f"/looks/{look}/choice", data={"option": options, "none": "1", "view": "suspects"}
    )
    assert f"/looks/{look}/suspects?check=tape-ring-dots" not in html(demo_client, "/")
    assert demo_client.post(f"/looks/{look}/later", data={"option": "web-fine"}).status_code == 422
    assert demo_client.post(f"/looks/{look}/later", data={}).status_code == 422


def test_tools_and_the_looker_are_kept_and_htmx_gets_a_part(demo_client, look):
    demo_client.post(
        f"/looks/{look}/tools",
        data={"tool": ["phone", "sledge-hammer"], "looker": "<b>Somebody</b>", "view": "suspects"},
    )
    page = html(demo_client, f"/looks/{look}/suspects")
    assert 'value="phone" checked' in page
    assert "<b>Somebody" not in page
    part = demo_client.post(
        f"/looks/{look}/answers",
        data={"observation": "web-fine", "said": "yes"},
        headers={"HX-Request": "true"},
    )
    assert part.status_code == 200
    assert "<html" not in part.get_data(as_text=True)


def test_stages_are_needed_and_what_was_typed_stays(demo_client):
    path = "/looks/1/loupe/coccus-hesperidum"
    empty = demo_client.post(path, data={"share": "25", "then": "case"})
    assert empty.status_code == 422
    assert "Say what you see" in empty.get_data(as_text=True)
    wrong = demo_client.post(
        path, data={"share": "25", "number-adult": "-3", "rough-young": "dozens"}
    )
    assert wrong.status_code == 422
    assert 'value="-3"' in wrong.get_data(as_text=True)
    good = demo_client.post(
        path,
        data={
            "share": "25",
            "number-adult": "3",
            "life-adult": "alive",
            "clue-adult": "holds",
            "then": "case",
        },
    )
    form = html(demo_client, good.headers["Location"])
    assert 'name="number-adult" value="12"' in form
    assert 'name="look" value="1"' in form
    dead = demo_client.post(
        path, data={"share": "", "number-adult": "3", "life-adult": "dead", "then": "case"}
    )
    assert dead.headers["Location"].endswith("/suspects"), "dead shells open no case"


@pytest.mark.long
def test_opening_the_case_closes_the_look_and_the_case_can_be_asked_again(demo_client):
    data = {
        "pest": "coccus-hesperidum",
        "found_on": "2026-06-08",
        "start_on": "2026-06-08",
        "number-adult": "12",
        "act-wiping": "1",
        "look": "1",
    }
    case = demo_client.post("/plants/13/case", data=data).headers["Location"]
    assert "closed" in html(demo_client, "/plants/13")
    again = demo_client.post(f"{case}/look").headers["Location"]
    assert again != "/looks/1/suspects"
    assert "from the look of 2026-06-08" in html(demo_client, again)


def test_nothing_to_treat_closes_the_look(demo_client):
    assert "Nothing to treat: dry air or tip burn" in html(demo_client, "/looks/2/suspects")
    assert demo_client.post("/looks/2/close").headers["Location"] == "/plants/6"
    assert demo_client.post("/plants/6/look").headers["Location"] != "/looks/2"


def jpeg():
    out = io.BytesIO()
    Image.new("RGB", (800, 600), "green").save(out, "PNG")
    return out.getvalue()


def test_a_photo_is_added_scaled_measured_and_taken_out(demo_client, look):
    where = demo_client.post(
        f"/looks/{look}/photos", data={"photo": (io.BytesIO(jpeg()), "a.png")}
    ).headers["Location"]
    assert demo_client.get(f"{where}/image.jpg").get_data()[:2] == b"\xff\xd8"
    line = {"x1": "100", "y1": "50", "x2": "300", "y2": "50"}
    assert demo_client.post(where, data={**line, "what": "length"}).status_code == 422
    assert demo_client.post(where, data={**line, "what": "scale", "length": "0"}).status_code == 422
    assert (
        demo_client.post(where, data={**line, "what": "scale", "length": "10"}).status_code == 303
    )
    assert (
        demo_client.post(
            where, data={"x1": "1", "y1": "1", "x2": "x", "y2": "1", "what": "length"}
        ).status_code
        == 422
    )
    demo_client.post(where, data={"x1": "0", "y1": "0", "x2": "0", "y2": "30", "what": "length"})
    assert "1.5 mm" in html(demo_client, where)
    demo_client.post(where, data={"x1": "0", "y1": "0", "x2": "0", "y2": "60", "what": "length"})
    both = [said(demo_client, look, size) for size in ("size-1-to-2", "size-2-to-4")]
    assert both == ["yes", "yes"], "a second body does not erase the first"
    demo_client.post(f"{where}/withdraw")
    assert demo_client.get(where).status_code == 404


@pytest.mark.parametrize("data", [b"", b"%PDF-1.4", jpeg()[:60]], ids=["empty", "pdf", "cut"])
def test_what_is_no_photo_is_refused_on_the_page(demo_client, look, data):
    answer = demo_client.post(
        f"/looks/{look}/photos",
        data={"photo": (io.BytesIO(data), "a.jpg"), "form_page": f"/looks/{look}/suspects"},
    )
    assert answer.status_code == 422
    assert 'class="wrong"' in answer.get_data(as_text=True)


@pytest.mark.parametrize("build", sorted(plate.BUILDS))
def test_every_zone_of_a_build_has_its_pin_on_the_drawing(demo_store, catalogue, build, clock):
    with demo_store.writing() as session:
        session.get(Plant, 13).build = build
        result = look_page.build(session, catalogue, 1, "", now=clock(), hemisphere="north")
        svg = plate.draw(result, "/looks/1")
    assert (
        svg.count('class="pin ') == len(result.zones) == len(catalogue.evidence.walk.build[build])
    )
    assert svg.count('aria-current="true"') == 1
    assert len(svg) < 40_000
    assert "style=" not in svg


def test_every_pest_fits_under_the_loupe_and_on_the_ruler(demo_store, catalogue, clock):
    with demo_store.reading() as session:
        for pest, record in catalogue.records.items():
            shown = loupe.build(session, catalogue, 1, pest, now=clock())
            assert len({s.drawing for s in shown.stages}) == len(shown.stages) <= 5
            assert 'role="img"' in loupe_chart.magnified(shown, Speech())
            ruler = loupe_chart.life_size(shown, Speech())
            assert float(re.search(r'data-mm="(\d+)"', ruler)[1]) == loupe_chart.RULER_MM + 6
            largest = max(s.middle_mm for s in shown.stages)
            assert largest == pytest.approx(
                max(sum(s.length_mm) / 2 for s in record.stage), rel=0.5
            )
