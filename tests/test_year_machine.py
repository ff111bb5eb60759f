"""The year machine's short run: two households live through forty days, and nothing
goes wrong; and it does see what it looks for.
"""

from datetime import date

import pytest
from machine.page import Page, wrong_text
from machine.report import Fault, Report
from machine.run import one

DAYS, STRIDE = 40, 12
QUICK = [28, 26]
"""Seeds whose first pests are quick and whose places are warm, so that forty days hold
much and take little time. In the first household a look finds life.
"""


@pytest.mark.parametrize("seed", QUICK)
def test_two_households_live_through_forty_days(seed, empty_household):
    report = one(seed, 0, DAYS, STRIDE, empty=empty_household, heavy=False)
    assert report.faults == [], report.table()
    assert report.counts["visits"] >= 3
    assert report.counts["pages"] > 40
    assert report.counts["cases"] >= 1
    if seed == QUICK[0]:
        assert report.counts["looks that found life"] >= 1


@pytest.mark.parametrize(
    ("text", "what"),
    [
        ("about nan °C", "a number that is none"),
        ("up to None", "None"),
        ("Wait until .", "an empty date"),
        ("a <strong>word</strong>", "raw markup"),
        ("Traceback (most recent call last)", "a traceback"),
        ("from 2026-06-01T00:00 on", "an empty date"),
    ],
)
def test_the_machine_sees_what_no_text_may_hold(text, what):
    assert [found for found, _ in wrong_text(text)] == [what]
    assert wrong_text("None of these. Nothing alive by 3 June.") == []


def test_the_machine_reads_a_page_as_a_keeper_sees_it():
    page = Page(
        '<h1>Today</h1><ul><li class="task" id="task-look-3" data-due="2026-06-01"><form '
        'method="post" action="/x">'
        '<input type="hidden" name="a" value="1"><button><span class="sr-only">Nothing '
        "alive</span></button></form>"
        '<a href="/cases/3/inspect">Count what lives</a></li></ul>'
        '<form action="/y"><select name="s"><option value="1">one<option value="2" '
        'selected>two</select><input type="checkbox" name="c" value="1">'
        '<button name="to" value="open">Open</button></form>'
    )
    (task,) = page.tasks
    assert (task.key, task.due, task.url) == ("look-3", "2026-06-01", "/cases/3/inspect")
    assert task.forms[0].buttons == [("", "", "", "")], (
        "what only a screen reader says is no writing on a button"
    )
    assert page.form("/y").values == {"s": "2"}
    assert page.form("/y").buttons == [("to", "open", "Open", "")]
    assert page.heading == "Today"


def test_a_table_tells_kinds_examples_and_the_share_that_was_wrong():
    report = Report()
    report.faults += [
        Fault("text", (1, n), date(2026, 6, 1), f"/cases/{n}", "NaN") for n in range(3)
    ]
    report.counts.update({"declared": 50, "alive though declared": 1, "visits": 10, "items": 30})
    total = Report(slowest=(2.5, "1:0", "/"), later=["1:0 2026-07-01 /cases/2"])
    total.add(report)
    total.add(Report(report.faults, report.counts, slowest=(7.25, "3:1", "/cases/4/chance")))
    table = total.table()
    assert "     6  text" in table
    assert "declared clear 100, of them alive 2 (2.0%, standard error 1.4%)" in table
    assert table.count("/cases/0: NaN") == 1
    assert "all-clear later by 1\n                     1:0 2026-07-01 /cases/2\n" in table
    assert "the slowest request: 7.2 s of the processor, 3:1 /cases/4/chance" in table
