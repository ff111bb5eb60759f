"""`brood identify` as JSON: month and hemisphere, measured bodies, what nobody could tell,
companions, and whether a check could change the verdict.
"""

import pytest

from brood.errors import InputError
from brood.services.documents.identify import answer, season_of

MITES = {"web-fine": True, "moves-when-watched": True, "leaf-feels-gritty": True}


@pytest.mark.parametrize(
    ("month", "hemisphere", "season"),
    [
        (1, "north", "winter"),
        (1, "south", "summer"),
        (12, "north", "winter"),
        (4, "south", "autumn"),
        (9, "north", "autumn"),
    ],
)
def test_a_month_is_a_season(catalogue, month, hemisphere, season):
    assert season_of(month, hemisphere) == season
    by_month = answer(catalogue, {"observations": MITES, "month": month, "hemisphere": hemisphere})
    by_season = answer(catalogue, {"observations": MITES, "season": season})
    assert by_month["suspects"] == by_season["suspects"]


def test_measured_bodies_are_sizes_and_each_counts_by_itself(catalogue):
    measured = answer(catalogue, {"observations": MITES, "measured": [0.4, 2.5]})
    said = answer(
        catalogue,
        {"observations": {**MITES, "size-0-3-to-0-6": True, "size-2-to-4": True}},
    )
    assert measured["suspects"] == said["suspects"]
    on_the_edge = answer(catalogue, {"observations": MITES, "measured": [0.58]})
    either = {**MITES, "size-0-3-to-0-6": True, "size-0-6-to-1": True}
    assert on_the_edge["suspects"] == answer(catalogue, {"observations": either})["suspects"]


def test_a_species_that_a_pest_likes_counts_a_little(catalogue):
    bump = {"bump-flat-oval-brown": True}
    plain, lemon = (
        answer(catalogue, {"observations": bump, **more})
        for more in ({}, {"species": "Citrus × limon 'Meyer'"})
    )
    chance = [
        next(s["probability"] for s in found["suspects"] if s["id"] == "coccus-hesperidum")
        for found in (plain, lemon)
    ]
    assert chance[0] < chance[1] < chance[0] + 0.2


def test_a_hunter_beside_its_prey_is_a_companion(catalogue):
    seen = ("soft-green-pear", "all-sizes-together", "rear-tubes-pale", "maggot-hunts")
    found = answer(catalogue, {"observations": dict.fromkeys(seen, True)})
    assert "myzus-persicae" in found["present"]
    assert found["companions"] == ["predator-larva"]


def test_what_nobody_could_tell_is_not_asked_and_changes_nothing(catalogue):
    plain = answer(catalogue, {"observations": MITES})
    first = plain["next_checks"][0]["outcomes"]
    passed = answer(catalogue, {"observations": MITES, "cannot_tell": first})
    assert passed["suspects"] == plain["suspects"]
    asked = {o for check in passed["next_checks"] for o in check["outcomes"]}
    assert asked.isdisjoint(first)
    assert all(isinstance(check["changes"], bool) for check in plain["next_checks"])


def test_companions_are_what_is_held_beside_a_pest(catalogue):
    found = answer(catalogue, {"observations": MITES})
    assert found["companions"] == []
    assert {*found["companions"]} <= {*found["present"]}


@pytest.mark.parametrize(
    "wrong",
    [
        {"month": 13},
        {"month": "June"},
        {"hemisphere": "east", "month": 1},
        {"measured": [0]},
        {"measured": "2 mm"},
        {"cannot_tell": ["no-such-sign"]},
        {"cannot_tell": "web-fine"},
    ],
)
def test_what_cannot_be_read_is_told_in_a_sentence(catalogue, wrong):
    with pytest.raises(InputError) as told:
        answer(catalogue, {"observations": {}, **wrong})
    assert str(told.value).endswith(".")
