"""Backups: made while the program is written to, read back, put into an empty folder only, damaged ones refused; no secrets in them."""

import json
import sqlite3
import threading
import time
from pathlib import Path

import pytest
from sqlalchemy import func, select

from openstake.app import build
from openstake.core.errors import FileError
from openstake.store.backup import MANIFEST, back_up, backups_in, prune, read_manifest, restore
from openstake.store.book import FIRST_HASH, verify
from openstake.store.database import Database, ReadOnly
from openstake.store.models import BookEntry, Device, Shot, ShotEpoch
from tests import processes
from tests.conftest import Crew, wait_for
from tests.filled import Filling


@pytest.fixture
def kept(own_office, tmp_path):
    """A data folder with a secret, a photo's worth of files, and a backup of it."""
    data = own_office.program.context.data_dir
    (data / "raw").mkdir(exist_ok=True)
    (data / "raw" / "stream-001.raw").write_bytes(b"\xd3" * 100_000)
    (data / "passwords.json").write_text('{"key": "SECRET77"}')
    return own_office, data, back_up(data, tmp_path / "kept", time.time())


def run(*arguments):
    return processes.run([*map(str, arguments)], capture_output=True, text=True, check=False, timeout=120)


def test_what_is_put_back_is_the_same_and_goes_on_as_an_installation_of_its_own(kept, tmp_path):
    crew, _, backup = kept
    before = {job["id"]: crew.get(f"/jobs/{job['id']}/checks") for job in crew.get("/jobs")["jobs"]}
    restore(tmp_path / "kept", tmp_path / "new", time.time())
    program = build(tmp_path / "new", practice=False, demo=False, web_dir=None)
    try:
        again = Crew(program)
        assert {job["id"]: again.get(f"/jobs/{job['id']}/checks") for job in again.get("/jobs")["jobs"]} == before
        with program.context.database.read() as session:
            assert verify(session).whole and session.scalar(select(func.count()).select_from(Device)) == 2
            first = session.scalars(select(BookEntry).where(BookEntry.sequence == 1, BookEntry.previous_hash == FIRST_HASH)).all()
            said = next(json.loads(row.text) for row in first if '"restored"' in row.text)
        assert said["data"]["old_hash"] == backup.last_hash, "the chain before is named by its end"
        # Both go on: neither continues the other's chain.
        for one in (crew, again):
            one.post(f"/jobs/{one.job()}/book/notes", {"words": "goes on"})
        newest = [one.get(f"/jobs/{one.job()}/book")["lines"][0] for one in (crew, again)]
        assert {line["sentence"] for line in newest} == {"goes on."}, "in order of time, though the new chain begins at 1"
        assert newest[0]["sequence"] == backup.entries + 1 and newest[1]["sequence"] < newest[0]["sequence"]
    finally:
        program.close()


def test_no_secret_is_in_a_backup_and_nobody_else_may_read_it(kept):
    _, _, backup = kept
    files = [path for path in backup.folder.rglob("*") if path.is_file()]
    assert "SECRET77" not in "".join(path.read_bytes().decode("latin-1") for path in files)
    assert not {"passwords.json", "in-use", "program.log"} & {path.name for path in files}
    assert oct((backup.folder / "openstake.db").stat().st_mode & 0o777) == "0o600"
    assert oct(backup.folder.stat().st_mode & 0o777) == "0o700"


def test_what_has_not_changed_is_linked_and_only_the_newest_are_kept(kept, tmp_path):
    _, data, first = kept
    second = back_up(data, tmp_path / "kept", time.time() + 1.0)
    stream = "raw/stream-001.raw"
    assert (first.folder / stream).stat().st_ino == (second.folder / stream).stat().st_ino
    with (data / stream).open("ab") as more:
        more.write(b"more")
    third = back_up(data, tmp_path / "kept", time.time() + 2.0)
    assert (third.folder / stream).stat().st_size == 100_004 and (second.folder / stream).stat().st_size == 100_000
    assert prune(tmp_path / "kept", 2) == 1
    assert [item.folder for item in backups_in(tmp_path / "kept")] == [second.folder, third.folder]
    assert (second.folder / stream).read_bytes() == b"\xd3" * 100_000, "what is linked stays when its first copy goes"


def damaged(backup):
    (backup.folder / "raw" / "stream-001.raw").write_bytes(b"\xd3" * 99_999 + b"\x00")


def short(backup):
    (backup.folder / "raw" / "stream-001.raw").unlink()


def linked(backup):
    (backup.folder / "raw" / "stream-001.raw").unlink()
    (backup.folder / "raw" / "stream-001.raw").symlink_to("/etc/hostname")


def escaping(backup):
    path = backup.folder / MANIFEST
    path.write_text(path.read_text().replace("raw/stream-001.raw", "../../escaped"))


def of_tomorrow(backup):
    path = backup.folder / MANIFEST
    path.write_text(path.read_text().replace('"form": 1', '"form": 2'))


def garbage(backup):
    (backup.folder / MANIFEST).write_bytes(b"\xff\x00{")


