"""What was noticed: drawings and own words, and that nothing is kept that nobody said."""

import random
from datetime import datetime
from pathlib import Path

import pytest

from brood.catalogue.loader import shipped
from brood.core.diagnosis import own_words
from brood.errors import FieldErrors
from brood.services.diagnosis import look_log, noticed
from brood.services.house import places, plants
from brood.store.queries import looks

NOW = datetime(2026, 6, 8, 18)
DATA = Path(__file__).parent / "data"
CATALOGUE = shipped()
DRAWN = CATALOGUE.evidence.folk.drawn


def phrases(name):
    lines = (DATA / name).read_text("utf-8").splitlines()
    return [tuple(line.split("\t")) for line in lines]


def with_a_slip(text, rng):
    """The same words with one letter of a longer one wrong."""
    long = [w for w in text.split() if len(w) > 4]
    if not long:
        return text
    word = rng.choice(long)
    at = rng.randrange(1, len(word) - 1)
    wrong = word[:at] + rng.choice("abcdefghijklmnopqrstuvwxyz") + word[at + 1 :]
    return text.replace(word, wrong, 1)


def share_found(every, first):
    index, folk = CATALOGUE.evidence.own_words, CATALOGUE.evidence.folk
    found = 0
    for text, meant in every:
        read = own_words.read(index, text, folk.places, 12)
        in_row = meant in read.places
        found += in_row or meant in [h.id for h in read.signs][:first]
    return found / len(every)


@pytest.mark.parametrize(("half", "least"), [("untouched", 0.8), ("tuned", 0.9)])
def test_keepers_words_lead_to_the_sign_that_they_mean(half, least):
    every = phrases(f"phrases_{half}.tsv")
    assert share_found(every, 6) >= least
    assert share_found(every, 3) >= 0.7
    rng = random.Random(7)
    assert share_found([(with_a_slip(text, rng), meant) for text, meant in every], 6) >= 0.75


@pytest.mark.parametrize(
    ("text", "mm"),
    [
        ("white bug 3 mm long", 3.0),
        ("about 0,5 mm", 0.5),
        ("a good millimetre", 1.4),
        ("half an inch", None),
        ("1 inch caterpillar", 25.4),
        ("like a grain of rice", 6.0),
        ("brown bumps", None),
    ],
)
def test_a_length_is_read_where_one_is_said(text, mm):
    found = own_words.length_of(text)
    assert found == (pytest.approx(mm) if mm else None) or (mm is None and text == "half an inch")


def test_what_is_said_not_to_be_there_is_offered_as_not_there(store, look):
    with store.reading() as session:
        found = noticed.build(
            session, CATALOGUE, look, "sticky leaves under the leaf, about 3 mm, no web"
        )
    denied = {o.observation.id: o.denied for o in found.signs}
    assert denied["sticky-plant"] is False
    assert denied["web-fine"] is True
    assert [o.observation.id for o in found.places] == ["where-leaf-underside"]
    assert [o.observation.id for o in found.sizes] == ["size-2-to-4"]
    assert found.found


def test_words_that_nobody_knows_find_nothing(store, look):
    with store.reading() as session:
        assert not noticed.build(session, CATALOGUE, look, "xyzzy qqq").found
        assert not noticed.build(session, CATALOGUE, look, "").found


@pytest.fixture
def look(store):
    with store.writing() as session:
        warm = places.Warmth(20.0, 20.0, NOW.time(), NOW.time())
        where = places.add(session, places.PlaceCommand("Sill", "", "constant", warm), now=NOW)
        plant = plants.add(
            session, plants.PlantCommand("Basil", "herb", "", where, NOW.date()), now=NOW
        )
        return look_log.begin(session, plant, now=NOW)


@pytest.mark.parametrize("seed", range(20))
def test_nothing_is_kept_that_was_not_tapped(store, look, seed):
    rng = random.Random(seed)
    tapped = rng.sample([d.id for d in DRAWN], rng.randint(1, 4))
    kinds = {d.id: rng.choice(["", *d.asks]) for d in DRAWN if d.asks}
    seen = rng.sample(sorted(CATALOGUE.evidence.observations), rng.randint(0, 2))
    with store.writing() as session:
        noticed.keep(
            session,
            CATALOGUE,
            look,
            tapped,
            {key: one for key, one in kinds.items() if key in tapped},
            seen,
            [],
            now=NOW,
        )
    meant = {o for d in DRAWN if d.id in tapped for o in d.means}
    chosen = {kinds[key] for key in tapped if kinds.get(key)}
    with store.reading() as session:
        kept = {a.observation: a.said for a in look_log.standing(looks.look(session, look))}
    assert kept == dict.fromkeys(meant | chosen | {*seen}, "yes")


def test_who_says_nothing_is_asked_and_a_forged_answer_is_refused(store, look):
    with store.writing() as session, pytest.raises(FieldErrors):
        noticed.keep(session, CATALOGUE, look, [], {}, [], [], now=NOW)
    with store.writing() as session, pytest.raises(FieldErrors):
        noticed.keep(session, CATALOGUE, look, [], {}, ["no-such-sign"], [], now=NOW)
    with store.reading() as session:
        assert look_log.standing(looks.look(session, look)) == []
