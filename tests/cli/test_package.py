"""`openstake package` and `openstake unpack`: from one data folder into another, and what is refused."""

import json

import pytest
from click.testing import CliRunner

from openstake.cli import main
from openstake.store.lock import FolderLock


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
    assert (
        verified["whole"]
        and verified["entries"] == made["chains"][0]["lines"]
        and verified["sealed"] == made["chains"][0]["sealed"]
    )
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
