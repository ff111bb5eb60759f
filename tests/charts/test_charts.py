"""Charts: well formed, in scale, without inline style, small enough; and they say what
they show.
"""

import gzip
import math
import re
import xml.etree.ElementTree as ET

import pytest
from conftest import NOW
from planned import Desk

from brood.charts.cases import bands, brood, brood_tall, spread
from brood.charts.pen import svg
from brood.charts.warmth import ribbon
from brood.services.cases import case_page
from brood.services.house import places
from brood.services.voice.speech import Speech

CASES = {"mite": 1, "whitefly": 2, "thrips": 3}
DRAW = {
    "lying": brood.draw,
    "standing": brood_tall.draw,
    "all, wide": lambda data, speech, title: spread.draw(data, speech, wide=True),
    "all, narrow": lambda data, speech, title: spread.draw(data, speech, wide=False),
}


@pytest.fixture
def charts(demo_store, catalogue):
    def make(case_id):
        with demo_store.reading() as session:
            return case_page.build(Desk(session, catalogue, NOW), case_id).chart

    return make


@pytest.mark.parametrize("way", DRAW)
@pytest.mark.parametrize("trouble", CASES)
def test_a_brood_chart_is_well_formed_and_keeps_to_its_frame(charts, trouble, way):
    data = charts(CASES[trouble])
    text = DRAW[way](data, Speech(), "Brood chart")
    root = ET.fromstring(text)
    assert "style=" not in text
    assert not re.search(r"\bnan\b|\binf\b|None", text)
    assert root.find("desc").text.startswith(("Groups: ", "All stages together: about "))
    wide, high = (float(v) for v in root.attrib["viewBox"].split()[2:])
    for node in root.iter():
        if (
            "d" in node.attrib
            and "transform" not in node.attrib
            and node.attrib.get("class", "")[:2] in ("fE", "fN", "fR", "fA", "fB", "to")
        ):
            xy = [float(v) for v in re.findall(r"-?[\d.]+", node.attrib["d"])]
            assert all(-1 <= x <= wide + 1 for x in xy[::2])
            assert all(-1 <= y <= high + 1 for y in xy[1::2])
    assert len(gzip.compress(text.encode())) < 60_000


def test_every_evening_has_its_handle_and_every_group_its_band(charts):
    data = charts(1)
    text = brood.draw(data, Speech(), "x")
    assert text.count('class="handle-done"') == sum(s.state == "done" for s in data.strokes) == 2
    assert text.count('class="handle-next"') == 1
    for band in data.bands:
        assert band.label in text
    assert "today" in text
    assert sum(data.alive) == pytest.approx(
        sum(float(b.numbers.sum()) for b in [_at(data, b) for b in data.bands]), rel=0.05
    )


def _at(data, band):
    """The band at its last sample before now."""
    last = max(i for i, m in enumerate(data.moments) if m <= data.now)
    return type(band)(
        band.key, band.label, "", "", 0, False, band.numbers[last : last + 1], None, None
    )


def test_height_grows_with_number_to_the_power_six_tenths_and_a_cut_takes_from_the_top(charts):
    assert bands.height(32, 2.0) == pytest.approx(2 * 32**0.6)
    data = charts(1)
    levels = bands.edges(data.bands[0].numbers, 3.0)
    assert (levels[:, 1:] >= levels[:, :-1] - 1e-9).all()
    stroke = data.strokes[0]
    caught, met, eggs = bands.caught(stroke, 0)
    assert 0 < caught < met
    assert eggs == stroke.after[0][0]


def test_a_line_is_simplified_within_its_tolerance():
    points = [(float(x), 10 * math.sin(x / 9)) for x in range(100)]
    few = svg.simplify(points, 0.3)
    assert few[0] == points[0]
    assert few[-1] == points[-1]
    assert len(few) < 40
    for x, y in points:
        a, b = max(p for p in few if p[0] <= x), min(p for p in few if p[0] >= x)
        on = a[1] if a == b else a[1] + (b[1] - a[1]) * (x - a[0]) / (b[0] - a[0])
        assert abs(on - y) < 0.5
    assert svg.simplify([]) == []


def test_text_in_a_chart_is_escaped():
    assert "<script>" not in svg.text((0, 0), "<script>")
    assert "<script>" not in svg.figure(1, 1, "x", '"><script>', "<script>", "")


def test_a_places_ribbon_draws_gaps_and_refused_rows_in_the_keepers_unit(demo_store):
    with demo_store.reading() as session:
        result = places.build(session, 1, now=NOW)
    for unit in ("C", "F"):
        text = ribbon.draw(result, Speech("en-US", unit))
        ET.fromstring(text)
        assert text.count("refused-mark") == 2
        assert "filled-gap" in text
        assert f"°{unit}" in text


@pytest.mark.parametrize("name", ["mite-adult", "thrips-pupa", "whitefly-egg", "plant-flowering"])
def test_drawings_carry_classes_and_no_styles(name):
    art = svg.drawing(name)
    assert art
    assert "style" not in art
    ET.fromstring(f"<g>{art}</g>")
