"""Nothing is lost: export and import, backup under load, writes cut off by a kill, many
plants, addresses that end.
"""

import csv
import io
import json
import os
import signal
import sqlite3
import subprocess
import sys
import threading
import zipfile
from datetime import date, timedelta

import pytest
from conftest import NOW
from planned import Desk
from sqlalchemy import func, select

from brood.errors import InputError, NotFound
from brood.services.archive import backup, importing, old_exports, record, sharing, transfer
from brood.services.house import events, pasting, plants
from brood.services.today import today
from brood.services.voice.preferences import Preferences
from brood.services.voice.speech import Speech
from brood.store.queries import cases
from brood.store.session import open_store
from brood.store.tables import Plant, Setting

SPEECH = Speech()


def exported(session):
    return "".join(transfer.export(session))


def archived(session):
    out = io.BytesIO()
    transfer.archive(session, out)
    return out.getvalue()


def test_an_export_read_into_an_empty_household_gives_the_same_bytes(demo_store, tmp_path):
    with demo_store.reading() as session:
        first = exported(session)
        tables = archived(session)
    other = open_store(tmp_path / "other" / "household.sqlite")
    with other.writing() as session:
        importing.load(session, tables)
    with other.reading() as session:
        assert exported(session) == first, "through CSV tables too"
    with other.writing() as session:
        transfer.clear(session)
        taken = importing.load(session, first.encode())
    with other.reading() as session:
        assert exported(session) == first
    assert taken == sum(len(rows) for rows in json.loads(first)["tables"].values())
    with pytest.raises(InputError, match="already"), other.writing() as session:
        importing.load(session, first.encode())
    with other.writing() as session:
        transfer.clear(session)
        importing.load(session, first.encode())
    with other.reading() as session:
        assert exported(session) == first
    other.close()


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda d: "{", "no JSON"),
        (lambda d: json.dumps({**d, "kind": "x"}), "not a household"),
        (lambda d: json.dumps({**d, "version": "19990101_01"}), "another version"),
        (lambda d: json.dumps({**d, "tables": {**d["tables"], "sundries": []}}), "no table"),
        (lambda d: json.dumps({**d, "tables": {**d["tables"], "plant": [{"id": 1}]}}), "columns"),
        (
            lambda d: json.dumps(
                {
                    **d,
                    "tables": {
                        **d["tables"],
                        "place": [{**d["tables"]["place"][0], "created_at": "soon"}],
                    },
                }
            ),
            "cannot be read",
        ),
    ],
)
def test_a_document_that_is_no_household_is_refused_and_nothing_is_kept(
    demo_store, store, change, says
):
    with demo_store.reading() as session:
        document = json.loads(exported(session))
    with pytest.raises(InputError, match=says), store.writing() as session:
        importing.load(session, change(document).encode())
    with store.reading() as session:
        assert transfer.is_empty(session)


NOW_PLANNED = {
    "facts": 1,
    "planned_facts": 0,
    "planned_on": None,
    "good_until": None,
    "plan_state": "",
    "outlook_key": "",
    "anew": False,
}
NOW_LASTING = {
    "pest_case": {"refuge": None, "pace": "usual"},
    "plant": {"size": "", "number": 1, "labels_read": []},
    "finding": {"plants": 0},
    "inspection": {"plants": 0},
    "plant_event": {"leaves": None, "of_leaves": None},
    "application_record": {"mix_ml": None, "conditions": {}},
    "photo": {"record_id": None},
    "card": {"spot": ""},
    "look": {"passed": [], "put_off": {}},
}
NEW_TABLES = ("plant_state", "rain_day", "sighting", "prevention", "way_in")
LATEST = {
    "application": {"reason": {}},
    **NOW_LASTING,
    "application_record": {**NOW_LASTING["application_record"], "told": {}},
    "pest_case": {**NOW_LASTING["pest_case"], **NOW_PLANNED},
}
BEFORE = {
    **LATEST,
    "application": {**LATEST["application"], "missed_end_on": None, "missed_evenings": None},
    "pest_case": {**LATEST["pest_case"], "course_from": None},
    "plant": {**LATEST["plant"], "mother_id": None},
}
NEW_SINCE = {
    "20261129_02": NOW_LASTING,
    "20261129_01": LATEST,
    "20261126_02": BEFORE,
    "20261126_01": {
        **BEFORE,
        "application_record": {**BEFORE["application_record"], "minutes": None},
        "place": {"apart_room": None},
        "quarantine": {"from_place_id": None},
    },
}
"""What each version did not have yet, as it is filled in."""


GONE = {"pest_case": {"plan_key": ""}}
"""What this version no longer has."""


