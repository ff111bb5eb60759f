"""The walk of a treatment evening for each kind of plant and act: its stations in order,
its own steps and parts, and what is kept of it.
"""

import io
import re
from datetime import time, timedelta
from html import unescape

import pytest
from conftest import MITE, NOW, tell_before_mixing
from PIL import Image

from brood.catalogue.loader import shipped
from brood.services.house import load, places, plants
from brood.services.voice.speech import Speech
from brood.store.queries import cases
from brood.store.tables import ApplicationRecord

CATALOGUE, START = shipped(), NOW.date() - timedelta(days=30)
TODAY = NOW.date()


def text(answer):
    return unescape(re.sub(r"\s+", " ", re.sub(r"<[^>]*>", " ", answer.get_data(as_text=True))))


def stations(answer):
    """The acts of an evening in their order, each with the parts that can be ticked."""
    html = answer.get_data(as_text=True).split('id="s2"')[1].split('id="s3"')[0]
    out = []
    for station in html.split('class="station"')[1:]:
        name = re.sub(r"<[^>]*>|\s+", " ", re.search(r"<h3>(.*?)</h3>", station, re.S)[1])
        out.append((name.split(maxsplit=1)[1].strip(), re.findall(r'name="part-(\w+)"', station)))
    return out


@pytest.fixture
def store(client):
    return client.application.extensions["household"].store


@pytest.fixture
def evening(client, store):
    """Opens a case on a plant of its own and answers the evening's page: (case, page)."""

    def opened(
        acts, pest=MITE, *, found=TODAY, setting="indoor", celsius=20.0, kind="foliage", **traits
    ):
        with store.writing() as session:
            warm = places.Warmth(celsius, celsius, time(7), time(22))
            spot = places.PlaceCommand("Spot", "", "constant", warm, setting=setting)
            where = places.add(session, spot, now=NOW)
            told = plants.PlantTraits(**traits)
            plant = plants.add(
                session, plants.PlantCommand("Plant", kind, "", where, START, told), now=NOW
            )
        data = {
            "pest": pest,
            "found_on": found.isoformat(),
            "start_on": found.isoformat(),
            "rough-adult": "dozens",
            **{f"act-{act}": "1" for act in acts},
        }
        answer = client.post(f"/plants/{plant}/case", data=data)
        assert answer.status_code == 303, text(answer)[-900:]
        case = int(answer.location.rsplit("/", 1)[1])
        return case, tell_before_mixing(client, case)

    return opened


def record_of(store, case):
    with store.reading() as session:
        row = cases.case(session, case)
        (found,) = [r for a in row.applications for r in a.records if r.withdrawn_at is None]
        session.expunge(found)
        return found


@pytest.mark.long
def test_an_orchid_with_scale_is_lifted_out_stripped_swabbed_and_oiled(client, evening):
    case, page = evening(
        ("paraffinic-oil", "alcohol-swab", "sheath-strip"), "aspidiotus-nerii", kind="orchid"
    )
    said = text(page)
    assert "Lift it out of its pot first" in said
    names = [name for name, _ in stations(page)]
    assert names == ["Stripping dry sheaths", "Alcohol swab", "Paraffinic oil"]
    assert stations(page)[0][1] == ["axils", "stem", "collar"]
    assert "Roots in sight wetted with plain water" in said
    assert "part-soil" not in page.get_data(as_text=True)
    plant = 1
    assert client.post(f"/plants/{plant}/state", data={"state": "bare"}).status_code == 303
    held = client.get(f"/cases/{case}/evening")
    assert "held unpotted: look at its roots" in text(held)
    assert "roots" in stations(held)[0][1]
    assert not {"rim", "drain", "pot"} & {p for _, parts in stations(held) for p in parts}


@pytest.mark.long
def test_a_small_plant_is_dipped_with_its_pot_packed_and_timed(evening):
    _, page = evening(("soap-dip",), "planococcus-citri", size="small")
    said = text(page)
    assert "packed in a bag" in said
    assert "terracotta pot soaks up the mix" in said
    assert [name for name, _ in stations(page)] == ["Soap dip"]
    assert re.findall(r'data-timer="(\d+)"', page.get_data(as_text=True)) == ["120", "1200", "3600"]
    assert "usually about 2 l" in said


