"""Means, shelf, mix, household, test leaves and evenings as pages: what is refused,
kept, and what follows.
"""

import re
from datetime import date, datetime, time, timedelta
from itertools import pairwise

import pytest
from conftest import MITE, NOW

from brood.catalogue.loader import shipped
from brood.services.cases import effort
from brood.services.voice.speech import Speech
from brood.store.queries import cases as queries

COFFEE, AUBERGINE = 6, 1
"""Case ids in the demo household."""
TODAY = NOW.date()
SAID = Speech()


def text(answer):
    return answer.get_data(as_text=True)


def means(client, case, *acts, **more):
    return client.post(f"/cases/{case}/means", data={**{f"act-{a}": "1" for a in acts}, **more})


def figures(client, case):
    pattern = (
        r'<tr><th scope="row">(with|without) ([^<]+?)(?: <span.*?</span>)?</th> <td '
        r'class="n" data-label="evenings">([\d–]+)</td> '
        r'<td class="n whitespace-nowrap" data-label="clear">([^<]+)</td>'
    )
    rows = re.findall(pattern, text(client.get(f"/cases/{case}/means/figures")))
    return {f"{way} {name}": (int(n) if n != "–" else 0, clear) for way, name, n, clear in rows}


@pytest.mark.long
def test_long_tailed_mealybugs_on_coffee_take_swab_and_spray_and_fewer_evenings(demo_client):
    rows = figures(demo_client, COFFEE)
    now = int(
        re.search(
            r"As chosen now:</strong> ?<data[^>]*>(\d+) evenings",
            text(demo_client.get(f"/cases/{COFFEE}/means/figures")),
        )[1]
    )
    assert rows["without alcohol swab"][0] > now
    assert rows["without insecticidal soap"][0] > now
    assert means(demo_client, COFFEE, "insecticidal-soap").status_code == 303
    alone = re.findall(r'data-dates="([^"]*)"', text(demo_client.get(f"/cases/{COFFEE}")))[0].split(
        ","
    )
    means(demo_client, COFFEE, "insecticidal-soap", "alcohol-swab")
    both = re.findall(r'data-dates="([^"]*)"', text(demo_client.get(f"/cases/{COFFEE}")))[0].split(
        ","
    )
    assert len(both) < len(alone)


@pytest.mark.long
def test_treatments_that_are_not_offered_are_refused_by_every_form(demo_client):
    demo_client.post(
        "/shelf/new",
        data={
            "name": "A strong one",
            "holds": "product:permethrin",
            "allowed-indoor": "1",
            "allowed-outdoor": "1",
        },
    )
    page = text(demo_client.get(f"/cases/{COFFEE}/means"))
    assert "Can kill cats" in page
    assert 'name="act-permethrin"' not in page
    answer = means(demo_client, COFFEE, "permethrin")
    assert answer.status_code == 422
    assert "Can kill cats" in text(answer)
    found = {
        "pest": MITE,
        "found_on": TODAY.isoformat(),
        "start_on": TODAY.isoformat(),
        "number-adult": "4",
    }
    opened = demo_client.post("/plants/6/case", data={**found, "act-permethrin": "1"})
    assert opened.status_code == 422
    assert "Can kill cats" in text(opened)
    demo_client.post("/household", data={"living-dogs": "1"})
    assert 'name="act-permethrin"' in text(demo_client.get(f"/cases/{COFFEE}/means")), (
        "without a cat it is offered, for its label allows it"
    )
    assert means(demo_client, 5, "diatomaceous-earth", "bti-drench").status_code == 422
    assert means(demo_client, COFFEE).status_code == 422


@pytest.mark.long
def test_what_a_treatment_did_still_counts_after_it_is_given_up(demo_client):
    """Soap was used twice on the aubergine; given up, it is planned no more, yet the
    animals it caught stay caught.
    """
    before = text(demo_client.get(f"/cases/{AUBERGINE}"))
    means(demo_client, AUBERGINE, "wiping", test_patch="")
    after = text(demo_client.get(f"/cases/{AUBERGINE}"))
    alive = [
        re.search(r'eggs</span> <span class="figure">([^<]+)', page)[1] for page in (before, after)
    ]
    assert alive[0] == alive[1]
    assert [what for _, state, what in evenings(after) if state == "next"] == ["wiping"]
    means(demo_client, AUBERGINE, "wiping", "insecticidal-soap")
    assert "insecticidal soap" in text(demo_client.get(f"/cases/{AUBERGINE}"))


