import contextlib
import json
import sqlite3
import threading

import pytest
from sqlalchemy import select, text
from sqlalchemy.exc import IntegrityError

from openstake.core.errors import ConflictError
from openstake.core.geodesy.frames import FrameDefinition
from openstake.derive.base import base_of
from openstake.store.book import canonical, verify, write_entry
from openstake.store.database import NAME, Database, migrate, newest_migration
from openstake.store.models import HeightReading, Job, JobSettings, Mark, Occupation


@pytest.fixture
def database(tmp_path):
    database = Database.in_folder(tmp_path)
    yield database
    database.close()


def test_a_new_database_is_what_the_migrations_make_of_an_empty_one(database, tmp_path):
    """Run `make schema` where it is not: tables, indexes, triggers, and nothing in them but where the database stands."""
    migrate(f"sqlite:///{tmp_path}/migrated.db", revision=newest_migration())
    found = []
    for name in (NAME, "migrated.db"):
        with contextlib.closing(sqlite3.connect(tmp_path / name)) as raw:
            made = raw.execute("SELECT type, name, tbl_name, sql FROM sqlite_master ORDER BY type, name").fetchall()
            tables = [name for kind, name, _, _ in made if kind == "table"]
            # A migration that rebuilds a table writes its foreign keys in any order.
            made = [(*item[:3], sorted(line.strip(" ,\n)") for line in (item[3] or "").split("\n\t"))) for item in made]
            rows = {table: raw.execute(f"SELECT * FROM {table}").fetchall() for table in tables}
            found.append((made, rows))
    assert found[0] == found[1]
    assert {kind for kind, *_ in found[0][0]} == {"table", "index", "trigger"} and len(found[0][0]) > 100
    assert {table for table, rows in found[0][1].items() if rows} == {"alembic_version"}


def written(database, lines=5):
    for n in range(lines):
        database.write(lambda session, n=n: write_entry(session, 1.5 + n, "test", f"line {n}", None, value=0.1 * n))


def broken(folder, statement):
    """Change the Book behind the program's back."""
    with sqlite3.connect(folder / "openstake.db") as raw:
        for (name,) in raw.execute("SELECT name FROM sqlite_master WHERE type = 'trigger'").fetchall():
            raw.execute(f"DROP TRIGGER {name}")
        raw.execute(statement)


@pytest.mark.parametrize(
    ("statement", "first_broken"),
    [
        ("UPDATE book SET text = replace(text, 'line 2', 'line 9') WHERE sequence = 3", 3),
        ("DELETE FROM book WHERE sequence = 2", 2),
        ("UPDATE book SET hash = previous_hash WHERE sequence = 5", 5),
        ("UPDATE book SET sequence = 9 WHERE sequence = 4", 4),
    ],
)
def test_a_changed_book_is_found_broken_where_it_was_changed(database, tmp_path, statement, first_broken):
    written(database)
    with database.read() as session:
        assert verify(session).whole

    broken(tmp_path, statement)

    with database.read() as session:
        result = verify(session)
    assert not result.whole
    assert result.first_broken == first_broken


def test_numbers_in_the_book_are_canonical_text():
    # repr of a double is the shortest text that gives the same bits back: Python's documentation of float.
    assert canonical({"b": 0.1, "a": [1, None, True], "c": "x"}) == '{"a":["1",null,true],"b":"0.1","c":"x"}'
    assert float(json.loads(canonical({"x": 1 / 3}))["x"]) == 1 / 3


@pytest.mark.parametrize("verb", ["UPDATE book SET text = 'x'", "DELETE FROM book"])
def test_the_database_itself_refuses_to_change_what_was_written(database, verb):
    written(database, 1)

    with pytest.raises(IntegrityError, match="never changed"):
        database.write(lambda session: session.execute(text(verb)))


