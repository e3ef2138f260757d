"""`openstake package` and `openstake unpack`: from one data folder into another, and what is refused."""

import json
import shutil
import sqlite3

import pytest
from click.testing import CliRunner

from openstake.cli import main
from openstake.store.book import FIRST_HASH, hash_of
from openstake.store.database import Database
from openstake.store.lock import FolderLock
from tests.disks import small_disk


def run(*arguments):
    return CliRunner().invoke(main, [str(item) for item in arguments])


@pytest.mark.slow
def test_a_job_goes_from_one_data_folder_into_another(demo_folder, tmp_path):
    out, there = tmp_path / "alder.zip", tmp_path / "there"
    made = json.loads(run("package", "Alder Ford Footbridge", out, "--data", demo_folder, "--json").stdout)
    assert made["name"] == "Alder Ford Footbridge" and made["tables"]["job"] == 1 and made["chains"][0]["sealed"] > 0

    taken = json.loads(run("unpack", out, "--data", there, "--json").stdout)
    assert (taken["job"], taken["known"], taken["rows"]) == (made["job"], False, sum(made["tables"].values()))
    assert "nothing new" in run("unpack", out, "--data", there).stdout
    verified = json.loads(run("book", "verify", "--data", there, "--job", "Alder Ford Footbridge", "--json").stdout)
    assert verified["whole"] and verified["entries"] == made["chains"][0]["lines"] and verified["sealed"] == made["chains"][0]["sealed"]
    report = run("report", "Alder Ford Footbridge", "--kind", "job", "--out", tmp_path / "job.pdf", "--data", there)
    assert report.exit_code == 0, "the job can be reported where it came"


def test_what_cannot_be_packed_or_unpacked_ends_with_a_sentence(demo_folder, tmp_path):
    out = tmp_path / "out.zip"
    nowhere = run("package", "Nowhere", out, "--data", demo_folder)
    assert nowhere.exit_code == 2 and "There is: " in nowhere.output and not out.exists()
    none = run("package", "Nowhere", out, "--data", tmp_path / "none")
    assert none.exit_code == 2 and "is not a data folder" in none.output

    garbage = tmp_path / "garbage.zip"
    garbage.write_bytes(b"GARBAGE")
    refused = run("unpack", garbage, "--data", tmp_path / "there")
    assert refused.exit_code == 2 and "cannot be read as a ZIP file" in refused.output
    lock = FolderLock(tmp_path / "there")
    try:
        busy = run("unpack", garbage, "--data", tmp_path / "there")
        assert busy.exit_code == 2 and "is in use" in busy.output
    finally:
        lock.release()


def test_a_folder_of_a_newer_version_is_refused_whole(tmp_path):
    """A database whose migration this version does not know is opened by nothing, and stays as it is."""
    folder = tmp_path / "newer"
    Database.in_folder(folder).close()
    with sqlite3.connect(folder / "openstake.db") as raw:
        raw.execute("UPDATE alembic_version SET version_num = '0999'")
    raw.close()
    before = (folder / "openstake.db").read_bytes()
    (tmp_path / "any.zip").write_bytes(b"GARBAGE")
    for arguments in (
        ("unpack", tmp_path / "any.zip", "--data", folder),
        ("serve", "--port", "0", "--data", folder),
        ("demo", "--port", "0", "--data", folder),
    ):
        done = run(*arguments)
        assert done.exit_code == 2 and "newer version" in done.output, arguments
    verified = run("book", "verify", "--data", folder)
    assert verified.exit_code == 2 and "another version" in verified.output
    assert (folder / "openstake.db").read_bytes() == before


@pytest.mark.parametrize("content", ["{", "", "[]", "null", '{"device": 1}', "not json", '{"a":' * 2000])
def test_a_line_whose_text_is_no_json_has_its_number(demo_folder, tmp_path, content):
    """Also where whoever changed it wrote its hash, and all behind it, anew."""
    for careful in (False, True):
        folder = tmp_path / f"{careful}"
        shutil.copytree(demo_folder, folder)
        with sqlite3.connect(folder / "openstake.db") as raw:
            for (name,) in raw.execute("SELECT name FROM sqlite_master WHERE type = 'trigger'").fetchall():
                raw.execute(f"DROP TRIGGER {name}")
            raw.execute("UPDATE book SET text = ? WHERE sequence = 3", (content,))
            previous = ""
            for sequence, text in raw.execute("SELECT sequence, text FROM book ORDER BY sequence").fetchall() if careful else ():
                previous = hash_of(previous or FIRST_HASH, text)
                raw.execute("UPDATE book SET hash = ? WHERE sequence = ?", (previous, sequence))
                raw.execute("UPDATE book SET previous_hash = ? WHERE sequence = ?", (previous, sequence + 1))
        raw.close()
        for more in ((), ("--job", "Alder Ford Footbridge")):
            done = run("book", "verify", "--data", folder, "--json", *more)
            assert done.exit_code == 0, done.output
            found = json.loads(done.stdout)
            # The line is of another job: of one job the links of all others are held, and its own texts.
            assert (found["whole"], found["first_broken"]) == ((True, None) if more else (False, 3))


def test_a_backup_onto_a_full_disk_ends_with_a_sentence(demo_folder, tmp_path):
    with small_disk(tmp_path / "disk", "200k") as disk:
        for arguments in (
            ("backup", disk / "kept", "--data", demo_folder),
            ("package", "Carrow Sluice", disk / "out.zip", "--data", demo_folder),
        ):
            filler = disk / "filler"
            filler.write_bytes(b"x" * 195_000)
            done = run(*arguments)
            filler.unlink()
            assert done.exit_code == 2 and "Traceback" not in done.output, done.output
            assert "full" in done.output or "No space left" in done.output, done.output
        assert not list(disk.rglob("*.draft")) and not list(disk.rglob("*.zip"))
