"""Long work: shown while it goes on, stopped by a press with nothing left behind, its file the same as at once."""

import itertools
import threading

import pytest
from sqlalchemy import select

from openstake.app import build
from openstake.core.errors import CancelledError, ConflictError, StorageError
from openstake.core.progress import part_of_progress, tell_progress, with_progress
from openstake.store.models import Job, Mark
from openstake.workflow import packages
from openstake.workflow.packages import read_package, write_package
from openstake.workflow.work import Made
from tests.conftest import Crew


def over(crew, work):
    crew.wait_for(lambda: crew.get(f"/works/{work['id']}")["state"] != "running", 60)
    return crew.get(f"/works/{work['id']}")


def test_a_work_is_shown_while_it_goes_on_and_stopped(own_office):
    crew, going, goes_on = own_office, threading.Event(), threading.Event()

    def do(folder):
        tell_progress(1, 4)
        going.set()
        goes_on.wait(30)
        for n in with_progress(range(10_000), 10_000):
            tell_progress(n, 10_000)
        return Made(words="never")

    work = crew.program.context.works.begin("Slow", do)
    assert going.wait(30)
    seen = crew.get(f"/works/{work.id}")
    assert (seen["title"], seen["state"], seen["part"], seen["path"]) == ("Slow", "running", 0.25, "")
    crew.get(f"/works/{work.id}/file", 404)
    crew.post(f"/works/{work.id}/cancel")
    goes_on.set()
    stopped = over(crew, {"id": work.id})
    assert stopped["state"] == "cancelled" and "Nothing was changed" in stopped["words"]


def test_parts_of_a_work_add_up_and_what_fails_says_why(own_office):
    crew, said = own_office, []

    def do(folder):
        with part_of_progress(0.5, 1.0):
            tell_progress(1, 2)
            said.append(work.view().part)
        raise ConflictError("The base has just ended.")

    ready = threading.Event()
    work = crew.program.context.works.begin("Halves", lambda folder: ready.wait(30) and do(folder))
    ready.set()
    failed = over(crew, {"id": work.id})
    assert (said, failed["state"], failed["words"]) == ([0.75], "failed", "The base has just ended.")


def test_no_more_than_three_go_on_at_once(own_office):
    works, done = own_office.program.context.works, threading.Event()
    for _ in range(3):
        works.begin("Waiting", lambda folder: done.wait(30) and Made(words="done"))
    job = own_office.job()
    assert "Wait for one" in own_office.post(f"/jobs/{job}/packages", status=409)["detail"]
    done.set()


@pytest.mark.parametrize("path", ["take-home/csv", "take-home/dxf", "take-home/vectors", "reports/job"])
def test_a_file_with_progress_is_the_file_at_once(shared_office, path):
    crew, job = shared_office, shared_office.job("Alder Ford Footbridge")
    work = over(crew, crew.post(f"/jobs/{job}/{path}", {}))
    assert (work["state"], work["part"], work["shown"]) == ("done", 1.0, "reports" in path)

    made, at_once = (crew.file(work["path"].removeprefix("/api")), crew.file(f"/jobs/{job}/{path}{'.pdf' if work['shown'] else ''}"))
    assert len(made) == pytest.approx(len(at_once), rel=0.01)
    if path.endswith(("csv", "vectors")):
        assert made == at_once


def test_an_unpacking_that_is_stopped_anywhere_leaves_nothing(own_office, tmp_path):
    context = own_office.program.context
    source = tmp_path / "package.zip"
    job = own_office.post("/jobs", {"name": "Other", "system": {"kind": "code", "code": 2157}, "length_unit": "m"})["id"]
    alder = own_office.job("Alder Ford Footbridge")
    write_package(context, alder, source)
    steps = []
    read_package(context, source, lambda done, total: steps.append(done))
    assert steps == sorted(steps) and len(steps) > 30

    there = build(tmp_path / "there", practice=False, demo=False, web_dir=None)
    for stop in (0, len(steps) // 3, len(steps) // 2, len(steps) - 1):
        left = iter(range(len(steps)))

        def told(done, total, left=left, stop=stop):
            if next(left) == stop:
                raise CancelledError("stopped")

        with pytest.raises(CancelledError):
            read_package(there.context, source, told)
        with there.context.database.read() as session:
            assert session.scalars(select(Job)).all() == [] and session.scalars(select(Mark)).all() == []
        assert not list((tmp_path / "there").glob("*.draft"))
    assert not read_package(there.context, source).known
    there.close()
    assert own_office.get(f"/jobs/{job}")["name"] == "Other"


def test_a_disk_that_does_not_hold_a_copy_of_the_database_may_hold_the_package(own_office, tmp_path, monkeypatch):
    source = tmp_path / "package.zip"
    write_package(own_office.program.context, own_office.job("Alder Ford Footbridge"), source)

    class Full:
        def __init__(self, folder):
            pass

        def __enter__(self):
            raise StorageError("full")

        def __exit__(self, *_):
            pass

    monkeypatch.setattr(packages, "staged", Full)
    there = build(tmp_path / "there", practice=False, demo=False, web_dir=None)
    assert read_package(there.context, source).rows > 100
    there.close()


@pytest.mark.parametrize("written", ["of another job", "of the job itself"])
def test_what_others_write_does_not_wait_for_an_unpacking(own_office, tmp_path, written):
    """What is written while it goes on is there, and so is the package: also where a line of the job itself was changed."""
    source = tmp_path / "package.zip"
    alder = own_office.job("Alder Ford Footbridge")
    write_package(own_office.program.context, alder, source)
    there = Crew(build(tmp_path / "there", practice=False, demo=False, web_dir=None))
    read_package(there.program.context, source)
    other = there.post("/jobs", {"name": "Other", "system": {"kind": "code", "code": 2157}, "length_unit": "m"})["id"]
    mark = own_office.get(f"/jobs/{alder}/marks")["marks"][0]
    values = {"name": "AF9", "east_m": "514600.1", "north_m": mark["typed"]["north_m"]}
    own_office.post(f"/jobs/{alder}/marks", {"values": values})
    write_package(own_office.program.context, alder, source)

    job, steps, tasks = alder if "itself" in written else other, itertools.count(), []

    def told(done, total):
        # A write that waited for this package would wait for ever; the job's own line makes it begin anew, in the writer's own thread.
        if threading.current_thread().name != "writer" and next(steps) % 10 == 5:
            seen = there.get(f"/jobs/{job}")["settings_id"]
            tasks.append(f"step {done}")
            there.post(f"/jobs/{job}/settings", {"replaces_id": seen, "changes": {"task": tasks[-1]}})

    assert read_package(there.program.context, source, told).rows > 0
    assert tasks and there.get(f"/jobs/{job}")["task"] == tasks[-1]
    assert "AF9" in {mark["name"] for mark in there.get(f"/jobs/{alder}/marks")["marks"]}
    assert there.get(f"/jobs/{alder}/book")["verification"]["whole"]
    assert not list((tmp_path / "there").glob("*.draft"))
    there.program.close()
