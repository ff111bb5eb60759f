"""Looking a plant over: answers kept and withdrawn, stages carried into a case, photos
measured, severity by one rule.
"""

import io
import random
from datetime import timedelta

import pytest
from conftest import NOW
from PIL import Image
from planned import Desk
from sqlalchemy import select

from brood.core.diagnosis.evidence import weigh
from brood.core.diagnosis.next_check import Check, next_checks
from brood.core.diagnosis.severity import severity
from brood.errors import FieldErrors
from brood.services.cases import commands, pictures
from brood.services.diagnosis import check_cards, look_log, look_page, loupe, photos
from brood.services.diagnosis.check_cards import MOST_OUTCOMES
from brood.services.house import plants
from brood.services.voice.odds import spoken, strokes
from brood.store.queries import cases as cases_queries
from brood.store.queries import looks as queries
from brood.store.tables import LookAnswer, Photo

AUBERGINE, PEPPER, LAUREL = 1, 2, 5
LATER = NOW + timedelta(minutes=5)
SCALE = {
    "where-along-veins": "yes",
    "bump-flat-oval-brown": "yes",
    "fixed-in-place": "yes",
    "sticky-plant": "yes",
    "lift-soft-whole": "yes",
}


def begun(session, catalogue, answers, plant=PEPPER):
    look_id = look_log.begin(session, plant, now=NOW)
    for observation, said in answers.items():
        look_log.answer(session, catalogue, look_id, {observation: said}, now=NOW)
    return look_id


def shown(session, catalogue, look_id, zone=""):
    return look_page.build(session, catalogue, look_id, zone, now=NOW, hemisphere="north")


def test_every_answer_is_kept_at_once_and_a_changed_one_stays_in_the_log(demo_store, catalogue):
    with demo_store.writing() as session:
        look_id = begun(session, catalogue, {"web-fine": "yes"})
        assert look_log.begin(session, PEPPER, now=NOW) == look_id, (
            "a look that is open is gone on with"
        )
        look_log.answer(
            session,
            catalogue,
            look_id,
            {"web-fine": "no"},
            now=NOW + timedelta(minutes=1),
            sure=False,
        )
        look_log.answer(session, catalogue, look_id, {"stipple-pale-dots": "old"}, now=NOW)
    with demo_store.reading() as session:
        rows = session.scalars(
            select(LookAnswer).where(LookAnswer.look_id == look_id).order_by(LookAnswer.id)
        ).all()
        assert [(r.observation, r.said, r.withdrawn_at is None) for r in rows] == [
            ("web-fine", "yes", False),
            ("web-fine", "no", True),
            ("stipple-pale-dots", "old", True),
        ]
        result = shown(session, catalogue, look_id, "upper")
        assert [q.said for q in result.questions if q.observation.id == "stipple-pale-dots"] == [
            "old"
        ]
        assert not [e for s in result.suspects for e in s.speaks_for if "pinprick" in e.text], (
            "old damage is no evidence"
        )
        assert result.answered == 2


def test_unknown_questions_are_refused(demo_store, catalogue):
    with demo_store.writing() as session, pytest.raises(FieldErrors):
        look_log.answer(
            session,
            catalogue,
            look_log.begin(session, PEPPER, now=NOW),
            {"no-such": "yes"},
            now=NOW,
        )


def test_a_scale_is_found_its_stages_go_into_the_case_and_the_look_is_closed(demo_store, catalogue):
    with demo_store.writing() as session:
        look_id = begun(session, catalogue, SCALE)
        result = shown(session, catalogue, look_id)
        assert [s.id for s in result.present] == ["coccus-hesperidum"]
        assert result.headline.startswith("Brown soft scale, ")
        assert {s.kind for s in result.stages["coccus-hesperidum"]} == {"nymph", "adult"}
        look_log.keep_stages(
            session,
            look_id,
            "coccus-hesperidum",
            [
                look_log.StageCommand("adult", 6, None, 0.25, "alive", "holds on firmly"),
                look_log.StageCommand("young", None, "dozens", None, "unsure", ""),
            ],
            now=NOW,
            affected=0.2,
        )
        carried = look_page.carried_over(queries.look(session, look_id), "coccus-hesperidum")
        assert carried["number-adult"] == "24", "six on a quarter of the plant"
        assert (carried["rough-young"], carried["where-young"]) == ("dozens", "not sure it lives")
        again = shown(session, catalogue, look_id)
        assert again.severity.grade == "middling"
        finds = (commands.FindCommand(NOW.date(), "adult", 24, None, ""),)
        command = commands.OpenCommand(
            PEPPER,
            "coccus-hesperidum",
            finds,
            (commands.ActCommand("wiping", None, None),),
            NOW.date(),
            False,
        )
        case_id = commands.open_case(Desk(session, catalogue, NOW), command)
        look_log.close(session, look_id, now=NOW, case_id=case_id)
        second = look_log.reopen_of_case(session, case_id, now=NOW + timedelta(days=20))
        assert second != look_id
        reopened = queries.look(session, second)
        assert {a.observation for a in look_log.standing(reopened)} == set(SCALE), (
            "asked again, from what was answered"
        )
        assert all(a.how.startswith("from the look of") for a in reopened.answers)


