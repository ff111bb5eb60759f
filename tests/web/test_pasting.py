"""The page on which a list of plants is pasted."""

import io

import pytest
from bs4 import BeautifulSoup

LIST = "Sage; Kitchen sill; herb\nMint\tAttic\n3 x cactus"


def _soup(answer):
    return BeautifulSoup(answer.get_data(as_text=True), "html.parser")


def _said(soup):
    form = soup.select_one("form[action='/plants/paste']")
    return {
        "list": LIST,
        "seen": form.select_one("[name=seen]")["value"],
        "place": form.select_one("[name=place]")["value"],
    }


def _send(client, **more):
    return client.post("/plants/paste", data={"form_page": "/plants/paste", **more})


def test_a_list_is_shown_before_anything_is_made(demo_client):
    shown = _soup(_send(demo_client, list=LIST, place="Box room", act="look"))
    text = " ".join(shown.get_text(" ").split())
    assert "5 plants, and as new places at 20 °C: Attic" in text
    assert "Cactus 1 to Cactus 3" in text
    assert "Sage" not in demo_client.get("/plants").get_data(as_text=True)
    kept = _send(demo_client, **_said(shown), act="keep")
    assert kept.headers["Location"] == "/plants"
    plants = demo_client.get("/plants?q=cactus").get_data(as_text=True)
    assert "Cactus 3" in plants
    places = demo_client.get("/places").get_data(as_text=True)
    assert "Attic" in places


def test_what_was_not_shown_is_not_made(demo_client):
    shown = _said(_soup(_send(demo_client, list=LIST, place="Box room", act="look")))
    again = _send(demo_client, **{**shown, "list": LIST + "\nThyme"}, act="keep")
    assert again.status_code == 200
    assert "Thyme" in again.get_data(as_text=True)
    assert "Sage" not in demo_client.get("/plants").get_data(as_text=True)


def test_forty_lines_without_a_place_make_one_sentence(demo_client):
    text = "\n".join(f"Plant {n}" for n in range(40))
    page = _soup(_send(demo_client, list=text, act="look"))
    assert page.select_one("#place-wrong").get_text().startswith("40 of the lines")
    assert page.select_one("[name=place]")["aria-invalid"] == "true"
    assert page.select_one("textarea").get_text().split() == text.split()


def test_lines_with_faults_are_told_and_everything_stays(demo_client):
    text = "Sage;Kitchen sill;cheese\nMint;Kitchen sill\n;Attic"
    page = _soup(_send(demo_client, list=text, act="keep"))
    assert page.select_one("#list-wrong").get_text().startswith("Lines 1 and 3 cannot be used")
    assert page.select_one("textarea").get_text().split() == text.split()
    assert "no kind of plant" in page.get_text()


@pytest.mark.parametrize(
    ("data", "says"), [(b"%PDF-1.7", "This is a PDF"), (b"\x00\x01", "not a text file")]
)
def test_a_file_that_is_no_list_is_refused_at_its_field(demo_client, data, says):
    page = _soup(_send(demo_client, file=(io.BytesIO(data), "plants.csv"), act="look"))
    assert says in page.select_one("#file-wrong").get_text()


def test_more_plants_than_can_be_made_at_once_are_not_cut_off(demo_client):
    text = "\n".join(["1000 x fern"] * 11)
    page = _soup(_send(demo_client, list=text, place="Box room", act="keep"))
    assert "too many at once" in page.select_one("#list-wrong").get_text()


def test_a_file_with_headings_is_read_into_the_list(demo_client):
    file = (io.BytesIO("place;name\nAttic;Crème fern\n".encode("cp1252")), "plants.csv")
    page = _soup(_send(demo_client, file=file, act="look"))
    assert "Crème fern" in page.select_one("textarea").get_text()
    assert "Attic" in page.select_one("#makes").find_parent("section").get_text()
