"""States, cutting, repotting and rain through the pages: by hand, by keys, without script."""

import re
from datetime import timedelta

import pytest
from conftest import NOW
from playwright.sync_api import expect
from serving import SIZES, visit

TODAY = NOW.date()
KOHLRABI, PEPPER, COFFEE, BED = 12, 2, 7, 6


def text(answer):
    return answer.get_data(as_text=True)


def test_the_demo_shows_what_lasts_on_plant_case_and_today(demo_client):
    plant = text(demo_client.get(f"/plants/{KOHLRABI}"))
    assert "Under netting" in plant
    assert "Look under the net and pick what is there" in plant
    case = text(demo_client.get("/cases/9"))
    assert "Under netting" in case
    assert "Today it rained" in case
    assert "feel the soil: the top must be dry" in text(demo_client.get("/"))
    assert re.search(r"2 of\s+14\s+leaves", text(demo_client.get(f"/plants/{PEPPER}")))


def test_a_state_is_begun_tended_and_ended_and_a_wrong_one_loses_nothing(demo_client):
    wrong = demo_client.post(
        f"/plants/{COFFEE}/state",
        data={
            "state": "netting",
            "since": "2026-06-08",
            "until": "2026-06-01",
            "state_note": "old",
        },
    )
    assert wrong.status_code == 422
    assert "It would end on" in text(wrong)
    assert demo_client.post(f"/plants/{COFFEE}/state", data={"state": "lasso"}).status_code == 422
    begun = demo_client.post(f"/plants/{COFFEE}/state", data={"state": "repellent"})
    assert begun.status_code == 303
    page = text(demo_client.get(f"/plants/{COFFEE}"))
    assert "Repellent on" in page
    (number,) = re.findall(r'states/(\d+)/end">\s*<button[^>]*It ends today: repellent on', page)
    for act in ("care", "lengthen", "end", "end", "withdraw"):
        assert demo_client.post(f"/plants/states/{number}/{act}").status_code == 303
    assert "Repellent on" not in text(demo_client.get(f"/plants/{COFFEE}"))
    assert demo_client.post("/plants/states/999/end").status_code == 404


def test_cutting_by_the_page_asks_twice_and_says_what_was_cut(demo_client):
    said = {"kind": "cut", "on": TODAY.isoformat(), "leaves": "12", "of_leaves": "18"}
    once = demo_client.post(f"/plants/{COFFEE}/event", data=said)
    assert once.status_code == 422
    assert "more than a third" in text(once)
    assert 'value="12"' in text(once), "what was typed stays"
    address = f"/plants/{COFFEE}/event"
    assert demo_client.post(address, data={**said, "leaves": "30"}).status_code == 422
    assert demo_client.post(address, data={**said, "sure": "1"}).status_code == 303
    page = text(demo_client.get(f"/plants/{COFFEE}"))
    assert re.search(r"cut back,\s+12 of\s+18\s+leaves", page)


@pytest.mark.long
def test_rain_is_told_with_a_tap_a_field_or_the_diary_and_taken_back(demo_client):
    assert (
        demo_client.post(f"/places/{BED}/rain", data={"how": "hard", "case": "9"})
        .headers["Location"]
        .endswith("/cases/9")
    )
    assert "15 mm of rain since the last evening" in text(demo_client.get("/cases/9"))
    for amount in ("-3", "900", "wet"):
        bad = demo_client.post(f"/places/{BED}/rain", data={"mm": amount})
        assert bad.status_code == 422, amount
    day = (TODAY - timedelta(days=1)).isoformat()
    assert demo_client.post(f"/places/{BED}/rain", data={"on": day, "mm": "4,5"}).status_code == 303
    page = text(demo_client.get(f"/places/{BED}"))
    assert "Sun 7 4 mm of rain" in page or "Sun 7 5 mm of rain" in page
    demo_client.post(f"/places/{BED}/rain", data={"on": day, "how": "forget"})
    assert "Sun 7 4 mm" not in text(demo_client.get(f"/places/{BED}"))
    assert demo_client.post("/places/99/rain", data={"how": "hard"}).status_code == 404


@pytest.mark.long
@pytest.mark.parametrize("size", SIZES)
def test_an_ant_band_goes_on_and_a_cut_is_told_by_touch(browser, demo_site, size):
    page = visit(browser, demo_site, viewport=SIZES[size])
    page.goto(f"/plants/{PEPPER}")
    page.get_by_text("Bare roots, a net, a card, a repellent, ants").click()
    form = page.locator(f"form[action='/plants/{PEPPER}/state']")
    form.locator("select[name=state]").select_option("ant-band")
    form.get_by_role("button", name="Keep").click()
    expect(page.locator("#states")).to_contain_text("Ant band on")
    form = page.locator(f"form[action='/plants/{PEPPER}/event']")
    form.locator("[name=kind]").select_option("cut")
    leaves = {"laptop": "9", "phone": "10"}[size]
    form.locator("[name=leaves]").fill(leaves)
    form.locator("[name=of_leaves]").fill("14")
    form.get_by_role("button", name="Keep").click()
    expect(page.get_by_text("is more than a third")).to_be_visible()
    expect(form.locator("[name=leaves]")).to_have_value(leaves)
    form.locator("[name=sure]").check()
    form.get_by_role("button", name="Keep").click()
    expect(page.get_by_text(f"{leaves} of 14")).to_be_visible()
    assert page.faults == []


def test_outdoors_a_course_against_what_flies_in_protects_one_brood_and_keeps_nothing_apart(
    demo_client,
):
    page = re.sub(r"\s+", " ", demo_client.get("/cases/8").get_data(as_text=True))
    assert "Protects the plant until the harvest, one brood at a time" in page
    assert "When this brood is over" in page
    today = re.sub(r"\s+", " ", demo_client.get("/").get_data(as_text=True))
    left = re.search(r"Kept away from the others</h2>.*?The whole house", today)[0]
    assert "Pak choi" not in left
    assert "Calamondin" in left
    indoors = demo_client.get("/cases/1").get_data(as_text=True)
    assert "one brood at a time" not in indoors