@pytest.mark.parametrize("harm", [damaged, short, linked, escaping, of_tomorrow, garbage])
def test_a_backup_that_is_not_what_was_made_is_refused_and_nothing_is_left(kept, tmp_path, harm):
    _, _, backup = kept
    harm(backup)
    with pytest.raises(FileError) as refused:
        restore(backup.folder, tmp_path / "new", time.time())
    assert refused.value.sentence.endswith(".") and not (tmp_path / "new").exists() and not (tmp_path / "escaped").exists()


@pytest.mark.slow
def test_the_verbs_refuse_a_folder_that_is_not_empty_and_one_that_is_no_data_folder(kept, tmp_path):
    _, data, _ = kept
    made = run("backup", tmp_path / "disk", "--data", data, "--json")
    assert made.returncode == 0 and json.loads(made.stdout)["entries"] > 0
    full = run("restore", tmp_path / "disk", "--data", data)
    assert full.returncode == 2 and "is not empty" in full.stderr
    assert run("restore", tmp_path / "disk", "--data", tmp_path / "put back").returncode == 0
    assert json.loads(run("book", "verify", "--data", tmp_path / "put back", "--json").stdout)["whole"]
    for wrong in (("backup", tmp_path / "disk", "--data", tmp_path), ("restore", tmp_path / "nothing", "--data", tmp_path / "empty")):
        refused = run(*wrong)
        assert refused.returncode == 2 and refused.stderr.strip() and "Traceback" not in refused.stderr


def test_a_broken_book_is_no_backup(kept, tmp_path):
    _, data, _ = kept
    with sqlite3.connect(data / "openstake.db") as tampered:
        tampered.execute("DROP TRIGGER book_no_update")
        tampered.execute("UPDATE book SET text = replace(text, 'e', 'f') WHERE sequence = 7")
    with pytest.raises(FileError, match="line 7"):
        back_up(data, tmp_path / "other", time.time())
    assert list((tmp_path / "other").iterdir()) == [], "no draft is left"


def test_a_backup_under_load_is_of_one_moment(own_office, tmp_path):
    """Writers store shots whole, each with its epochs and its line: whatever moment the copy is of, none is there in part."""
    context = own_office.program.context
    job = own_office.job("Carrow Sluice")
    stop, stored = threading.Event(), []

    def shoot():
        while not stop.is_set():

            def work(session):
                filling = Filling(session, job, seed=len(stored))
                filling.now = time.time()
                base = shoot.base if hasattr(shoot, "base") else None
                shoot.base = base or filling.base(0, filling.marks[0], ends=True)
                return [shot.id for shot in filling.shots(*(session.merge(row) for row in shoot.base), 1, 40)]

            stored.extend(context.database.write(work))

    thread = threading.Thread(target=shoot)
    thread.start()
    try:
        wait_for(lambda: len(stored) > 3, 20)
        acknowledged = list(stored)
        backups = [back_up(context.data_dir, tmp_path / "kept", time.time() + n) for n in range(3)]
    finally:
        stop.set()
        thread.join()
    for n, made in enumerate(backups):
        restore(made.folder, tmp_path / f"new {n}", time.time())
        database = ReadOnly(tmp_path / f"new {n}")
        with database.read() as session:
            counts = dict(session.execute(select(ShotEpoch.shot_id, func.count()).group_by(ShotEpoch.shot_id)).all())
            shots = set(session.scalars(select(Shot.id)))
            assert verify(session).whole and shots == set(counts) and set(acknowledged) <= shots
            assert {count for shot, count in counts.items() if shot in stored} == {40}
        database.close()


def test_the_program_says_when_the_last_backup_was_made_and_what_went_wrong(own_office):
    crew = own_office
    assert crew.get("/backups")["last_s"] is None and crew.get("/backups")["kept"] == 0

    def another():
        crew.post("/backups")
        wait_for(lambda: not crew.get("/backups")["running"], 30)
        return crew.get("/backups")

    made = another()
    assert made["kept"] == 1 and made["read_back"] and "read back" in made["words"] and made["problem"] == ""
    for _ in range(8):
        made = another()
    assert made["kept"] == made["most"] == 7
    folder = Path(made["folder"])
    for item in folder.iterdir():
        item.chmod(0o700)
    with sqlite3.connect(crew.program.context.data_dir / "openstake.db") as tampered:
        tampered.execute("DROP TRIGGER book_no_update")
        tampered.execute("UPDATE book SET text = replace(text, 'e', 'f') WHERE sequence = 7")
    failed = another()
    assert "failed" in failed["problem"] and failed["kept"] == 7, "what was kept stays"
    assert read_manifest(backups_in(folder)[-1].folder).entries > 0


def test_a_data_folder_of_before_knows_which_device_it_is(tmp_path):
    database = Database.in_folder(tmp_path / "data")
    database.close()
    with sqlite3.connect(tmp_path / "data" / "openstake.db") as kept:
        assert kept.execute("SELECT count(*) FROM own_device").fetchone() == kept.execute("SELECT count(*) FROM device").fetchone()