def test_two_corrections_of_one_reading_cannot_both_win(database):
    job = Job(created_s=0.0)
    database.write(lambda session: session.add(job))

    def reading(replaces=None):
        return HeightReading(
            job_id=job.id,
            subject="base",
            text="1",
            reading_m=1.0,
            method="vertical",
            feature="bottom",
            feature_label="",
            rim_radius_m=0.0,
            feature_to_arp_m=0.0,
            arp_height_m=1.0,
            replaces_id=replaces,
            created_s=0.0,
        )

    first = reading()
    database.write(lambda session: session.add(first))
    outcomes = []

    def correct():
        try:
            database.write(lambda session: session.add(reading(first.id)))
            outcomes.append("won")
        except ConflictError:
            outcomes.append("409")

    threads = [threading.Thread(target=correct) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(outcomes) == ["409", "409", "409", "won"]


def test_the_promises_to_the_disk_are_kept(database):
    with database.read() as session:
        values = [session.execute(text(f"PRAGMA {name}")).scalar() for name in ("journal_mode", "foreign_keys", "synchronous")]
    assert values == ["wal", 1, 2]  # SQLite's documentation: 2 is FULL


def test_a_data_folder_of_the_first_version_keeps_its_jobs_and_marks(tmp_path):
    """2026-11-25: migration 0002 rebuilds the tables of jobs and marks."""
    migrate(f"sqlite:///{tmp_path / 'openstake.db'}", revision="0001")
    with sqlite3.connect(tmp_path / "openstake.db") as old:
        old.execute("INSERT INTO job VALUES ('j1', 'Old job', 2157, 'm', 1, 5.0)")
        old.execute(
            "INSERT INTO mark (id, job_id, name, east_m, north_m, height_m, height_kind, sigma_horizontal_m, sigma_vertical_m,"
            " source, note, reason, created_s) VALUES ('m1', 'j1', 'A', 1.5, 2.5, 3.5, 'ellipsoidal', 0.1, 0.2, 's', 'n', '', 5)"
        )
        old.execute("INSERT INTO occupation (id, job_id, mark_id, station_id, started_s) VALUES ('o1', 'j1', 'm1', 17, 6.0)")

    opened = Database.in_folder(tmp_path)
    with opened.read() as session:
        settings = session.scalars(select(JobSettings)).one()
        mark = session.get_one(Mark, "m1")
        assert (settings.job_id, settings.name, settings.length_unit) == ("j1", "Old job", "m")
        assert settings.frame == FrameDefinition(system="EPSG:2157")
        assert (mark.name, mark.east_m, mark.height_m, mark.withdrawn, mark.check_only) == ("A", 1.5, 3.5, False, False)
    opened.close()
    with sqlite3.connect(tmp_path / "openstake.db") as new:
        assert new.execute("PRAGMA foreign_key_check").fetchall() == []
        for table, column in (("mark", "name"), ("job_settings", "name")):
            with pytest.raises(sqlite3.IntegrityError, match="never changed"):
                new.execute(f"UPDATE {table} SET {column} = 'x'")


def test_a_data_folder_of_the_second_version_keeps_its_bases_and_their_heights(tmp_path):
    """A base that was started before set-ups and series of readings were kept is read as it was."""
    migrate(f"sqlite:///{tmp_path / 'openstake.db'}", revision="0002")
    with sqlite3.connect(tmp_path / "openstake.db") as old:
        tables = {
            "job": {"id": "j1", "practice": 0, "created_s": 5.0},
            "mark": {"id": "m1", "job_id": "j1", "name": "A", "created_s": 5.0},
            "occupation": {"id": "o1", "job_id": "j1", "mark_id": "m1", "station_id": 17, "started_s": 6.0},
            "height_reading": {
                "id": "h1",
                "job_id": "j1",
                "occupation_id": "o1",
                "subject": "base",
                "text": "1.546",
                "reading_m": 1.546,
                "method": "vertical",
                "feature_name": "bottom",
                "feature": "Bottom",
                "rim_radius_m": 0.0,
                "feature_to_arp_m": 0.0,
                "arp_height_m": 1.546,
                "reason": "",
                "created_s": 6.0,
            },
        }
        for table, values in tables.items():
            # Columns that say nothing here get what their kind has for nothing.
            nothing = {"TEXT": "", "VARCHAR": "", "FLOAT": 0.0, "INTEGER": 0, "BOOLEAN": 0}
            for _, name, kind, needed, default, _ in old.execute(f"PRAGMA table_info({table})").fetchall():
                if needed and default is None and name not in values:
                    values[name] = nothing[kind.split("(")[0]]
            marks = ", ".join("?" * len(values))
            old.execute(f"INSERT INTO {table} ({', '.join(values)}) VALUES ({marks})", list(values.values()))

    opened = Database.in_folder(tmp_path)
    with opened.read() as session:
        assert base_of(session, session.get_one(Occupation, "o1")).height.arp_height_m == 1.546
        row = session.get_one(HeightReading, "h1")
        assert (row.moment, row.who, row.set_aside, row.setup_id) == ("before", "", False, None)
        assert session.get_one(Occupation, "o1").setup_id is None
    opened.close()
    with sqlite3.connect(tmp_path / "openstake.db") as new:
        assert new.execute("PRAGMA foreign_key_check").fetchall() == []
        with pytest.raises(sqlite3.IntegrityError, match="never changed"):
            new.execute("UPDATE height_reading SET text = 'x'")


def test_a_choice_that_undid_another_says_so_by_a_column_and_still_cannot_be_changed(tmp_path):
    migrate(f"sqlite:///{tmp_path / 'openstake.db'}", revision="0014")
    with contextlib.closing(sqlite3.connect(tmp_path / "openstake.db")) as connection, connection:
        connection.execute("INSERT INTO job (id, practice, created_s) VALUES ('j', 0, 1.0)")
        rows = [
            ("a", "as it begins", None),
            ("b", "C left out", "a"),
            ("c", "undone: C left out", "b"),
            ("d", "undone is a mark's name", "c"),
        ]
        connection.executemany("INSERT INTO fit_chosen VALUES (?, 'j', '{}', '{}', ?, ?, 1.0)", rows)

    Database.in_folder(tmp_path).close()

    with contextlib.closing(sqlite3.connect(tmp_path / "openstake.db")) as connection:
        assert dict(connection.execute("SELECT id, undid FROM fit_chosen")) == {"a": 0, "b": 0, "c": 1, "d": 0}
        with pytest.raises(sqlite3.IntegrityError, match="never changed"):
            connection.execute("UPDATE fit_chosen SET undid = 1")
