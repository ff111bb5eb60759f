"""A pasted list: read line by line, shown whole, made as shown."""

import pytest
from conftest import NOW
from sqlalchemy import select

from brood.services.house import pasting
from brood.services.house.list_text import lines_of
from brood.services.house.pasting import Usual
from brood.store.queries import cases
from brood.store.tables import Plant

MIXED = """Boston fern
Basil\tKitchen sill\therb
Moth orchid; Attic; orchid
"Ivy, small", box room, foliage

40 x cactus
Lemon x 3; Attic
"""


@pytest.mark.parametrize(
    ("line", "cells"),
    [
        ("Fern", ("Fern", "", "", 1)),
        ("Fern\tHall", ("Fern", "Hall", "", 1)),
        ("Fern; Hall; foliage", ("Fern", "Hall", "foliage", 1)),
        ("Fern, Hall, , 4", ("Fern", "Hall", "", 4)),
        ('"Fern, old", Hall', ("Fern, old", "Hall", "", 1)),
        ("40 x cactus", ("cactus", "", "", 40)),
        ("3× Aloe; Hall", ("Aloe", "Hall", "", 3)),
        ("Aloe x 3", ("Aloe", "", "", 3)),
        ("Fern;Hall;;some", ("Fern", "Hall", "", None)),
        ("Box", ("Box", "", "", 1)),
        ("2 Palms", ("2 Palms", "", "", 1)),
    ],
)
def test_a_line_is_read_with_its_own_mark(line, cells):
    found = next(lines_of(line))
    assert (found.name, found.place, found.kind, found.many) == cells


def test_a_heading_says_which_column_is_which():
    found = list(lines_of("\ufeffRoom,How many,Plant,Type\r\nHall,2,Fern,foliage\r\n"))
    assert [(r.n, r.name, r.place, r.kind, r.many) for r in found] == [
        (2, "Fern", "Hall", "foliage", 2)
    ]


def test_a_mixed_list_of_bare_names_is_made_with_its_places(demo_store):
    with demo_store.writing() as session:
        found = pasting.lines(session, MIXED, Usual("Box room", "foliage"))
        assert not found.faulty
        assert not found.placeless
        assert found.plants == 4 + 40 + 3
        assert found.new_places == ("Attic",)
        assert pasting.keep(session, found, 17.5, now=NOW) == 47
    with demo_store.reading() as session:
        attic = next(p for p in cases.places(session) if p.name == "Attic")
        made = {p.name: p for p in session.scalars(select(Plant))}
        stands = {p.name for p in cases.standing_at(session, attic.id)}
        assert made["Ivy, small"].stays[-1].place.name == "Box room"
        kinds = {name: made[name].kind for name in ("Boston fern", "Basil", "Cactus 40", "Lemon 2")}
    assert stands == {"Moth orchid", "Lemon 1", "Lemon 2", "Lemon 3"}
    assert kinds == {
        "Boston fern": "foliage",
        "Basil": "seedling-herb",
        "Cactus 40": "cactus-succulent",
        "Lemon 2": "woody-citrus",
    }


@pytest.mark.parametrize(
    ("line", "says"),
    [
        (";Box room;", "name is missing"),
        ("Fern;Box room;cheese", "no kind"),
        ("<b>;Box room", "such as <"),
        ("Fe\x07rn;Box room", "such as <"),
        ("x" * 140_000 + ";Box room", "longer than 80"),
        ("1001 x fern;Box room", "1 to 1000"),
        ("Fern;Box room;;lots", "a whole number"),
        ("F" * 81 + ";Box room", "longer than 80"),
    ],
)
def test_a_line_that_cannot_be_used_says_why(demo_store, line, says):
    with demo_store.reading() as session:
        (row,) = pasting.lines(session, line).rows
    assert says in row.fault
    assert not row.names


def test_a_place_much_like_one_that_is_there_is_remarked_on(demo_store):
    with demo_store.reading() as session:
        (row,) = pasting.lines(session, "Fern;Kitchen sil").rows
    assert row.place_id is None
    assert "much like “Kitchen sill”" in row.remark


def test_a_list_that_is_too_long_says_so_instead_of_losing_its_end(demo_store):
    with demo_store.reading() as session:
        found = pasting.lines(session, "\n".join(["1000 x fern; Box room"] * 11))
    assert found.too_many


def test_what_cannot_be_used_is_not_made(demo_store):
    with demo_store.writing() as session:
        found = pasting.lines(session, "Fern\n;Box room\nIvy;Box room")
        assert [r.names for r in found.usable] == [("Ivy",)]
        assert pasting.keep(session, found, 20.0, now=NOW) == 1
        assert pasting.keep(session, pasting.lines(session, "Fern"), 20.0, now=NOW) == 0


def test_numbers_go_on_from_the_plants_that_are_there(demo_store):
    for expected in (["Aloe 1", "Aloe 2"], ["Aloe 3", "Aloe 4"]):
        with demo_store.writing() as session:
            found = pasting.lines(session, "2 x aloe", Usual("Box room"))
            assert list(found.rows[0].names) == expected
            pasting.keep(session, found, 20.0, now=NOW)
