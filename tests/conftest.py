"""A program on a data folder of its own, with its stand-ins, and the way to talk to it."""

import base64
import fcntl
import gc
import itertools
import os
import shutil
import time

import pytest
from sqlalchemy import text

from tests.repeats import repeats


def pytest_configure(config):
    if config.getoption("numprocesses", None):
        return  # whoever only hands tests out to others imports nothing of the program: they begin the sooner
    from hypothesis import HealthCheck, settings

    # How long an example takes is the machine's matter.
    settings.register_profile("any machine", max_examples=repeats(100, 15), deadline=None, suppress_health_check=[HealthCheck.too_slow])
    settings.load_profile("any machine")


def pytest_collection_modifyitems(items):
    """Let each worker begin with slow tests, and end with quick ones: those are what one that has finished takes from another.

    A worker gets an equal stretch of the list.  The slow tests of a file stay together: what they set up is made once.
    """
    workers = int(os.environ.get("PYTEST_XDIST_WORKER_COUNT", "1"))
    shares = [[] for _ in range(workers)]
    slow = [item for item in items if item.get_closest_marker("slow")]
    quick = [item for item in items if not item.get_closest_marker("slow")]
    for n, (_, own) in enumerate(itertools.groupby(slow, key=lambda item: item.path)):
        shares[n % workers] += own
    length = -(-len(items) // workers)
    for share in shares:
        left = max(0, length - len(share))
        share += quick[:left]
        del quick[:left]
    items[:] = [item for share in shares for item in share] + quick


def pytest_collection_finish():
    """What is imported stays: the collector of garbage need not look at it again."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 50)


# What needs no line of its own in the Book: what streams in by itself, what belongs to a row that has its line, what is ticked
# or set up and not yet started.
NOT_TOLD = {
    "average_epoch",
    "device",
    "epoch",
    "job",
    "own_device",
    "reference",
    "request_key",
    "rival",
    "sealed_line",
    "setup",
    "shot_epoch",
    "shot_series_item",
    "tick",
}


class Crew:
    """Talks to the API as the front end does."""

    def __init__(self, program):
        from openstake.store.models import Base

        self.program, self.clock = program, program.context.clock
        self._tables = sorted(set(Base.metadata.tables) - NOT_TOLD)
        self._client = program.app.test_client()
        self._told, publish = [], program.context.hub.publish

        def told(topic, payload):
            self._told.append(topic)
            publish(topic, payload)

        program.context.hub.publish = told

    def get(self, path, status=200):
        answer = self._client.get(f"/api{path}", base_url="http://127.0.0.1:8420")
        assert answer.status_code == status, answer.get_data(as_text=True)
        return answer.get_json() if answer.is_json else answer.get_data(as_text=True)

    def send(self, method, path, body=None, status=200, **headers):
        """Send a request, and hold it to what every verb promises (`_held`)."""
        before, self._told = self._newest_rows(), []
        answer = self._client.open(f"/api{path}", method=method, json=body, base_url="http://127.0.0.1:8420", headers=headers)
        assert answer.status_code == status, answer.get_data(as_text=True)
        self._held(f"{method} {path}", before)
        return answer.get_json()

    def _newest_rows(self):
        """Return the number of the newest row of each table that a verb fills."""
        parts = ", ".join(f"(SELECT max(rowid) FROM {table}) AS {table}" for table in self._tables)
        with self.program.context.database.read() as session:
            return session.execute(text(f"SELECT {parts}")).mappings().one()

    def _held(self, request, before):
        """What the crew changes stands in the Book, and whoever has the job open is told."""
        after = self._newest_rows()
        changed = {table for table in self._tables if after[table] != before[table]}
        assert not changed or "book" in changed, f"no line of the Book tells what {request} wrote into {changed}"
        query = text("SELECT job_id, text FROM book WHERE rowid > :row AND job_id IS NOT NULL")
        with self.program.context.database.read() as session:
            lines = session.execute(query, {"row": before["book"] or 0}).all() if "book" in changed else []
        for job, line in lines:
            # Nobody can have had a new job open; of what the machine writes its own threads tell.
            if '"side":"crew"' in line and '"kind":"job-made"' not in line:
                assert f"job:{job}" in self._told, f"browsers were not told of: {line}"

    def post(self, path, body=None, status=200, **headers):
        return self.send("POST", path, body, status, **headers)

    def upload(self, path, content, status=200, **query):
        """Send a file as it is."""
        answer = self._client.post(
            f"/api{path}", data=content, query_string=query, content_type="application/octet-stream", base_url="http://127.0.0.1:8420"
        )
        assert answer.status_code == status, answer.get_data(as_text=True)
        return answer.get_json()

    def file(self, path):
        return self._client.get(f"/api{path}", base_url="http://127.0.0.1:8420").get_data()

    def job(self, name="Carrow Sluice"):
        return next(job for job in self.get("/jobs")["jobs"] if job["name"] == name)["id"]

    def mark(self, job, name):
        return next(mark for mark in self.get(f"/jobs/{job}/marks")["marks"] if mark["name"] == name)["id"]

    def start_base(self, job, reading="1.546 m", mark="CS1", stands_on=None, **more):
        """Set the tripod up over a mark (or another one), type the height, start; the rover stands on CS2."""
        practice = self.program.context.practice
        self.post(f"/jobs/{job}/stand", {"who": "base", "mark_id": self.mark(job, stands_on or mark)})
        wish = (
            {
                "mark_id": self.mark(job, mark),
                "reading": reading,
                "feature": "bottom",
                "source": "mark",
                "station_id": 17,
                "base_url": practice.base_stream_url,
                "rover_url": practice.rover_url,
            }
            | ({"reason": "as agreed", "who": "MK"} if more.get("accepted") else {})
            | more
        )
        return self.post(f"/jobs/{job}/base/start", start_wish(**wish))

    def walk_to(self, job, mark):
        self.post(f"/jobs/{job}/stand", {"who": "rover", "mark_id": self.mark(job, mark)})

    def check(self, job, mark, seconds=2, reading="2.000 m", **more):
        """Record a check on a mark and return it once it is stored."""
        before = len(self.get(f"/jobs/{job}/checks")["checks"])
        wish = {"mark_id": self.mark(job, mark), "seconds": seconds, "reading": reading, "feature": "rod"} | more
        self.post(f"/jobs/{job}/checks", wish)
        self.recorded(job)
        self.wait_for(lambda: len(self.get(f"/jobs/{job}/checks")["checks"]) > before, 5)
        return self.get(f"/jobs/{job}/checks")["checks"][0]

    def wait_fixed(self, job):
        from openstake.core.evidence import Status

        session = self._session(job)

        def fixed():
            moment = session.moment()
            return moment.rover_is_heard and moment.epoch and moment.epoch.epoch.status is Status.FIXED

        self.wait_for(fixed, 60)

    def recorded(self, job):
        """Wait until no shot is in hand."""
        session = self._session(job)
        self.wait_for(lambda: not session.is_recording, 120)

    def _session(self, job):
        # Looked at itself: a page that is asked for ten times a second is most of what a test costs.
        return self.program.context.running.session(self.get(f"/jobs/{job}/base")["occupation"]["id"])

    def wait_for(self, what, seconds):
        """Wait by the program's clock until something is true, usually within so many seconds; fail where it never is."""
        end, step = self.clock.monotonic() + PATIENCE * seconds, 0.25
        while self.clock.monotonic() < end:
            if what():
                return
            self.clock.sleep(step)
            step = min(1.2 * step, 1.0)
        raise AssertionError("it did not happen in time")

    def later(self, job, seconds):
        """Let time pass in a practice job."""
        self.post(f"/jobs/{job}/practice/wait", {"seconds": seconds})


def start_wish(**wish):
    """Put the addresses of a wish to start where the API has them."""
    places = {"base_url", "base_password", "rover_url", "receiver_url", "refers_to"}
    listen = {name: wish[name] for name in places & set(wish)}
    return {name: value for name, value in wish.items() if name not in places} | {"listen": listen}


PATIENCE = 5.0  # a shared machine was seen at a fifth of its usual speed; virtual time costs nothing


def wait_for(what, seconds):
    """Wait by the host's clock until something is true, on a usual machine within `seconds`; fail where it never is."""
    end = time.monotonic() + PATIENCE * seconds
    while time.monotonic() < end:
        if what():
            return
        time.sleep(0.1)
    raise AssertionError("it did not happen in time")


def as_file(text, name="control.csv", **more):
    content = text if isinstance(text, bytes) else text.encode()
    return {"name": name, "content_base64": base64.b64encode(content).decode()} | more


@pytest.fixture(scope="session")
def demo_folder(tmp_path_factory):
    """The demo's data folder, migrated and filled once for all workers: a program on a copy of it starts at once."""
    from openstake.app import build

    run = tmp_path_factory.getbasetemp()
    if "PYTEST_XDIST_WORKER" in os.environ:
        run = run.parent
    folder = run / "demo-made-once" / "data"
    folder.parent.mkdir(exist_ok=True)
    with (folder.parent / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not folder.exists():
            draft = folder.with_name("draft")
            build(draft, practice=True, demo=True, web_dir=None).close()
            draft.rename(folder)
    return folder


def built(demo_folder, folder, practice):
    """Build the program on a copy of the demo, in virtual time: it stands while a test works, and goes on while it waits."""
    from openstake.app import build
    from openstake.live.clock import VirtualClock
    from openstake.live.network import outside_of

    shutil.copytree(demo_folder, folder)
    outside = outside_of(VirtualClock(time.time()))
    return build(folder, practice=practice, demo=True, web_dir=None, outside=outside)


# Fixtures that build the application say so: `own` is one for each test, `shared` one for a module, whose tests make the
# jobs that they need; a `program` has stand-ins, an `office` has none.


@pytest.fixture
def own_program(demo_folder, tmp_path):
    program = built(demo_folder, tmp_path / "data", practice=True)
    yield Crew(program)
    program.close()


@pytest.fixture(scope="module")
def shared_program(demo_folder, tmp_path_factory):
    program = built(demo_folder, tmp_path_factory.mktemp("shared") / "data", practice=True)
    yield Crew(program)
    program.close()


@pytest.fixture
def own_office(demo_folder, tmp_path):
    program = built(demo_folder, tmp_path / "data", practice=False)
    yield Crew(program)
    program.close()


@pytest.fixture(scope="module")
def shared_office(demo_folder, tmp_path_factory):
    program = built(demo_folder, tmp_path_factory.mktemp("office") / "data", practice=False)
    yield Crew(program)
    program.close()