def test_cutting_the_worst_leaves_shows_its_effect_and_bad_numbers_are_refused(demo_client):
    said = text(demo_client.get(f"/cases/{AUBERGINE}/means/cut?worst=4&leaves=20"))
    assert "Cutting the 4 worst leaves of 20 takes about 36 in 100" in said
    refused = {
        "worst=9&leaves=4": "no more than have the pest",
        "worst=x&leaves=4": "must be a number",
        "worst=0&leaves=4": "must lie between",
    }
    for bad, words in refused.items():
        answer = demo_client.get(f"/cases/{AUBERGINE}/means/cut?{bad}")
        assert answer.status_code == 422
        assert words in text(answer)


@pytest.mark.long
def test_the_soil_is_treated_where_a_stage_lives_and_left_where_none_does(demo_client):
    assert "No stage of it lives in the soil" in text(
        demo_client.get(f"/cases/{AUBERGINE}/means/figures")
    )
    assert "sit in the soil, where no leaf spray reaches" in text(
        demo_client.get("/cases/3/means/figures")
    )


FORBIDDEN = [
    ({"treatment": "peroxide-drench", "extra": "vinegar"}, "peracetic"),
    ({"treatment": "insecticidal-soap", "extra": "tobacco"}, "Nicotine"),
    ({"treatment": "paraffinic-oil", "extra": "sulphur"}, "30 days"),
    ({"treatment": "insecticidal-soap", "extra": "bleach"}, "poisonous gas"),
    (
        {"treatment": "insecticidal-soap", "extra": "essential-oil", "extra_percent": "0.05"},
        "poison cats",
    ),
    ({"treatment": "neem-oil", "stock": "clarified-neem", "percent": "70"}, "label of the extract"),
    ({"treatment": "alcohol-spray", "use": "drench"}, "kills roots"),
    ({"treatment": "neem-oil", "amount": "0"}, "more than 0"),
    ({"treatment": "alcohol-swab", "percent": "60"}, "60 % undiluted is the most"),
    ({"treatment": "insecticidal-soap", "case": str(AUBERGINE), "stock": ""}, "no home mix"),
    ({"treatment": "neem-oil", "amount": "much"}, "must be a number"),
    ({"treatment": "spinosad", "stock": ""}, "no home mix"),
    ({"treatment": "neem-oil", "amount_unit": "bucket"}, "measure from the list"),
    ({"treatment": "alcohol-spray", "strength": "30"}, "injures the plant"),
]


def test_a_forbidden_mix_is_refused_by_the_form_by_the_page_and_on_the_label(demo_client):
    for form, words in FORBIDDEN:
        sent = {"amount": "500", "amount_unit": "ml", "stock": "", **form}
        answer = demo_client.post("/mix", data=sent)
        assert answer.status_code == 422, form
        assert words in text(answer), form
        assert words in text(demo_client.get("/mix", query_string=sent)), form
        assert demo_client.get("/mix/label", query_string=sent).status_code in (404, 422), form


def test_a_mix_comes_from_the_shelf_by_the_label_and_in_the_keepers_measures(demo_client):
    page = text(demo_client.get("/mix?treatment=alcohol-spray&amount=1.5&amount_unit=l"))
    assert "321 ml" in page
    assert "Brown bottle" in page
    eaten = text(demo_client.get(f"/mix?case={AUBERGINE}"))
    assert "By the label's rate, 2 % in the end" in eaten
    label = text(demo_client.get("/mix/label?treatment=alcohol-spray&amount=500"))
    assert f"Throw it away on {SAID.day(TODAY + timedelta(days=30))}" in label
    assert "Use it today" in text(
        demo_client.get("/mix/label?treatment=insecticidal-soap&amount=500")
    )
    demo_client.post("/settings", data={"measure": "us"})
    assert "fl oz" in text(
        demo_client.get("/mix?treatment=alcohol-spray&amount=16&amount_unit=fl+oz")
    )