def test_seen_stages_imply_unseen_ones(demo_store, catalogue):
    with demo_store.writing() as session:
        look_id = begun(session, catalogue, {}, AUBERGINE)
        look_log.keep_stages(
            session,
            look_id,
            "tetranychus-urticae",
            [look_log.StageCommand("adult", 10, None, 1.0, "alive", "")],
            now=NOW,
        )
        hidden = dict(
            loupe.build(session, catalogue, look_id, "tetranychus-urticae", now=NOW).hidden
        )
        assert hidden["eggs"] > 100
        look_log.keep_stages(
            session,
            look_id,
            "tetranychus-urticae",
            [look_log.StageCommand("adult", 10, None, 1.0, "dead", "dry")],
            now=NOW,
        )
        assert loupe.build(session, catalogue, look_id, "tetranychus-urticae", now=NOW).hidden == ()


@pytest.mark.parametrize(
    ("answers", "headline", "notice"),
    [
        ({}, "Nothing looked at yet.", None),
        ({"sticky-plant": "yes", "ants-on-plant": "yes"}, "Undecided so far.", "Search:"),
        (
            {
                "eats-other-insects": "yes",
                "white-shaggy-tassels": "yes",
                "runs-fast": "yes",
                "size-4-to-8": "yes",
            },
            "Nothing to treat: a helpful hunter,",
            "Leave it:",
        ),
        (
            {"slime-trail": "yes", "holes-ragged": "yes", "night-soft-legless": "yes"},
            "Not treated here: slugs or snails,",
            None,
        ),
        (
            {
                "all-sizes-together": "yes",
                "where-growing-tips": "yes",
                "sticky-plant": "yes",
                "husks-white-papery": "yes",
                "leaves-curled": "yes",
            },
            "Aphids, very likely (97 in 100). Which kind",
            None,
        ),
        (
            {
                "tracks-inside-leaf": "yes",
                "grey-oval-on-leaf-top": "yes",
                "web-coarse-few": "yes",
                "eggs-on-stalks": "yes",
                "holes-ragged": "no",
            },
            "Undecided: this fits nothing",
            None,
        ),
        (
            {
                "lens-nothing-living": "yes",
                "tap-nothing-alive": "yes",
                "above-ground-clean": "yes",
                "tap-specks-walk": "yes",
                "web-fine": "yes",
                "eggs-round-clear": "yes",
            },
            "Undecided: the answers contradict",
            None,
        ),
    ],
)
def test_the_page_says_in_one_sentence_where_it_stands(
    demo_store, catalogue, answers, headline, notice
):
    with demo_store.writing() as session:
        result = shown(session, catalogue, begun(session, catalogue, answers, LAUREL))
        assert result.headline.startswith(headline)
        assert notice is None or notice in [lead for lead, _ in result.notices]
        assert result.advice.endswith(".")
        for card in result.checks:
            assert card.title.endswith("?")
            last = card.outcomes[-1]
            assert last.id == ""
            assert last.text in ("No", f"None of these {len(card.options)}")
            assert len(card.options) <= MOST_OUTCOMES


