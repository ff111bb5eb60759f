"""The pictures of looking again: well formed, inside their frames, no label over
another, and true to their numbers.
"""

import re
import xml.etree.ElementTree as ET
from dataclasses import replace
from datetime import date, datetime, time, timedelta

import pytest
from conftest import NOW
from planned import Desk

from brood.charts.followup import falling, follow
from brood.charts.house import evenings, shelves
from brood.charts.pen import svg
from brood.core.biology.case import Inspection
from brood.core.followup.all_clear import Clearing, NeededLook
from brood.services.cases.beside import house_of
from brood.services.followup import follow_page
from brood.services.followup.follow_page import Dot, FollowChart
from brood.services.house import neighbours
from brood.services.today import evenings_together, today
from brood.services.voice.preferences import Preferences
from brood.services.voice.speech import Speech

SPEECH, DAY = Speech(), date(2026, 6, 1)
SIZES = {"label": 15.0, "day-number": 18.0, "margin": 13.0, "stroke-day": 13.5}


def day(n):
    return DAY + timedelta(days=n)


def read(text):
    root = ET.fromstring(text)
    assert "style=" not in text
    assert not re.search(r"\bnan\b|\binf\b|None", text)
    assert root.find("desc").text
    return root


def boxes(root):
    """Where each label stands, roughly: left, top, right, bottom, its words."""
    for node in root.iter("text"):
        if "rotate" in node.attrib.get("transform", ""):
            continue
        classes = node.attrib.get("class", "").split()
        size = next((SIZES[c] for c in classes if c in SIZES), 13.0)
        wide = svg.width(node.text or "", size) * 0.86
        x, y = float(node.attrib["x"]), float(node.attrib["y"])
        left = x - {"middle": wide / 2, "end": wide}.get(node.attrib.get("text-anchor", ""), 0.0)
        yield left, y - size * 0.72, left + wide, y + size * 0.1, node.text


def no_label_over_another(root):
    every = list(boxes(root))
    for n, a in enumerate(every):
        for b in every[n + 1 :]:
            assert a[2] <= b[0] or b[2] <= a[0] or a[3] <= b[1] or b[3] <= a[1], (a[4], b[4])


def inside(root, margin=24.0):
    wide, high = (float(v) for v in root.attrib["viewBox"].split()[2:])
    for left, top, right, bottom, words in boxes(root):
        assert left >= -margin, words
        assert top >= -margin, words
        assert right <= wide + margin, words
        assert bottom <= high + margin, words


@pytest.fixture
def build(demo_store, catalogue):
    def make(tried=None, prefs=None):
        with demo_store.reading() as session:
            return today.build(Desk(session, catalogue, NOW, Preferences(**prefs or {})), tried)

    return make


@pytest.mark.parametrize("wide", [True, False])
@pytest.mark.parametrize(
    "more",
    [{}, {"tried": NOW.date() + timedelta(days=2)}, {"prefs": {"evenings": "5"}}],
    ids=["fewest", "tried", "Saturdays"],
)
def test_evenings_across_plants(build, wide, more):
    result = build(**more)
    root = read(evenings.draw(result, SPEECH, wide=wide))
    no_label_over_another(root)
    inside(root)
    shown = [
        s
        for s in result.sessions
        if s.on
        < result.first
        + timedelta(days=evenings_together.SPAN_DAYS if wide else 1 + evenings.TALL_DAYS)
    ]
    beads = sum("bead-next" in n.attrib.get("class", "") for n in root.iter())
    drawn = [r for r in result.rows if r.windows]
    assert beads == (
        len([r for r in shown[0].rows if r in drawn]) if shown and shown[0] == result.chosen else 0
    )
    assert all(r.row.plant.name in root.find("desc").text for s in result.sessions for r in s.rows)


def test_an_evening_that_nobody_is_free_for_is_named_and_not_drawn(build):
    result = build(prefs={"evenings": "5"})
    assert all(s.on.weekday() == 5 for s in result.sessions)
    assert {r.row.id for r in result.unserved} == {
        r.row.id for r in result.rows if r.windows and r.served_on is None
    }
    empty = replace(result, rows=(), sessions=(), chosen=None)
    assert (
        "No evening is planned" in read(evenings.draw(empty, SPEECH, wide=True)).find("desc").text
    )