def test_a_bottle_is_put_on_the_shelf_corrected_and_taken_away(demo_client):
    bottle = {
        "name": "White bottle",
        "holds": "stuff:ethanol",
        "percent": "96",
        "size": "16",
        "size_unit": "fl oz",
        "expires_on": "2026-06-01",
    }
    assert demo_client.post("/shelf/new", data=bottle).status_code == 303
    page = text(demo_client.get("/shelf"))
    assert "Past its date" in page
    number = re.search(r"White bottle.*?/shelf/(\d+)", page, re.S)[1]
    assert "473.176" in text(demo_client.get(f"/shelf/{number}"))
    demo_client.post(f"/shelf/{number}", data={**bottle, "percent": "70", "expires_on": ""})
    assert "Past its date" not in text(demo_client.get("/shelf"))
    assert demo_client.get(f"/shelf/{number}").status_code == 404, "a correction is another row"
    newest = re.search(r"White bottle.*?/shelf/(\d+)", text(demo_client.get("/shelf")), re.S)[1]
    demo_client.post(f"/shelf/{newest}", data={"act": "away"})
    assert "White bottle" not in text(demo_client.get("/shelf"))
    for bad, words in (
        ({"name": ""}, "missing"),
        ({"holds": "stuff:gold"}, "Choose what is in it"),
        ({"percent": "140"}, "must lie between"),
        ({"size": "-3"}, "must lie between"),
        ({"harvest_days": "x", "holds": "product:btk"}, "must be a number"),
    ):
        answer = demo_client.post("/shelf/new", data={**bottle, **bad})
        assert answer.status_code == 422
        assert words in text(answer)


def test_who_lives_here_is_kept_and_shown(demo_client):
    page = text(demo_client.get("/household"))
    assert re.search(r'name="living-cats" value="1" checked', page)
    demo_client.post(
        "/household",
        data={"living-birds": "1", "at-6-birds": "1", "region": "Ask the municipality."},
    )
    page = text(demo_client.get("/household"))
    assert re.search(r'name="at-6-birds" value="1" checked', page)
    assert "Ask the municipality." in page
    assert "Cage birds" in text(demo_client.get("/shelf"))
    assert demo_client.post("/household", data={"region": "x" * 400}).status_code == 422


def start_patched(client):
    means(client, COFFEE, "wiping", "paraffinic-oil", test_patch="1")
    return text(client.get(f"/cases/{COFFEE}"))


def evenings(page):
    """The evenings in the list of dates: day, how it stands, what is done."""
    row = (
        r'whitespace-nowrap"><time[^>]*>([^<]+)</time></th>\s*<td class="[^"]*">\s*([^<]+?)\s*</td>'
        r'.*?data-label="what">\s*(?:<span class="sr-only">)?([^<]+?)\s*<'
    )
    return re.findall(row, page, re.S)


def planned(page):
    return [what for _, _, what in evenings(page)]


@pytest.mark.long
def test_a_spray_waits_for_its_test_leaves_and_hand_work_does_not(demo_client, clock):
    page = start_patched(demo_client)
    assert "Not tested yet" in page
    assert (
        demo_client.post(
            f"/cases/{COFFEE}/patch", data={"treatment": "paraffinic-oil", "leaf": ""}
        ).status_code
        == 422
    )
    assert (
        demo_client.post(
            f"/cases/{COFFEE}/patch", data={"treatment": "wiping", "leaf": "one"}
        ).status_code
        == 422
    )
    demo_client.post(
        f"/cases/{COFFEE}/patch", data={"treatment": "paraffinic-oil", "leaf": "the two lowest"}
    )
    page = text(demo_client.get(f"/cases/{COFFEE}"))
    assert f"Look again <strong>{SAID.moment(NOW + timedelta(hours=48))}" in page
    number = re.search(r"/patches/(\d+)", page)[1]
    early = demo_client.post(f"/patches/{number}", data={"outcome": "fine"})
    assert early.status_code == 422
    assert "48 hours after" in text(early)
    sprays = [when for when, _, what in evenings(page) if "oil" in what]
    assert sprays
    assert all(
        SAID.day(TODAY) not in when and SAID.day(TODAY + timedelta(days=1)) not in when
        for when in sprays
    )
    clock.now = NOW + timedelta(hours=49)
    assert "the 48 hours are over" in text(demo_client.get(f"/cases/{COFFEE}"))
    demo_client.post(f"/patches/{number}", data={"outcome": "fine"})
    page = text(demo_client.get(f"/cases/{COFFEE}"))
    assert "Test leaves first" not in page
    assert any("oil" in what for what in planned(page))