def test_a_tree_is_wiped_where_it_stands(evening):
    _, page = evening(("wiping", "insecticidal-soap"), size="tree")
    said = text(page)
    assert "From the top down, branch by branch, where it stands" in said
    assert "sprayer that reaches the top" in said
    assert "usually about 1 l" in said
    names = [name for name, _ in stations(page)]
    assert names == ["Wiping", "Insecticidal soap"]
    assert "inside" in stations(page)[1][1]
    assert "The parts ticked above once more" in said


def test_a_row_of_cabbage_is_sprayed_and_picked_along_the_row(evening):
    _, page = evening(
        ("btk", "wiping"), "pieris-rapae", setting="outdoor", kind="cabbage-family", build="head"
    )
    said = text(page)
    assert "Along the row, every leaf turned" in said
    assert "Along the row on one side and back on the other" in said
    assert "heart" in stations(page)[0][1]
    assert 'name="weather"' in page.get_data(as_text=True)


@pytest.mark.long
def test_gnats_in_a_tray_are_met_in_the_soil_alone(evening):
    _, page = evening(("bti-drench", "soil-drying"), "bradysia", kind="seedling-herb", build="tray")
    met = {p for _, parts in stations(page) for p in parts}
    assert met == {"soil", "rim", "drain"}
    assert 'name="weather"' not in page.get_data(as_text=True)
    assert "usually about 300 ml" in text(page)


@pytest.mark.parametrize("acts", [("alcohol-swab",), ("axil-brush",), ("root-wash",)])
def test_what_no_act_meets_is_not_listed(evening, acts):
    pest = "rhizoecus" if acts == ("root-wash",) else "planococcus-citri"
    _, page = evening(acts, pest)
    met = {p for _, parts in stations(page) for p in parts}
    how = CATALOGUE.evenings.technique[CATALOGUE.care[acts[0]].technique]
    assert met
    assert met <= set(how.meets)


def photo():
    data = io.BytesIO()
    Image.new("RGB", (60, 40), "green").save(data, "JPEG")
    data.seek(0)
    return data, "after.jpg"


def test_an_evening_keeps_what_was_around_it_and_what_was_seen_where(client, store, evening):
    case, _ = evening(("insecticidal-soap",), found=TODAY - timedelta(days=4))
    with store.writing() as session:
        read = [
            places.DiaryEntry(TODAY - timedelta(days=ago), low, 36.0 if ago == 3 else 21.0)
            for ago, low in ((4, 19.0), (3, 33.0), (2, 19.0), (1, 19.0))
        ]
        places.keep_diary(session, cases.places(session)[0].id, read, now=NOW)
    data = {
        "did-insecticidal-soap": "1",
        "sent_key": "one",
        "done_on": (TODAY - timedelta(days=3)).isoformat(),
        "part-undersides": "1",
        "live-adult": "3",
        "at-adult": "veins",
        "light": "lamps-off",
        "between-0": "1",
        "between-2": "1",
        "took": "4",
        "took_unit": "fl oz",
        "photo": photo(),
    }
    answer = client.post(f"/cases/{case}/evening", data=data, content_type="multipart/form-data")
    assert answer.status_code == 303
    said = text(client.get(f"/cases/{case}"))
    assert "It was about 34 °C, outside what insecticidal soap is for" in said
    found = record_of(store, case)
    assert found.tally == [{"stage": "adult", "live": 3, "dead": 0, "part": "veins"}]
    assert found.mix_ml == pytest.approx(118.3, abs=0.1)
    assert found.conditions == {
        "light": "lamps-off",
        "between": [0, 2],
        "warmth_c": pytest.approx(35, abs=1.5),
        "beyond": ["insecticidal-soap"],
    }
    with store.reading() as session:
        photos = session.get(ApplicationRecord, found.id).photos
        assert [p.filename for p in photos] == ["after.jpg"]
        shown = client.get(f"/photos/{photos[0].id}/image.jpg")
    assert shown.status_code == 200
    bad = {**data, "sent_key": "two", "light": "moonlight", "note": "kept", "photo": photo()}
    refused = client.post(f"/cases/{case}/evening", data=bad, content_type="multipart/form-data")
    assert refused.status_code == 422
    assert 'value="kept"' in refused.get_data(as_text=True)
    late = {"did-insecticidal-soap": "1", "done_on": "2027-06-01", "note": "kept"}
    answer = client.post(f"/cases/{case}/evening", data=late)
    assert answer.status_code == 422
    assert 'value="kept"' in answer.get_data(as_text=True)


