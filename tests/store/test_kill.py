"""kill -9 in the middle of a session: nothing that was acknowledged or shown is lost, and of epochs at most what was under way."""

import contextlib
import json
import random
import sqlite3
import threading
import time
import urllib.request
from http.client import HTTPException

import pytest
from sqlalchemy import func, select

from openstake.store.backup import backups_in, hold_against
from openstake.store.book import verify
from openstake.store.database import Database
from openstake.store.models import BookEntry, EpochRow, Shot, ShotEpoch
from openstake.wire.nmea.epoch import EpochReader
from tests.browser.conftest import Demo
from tests.conftest import wait_for
from tests.repeats import repeats


def call(demo, method, path, body=None):
    request = urllib.request.Request(
        f"{demo.url}/api{path}",
        json.dumps(body).encode() if body is not None else None,
        {"Content-Type": "application/json"},
        method=method,
    )
    with urllib.request.urlopen(request, timeout=60) as answer:
        return json.loads(answer.read())


@pytest.mark.slow
def test_a_killed_program_keeps_what_it_acknowledged_and_resumes(tmp_path, demo_folder):
    demo = Demo(tmp_path / "data", demo_folder)
    before = len(_stored(tmp_path / "data"))
    try:
        job = call(demo, "GET", "/jobs")["jobs"][0]["id"]
        marks = {mark["name"]: mark["id"] for mark in call(demo, "GET", f"/jobs/{job}/marks")["marks"]}
        suggested = call(demo, "GET", f"/jobs/{job}/base")["suggested"]
        for who, mark in (("base", "CS1"), ("rover", "CS2")):
            call(demo, "POST", f"/jobs/{job}/stand", {"who": who, "mark_id": marks[mark]})
        wish = {"mark_id": marks["CS1"], "reading": "1.546", "feature": "bottom", "source": "mark", "station_id": 17}
        call(
            demo,
            "POST",
            f"/jobs/{job}/base/start",
            wish | {"listen": {"base_url": suggested["base_url"], "rover_url": suggested["rover_url"]}},
        )
        wait_for(lambda: (call(demo, "GET", f"/jobs/{job}/watch")["live"] or {}).get("status") == "fixed", 40)
        shot = {"mark_id": marks["CS2"], "seconds": 3, "reading": "2 m", "feature": "rod"}
        call(demo, "POST", f"/jobs/{job}/checks", shot)
        wait_for(lambda: call(demo, "GET", f"/jobs/{job}/checks")["checks"], 20)
        check = call(demo, "GET", f"/jobs/{job}/checks")["checks"][0]
        book = call(demo, "GET", f"/jobs/{job}/book")["lines"]
        time.sleep(1.5)
        shown = call(demo, "GET", f"/jobs/{job}/watch")["live"]

        demo.process.kill()
        demo.process.wait()

        database = Database.in_folder(tmp_path / "data")
        with database.read() as session:
            assert verify(session).whole
            assert session.scalar(select(func.count()).select_from(BookEntry)) >= len(book)
            assert session.get(Shot, check["id"]) is not None
            epochs = session.scalars(select(ShotEpoch).where(ShotEpoch.shot_id == check["id"])).all()
        database.close()
        _is_kept(tmp_path / "data", shown, before)
        assert len(epochs) == check["epochs"]
        assert all("," in epoch.latitude_text and len(epoch.latitude_text.split(".")[1]) == 9 for epoch in epochs)

        demo.start()
        again = call(demo, "GET", f"/jobs/{job}/checks")["checks"][0]
        assert [again[key] for key in ("point_east_m", "point_north_m", "point_height_m")] == [
            check[key] for key in ("point_east_m", "point_north_m", "point_height_m")
        ]
        wait_for(lambda: (call(demo, "GET", f"/jobs/{job}/watch")["live"] or {}).get("status") == "fixed", 40)
        raw = sorted((tmp_path / "data" / "raw").iterdir())
        assert len(raw) == 4 and all(file.stat().st_size > 0 for file in raw), "two feeds, before and after"
    finally:
        demo.process.kill()
        demo.process.wait()