def earlier(document, version="20261126_02"):
    """The same household as an earlier version kept it, and what this one has of it."""
    was, is_now = {**document, "version": version, "tables": {}}, {**document, "tables": {}}
    for name, rows in document["tables"].items():
        last = version == "20261129_02"
        since = name in NEW_TABLES or (name == "plan_change" and not last)
        if since or (name == "expense" and version == "20261126_01"):
            is_now["tables"][name] = []
            continue
        new, gone = NEW_SINCE[version].get(name, {}), {} if last else GONE.get(name, {})
        was["tables"][name] = [
            {k: v for k, v in {**row, **gone}.items() if k not in new} for row in rows
        ]
        is_now["tables"][name] = [{**row, **new} for row in rows]
    return was, is_now


def as_archive(document):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        if document["version"] != transfer.BEFORE_VERSION:
            archive.writestr(transfer.VERSION, document["version"])
        for name, rows in document["tables"].items():
            body = io.StringIO()
            columns = [
                c.name
                for c in next(
                    t for t in old_exports.tables_at(document["version"]) if t.name == name
                ).columns
            ]
            csv.writer(body).writerow(columns)
            csv.writer(body).writerows([transfer._cell(row[c]) for c in columns] for row in rows)
            archive.writestr(f"{name}.csv", body.getvalue())
    return out.getvalue()


@pytest.mark.parametrize(
    ("version", "kind"),
    [
        ("20261129_02", "json"),
        pytest.param("20261129_01", "json", marks=pytest.mark.long),
        pytest.param("20261126_02", "json", marks=pytest.mark.long),
        pytest.param("20261126_02", "csv", marks=pytest.mark.long),
        ("20261126_01", "csv"),
    ],
)
def test_what_an_earlier_version_exported_is_read_in_whole(demo_store, store, version, kind):
    with demo_store.reading() as session:
        was, expected = earlier(json.loads(exported(session)), version)
    data = json.dumps(was).encode() if kind == "json" else as_archive(was)
    with store.writing() as session:
        importing.load(session, data)
    with store.reading() as session:
        assert json.loads(exported(session)) == expected


def test_rows_of_an_earlier_version_that_do_not_fit_together_are_refused(demo_store, store):
    with demo_store.reading() as session:
        was, _ = earlier(json.loads(exported(session)))
    was["tables"]["stay"][0]["plant_id"] = 999_999
    with pytest.raises(InputError, match="do not fit together"), store.writing() as session:
        importing.load(session, json.dumps(was).encode())


@pytest.mark.parametrize("data", [b"PK no archive", b"\xff\xfe", b"[]"])
def test_a_file_of_another_kind_is_refused(store, data):
    with pytest.raises(InputError), store.writing() as session:
        importing.load(session, data)


def test_the_passcode_stays_and_no_cell_is_taken_for_a_formula(store):
    with store.writing() as session:
        session.add(Setting(key="passcode_hash", value="hush"))
        session.add(Plant(name="=1+1", created_at=NOW))
    with store.reading() as session:
        assert "hush" not in exported(session)
        tables = zipfile.ZipFile(io.BytesIO(archived(session)))
    assert "'=1+1" in tables.read("plant.csv").decode()
    assert "hush" not in tables.read("setting.csv").decode()


def test_a_backup_taken_while_others_write_is_sound_and_can_be_put_back(demo_store, tmp_path):
    halt = threading.Event()

    def write() -> None:
        n = 0
        while not halt.is_set():
            with demo_store.writing() as session:
                session.merge(Setting(key="load", value=str(n)))
                session.add(Plant(name=f"Plant {n}", created_at=NOW))
            n += 1

    writer = threading.Thread(target=write)
    writer.start()
    target = tmp_path / "backup.sqlite"
    backup.backup(demo_store.path, target)
    halt.set()
    writer.join()
    with sqlite3.connect(target) as db:
        assert db.execute("PRAGMA integrity_check").fetchone() == ("ok",)
        copied = db.execute("select count(*) from plant where name like 'Plant %'").fetchone()[0]
        loaded = db.execute("select value from setting where key = 'load'").fetchone()
    assert loaded is None or int(loaded[0]) == copied - 1, "a moment between two writes"
    kept = backup.restore(target, demo_store.path, now=NOW)
    assert kept.is_file()
    with demo_store.reading() as session:
        assert (
            session.scalar(
                select(func.count()).select_from(Plant).where(Plant.name.like("Plant %"))
            )
            == copied
        )
    (tmp_path / "letter.txt").write_text("no database")
    with pytest.raises(InputError, match="not a sound backup"):
        backup.restore(tmp_path / "letter.txt", demo_store.path, now=NOW)


WRITES = """
import sys
from datetime import datetime
from brood.store.session import Store
from brood.store.tables import Plant
store = Store(Path(sys.argv[1]))
for n in range(200):
    with store.writing() as session:
        session.add(Plant(name=f"Plant {n}", created_at=datetime(2026, 6, 8)))
    print(n, flush=True)
"""