@pytest.mark.parametrize(
    "seed", [0, *(pytest.param(n, marks=pytest.mark.long) for n in range(1, 100))]
)
def test_what_a_card_says_of_an_outcome_is_the_verdict_after_it(demo_store, catalogue, seed):
    rng = random.Random(seed)
    every = sorted(catalogue.evidence.observations)
    answers = {o: rng.choice(["yes", "yes", "no"]) for o in rng.sample(every, rng.randint(1, 5))}
    with demo_store.writing() as session:
        look_id = begun(session, catalogue, answers, LAUREL)
        result = shown(session, catalogue, look_id)
        for card in result.checks:
            assert card.changes or not result.present
            for outcome in rng.sample(card.outcomes, min(2, len(card.outcomes))):
                given = [outcome.id] if outcome.id else []
                look_log.choose(
                    session, catalogue, look_id, card.options, given, none=not given, now=LATER
                )
                after = shown(session, catalogue, look_id)
                if after.present:
                    assert outcome.means.startswith(after.present[0].name)
                else:
                    assert outcome.means.startswith("undecided")
                look_log.take_back(session, look_id, LATER, now=LATER + timedelta(minutes=1))
                assert shown(session, catalogue, look_id).headline == result.headline
        session.rollback()


def test_outcomes_of_one_group_are_one_check_with_its_way_and_its_caution(catalogue):
    signs, cautions = catalogue.evidence.observations, set()
    now = weigh(catalogue.evidence.model, {})
    for group in {o.group for o in signs.values() if o.group}:
        same = [o for o in signs.values() if o.group == group][:MOST_OUTCOMES]
        if len(same) < 2:
            continue
        other = next(o for o in signs.values() if o.plate != same[0].plate and o.group != group)
        whole, mixed = (
            check_cards.card(
                catalogue, Check(tuple(o.id for o in some), 1, "eye", 0.1), lambda _: now, now
            )
            for some in (same, [*same[:1], other])
        )
        assert whole.title == check_cards.TITLES.get(group, "Which of these is it?")
        assert whole.how == same[0].how_to_check
        assert not whole.together
        assert mixed.how == "Choose the nearest. Look at several before you decide."
        assert (mixed.safety, mixed.together) == ("", True)
        tools = {o.tool for o in same}
        told = {"swab": "Alcohol", "knife or nail": "Work away", "trowel": "Work away"}
        if tools & set(told):
            assert whole.safety.split(":")[0].startswith(tuple(told[t] for t in tools & set(told)))
        assert whole.safety.startswith("Alcohol burns") == ("swab" in tools)
        cautions.add(whole.safety)
    assert len(cautions) >= 3


@pytest.mark.long
def test_over_five_hundred_states_every_option_says_the_verdict_after_it(catalogue):
    model, every = catalogue.evidence.model, sorted(catalogue.evidence.observations)
    rng, outcomes = random.Random(41), 0
    for _ in range(500):
        given = {o: rng.random() < 0.7 for o in rng.sample(every, rng.randint(1, 6))}
        now = weigh(model, given)

        def then(more, given=given):
            return weigh(model, {**given, **more})

        for check in next_checks(model, given, now, most=3):
            card = check_cards.card(catalogue, check, then, now)
            for outcome in card.outcomes:
                chosen = {outcome.id: True} if outcome.id else dict.fromkeys(card.options, False)
                after = weigh(model, given | chosen)
                assert outcome.means == check_cards.said(catalogue, after)
                assert card.changes or after.present == now.present
                outcomes += 1
    assert outcomes > 3000


def test_who_cannot_tell_goes_on_and_nothing_is_said(demo_store, catalogue):
    with demo_store.writing() as session:
        look_id = begun(session, catalogue, {"sticky-plant": "yes"}, LAUREL)
        first = shown(session, catalogue, look_id).checks[0]
        look_log.pass_over(session, look_id, first.options)
        look_log.pass_over(session, look_id, first.options)
        result = shown(session, catalogue, look_id)
        assert result.answered == 1
        assert {*first.options}.isdisjoint(o for card in result.checks for o in card.options)
        other = result.checks[1]
        asked = look_page.build(
            session, catalogue, look_id, "", now=NOW, hemisphere="north", check=other.key
        )
        assert asked.checks[0].key == other.key
        session.rollback()


def test_what_a_neighbour_has_is_likelier_and_only_tools_at_hand_are_asked_for(
    demo_store, catalogue
):
    with demo_store.writing() as session:
        look_id = begun(session, catalogue, {}, PEPPER)
        beside = shown(session, catalogue, look_id)
        look_log.set_tools(session, look_id, ["phone"], "somebody")
        assert next(s for s in beside.suspects if s.id == "tetranychus-urticae").chance == max(
            s.chance for s in beside.suspects
        )
        assert {c.tool for c in shown(session, catalogue, look_id).checks} <= {"none", "phone"}


def picture(size=(3000, 2000), **more):
    out = io.BytesIO()
    Image.new("RGB", size, (90, 120, 60)).save(out, "JPEG", **more)
    return out.getvalue()


