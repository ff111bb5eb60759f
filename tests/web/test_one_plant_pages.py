"""Two pests on one plant: one evening, one line on Today, one volume, one record each."""

import re

import pytest
from sqlalchemy import select

from brood.store.tables import Application, PestCase

AUBERGINE = 1
WHITEFLY = "trialeurodes-vaporariorum"
FOUND = {
    "found_on": "2026-06-08",
    "start_on": "2026-06-08",
    "rough-young": "dozens",
    "number-adult": "6",
}


def text(answer):
    return re.sub(r"\s+", " ", answer.get_data(as_text=True))


@pytest.fixture
def demo_store(demo_client):
    return demo_client.application.extensions["household"].store


@pytest.fixture
def two(demo_client):
    """The id of a second case on the aubergine, which has mites."""
    acts = {"act-wiping": "1", "act-insecticidal-soap": "1"}
    answer = demo_client.post("/plants/1/case", data={"pest": WHITEFLY, **FOUND, **acts})
    assert answer.status_code == 303, text(answer)[-900:]
    return int(answer.location.rsplit("/", 1)[1])


def planned(store, case_id):
    with store.reading() as session:
        row = session.get(PestCase, case_id)
        return sorted(a.target_on for a in row.applications if a.status == "planned")


def words(store, case_id):
    """What is on record as done: days with treatments."""
    with store.reading() as session:
        slots = session.scalars(select(Application).where(Application.case_id == case_id))
        every = [r for slot in slots for r in slot.records if r.withdrawn_at is None]
        return sorted((r.done_on, tuple(sorted(r.treatments))) for r in every if r.done_on)


def test_the_second_pest_takes_over_the_evenings_of_the_first(demo_client, demo_store, two):
    first, second = planned(demo_store, AUBERGINE), planned(demo_store, two)
    assert first[0] == second[0]
    assert {*second[:3]} <= {*first}
    today = text(demo_client.get("/"))
    assert today.count("Aubergine</strong> <span") == 1
    assert "spider mites + " in today
    table = re.search(r"What you need for the evening.*?</table>", today)[0]
    assert table.count("Aubergine") == 1
    left = re.search(r"Kept away from the others</h2>.*?The whole house", today)[0]
    assert left.count("Aubergine") == 1


def test_one_tap_records_the_evening_of_both_and_one_takes_both_back(demo_client, demo_store, two):
    before = {case: words(demo_store, case) for case in (AUBERGINE, two)}
    today = text(demo_client.get("/"))
    slot = re.search(r'action="(/evenings/\d+)"><input type="hidden" name="back" value="/"', today)[
        1
    ]
    demo_client.post(slot, data={"outcome": "done", "for_all": "1", "back": "/"})
    for case in (AUBERGINE, two):
        new = [w for w in words(demo_store, case) if w not in before[case]]
        assert [on.isoformat() for on, _ in new] == ["2026-06-08"]
    demo_client.post(f"{slot}/withdraw")
    assert {case: words(demo_store, case) for case in (AUBERGINE, two)} == before


@pytest.mark.long
def test_taking_an_evening_back_leaves_another_that_was_told_in_the_same_minute(
    demo_client, demo_store, two
):
    def slot():
        with demo_store.reading() as session:
            row = session.get(PestCase, AUBERGINE)
            return min((a.target_on, a.id) for a in row.applications if a.status == "planned")[1]

    tonight = slot()
    demo_client.post(f"/evenings/{tonight}", data={"outcome": "done", "for_all": "1"})
    both = {case: words(demo_store, case) for case in (AUBERGINE, two)}
    late = slot()
    answer = demo_client.post(
        f"/evenings/{late}", data={"outcome": "done", "done_on": "2026-06-07"}
    )
    assert answer.status_code == 303
    assert len(words(demo_store, AUBERGINE)) == len(both[AUBERGINE]) + 1
    demo_client.post(f"/evenings/{late}/withdraw")
    assert {case: words(demo_store, case) for case in (AUBERGINE, two)} == both


def test_the_evenings_page_names_both_and_an_act_left_out_is_left_out_for_both(
    demo_client, demo_store, two
):
    page = text(demo_client.get(f"/cases/{AUBERGINE}/evening"))
    assert "spider mite and greenhouse whitefly" in page.lower()
    demo_client.post(
        f"/cases/{AUBERGINE}/evening",
        data={"done_on": "2026-06-08", "did-wiping": "1", "part-leaf-under": "1", "sent_key": "k1"},
    )
    last = {case: words(demo_store, case)[-1] for case in (AUBERGINE, two)}
    assert last[AUBERGINE] == last[two]
    assert last[two][1] == ("wiping",)
    # Sent again without an answer, it is on record once.
    demo_client.post(
        f"/cases/{AUBERGINE}/evening",
        data={"done_on": "2026-06-08", "did-wiping": "1", "part-leaf-under": "1", "sent_key": "k1"},
    )
    assert [w for w in words(demo_store, two) if w[0].isoformat() == "2026-06-08"] == [last[two]]


def test_the_second_goes_its_own_way_once_the_first_is_closed(demo_client, demo_store, two):
    demo_client.post(f"/cases/{AUBERGINE}/close", data={"sure": "1"})
    page = text(demo_client.get("/"))
    assert planned(demo_store, two)
    assert f'href="/cases/{two}/evening"' in page
