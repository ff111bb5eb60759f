"""Places: logger files taken, overlapping, contradicting, withdrawn; single readings corrected."""

from datetime import datetime, time, timedelta

import pytest
from conftest import NOW

from brood.errors import FieldErrors, InputError, NotFound
from brood.services.house import access, places
from brood.services.voice import preferences
from brood.services.warmth import logger_files
from brood.services.warmth.simulated_logger import LoggerPlan, csv_text
from brood.store.queries import cases, readings

START = datetime(2026, 6, 1)
SILL = places.PlaceCommand(
    "Kitchen sill", "", "set-points", places.Warmth(22.0, 18.0, time(7), time(21))
)


@pytest.fixture
def sill(store):
    with store.writing() as session:
        return places.add(session, SILL, now=NOW)


def take(store, place, text, name="sill.csv"):
    with store.writing() as session:
        return logger_files.take_file(session, place, name, text.encode(), now=NOW)


def bounds(store, place):
    with store.reading() as session:
        return readings.bounds(session, place)


def test_overlapping_files_count_nothing_twice_and_the_same_file_is_refused(store, sill):
    text = csv_text(LoggerPlan(START, days=6, faults=False))
    lines = text.splitlines()
    first = take(store, sill, "\n".join(lines[:500]))
    second = take(store, sill, "\n".join([lines[0], *lines[400:]]))
    assert (first.taken, second.taken, second.known) == (499, len(lines) - 500, 100)
    assert bounds(store, sill)[2] == len(lines) - 1
    with pytest.raises(InputError, match="read already"):
        take(store, sill, "\n".join(lines[:500]))


def test_readings_that_contradict_an_earlier_file_are_refused_and_listed(store, sill):
    take(store, sill, "time,temperature_c\n2026-06-01 08:00,20\n2026-06-01 09:00,21\n")
    upload = take(store, sill, "time,temperature_c\n2026-06-01 08:00,25\n2026-06-01 10:00,22\n")
    assert upload.taken == 1
    assert upload.refused[0]["row"] == 2
    assert "earlier file gives 20" in upload.refused[0]["reason"]


def test_a_file_of_days_goes_into_the_diary_leaves_what_stands_and_can_be_withdrawn(store, sill):
    with store.writing() as session:
        places.keep_diary(session, sill, [places.DiaryEntry(NOW.date(), 14.0, 21.0)], now=NOW)
    upload = take(
        store,
        sill,
        "Date;Min;Max\n06.06.2026;12,5;20\n07.06.2026;13;22\n08.06.2026;9;19\n09.06.2026;30;20\n",
    )
    assert (upload.taken, upload.known, [r["row"] for r in upload.refused]) == (2, 0, [5])
    assert "2026-06-08 was left as it stands: 14 to 21 °C." in upload.notes
    for out, expected in ((True, 1), (True, 1), (False, 3), (False, 3)):
        with store.writing() as session:
            logger_files.withdraw_file(session, upload.id, out=out, now=NOW)
        with store.reading() as session:
            assert len(readings.diary(session, sill)) == expected
    with store.reading() as session:
        assert cases.place(session, sill).source == "diary"
    with pytest.raises(InputError, match="No day"):
        take(store, sill, "day,low,high\nsoon,1,2\n")


def test_a_withdrawn_file_counts_no_more_until_it_is_brought_back(store, sill):
    upload = take(store, sill, csv_text(LoggerPlan(START, days=2, faults=False)))
    for out, expected in ((True, None), (False, 288)):
        with store.writing() as session:
            logger_files.withdraw_file(session, upload.id, out=out, now=NOW)
        found = bounds(store, sill)
        assert (found and found[2]) == expected


def test_a_corrected_reading_keeps_the_old_value(store, sill):
    take(store, sill, "time,temperature_c\n2026-06-01 08:00,20\n2026-06-01 09:00,41\n")
    with store.reading() as session:
        wrong = readings.of_day(session, sill, START.date())[1].id
    with store.writing() as session:
        logger_files.correct_reading(session, wrong, 21.0, now=NOW)
    with store.reading() as session:
        rows = readings.of_day(session, sill, START.date())
        assert [(r.celsius, r.withdrawn_at is None) for r in rows] == [
            (20, True),
            (41, False),
            (21, True),
        ]
        assert [c for _, c in readings.pairs(session, sill)] == [20, 21]
    with pytest.raises(NotFound), store.writing() as session:
        logger_files.correct_reading(session, wrong, None, now=NOW)


def test_a_page_shows_days_filled_hours_and_refused_rows(store, sill):
    take(store, sill, csv_text(LoggerPlan(NOW.replace(minute=0) - timedelta(days=12), days=12)))
    with store.reading() as session:
        result = places.build(session, sill, now=NOW)
    assert result.place.source == "logger"
    assert sum(row.filled_hours for row in result.days) == 8
    assert len(result.refused_at) == 2
    assert result.days[0].day >= result.days[-1].day
    assert sum(row.readings for row in result.days) == result.bounds[2]


def test_two_places_cannot_share_a_name_and_set_points_are_kept(store, sill):
    with pytest.raises(FieldErrors, match="already a place"), store.writing() as session:
        places.add(session, SILL, now=NOW)
    with store.writing() as session:
        warmer = places.PlaceCommand(
            "Kitchen sill", "", "set-points", places.Warmth(25.0, 18.0, time(7), time(21))
        )
        places.change(session, sill, warmer, now=NOW)
        places.change(session, sill, warmer, now=NOW)
    with store.reading() as session:
        assert [p.day_c for p in readings.set_points(session, sill)] == [25.0, 22.0]


def test_a_passcode_is_kept_only_as_a_hash_and_weak_ones_are_refused(store):
    passcode = access.new_passcode()
    with store.writing() as session:
        access.set_passcode(session, passcode)
        stored = preferences.get(session, access.KEY)
    assert passcode.replace(" ", "") not in stored
    with store.reading() as session:
        assert access.fits(session, passcode.replace(" ", ""))
        assert not access.fits(session, "0000 0000")
    with pytest.raises(FieldErrors), store.writing() as session:
        access.set_passcode(session, "111111")
