"""A logger's file: the simulated device's own, and nonsense."""

import contextlib
import random
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brood.core.climate import daily_table
from brood.core.climate.logger_table import parse
from brood.core.climate.series import FILLED, from_readings
from brood.errors import InputError
from brood.services.warmth.simulated_logger import LoggerPlan, csv_text, temperatures

START = datetime(2026, 6, 1)
HEAD = "time,temperature_c\n"


def test_the_simulated_loggers_file_loses_nothing_that_was_good():
    plan = LoggerPlan(START, days=35, seed=3)
    log = parse(csv_text(plan).encode())
    assert len(log.readings) + len(log.refused) + 1 == len(csv_text(plan).splitlines()) - 1, (
        "one repeated row is merged"
    )
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
        (b"", "empty"),
        (b"   \n", "empty"),
        (b"%PDF-1.7 x", "PDF"),
        (b"\x00\x01\x02", "not a text file"),
        (b"plant,water\n1,2\n", "heading"),
        (HEAD.encode(), "no rows"),
        ((HEAD + "yesterday,20\n").encode(), "not a time"),
    ],
)
def test_what_is_no_loggers_table_is_refused_as_a_whole(data, words):
    with pytest.raises(InputError, match=words):
        parse(data)


@pytest.mark.parametrize(
    ("row", "reason"),
    [
        ("2026-06-01 08:10,warm", "not a temperature"),
        ("2026-06-01 08:10,", "missing"),
        ("2026-06-01 08:10", "column"),
        ("2026-06-31 08:10,20", "no day"),
        ("1800-06-01 08:10,20", "1800"),
        ("2026-06-01 08:10,nan", "not a temperature"),
        ("2026-06-01 08:10,99", "outside"),
        ("2026-06-01 08:00,25.0", "row 2 gives 20 °C"),
    ],
)
def test_a_bad_row_is_refused_with_its_number_and_the_others_are_kept(row, reason):
    log = parse((HEAD + f"2026-06-01 08:00,20\n{row}\n2026-06-01 08:20,20.4\n").encode())
    assert [(r.row, reason in r.reason) for r in log.refused] == [(3, True)]
    assert [r.celsius for r in log.readings] == [20.0, 20.4]


def test_disorder_repeats_and_a_byte_order_mark_are_repaired_and_noted():
    body = "2026-06-01 08:20,21\n2026-06-01 08:00,20\n2026-06-01 08:20,21\n2026-06-01 08:30,22\n"
    log = parse(("\ufeff" + HEAD + body).encode())
    assert [r.celsius for r in log.readings] == [20.0, 21.0, 22.0]
    assert len(log.notes) == 2


LISBON = ZoneInfo("Europe/Lisbon")
DIALECTS = [
    ("Date;Temp (°C)\n01.06.2026 08:00;20,5\n15.06.2026 08:10;21,0\n", {}, [20.5, 21.0]),
    (
        "No.,Date-Time (GMT),Temperature °F,RH %\n1,2026-06-01 08:00,68.0,55\n2,2026-06-01 "
        "08:10,69.8,55\n",
        {},
        [20.0, 21.0],
    ),
    (
        "Plot: balcony\n\nDate,Time,Temp_C\n06/01/2026,08:00 AM,20.5\n06/13/2026,01:10 PM,21\n",
        {},
        [20.5, 21.0],
    ),
    ("Datum\tUhrzeit\tTemperatur\n1.6.26\t8:00\t20,5\n13.6.26\t8:10\t21\n", {}, [20.5, 21.0]),
    ("time,temperature_c\n2026-06-01 08:00,20,5\n2026-06-01 08:10,21,0\n", {}, [20.5, 21.0]),
    (
        "timestamp,humidity,temp\n1780297200,50,20.5\n1780297800,50,21\n",
        {"zone": LISBON},
        [20.5, 21.0],
    ),
    (
        '"when","Sensor temp [°C]"\n"2026-06-01T08:00:00+01:00","20.5 '
        '°C"\n"2026-06-01T08:10:00+01:00","21.0 °C"\n',
        {"zone": LISBON},
        [20.5, 21.0],
    ),
    (
        "time,temp_c,low alarm,high alarm\n2026-06-01 08:00,20.5,5,30\n2026-06-01 08:10,21,5,30\n",
        {},
        [20.5, 21.0],
    ),
    ("2026-06-01 08:00;20,5\n2026-06-01 08:10;21\n2026-06-01 08:20;21,5\n", {}, [20.5, 21.0, 21.5]),
]


