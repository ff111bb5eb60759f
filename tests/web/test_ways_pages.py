"""The ways to clear a plant as a page, and taking another one."""

import re

import pytest

AUBERGINE = 1


def text(answer):
    return answer.get_data(as_text=True)


def rows(client, case=AUBERGINE):
    page = text(client.get(f"/cases/{case}/ways?now=1"))
    return re.findall(r'<h2 id="way-([a-z]+)"[^>]*>([^<]+)</h2>', page), page


def dates(client, case=AUBERGINE):
    return re.search(r'data-dates="([^"]*)"', text(client.get(f"/cases/{case}")))[1].split(",")


def test_the_page_comes_at_once_and_asks_for_the_ways_also_without_script(demo_client):
    page = text(demo_client.get(f"/cases/{AUBERGINE}/ways"))
    assert f'href="/cases/{AUBERGINE}/ways?now=1"' in page
    assert "Take it" not in page
    assert f'href="/cases/{AUBERGINE}/ways"' in text(demo_client.get(f"/cases/{AUBERGINE}"))


@pytest.mark.long
def test_another_way_is_taken_with_one_tap_and_taken_back_with_one(demo_client):
    before = dates(demo_client)
    shown, page = rows(demo_client)
    assert ("own", "Soonest over") in shown
    assert ("far", "Fewest evenings") in shown
    assert page.count("Take it") == len(shown) - 1
    answer = demo_client.post(f"/cases/{AUBERGINE}/ways", data={"way": "far"})
    assert answer.status_code == 303
    assert dates(demo_client) != before
    again, _ = rows(demo_client)
    assert ("own", "Fewest evenings") in again
    case = text(demo_client.get(f"/cases/{AUBERGINE}"))
    undo = re.search(r'<form[^>]*action="(/cases/1/ways)".*?</form>', case, re.DOTALL)
    fields = dict(re.findall(r'name="([^"]+)" value="([^"]*)"', undo[0]))
    assert fields["way"] == "usual"
    demo_client.post(undo[1], data=fields)
    assert dates(demo_client) == before


def test_the_gentlest_way_leaves_the_spray_out_and_undo_brings_it_back(demo_client):
    demo_client.post(f"/cases/{AUBERGINE}/ways", data={"way": "gentle"})
    case = text(demo_client.get(f"/cases/{AUBERGINE}"))
    assert "insecticidal soap, wait" not in case
    fields = dict(re.findall(r'name="(way|acts)" value="([^"]*)"', case))
    assert fields["acts"] == "wiping,insecticidal-soap"
    demo_client.post(f"/cases/{AUBERGINE}/ways", data=fields)
    assert "insecticidal soap, wait" in re.sub(
        r"\s+", " ", text(demo_client.get(f"/cases/{AUBERGINE}"))
    )


def test_a_way_that_there_is_not_and_a_case_without_a_course_say_so(demo_client):
    assert demo_client.post(f"/cases/{AUBERGINE}/ways", data={"way": "quickest"}).status_code == 422
    held = text(demo_client.get("/cases/9/ways?now=1"))
    assert "There is no course to compare." in held


def test_a_look_is_tried_like_a_date_and_nothing_of_it_is_recorded(demo_client):
    before = text(demo_client.get(f"/cases/{AUBERGINE}"))
    assert f"/cases/{AUBERGINE}/look?found=alive" in before
    said = {
        found: re.sub(r"\s+", " ", text(demo_client.get(f"/cases/{AUBERGINE}/look?found={found}")))
        for found in ("none", "alive")
    }
    assert "It may go back from" in said["none"]
    assert re.search(r"Treat that same evening\. Likely \d+ more evenings? \(", said["alive"])
    assert dates(demo_client) == re.search(r'data-dates="([^"]*)"', before)[1].split(",")
    over = text(demo_client.get("/cases/9/look"))
    assert "there is no look to try" in over