@pytest.mark.long
def test_what_marked_a_plant_is_known_where_the_next_treatment_is_chosen(
    client, store, evening, clock
):
    case, _ = evening(("insecticidal-soap",))
    done = {"did-insecticidal-soap": "1"}
    client.post(f"/cases/{case}/evening", data={**done, "sent_key": "1"})
    clock.now = NOW + timedelta(days=8)
    page = client.get(f"/cases/{case}/evening")
    assert "How it bore Mon 8 June" in text(page)
    client.post(f"/cases/{case}/evening", data={**done, "sent_key": "2", "reaction": "marked"})
    plant = text(client.get("/plants/1"))
    assert "Insecticidal soap , Mon 8 June : spots or burnt edges" in plant
    assert "2 of 5 sprays in 21 days" in plant
    assert "Insecticidal soap marked this plant 8 days ago" in text(
        client.get(f"/cases/{case}/means")
    )
    shelf = text(client.get("/shelf"))
    assert "What marked plants" in shelf
    assert "Insecticidal soap : Plant" in shelf


def test_the_load_of_a_plant_warns_before_its_limit_and_says_what_to_do_instead(store, evening):
    case, _ = evening(("insecticidal-soap",), kind="cactus-succulent")

    def loaded(days, on=TODAY):
        with store.reading() as session:
            row = cases.case(session, case)
            slot = row.applications[0]
            slot.records = [
                ApplicationRecord(
                    outcome="done",
                    done_on=on - timedelta(days=ago),
                    treatments=["insecticidal-soap"],
                    recorded_at=NOW,
                )
                for ago in days[:1]
            ]
            real = load.had
            every = [
                load.Had(on - timedelta(days=ago), ("insecticidal-soap",), True)
                for ago in sorted(days, reverse=True)
            ]
            load.had = lambda *_: every
            try:
                return load.of_plant(CATALOGUE, row.plant, on, Speech())
            finally:
                load.had = real
                session.rollback()

    few = loaded((3, 9))
    assert (few.sprays, few.worn) == (2, False)
    assert few.warnings[-1].startswith("Insecticidal soap on Fri 5 June took some of its bloom")
    four = loaded((1, 5, 9, 13))
    assert "one more is the last for a while" in four.warnings[0]
    five = loaded((1, 5, 9, 13, 17))
    assert five.worn
    assert five.rest_until == TODAY + timedelta(days=4), "21 days after the first of the five"
    assert "by hand: wiping with water" in five.warnings[0]
    old = loaded((25, 40))
    assert (old.sprays, len(old.had)) == (0, 1)


def test_what_is_eaten_is_not_picked_before_its_day(client, evening):
    label = {
        "name": "Crop soap",
        "holds": "product:insecticidal-soap",
        "label_rate": "20",
        "harvest_days": "3",
        "allowed-indoor": "1",
        "allowed-edible": "1",
    }
    assert client.post("/shelf/new", data=label).status_code == 303
    case, page = evening(("insecticidal-soap",), kind="fruiting-vegetable", eaten="yes")
    assert "pick nothing before Thu 11 June" in text(page)
    link = text(client.get(f"/mix?case={case}"))
    assert "By the label's rate" in link, "the right bottle is taken for what is eaten"
    client.post(f"/cases/{case}/evening", data={"did-insecticidal-soap": "1", "sent_key": "1"})
    assert "pick nothing before Thu 11 June" in text(client.get("/plants/1"))


@pytest.mark.long
def test_tough_leaves_bear_more_alcohol_and_no_more_than_that(client, store, evening):
    case, _ = evening(("alcohol-spray",), "planococcus-citri", marks=("tough",))
    asked = {"treatment": "alcohol-spray", "amount": "1", "amount_unit": "l", "case": str(case)}
    assert client.post("/mix", data={**asked, "strength": "25"}).status_code == 200
    over = client.post("/mix", data={**asked, "strength": "30"})
    assert over.status_code == 422
    assert "10 to 25 %" in text(over)
    usual = client.post("/mix", data={**asked, "case": "", "strength": "25"})
    assert "10 to 20 %" in text(usual)