@pytest.mark.parametrize(("text", "given", "celsius"), DIALECTS, ids=range(len(DIALECTS)))
def test_other_devices_ways_of_writing_are_read(text, given, celsius):
    for data in (text.encode(), ("\ufeff" + text).encode(), text.encode("utf-16")):
        assert daily_table.parse(data) is None
        log = parse(data, **given)
        assert [r.celsius for r in log.readings] == pytest.approx(celsius)
        assert log.readings[0].at == datetime(2026, 6, 1, 8)
        assert not log.refused


def test_a_row_that_is_cut_short_is_refused_and_the_others_are_read():
    log = parse(b"No.,Date-Time,Temp\n1\n2,2026-06-01 08:00,20.5\n3,2026-06-01 08:10,21\n")
    assert [r.celsius for r in log.readings] == [20.5, 21.0]
    assert [r.row for r in log.refused] == [2]


def test_ambiguous_dates_follow_the_order_of_the_file_and_then_the_settings():
    rows = "".join(f"{d:02d}/06/2026 08:00,20\n" for d in range(1, 12))
    assert parse((HEAD + rows).encode(), day_first=False).readings[-1].at == datetime(
        2026, 6, 11, 8
    )
    one = (HEAD + "03/04/2026 08:00,20\n").encode()
    assert [parse(one, day_first=d).readings[0].at.month for d in (True, False)] == [4, 3]
    assert "read both ways" in parse(one).notes[0]


def test_utc_is_turned_into_the_households_zone_over_a_clock_change():
    rows = "".join(f"2026-10-24T{h:02d}:00Z,20\n" for h in (22, 23)) + "".join(
        f"2026-10-25T{h:02d}:00Z,20\n" for h in (0, 1, 2)
    )
    log = parse((HEAD + rows).encode(), zone=LISBON)
    assert [(r.at.hour, r.fold) for r in log.readings] == [(23, 0), (0, 0), (1, 0), (1, 1), (2, 0)]
    assert "No time zone is set" in parse((HEAD + rows).encode()).notes[0]


def _written(rng, at, celsius, dialect):
    separator, comma, stamp, fahrenheit = dialect
    number = f"{celsius * 9 / 5 + 32 if fahrenheit else celsius:.1f}"
    return f"{at.strftime(stamp)}{separator}{number.replace('.', ',') if comma else number}"


def test_two_thousand_mutated_files_keep_every_good_row_and_refuse_every_bad_one_with_its_reason():
    rng = random.Random(20261125)
    junk = [
        "",
        "x",
        "99/99/9999",
        "2026-06-01",
        "NaN",
        "-",
        "1e400",
        "''",
        "\x07",
        "°",
        "=1+1",
        "2026-13-40 25:61",
        "∞",
        "20.5.3",
        '"',
    ]
    for _ in range(2000):
        separator, comma = rng.choice([(",", False), (";", True), (";", False), ("\t", True)])
        stamp = rng.choice(
            ["%Y-%m-%d %H:%M", "%d.%m.%Y %H:%M", "%Y/%m/%dT%H:%M:%S", "%m/%d/%Y %I:%M %p"]
        )
        fahrenheit = rng.random() < 0.3
        start = datetime(2026, 6, rng.choice([14, 20, 25]), rng.randrange(20))
        good = {
            i: (start + timedelta(minutes=10 * i), rng.randrange(-200, 450) / 10)
            for i in range(rng.randrange(4, 24))
        }
        lines = [
            _written(rng, at, c, (separator, comma, stamp, fahrenheit)) for at, c in good.values()
        ]
        bad = set(rng.sample(sorted(good), rng.randrange(0, len(good) - 2)))
        for i in bad:
            when, value = lines[i].rsplit(separator, 1)
            j = rng.choice(junk)
            wrong = rng.choice(["999", "-400", "warm", "--"])
            lines[i] = rng.choice(
                [
                    f"{j or 'x'}{separator}{value}",
                    f"{when}{separator}{j}",
                    when,
                    f"{when}{separator}{wrong}",
                ]
            )
        head = f"date time{separator}temperature ({'°F' if fahrenheit else '°C'})"
        log = parse("\n".join([head, *lines]).encode(rng.choice(["utf-8", "utf-8-sig", "utf-16"])))
        assert {r.row - 2: r.at for r in log.readings} == {
            i: at for i, (at, _) in good.items() if i not in bad
        }, lines
        assert all(abs(r.celsius - good[r.row - 2][1]) < 0.06 for r in log.readings)
        assert {r.row - 2 for r in log.refused} == bad
        assert all(r.reason for r in log.refused)


@given(st.binary(max_size=400))
def test_any_bytes_at_all_are_read_or_refused_in_a_sentence(data):
    for content in (data, HEAD.encode() + data):
        with contextlib.suppress(InputError):
            assert parse(content).readings