@pytest.mark.long
def test_what_marks_its_test_leaves_is_left_out_of_the_plan(demo_client):
    start_patched(demo_client)
    demo_client.post(
        f"/cases/{COFFEE}/patch", data={"treatment": "paraffinic-oil", "leaf": "the two lowest"}
    )
    number = re.search(r"/patches/(\d+)", text(demo_client.get(f"/cases/{COFFEE}")))[1]
    demo_client.post(f"/patches/{number}", data={"outcome": "marked", "note": "pale spots"})
    page = text(demo_client.get(f"/cases/{COFFEE}"))
    assert "It marked the two lowest: pale spots" in page
    coming = [what for _, state, what in evenings(page) if state in ("next", "set", "spare")]
    assert coming
    assert not any("oil" in what for what in coming)
    assert demo_client.post("/patches/999", data={"outcome": "fine"}).status_code == 404


EVENING = {
    "did-wiping": "1",
    "did-insecticidal-soap": "1",
    "sent_key": "k1",
    "took": "80",
    "took_unit": "ml",
    "live-young": "3",
    "dead-young": "12",
}


@pytest.mark.long
def test_an_evening_that_missed_the_undersides_counts_for_less(demo_client, clock):
    """The same evening with every part done, and with the tops alone: the second leaves
    more alive and needs no fewer evenings.
    """
    page = text(demo_client.get(f"/cases/{AUBERGINE}/evening"))
    parts = re.findall(r'name="(part-[a-z]+)"', page)
    assert {"part-undersides", "part-veins", "part-tops"} <= set(parts)
    assert "most sit here" in page
    before = text(demo_client.get(f"/cases/{AUBERGINE}"))
    demo_client.post(f"/cases/{AUBERGINE}/evening", data={**EVENING, "part-tops": "1"})
    poor = text(demo_client.get(f"/cases/{AUBERGINE}"))
    assert len(planned(poor)) >= len(planned(before))
    number = re.search(r"/evenings/(\d+)/withdraw", poor)
    assert number is None or number
    store = demo_client.application.extensions["household"].store
    from brood.store.queries import cases as queries

    with store.reading() as session:
        row = queries.case(session, AUBERGINE)
        record = next(r for a in row.applications for r in a.records if r.sent_key == "k1")
        assert record.parts == ["tops"]
        assert "undersides" in record.missed
        assert record.reach == pytest.approx(0.9 * 0.1, abs=0.02)
        assert record.tally == [{"stage": "young", "live": 3, "dead": 12}]
        assert record.mix_ml == 80
        assert effort.mix_ml(shipped(), row.plant, "insecticidal-soap") == 80
        assert effort.mix_ml(shipped(), row.plant, "axil-brush") == 20


def test_an_evening_sent_twice_counts_once_and_a_bad_one_keeps_what_was_typed(demo_client):
    before = len(planned(text(demo_client.get(f"/cases/{AUBERGINE}"))))
    bad = demo_client.post(
        f"/cases/{AUBERGINE}/evening",
        data={**EVENING, "live-young": "many", "note": "by torch light"},
    )
    assert bad.status_code == 422
    assert 'value="by torch light"' in text(bad)
    assert 'value="many"' in text(bad)
    assert (
        demo_client.post(f"/cases/{AUBERGINE}/evening", data={"sent_key": "k2"}).status_code == 422
    )
    for _ in range(3):
        assert demo_client.post(f"/cases/{AUBERGINE}/evening", data=EVENING).status_code == 303
    page = text(demo_client.get(f"/cases/{AUBERGINE}"))
    assert [state for _, state, _ in evenings(page)].count("done") == 3, (
        "two of the demo, and this one"
    )
    assert before