def test_what_is_not_allowed_where_the_keeper_lives_is_not_offered_and_not_planned(
    client, store, evening
):
    bottle = {"name": "Own", "holds": "product:spinosad", "label_rate": "1", "allowed-indoor": "1"}
    client.post("/shelf/new", data=bottle)
    case, page = evening(("spinosad", "shower"), "frankliniella-occidentalis")
    assert "Spinosad" in [name for name, _ in stations(page)]

    def planned():
        client.get(f"/cases/{case}")
        with store.reading() as session:
            row = cases.case(session, case)
            slots = [a for a in row.applications if a.status == "planned"]
            return {act for slot in slots for act in slot.treatments}

    assert planned() == {"spinosad", "shower"}
    client.post("/household", data={"barred-spinosad": "1"})
    assert planned() == {"shower"}
    means = client.get(f"/cases/{case}/means").get_data(as_text=True)
    assert "not allowed where you live" in means
    client.post("/household", data={})
    assert "spinosad" in planned(), "and it comes back"


def test_a_plant_with_nothing_left_that_is_allowed_is_told_to_choose(client, evening):
    bottle = {"name": "Own", "holds": "product:spinosad", "label_rate": "1", "allowed-indoor": "1"}
    client.post("/shelf/new", data=bottle)
    case, _ = evening(("spinosad",), "frankliniella-occidentalis")
    client.post("/household", data={"barred-spinosad": "1"})
    page = client.get(f"/cases/{case}")
    assert page.status_code == 200
    assert re.search(r"[Cc]hoose .*treatment", text(page))


@pytest.mark.long
def test_a_reaction_is_laid_to_the_last_treatment_of_the_plant_whatever_pest_it_was_for(
    client, evening, clock
):
    case, _ = evening(("insecticidal-soap",))
    found = {"found_on": TODAY.isoformat(), "start_on": TODAY.isoformat(), "number-adult": "6"}
    second = client.post(
        "/plants/1/case",
        data={"pest": "planococcus-citri", **found, "act-alcohol-swab": "1"},
    )
    other = int(second.location.rsplit("/", 1)[1])
    tell_before_mixing(client, other)
    client.post(f"/cases/{case}/evening", data={"did-insecticidal-soap": "1", "sent_key": "1"})
    clock.now = NOW + timedelta(days=3)
    client.post(f"/cases/{other}/evening", data={"did-alcohol-swab": "1", "sent_key": "2"})
    clock.now = NOW + timedelta(days=8)
    assert "How it bore Thu 11 June" in text(client.get(f"/cases/{case}/evening"))
    client.post(
        f"/cases/{case}/evening",
        data={"did-insecticidal-soap": "1", "sent_key": "3", "reaction": "dropped"},
    )
    plant = text(client.get("/plants/1"))
    assert plant.count("leaves dropped") == 1
    assert "Alcohol swab , Thu 11 June : leaves dropped" in plant


@pytest.mark.long
def test_a_card_says_where_it_hangs_and_is_asked_for_by_that(client, evening, clock):
    case, _ = evening(("insecticidal-soap",), "frankliniella-occidentalis")
    client.post(f"/cases/{case}/cards", data={"colour": "blue", "spot": "by the window"})
    assert "Blue , by the window, placed" in text(client.get(f"/cases/{case}/follow"))
    clock.now = NOW + timedelta(days=22)
    client.post("/today/caught-up", data={"key": "all"})
    assert "count the blue card (by the window) and hang a fresh one" in text(client.get("/"))


def test_a_dip_is_measured_by_itself_and_the_next_one_takes_as_much(client, evening):
    case, _ = evening(("soap-dip",), "planococcus-citri", size="small")
    assert "2000 ml of soap dip" in text(client.get(f"/mix?case={case}&treatment=soap-dip"))
    done = {"did-soap-dip": "1", "sent_key": "1", "took": "1.5", "took_unit": "l"}
    client.post(f"/cases/{case}/evening", data=done)
    assert "1500 ml of soap dip" in text(client.get(f"/mix?case={case}&treatment=soap-dip"))
    soap = {"for": "insecticidal-soap", "flowers": "no", "label-insecticidal-soap": "1"}
    client.post(f"/cases/{case}/before", data=soap)
    spray = text(client.get(f"/mix?case={case}&treatment=insecticidal-soap"))
    assert "30 ml of insecticidal soap" in spray