def test_a_photo_is_made_small_loses_its_data_and_a_length_on_it_answers_the_size_question(
    demo_store, catalogue
):
    exif = Image.Exif()
    exif[0x010F], exif[0x0112] = "Maker of cameras", 6
    with demo_store.writing() as session:
        look_id = begun(session, catalogue, {})
        photo_id = photos.add(session, look_id, "leaf.jpg", picture(exif=exif.tobytes()), now=NOW)
        kept = session.get(Photo, photo_id)
        with Image.open(io.BytesIO(kept.jpeg)) as small:
            assert (small.size, len(small.getexif())) == ((1067, 1600), 0), (
                "turned upright, at most 1600 long, nothing of the camera's"
            )
        with pytest.raises(FieldErrors):
            photos.measure(session, catalogue, photo_id, (0, 0, 50, 0), now=NOW)
        photos.set_scale(session, photo_id, (100, 100, 100, 300), 10.0)
        assert photos.measure(
            session, catalogue, photo_id, (10, 10, 40, 50), now=NOW
        ) == pytest.approx(2.5)
        said = {
            a.observation: (a.said, a.how)
            for a in look_log.standing(queries.look(session, look_id))
        }
        assert said == {"size-2-to-4": ("yes", "2.50 mm on the photo")}
        photos.set_scale(session, photo_id, (100, 100, 100, 300), 20.0)
        assert kept.lengths_mm == [pytest.approx(5.0)]
        with pytest.raises(FieldErrors):
            photos.measure(session, catalogue, photo_id, (10, 10, 5000, 50), now=NOW)


@pytest.mark.parametrize(
    "data",
    [b"", b"no picture at all", picture()[:400], b"x" * 12_000_001],
    ids=["empty", "text", "cut", "large"],
)
def test_what_is_no_picture_is_refused_in_a_sentence(data):
    with pytest.raises(FieldErrors) as caught:
        pictures.small(data)
    assert caught.value.by_field["photo"].endswith((".", "can."))


@pytest.mark.parametrize(
    ("number", "leaves", "kinds", "spread", "grade"),
    [
        (4, 0.05, {"adult"}, False, "light"),
        (15, None, {"young", "adult"}, True, "light"),
        (60, 0.3, {"young", "adult"}, False, "middling"),
        (500, 0.6, {"young"}, True, "heavy"),
        (0, None, set(), False, "light"),
        (121, 0.34, set(), False, "middling"),
    ],
)
def test_severity_follows_one_rule(number, leaves, kinds, spread, grade):
    found = severity(number, leaves, kinds, spread)
    assert found.grade == grade
    assert 0 <= found.total <= 6


def test_chances_are_said_one_way_words_first():
    assert [spoken(p) for p in (0.001, 0.05, 0.26, 0.5, 0.8, 0.949, 0.999)] == [
        "very unlikely (under 1 in 100)",
        "unlikely (5 in 100)",
        "unlikely (26 in 100)",
        "about even (50 in 100)",
        "likely (80 in 100)",
        "very likely (95 in 100)",
        "almost certain (over 99 in 100)",
    ]
    assert [strokes(w) for w in (0.2, -0.5, 1.5, -3)] == [0, 1, 2, 3]
    assert [
        look_page.season(NOW.replace(month=m), side)
        for m, side in ((1, "north"), (7, "north"), (7, "south"), (12, "south"))
    ] == [
        "winter",
        "summer",
        "winter",
        "summer",
    ]


def test_a_plants_build_sets_the_walk_and_its_kind_what_it_is_prone_to(demo_store, catalogue):
    with demo_store.writing() as session:
        plant = cases_queries.plant(session, LAUREL)
        prone = plants.prone_to(catalogue, plant)
        assert "citrus mealybug" in prone
        assert "cabbage white" not in prone
        assert 1 <= len(prone) <= plants.MOST_PRONE
        traits = plants.PlantTraits(species="Laurus nobilis", build="cactus", eaten="no")
        command = plants.PlantCommand(
            "Bay laurel", "woody-citrus", "", plant.stays[-1].place_id, NOW.date(), traits
        )
        plants.change(session, LAUREL, command, now=NOW)
        assert not plants.is_eaten(plant)
        result = shown(session, catalogue, look_log.begin(session, LAUREL, now=NOW))
        assert [z.id for z in result.zones] == catalogue.evidence.walk.build["cactus"]
