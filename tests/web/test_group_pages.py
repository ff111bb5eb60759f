"""Plants that stand and are treated together: their number, what is counted on some of
them, the minutes and the mix of their evening.
"""

import re

import pytest

from brood.services.cases import assemble
from brood.services.cases.effort import usual_ml
from brood.services.voice.speech import SPELLED
from brood.store.tables import PestCase

APHID = "myzus-persicae"
TODAY = "2026-06-08"


def text(answer):
    return re.sub(r"\s+", " ", answer.get_data(as_text=True))


@pytest.fixture
def store(demo_client):
    return demo_client.application.extensions["household"].store


def grown(client, number, name):
    said = {"name": name, "place": "3", "kind": "foliage", "number": number}
    answer = client.post("/plants/new", data=said)
    assert answer.status_code == 303, text(answer)[-600:]
    return int(re.search(r"/plants/(\d+)", answer.location)[1])


def opened(client, plant, **more):
    said = {
        "pest": APHID,
        "found_on": TODAY,
        "start_on": TODAY,
        "number-young": "10",
        "number-adult": "2",
        "act-shower": "1",
        "act-insecticidal-soap": "1",
        **more,
    }
    answer = client.post(f"/plants/{plant}/case", data=said)
    assert answer.status_code == 303, text(answer)[-600:]
    return int(answer.location.rsplit("/", 1)[1])


def found(store, case_id):
    with store.reading() as session:
        row = session.get(PestCase, case_id)
        counts = [assemble.expected_count(f, row.plant.number) for f in row.findings]
        return sum(counts), usual_ml(row.plant, "spray")


def test_what_is_counted_on_one_of_29_stands_for_all_and_mix_and_minutes_follow(demo_client, store):
    quiet = text(demo_client.get("/"))
    one = opened(demo_client, grown(demo_client, "1", "Lone cutting"))
    many = grown(demo_client, "29", "Cuttings")
    form = text(demo_client.get(f"/plants/{many}/case?pest={APHID}"))
    assert "Plants counted, of 29" in form
    group = opened(demo_client, many, plants="1")
    assert found(store, one) == (12, 100)
    assert found(store, group) == (12 * 29, 2900)
    page = text(demo_client.get(f"/cases/{group}"))
    assert "on 1 of 29 plants" in page
    today = text(demo_client.get("/"))
    minutes = dict(re.findall(r'class="task-plant">([^<(]+?) ?[(<].*?(\d+) min</data>', today))
    assert int(minutes["Cuttings"]) == 29 * int(minutes["Lone cutting"])
    before = re.search(r"Treat (\w+) plants? tonight", quiet)[1]
    assert f"Treat {SPELLED.index(before) + 30} plants tonight" in today


def test_a_look_at_one_of_them_sees_that_part_and_a_look_at_all_sees_all(demo_client, store):
    group = opened(demo_client, grown(demo_client, "20", "Plugs"))
    look = {"looked_on": TODAY, "seen": "some", "live-young": "3"}
    demo_client.post(f"/cases/{group}/inspect", data={**look, "plants": "1"})
    with store.reading() as session:
        row = session.get(PestCase, group)
        assert [x.share for x in assemble.looks_of(row)] == [pytest.approx(1 / 20)]
    demo_client.post(f"/cases/{group}/inspect", data={**look, "plants": "20"})
    with store.reading() as session:
        row = session.get(PestCase, group)
        assert max(x.share for x in assemble.looks_of(row)) == 1.0


def test_a_number_that_cannot_be_is_refused_at_its_field_and_one_plant_is_not_asked(demo_client):
    said = {"name": "Seedlings", "place": "3", "kind": "seedling-herb", "number": "0"}
    answer = demo_client.post("/plants/new", data=said)
    assert answer.status_code == 422
    assert 'value="0"' in text(answer)
    assert "Plants counted" not in text(demo_client.get(f"/plants/3/case?pest={APHID}"))