@pytest.mark.long
def test_mealybugs_with_ants_get_a_band_that_is_looked_after(client, evening, clock):
    case, _ = evening(("alcohol-swab",), "planococcus-citri")
    for state in ("ants", "ant-band"):
        assert client.post("/plants/1/state", data={"state": state}).status_code == 303
    held = text(client.get("/plants/1"))
    assert "Ant band on" in held
    client.post(f"/cases/{case}/evening", data={"did-alcohol-swab": "1", "sent_key": "1"})
    clock.now = NOW + timedelta(days=14)
    assert "no leaf may bridge it" in text(client.get("/"))
    assert client.get(f"/cases/{case}").status_code == 200


def test_waxy_succulents_are_swabbed_and_brushed_without_soap_or_oil(client, evening):
    evening(("alcohol-swab",), "planococcus-citri", kind="cactus-succulent", marks=("waxy-leaf",))
    form = client.get("/plants/1/case?pest=planococcus-citri").get_data(as_text=True)
    ticked = re.findall(r'<input[^>]*name="act-([\w-]+)"[^>]*checked', form)
    assert ticked
    assert not {
        "insecticidal-soap",
        "soap-dip",
        "alcohol-spray",
        "paraffinic-oil",
        "pyrethrins",
    } & {*ticked}


@pytest.mark.long
def test_more_dates_of_ones_own_than_were_planned_hold_no_act_that_is_kept_up(
    client, store, evening
):
    case, _ = evening(("bti-drench", "soil-drying"), "bradysia")
    with store.writing() as session:
        row = cases.case(session, case)
        row.own_dates = [(TODAY + timedelta(days=5 * n)).isoformat() for n in range(24)]
    assert client.get(f"/cases/{case}").status_code == 200
    tried = client.get(f"/cases/{case}/try")
    assert tried.status_code == 200
    with store.reading() as session:
        slots = cases.case(session, case).applications
        assert {act for slot in slots for act in slot.treatments} == {"bti-drench"}


COURSES = {
    "a rubber tree too big to move": (
        ("wiping", "insecticidal-soap"),
        MITE,
        {"size": "tree"},
    ),
    "mealybugs with ants": (("alcohol-swab", "axil-brush"), "planococcus-citri", {}),
    "a waxy succulent": (
        ("alcohol-swab", "axil-brush"),
        "planococcus-citri",
        {"kind": "cactus-succulent", "marks": ("waxy-leaf",)},
    ),
    "gnats in a seedling tray": (
        ("bti-drench", "steinernema-feltiae", "sticky-cards"),
        "bradysia",
        {"kind": "seedling-herb", "build": "tray"},
    ),
}


@pytest.mark.long
@pytest.mark.parametrize("name", COURSES)
def test_a_course_from_its_first_evening_to_going_back(client, store, evening, clock, name):
    """Every evening that is due is done on its page with all its parts, every week is
    looked, nothing is found any more: the plant goes back, and the record holds just that.
    """
    acts, pest, told = COURSES[name]
    case, _ = evening(acts, pest, **told)
    if "ants" in name:
        for state in ("ants", "ant-band"):
            client.post("/plants/1/state", data={"state": state})
    done = looks = 0
    for day in range(0, 400, 3):
        clock.now = NOW + timedelta(days=day)
        today = client.get("/").get_data(as_text=True)
        if f'href="/cases/{case}/evening"' in today.split("Coming up")[0]:
            page = client.get(f"/cases/{case}/evening")
            named = re.findall(r'name="((?:did|part)-[\w-]+)"', page.get_data(as_text=True))
            sent = dict.fromkeys(named, "1") | {"sent_key": f"evening-{day}"}
            for _ in range(2):
                answer = client.post(f"/cases/{case}/evening", data=sent)
                assert answer.status_code == 303, text(answer)[-600:]
            done += 1
        if day % 6 == 3:
            sent = {"sent_key": f"look-{day}"}
            assert client.post(f"/cases/{case}/inspect/none", data=sent).status_code == 303
            looks += 1
        over = text(client.get(f"/cases/{case}/clearing"))
        if "may go back" in over or "All clear" in over:
            break
    assert "All clear" in over or "may go back" in over, over[300:900]
    assert 1 <= done <= 12
    with store.reading() as session:
        row = cases.case(session, case)
        records = [r for a in row.applications for r in a.records if r.withdrawn_at is None]
        assert len([r for r in records if r.outcome == "done"]) == done
        assert len(row.inspections) == looks