@pytest.mark.long
def test_after_care_comes_on_its_dates_and_is_ticked_off(demo_client, clock):
    demo_client.post(f"/cases/{AUBERGINE}/evening", data=EVENING)
    page = text(demo_client.get(f"/cases/{AUBERGINE}"))
    coming = re.search(r'id="after".*?</ul>', page, re.S)[0]
    assert "Back into light" in coming
    assert SAID.moment(datetime.combine(TODAY + timedelta(days=1), time(19))) in coming
    clock.now = datetime.combine(TODAY + timedelta(days=1), time(20))
    assert "Now: " in text(demo_client.get("/plants"))
    page = text(demo_client.get(f"/cases/{AUBERGINE}"))
    assert "due now" in re.search(r"Back into light.*?</li>", page, re.S)[0]
    for number in re.findall(r'action="/tasks/(\d+)"', page):
        demo_client.post(f"/tasks/{number}")
    assert "After the evening" not in text(demo_client.get(f"/cases/{AUBERGINE}"))
    assert demo_client.post("/tasks/999").status_code == 404


@pytest.mark.long
def test_a_basil_tray_is_drenched_again_and_again_with_a_card_as_a_gauge(demo_client):
    means(demo_client, 5, "bti-drench", "sticky-cards")
    page = text(demo_client.get("/cases/5"))
    days = [date.fromisoformat(d) for d in re.findall(r'data-dates="([^"]+)"', page)[0].split(",")]
    assert len(days) >= 2
    assert all((b - a).days >= 5 for a, b in pairwise(days))
    assert "gnat bacterium drench" in page
    offered = text(demo_client.get("/cases/5/means"))
    assert 'name="act-soil-drying"' in offered, "watered from below even a tray bears it"
    assert "It works only in dry soil" in offered
    demo_client.post("/cases/5/evening", data={"did-sticky-cards": "1"})
    assert "Count the card." in text(demo_client.get("/cases/5"))
    evening = text(demo_client.get("/cases/5/evening"))
    assert 'name="part-soil"' in evening
    assert 'name="part-tops"' not in evening
    assert "Empty the saucer" in evening


def test_the_safety_page_holds_every_caution_for_those_who_live_here(demo_client, catalogue):
    page = text(demo_client.get("/safety")).replace("&#39;", "'")
    for care in catalogue.care.values():
        for hazard in care.hazards.values():
            assert hazard.text in page
    for rule in catalogue.recipes.forbidden:
        assert rule.why in page
    assert "poison centre" in page


@pytest.mark.long
def test_what_would_help_names_nothing_that_is_not_offered_here(demo_client):
    """The aubergine is eaten: alcohol would help, yet it is proposed neither among the
    means nor beside the chance.
    """
    means(demo_client, AUBERGINE, "shower")
    page = text(demo_client.get(f"/cases/{AUBERGINE}/chance"))
    helps = re.search(r"What would help</h2>(.*?)</ol>", page, re.S)[1]
    assert "iping" in helps or "soap" in helps
    assert "lcohol" not in helps


def test_a_plan_never_offers_to_begin_what_the_facts_forbid_now(demo_client):
    """Cats came into the house after the plan was made with what is dangerous to them."""
    from brood.services.house import who_lives_here

    store = demo_client.application.extensions["household"].store
    catalogue = demo_client.application.extensions["household"].catalogue
    deadly = next(
        key
        for key, care in catalogue.care.items()
        if (hazard := care.hazards.get("cats")) and hazard.level == "danger"
    )
    with store.writing() as session:
        who_lives_here.put(session, who_lives_here.Residents(frozenset({"cats"})), {})
        slot = next(a for a in queries.case(session, COFFEE).applications if a.status == "planned")
        slot.treatments = [deadly]
    page = text(demo_client.get(f"/cases/{COFFEE}"))
    assert "Not tonight." in page
    assert "Start the evening" not in page
    evening = text(demo_client.get(f"/cases/{COFFEE}/evening"))
    assert f"No {catalogue.treatments[deadly].name} now." in evening
    assert f'name="did-{deadly}"' not in evening