@pytest.mark.parametrize("after", [3, 60])
def test_what_was_acknowledged_before_a_kill_is_there_afterwards(store, after):
    """Kill -9 in the middle of two hundred writes."""
    said = 0
    with subprocess.Popen(
        [sys.executable, "-c", WRITES, str(store.path)], stdout=subprocess.PIPE, text=True
    ) as writer:
        for line in writer.stdout:
            said = int(line) + 1
            if said == after:
                os.kill(writer.pid, signal.SIGKILL)
                break
        said = max([said, *(int(line) + 1 for line in writer.stdout)])
    opened = open_store(store.path)
    with opened.reading() as session:
        names = set(session.scalars(select(Plant.name)))
    opened.close()
    assert names >= {f"Plant {n}" for n in range(said)}
    assert said < 200
    with sqlite3.connect(store.path) as db:
        assert db.execute("PRAGMA integrity_check").fetchone() == ("ok",)


def test_four_thousand_plants_are_pasted_listed_and_found(demo_store, catalogue):
    text = "name;place;kind\n" + "\n".join(
        f"Seedling {n};Propagation shelf;seedlings or herbs" for n in range(4000)
    )
    with demo_store.writing() as session:
        found = pasting.lines(session, text)
        assert not found.faulty
        assert not found.new_places
        assert pasting.keep(session, found, 20.0, now=NOW) == 4000
    with demo_store.reading() as session:
        listed = plants.listing(session, catalogue, today=NOW.date(), speech=SPEECH)
        today.build(Desk(session, catalogue, NOW, Preferences()))
        found = record.build(Desk(session, catalogue, NOW), text="Seedling 3999")
    assert len(listed) == 4013
    assert [e.plant for e in found.entries] == ["Seedling 3999"]


def test_addresses_end_when_revoked_and_open_only_on_their_days(demo_store, catalogue):
    day = NOW.date()
    with demo_store.writing() as session:
        feed = sharing.make(session, "feed", "phone", now=NOW)
        sitter = sharing.make(
            session, "sitter", "next door", now=NOW, from_on=day, until_on=day + timedelta(days=6)
        )
    with demo_store.reading() as session:
        row = sharing.address(session, "sitter", sitter, day)
        assert feed not in [a.digest for a in sharing.every(session)], (
            "the secret itself is not kept"
        )
        sheet = sharing.sheet(session, catalogue, row, today=day, speech=SPEECH)
        for kind, token, on in (
            ("feed", sitter, day),
            ("sitter", feed, day),
            ("feed", feed + "x", day),
            ("feed", "", day),
            ("sitter", sitter, day - timedelta(days=1)),
            ("sitter", sitter, day + timedelta(days=7)),
        ):
            with pytest.raises(NotFound):
                sharing.address(session, kind, token, on)
    task = next(
        t for on, tasks in sheet.days for t in tasks if on == day and t.key.startswith("treat")
    )
    with demo_store.writing() as session:
        row = sharing.address(session, "sitter", sitter, day)
        with pytest.raises(NotFound):
            sharing.tick(Desk(session, catalogue, NOW), row, "treat-99999")
        later = next(t for on, tasks in sheet.days for t in tasks if on > day)
        with pytest.raises(NotFound):
            sharing.tick(Desk(session, catalogue, NOW), row, later.key)
        sharing.tick(Desk(session, catalogue, NOW), row, task.key)
    with demo_store.reading() as session:
        slot_id = int(task.key.split("-")[1])
        _, slot = cases.case_of_application(session, slot_id)
        assert slot.records[-1].note == "ticked by the sitter"
    with demo_store.writing() as session:
        for a in sharing.every(session):
            sharing.revoke(session, a.id, now=NOW)
    with demo_store.reading() as session:
        for kind, token in (("feed", feed), ("sitter", sitter)):
            with pytest.raises(NotFound):
                sharing.address(session, kind, token, day)


def test_a_plant_that_is_gone_is_out_of_the_lists_and_in_the_record(demo_store, catalogue):
    with demo_store.writing() as session:
        plant = session.scalars(select(Plant).where(Plant.name == "Bay laurel")).one()
        given = events.EventCommand("given", date(2026, 6, 7), "to the neighbours")
        events.befell(session, catalogue, plant.id, given, now=NOW)
    with demo_store.reading() as session:
        assert "Bay laurel" not in [
            n.plant.name
            for n in plants.listing(session, catalogue, today=NOW.date(), speech=SPEECH)
        ]
        entries = record.build(Desk(session, catalogue, NOW), plant_id=plant.id).entries
        told = events.of_plant(session, plant.id)
    assert any("given away" in e.text for e in entries)
    with demo_store.writing() as session:
        assert events.take_back(session, told[0].id, now=NOW) == plant.id
    with demo_store.writing() as session:
        assert "Bay laurel" in [
            n.plant.name
            for n in plants.listing(session, catalogue, today=NOW.date(), speech=SPEECH)
        ]
        with pytest.raises(NotFound):
            events.take_back(session, told[0].id, now=NOW)
