"""What a household must tell before anything is mixed or sprayed."""

import re
from html import unescape

import pytest
from conftest import MITE, NOW, tell_before_mixing

TODAY = NOW.date().isoformat()


def text(answer):
    return unescape(re.sub(r"\s+", " ", re.sub(r"<[^>]*>", " ", answer.get_data(as_text=True))))


@pytest.fixture
def opened(client):
    """Opens a case with these treatments in a household that has told nothing: its number."""

    def case(*acts):
        place = {"name": "Sill", "day": "22", "night": "19"}
        place |= {"day_from": "07:00", "night_from": "22:00"}
        assert client.post("/places/new", data=place).status_code == 303
        plant = {"name": "Basil", "kind": "foliage", "place": "1", "since": TODAY}
        assert client.post("/plants/new", data=plant).status_code == 303
        data = {"pest": MITE, "found_on": TODAY, "start_on": TODAY, "rough-adult": "dozens"}
        data |= {f"act-{act}": "1" for act in acts}
        answer = client.post("/plants/1/case", data=data)
        assert answer.status_code == 303, text(answer)
        return int(answer.location.rsplit("/", 1)[1])

    return case


def starts(answer):
    """Whether the walk of the evening is on the page."""
    return 'name="sent_key"' in answer.get_data(as_text=True)


def test_a_mix_starts_only_when_everything_is_told(client, opened):
    case = opened("wiping", "insecticidal-soap")
    page = client.get(f"/cases/{case}/evening")
    assert not starts(page)
    for asked in ("Who lives with you?", "eaten?", "in flower?", "What the label says"):
        assert asked in text(page)
    assert "Before you mix" in text(client.get(f"/mix?case={case}"))
    refused = client.post(f"/cases/{case}/before", data={"eaten": "no", "flowers": "no"})
    assert refused.status_code == 422
    assert "Tick who lives with you" in text(refused)
    assert "Read every label first" in text(refused)
    assert not starts(client.get(f"/cases/{case}/evening"))
    assert starts(tell_before_mixing(client, case, flowers="yes"))
    assert "Before you mix" not in text(client.get(f"/mix?case={case}"))
    assert re.search(
        r'value="in-flower"[^>]*checked|in-flower"[^>]*checked', client.get("/plants/1/edit").text
    )


def test_work_by_hand_needs_nothing_told(client, opened):
    assert starts(client.get(f"/cases/{opened('wiping')}/evening"))


@pytest.mark.long
def test_a_new_treatment_asks_for_its_own_label_alone(client, opened):
    case = opened("wiping", "insecticidal-soap")
    tell_before_mixing(client, case)
    client.post(f"/cases/{case}/means", data={"act-wiping": "1", "act-paraffinic-oil": "1"})
    page = client.get(f"/cases/{case}/evening")
    assert not starts(page)
    assert "Who lives with you?" not in text(page)
    assert re.findall(r'name="label-([^"]+)"', page.text) == ["paraffinic-oil"]


def test_what_is_eaten_gets_no_home_mix_that_evening(client, opened):
    case = opened("wiping", "alcohol-spray")
    page = tell_before_mixing(client, case, eaten="yes")
    assert starts(page)
    assert "No alcohol and soap spray now" in text(page)
    assert "did-alcohol-spray" not in page.text


def test_an_evening_that_was_done_can_be_marked_without_answers(client, opened):
    case = opened("wiping", "insecticidal-soap")
    done = {"sent_key": "1", "did-wiping": "1", "did-insecticidal-soap": "1"}
    assert client.post(f"/cases/{case}/evening", data=done).status_code == 303
