"""A data folder of every released version: it opens, says the same coordinates and verdicts, and each of its jobs travels.

Each was written by that version itself: bases, checks and points on the demo's Carrow Sluice (`tests/filled.py` as it was then), from
0.9.0 on with a local fit in use, from 0.10.0 on with a signed day.  `said.json.gz` is what that version answered.
"""

import gzip
import json
from pathlib import Path

import pytest
from sqlalchemy import func, select

from openstake.app import build
from openstake.store.book import verify
from openstake.store.database import Database
from openstake.store.jsoncolumn import json_columns, text_of
from openstake.store.models import Base, FitApplied, Occupation, Shot, SignedDay
from openstake.workflow.packages import read_package, write_package
from tests.conftest import Crew

FOLDER = Path(__file__).parents[1] / "data" / "versions"
VERSIONS = sorted((path.name for path in FOLDER.iterdir()), key=lambda name: [int(part) for part in name[1:].split(".")])
# To the bit on the machine that wrote it; other processors may round their sines otherwise.
SAME_M = 1e-7
HELD = {"Occupation": 2, "Shot": 8}
FIT_FROM, SIGNED_FROM = "v0.9.0", "v0.10.0"


def opened(folder):
    return Crew(build(folder, practice=False, demo=False, web_dir=None))


def same(now, before):
    """Whether each value of before is there now: numbers to a tenth of a micrometre."""
    if isinstance(before, float):
        return now == pytest.approx(before, abs=SAME_M)
    return now == before


@pytest.mark.parametrize("version", VERSIONS)
def test_a_folder_of_a_released_version_says_the_same_and_its_jobs_travel(version, tmp_path):
    (tmp_path / "here").mkdir()
    (tmp_path / "here" / "openstake.db").write_bytes(gzip.decompress((FOLDER / version / "openstake.db.gz").read_bytes()))
    told = json.loads(gzip.decompress((FOLDER / version / "said.json.gz").read_bytes()))
    here, there = opened(tmp_path / "here"), opened(tmp_path / "there")
    try:
        with here.program.context.database.read() as session:
            assert verify(session).whole
            counts = {model: session.scalar(select(func.count()).select_from(model)) for model in (Occupation, Shot, FitApplied, SignedDay)}
        at = VERSIONS.index(version)
        assert counts[Occupation] >= 2 and counts[Shot] >= 8
        assert bool(counts[FitApplied]) == (at >= VERSIONS.index(FIT_FROM)) and bool(counts[SignedDay]) == (
            at >= VERSIONS.index(SIGNED_FROM)
        )
        as_it_was(here, told)
        for job in here.get("/jobs")["jobs"]:
            out = tmp_path / f"{job['id']}.zip"
            write_package(here.program.context, job["id"], out)
            made = read_package(there.program.context, out)
            assert (made.job, made.name, made.disputes) == (job["id"], job["name"], 0)
        as_it_was(there, told)
        with there.program.context.database.read() as session:
            assert verify(session).whole
    finally:
        here.program.close()
        there.program.close()


def as_it_was(crew, told):
    """What that version said of marks, checks and points is said now."""
    for path, before in told["said"].items():
        if path.endswith("/book"):
            now = [line["sentence"] for line in crew.get(path)["lines"]]
            assert [sentence for sentence in before if sentence not in now] == [], path
            continue
        kind = path.rpartition("/")[2]
        now = {row["id"]: row for row in crew.get(path)[kind]}
        assert set(now) == {row["id"] for row in before}, path
        for row in before:
            differs = {
                key: (now[row["id"]].get(key), value)
                for key, value in row.items()
                if value is not None and not same(now[row["id"]].get(key), value)
            }
            assert differs == {}, (path, row["id"])


@pytest.mark.parametrize("version", VERSIONS)
def test_a_column_of_json_is_written_as_it_was_read(version, tmp_path):
    (tmp_path / "openstake.db").write_bytes(gzip.decompress((FOLDER / version / "openstake.db.gz").read_bytes()))
    database = Database(f"sqlite:///{tmp_path / 'openstake.db'}")
    with database.read() as session:
        columns = json_columns(Base.metadata.tables)
        texts = [(kind, text) for table, name, kind in columns for text in session.scalars(select(text_of(table.c[name])))]
    database.close()
    assert len(texts) > 20
    for kind, text in texts:
        again = kind.write(kind.read(text))
        if (version == VERSIONS[-1] and text != "{}") or text.startswith("["):  # a set-up that settled nothing
            assert again == text
        else:  # what an older version did not know is as usual
            assert all(json.loads(again)[name] == value for name, value in json.loads(text).items() if name != "reach")