@pytest.mark.slow
def test_kills_under_load_keep_every_byte_and_epochs_to_the_last_second(tmp_path, demo_folder):
    """All runs twenty times as fast: 20 Hz, with pages asking, a package and a backup under way; thirty kills in `make prove`."""
    demo, dice, acknowledged = Demo(tmp_path / "data", demo_folder, speed=20), random.Random(20), []
    copies = []
    before = len(_stored(tmp_path / "data"))
    try:
        job = call(demo, "GET", "/jobs")["jobs"][0]["id"]
        marks = {mark["name"]: mark["id"] for mark in call(demo, "GET", f"/jobs/{job}/marks")["marks"]}
        urls = call(demo, "GET", f"/jobs/{job}/base")["suggested"]
        for who, mark in (("base", "CS1"), ("rover", "CS2")):
            call(demo, "POST", f"/jobs/{job}/stand", {"who": who, "mark_id": marks[mark]})
        listen = {"base_url": urls["base_url"], "rover_url": urls["rover_url"]}
        wish = {"mark_id": marks["CS1"], "reading": "1.546", "feature": "bottom", "source": "mark", "listen": listen}
        call(demo, "POST", f"/jobs/{job}/base/start", wish)
        for _ in range(repeats(6)):
            wait_for(lambda: (call(demo, "GET", f"/jobs/{job}/watch")["live"] or {}).get("time_of_day_s"), 40)
            asking = [threading.Thread(target=_ask_until_it_ends, args=(demo, job), daemon=True) for _ in range(3)]
            asking.append(threading.Thread(target=_write_until_it_ends, args=(demo, job, acknowledged), daemon=True))
            asking.append(threading.Thread(target=_copy_until_it_ends, args=(demo, job, copies), daemon=True))
            for thread in asking:
                thread.start()
            time.sleep(dice.uniform(0.8, 1.6))
            shown = call(demo, "GET", f"/jobs/{job}/watch")["live"]
            demo.process.kill()
            demo.process.wait()
            _is_kept(tmp_path / "data", shown, before)
            before = len(_stored(tmp_path / "data"))
            _copies_are_whole(tmp_path / "data")
            demo.start()
        assert copies, "there was a backup under way"
        assert call(demo, "GET", f"/jobs/{job}/book")["verification"]["whole"]
        with sqlite3.connect(tmp_path / "data" / "openstake.db") as kept:
            told = {row[0] for row in kept.execute("SELECT json_extract(text, '$.sentence') FROM book")}
        assert len(acknowledged) > 5 and set(acknowledged) <= told, "no line that was acknowledged is lost"
    finally:
        demo.process.kill()
        demo.process.wait()


def test_what_is_received_is_in_the_database_within_half_a_second(own_program):
    """By the program's own time, whatever the machine: a kill takes no more than that (`_is_kept` says of what was shown)."""
    job = own_program.job()
    own_program.start_base(job)
    own_program.wait_fixed(job)
    session = own_program._session(job)
    dice = random.Random(23)
    for _ in range(repeats(40, 10)):
        own_program.clock.sleep(dice.uniform(0.1, 2.0))
        now_s = own_program.clock.now()
        shown = session.moment().epoch
        with own_program.program.context.database.read() as reading:
            stored_s = reading.scalar(select(func.max(EpochRow.host_s)))
        assert stored_s >= shown.host_s or now_s - shown.host_s <= 0.5, (now_s, shown.host_s, stored_s)


def _copy_until_it_ends(demo, job, made):
    """Packages and backups, one after the other, as long as there is somebody to ask."""
    with contextlib.suppress(OSError, ValueError, HTTPException):
        while True:
            work = call(demo, "POST", f"/jobs/{job}/packages")
            made.append(call(demo, "POST", "/backups"))
            call(demo, "GET", f"/works/{work['id']}")


def _copies_are_whole(folder):
    """What stands among the backups is one, whole, and nothing that was begun is taken for one."""
    for backup in backups_in(folder / "backups"):
        hold_against(backup.folder, backup)
        with contextlib.closing(sqlite3.connect(backup.folder / "openstake.db")) as copy:
            assert copy.execute("PRAGMA integrity_check").fetchone() == ("ok",)


def _write_until_it_ends(demo, job, acknowledged):
    with contextlib.suppress(OSError, ValueError, HTTPException):
        while True:
            sentence = f"Note {len(acknowledged)} {time.time()}."
            call(demo, "POST", f"/jobs/{job}/book/notes", {"words": sentence})
            acknowledged.append(sentence)


def _is_kept(folder, shown, before):
    """What a page showed is in the raw stream; the database has the beginning of that stream without a gap.

    `before` is how many epochs were in the database when the stream began.
    """
    newest = max((folder / "raw").glob("*-rover-*.raw"), key=lambda file: file.stat().st_mtime)
    reader = EpochReader()
    received = [epoch.time_of_day_s for epoch in [*reader.feed(newest.read_bytes()), *reader.close()]]
    assert shown["time_of_day_s"] in received
    stored = _stored(folder)[before:]
    assert stored and stored == received[: len(stored)]


def _stored(folder):
    """Return the times of day, in seconds, of all epochs in the database, as they were written."""
    with contextlib.closing(sqlite3.connect(folder / "openstake.db")) as kept:
        assert kept.execute("PRAGMA integrity_check").fetchone() == ("ok",)
        return [row[0] for row in kept.execute("SELECT time_of_day_s FROM epoch ORDER BY rowid")]


def _ask_until_it_ends(demo, job):
    with contextlib.suppress(OSError, ValueError, HTTPException):
        while True:
            call(demo, "GET", f"/jobs/{job}/base")
            call(demo, "GET", f"/jobs/{job}/history?seconds=600")


@pytest.mark.slow
@pytest.mark.parametrize("number", [2, 15])
def test_ctrl_c_and_sigterm_stop_everything_within_two_seconds_with_streams_open(tmp_path, demo_folder, number):
    demo = Demo(tmp_path / "data", demo_folder)
    job = call(demo, "GET", "/jobs")["jobs"][0]["id"]
    streams = [urllib.request.urlopen(f"{demo.url}/api/jobs/{job}/events", timeout=10) for _ in range(5)]
    start = time.monotonic()

    demo.process.send_signal(number)

    assert demo.process.wait(10) == 0
    # A promise of the program to its user, not a measurement.
    assert time.monotonic() - start < 2.0
    for stream in streams:
        stream.close()