@pytest.mark.parametrize("wide", [True, False])
@pytest.mark.parametrize("case_id", [1, 3, 4, 7])
def test_expected_against_seen(demo_store, catalogue, case_id, wide):
    with demo_store.reading() as session:
        data = follow_page.build(Desk(session, catalogue, NOW), case_id).chart
    root = read(follow.draw(data, SPEECH, wide=wide))
    inside(root)
    assert sum(n.attrib.get("class") in ("seen", "seen-none") for n in root.iter()) == len(
        data.dots
    )
    assert sum(n.attrib.get("class") == "handle-done" for n in root.iter()) == len(data.evenings)
    assert all(
        low <= mid <= high for low, mid, high in zip(data.low, data.mid, data.high, strict=True)
    )


def test_a_vague_look_is_as_wide_as_its_doubt_and_none_seen_is_an_open_ring():
    days = 20
    flat = tuple(30.0 for _ in range(days + 1))
    data = FollowChart(
        DAY,
        day(days),
        tuple(9.0 for _ in flat),
        flat,
        tuple(90.0 for _ in flat),
        flat,
        (Dot(day(6), 12.0, 5.0, 4), Dot(day(14), 0.0, 0.0, 0)),
        (day(0), day(7)),
    )
    root = read(follow.draw(data, SPEECH, wide=True))
    vague = [n for n in root.iter() if n.attrib.get("class") == "seen-vague"]
    left, right = (float(v) for v in re.findall(r"[ML](-?[\d.]+)", vague[0].attrib["d"]))
    scale = (808 - 54 - 130) / days
    assert right - left == pytest.approx(8 * scale, rel=0.02)
    assert len(vague) == 1
    assert sum(n.attrib.get("class") == "seen-none" for n in root.iter()) == 1
    no_label_over_another(root)


@pytest.mark.parametrize("wide", [True, False])
def test_the_falling_chance_marks_its_looks_and_its_end(wide):
    curve = tuple((day(n), 0.9 * 0.97**n) for n in range(0, 50, 5))
    clean = tuple((day(n), max(0.9 * 0.82**n, 0.0004)) for n in range(0, 50, 5))
    found = Clearing(
        day(0),
        day(10),
        day(25),
        day(28),
        curve,
        clean,
        (NeededLook(day(25), "first"), NeededLook(day(45), "cycle")),
        day(30),
        day(45),
        (Inspection(day(5)),),
        ((day(20), 3.0),),
    )
    root = read(falling.draw(found, day(2), SPEECH, wide=wide))
    no_label_over_another(root)
    inside(root, 14)
    assert {"16 Jul", "26 Jun"} <= {n.text for n in root.iter("text")}, (
        "with its month where there are several"
    )
    classes = [n.attrib.get("class", "") for n in root.iter()]
    assert classes.count("look-needed") == 2
    assert classes.count("look-done") == 1
    assert classes.count("flag") == 1
    assert "in 100" in root.find("desc").text
    open_end = replace(found, closed=None)
    assert "flag" not in [
        n.attrib.get("class", "")
        for n in read(falling.draw(open_end, day(2), SPEECH, wide=wide)).iter()
    ]


def test_a_place_is_drawn_with_how_each_plant_stands(demo_store, catalogue):
    with demo_store.reading() as session:
        for place, rows in neighbours.standings(
            Desk(session, catalogue, datetime.combine(NOW.date(), time(12))), house_of(session)
        ):
            root = read(shelves.draw(place.name, place.draught, rows))
            no_label_over_another(root)
            for row in rows:
                assert f"{row.plant.name}: {neighbours.STATES[row.state]}" in root.find("desc").text
            assert sum("stand-" in n.attrib.get("class", "") for n in root.iter()) == len(rows)
    crowd = [s for s in rows for _ in range(60)] or []
    assert (
        sum(
            "stand-" in n.attrib.get("class", "")
            for n in read(shelves.draw("Crowd", "", crowd)).iter()
        )
        <= shelves.MOST
    )


def test_a_name_that_is_too_long_ends_in_an_ellipsis_and_fits():
    assert svg.shortened("Bay laurel", 100) == "Bay laurel"
    short = svg.shortened("Basil seedling tray by the second window", 120)
    assert short.endswith("…")
    assert svg.width(short) <= 120
    assert svg.shortened("Fig", 1) == "F…"
