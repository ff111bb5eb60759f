"""A logger's file: the simulated device's own, and nonsense."""

from datetime import datetime, timedelta

import pytest

from brood.core.logger_csv import parse
from brood.core.temperature import FILLED, from_readings
from brood.errors import InputError
from brood.services.logger import LoggerPlan, csv_text, temperatures

START = datetime(2026, 6, 1)
HEAD = "time,temperature_c\n"


def test_the_simulated_loggers_file_loses_nothing_that_was_good():
    plan = LoggerPlan(START, days=35, seed=3)
    log = parse(csv_text(plan).encode())
    assert len(log.readings) + len(log.refused) + 1 == len(csv_text(plan).splitlines()) - 1, "one repeated row is merged"
    assert [r.reason for r in log.refused] == ["-127.0 °C is outside −30 to 60 °C"] * 2
    assert any("clock went back" in note for note in log.notes)
    assert sum(r.fold for r in log.readings) == 6
    series = from_readings((r.at, r.celsius) for r in log.readings)
    assert 0 < (series.origin == FILLED).mean() < 0.02
    clean = from_readings(temperatures(plan))
    assert abs(series.celsius.mean() - clean.celsius.mean()) < 0.1


def test_the_same_seed_gives_the_same_weather_and_days_swing():
    one, two = (temperatures(LoggerPlan(START, days=10, seed=s)) for s in (3, 4))
    assert one == temperatures(LoggerPlan(START, days=10, seed=3)) != two
    day = [c for at, c in one if at.date() == START.date() + timedelta(days=3)]
    assert max(day) - min(day) > 4


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "empty"), (b"   \n", "empty"), (b"%PDF-1.7 x", "PDF"), (b"\x00\x01\x02", "not a text file"),
        (b"plant,water\n1,2\n", "heading"), (HEAD.encode(), "None of the 0 rows"),
        ((HEAD + "yesterday,20\n").encode(), "not a time"),
    ],
)  # fmt: skip
def test_what_is_no_loggers_table_is_refused_as_a_whole(data, words):
    with pytest.raises(InputError, match=words):
        parse(data)


@pytest.mark.parametrize(
    ("row", "reason"),
    [
        ("2026-06-01 08:10,warm", "not a temperature"), ("2026-06-01 08:10,", "missing"), ("2026-06-01 08:10", "column"),
        ("2026-06-31 08:10,20", "not a time"), ("1800-06-01 08:10,20", "1800"), ("2026-06-01 08:10,nan", "outside"),
        ("2026-06-01 08:10,99", "outside"), ("2026-06-01 08:00,25.0", "row 2 gives 20 °C"),
    ],
)  # fmt: skip
def test_a_bad_row_is_refused_with_its_number_and_the_others_are_kept(row, reason):
    log = parse((HEAD + f"2026-06-01 08:00,20\n{row}\n2026-06-01 08:20,20.4\n").encode())
    assert [(r.row, reason in r.reason) for r in log.refused] == [(3, True)]
    assert [r.celsius for r in log.readings] == [20.0, 20.4]


def test_disorder_repeats_and_a_byte_order_mark_are_repaired_and_told():
    body = "2026-06-01 08:20,21\n2026-06-01 08:00,20\n2026-06-01 08:20,21\n2026-06-01 08:30,22\n"
    log = parse(("\ufeff" + HEAD + body).encode())
    assert [r.celsius for r in log.readings] == [20.0, 21.0, 22.0]
    assert len(log.notes) == 2
