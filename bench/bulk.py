"""What a job of a season costs: every list against plainly reading the same epochs out of SQLite in the same run.

500 and 5 000 shots of 60 epochs from 40 base set-ups.  `first` is with nothing remembered, `again` with what shots received
in memory.  A list that comes in pages is walked to its end.
"""

from __future__ import annotations

import json
import resource
import shutil
import sqlite3
import statistics
import sys
import tempfile
import threading
import time
import tracemalloc
import zipfile
from base64 import b64encode
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import date
from functools import partial
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))

from sqlalchemy.orm import Session  # noqa: E402

from openstake.app import Program, build  # noqa: E402 - the tests' job is found from the root
from openstake.core.evidence import Epoch  # noqa: E402
from openstake.core.limits import TOLERANCES  # noqa: E402
from openstake.core.shot import ShotKind  # noqa: E402
from openstake.derive import points  # noqa: E402
from openstake.derive.heights import read_height  # noqa: E402
from openstake.derive.job import job_of  # noqa: E402
from openstake.derive.kit import kit_of  # noqa: E402
from openstake.derive.marks import mark_of  # noqa: E402
from openstake.live.rover import ReceivedEpoch  # noqa: E402
from openstake.store.backup import back_up  # noqa: E402
from openstake.store.book import write_entry  # noqa: E402
from openstake.store.models import Shot, new_id  # noqa: E402
from openstake.store.records.bases import listening_of, needed_occupation  # noqa: E402
from openstake.workflow import recording  # noqa: E402
from openstake.workflow.book.out import FORMATS  # noqa: E402
from openstake.workflow.check import shots  # noqa: E402
from openstake.workflow.packages import read_package, write_package  # noqa: E402
from tests.filled import angle_text, fill  # noqa: E402

HERE = "http://127.0.0.1:8420"
EPOCHS, SETUPS = 60, 40
LISTS = ("checks", "steps", "plan", "points.csv", "base", "base/earlier", "book")


class Season:
    """A program over a job that was filled."""

    def __init__(self, folder: Path, count: int, points: int = 0, setups: int = SETUPS) -> None:
        self.folder = folder
        self.program: Program = build(folder, practice=False, demo=False, web_dir=None)
        self._client = self.program.app.test_client()
        wish = {"name": f"Season {count} {points}", "system": {"kind": "code", "code": 2157}, "length_unit": "m"}
        self.job = self._client.post("/api/jobs", json=wish, base_url=HERE).get_json()["id"]
        rows = "".join(f"B{n},{703412.361 + 91.7 * n:.3f},{629805.118 + 63.9 * n:.3f},{62.4 + 0.07 * n:.3f}\n" for n in range(25))
        content = b64encode(f"name,east,north,ellipsoidal height\n{rows}".encode()).decode()
        sent = {"name": "c.csv", "content_base64": content}
        self._client.post(f"/api/jobs/{self.job}/control/accept", json=sent, base_url=HERE)
        self.program.context.database.write(
            lambda session: fill(session, self.job, count, setups if count or points else 1, EPOCHS, points)
        )

    def read(self, path: str) -> None:
        """Read a list, page by page to its end."""
        after: str | None = ""
        while after is not None:
            mark = "&" if "?" in path else "?"
            from_there = f"{mark}after={after}" if after else ""
            answer = self._client.get(f"/api/jobs/{self.job}/{path}{from_there}", base_url=HERE)
            assert answer.status_code == 200, answer.get_data(as_text=True)
            following = answer.get_json().get("next") if answer.is_json else None
            after = following if isinstance(following, str) else None  # the chain's next is what to do next

    def ask(self, path: str) -> bytes:
        """Return the answer to a question, whole."""
        answer = self._client.get(f"/api/jobs/{self.job}/{path}", base_url=HERE)
        assert answer.status_code == 200, answer.get_data(as_text=True)
        return bytes(answer.get_data())

    def plainly(self) -> int:
        """Read the epochs of the job out of SQLite, in order; return how many there are."""
        database = sqlite3.connect(self.folder / "openstake.db")
        rows = database.execute(
            "SELECT * FROM shot_epoch WHERE shot_id IN (SELECT id FROM shot WHERE job_id = ?) ORDER BY shot_id, n", (self.job,)
        ).fetchall()
        database.close()
        return len(rows)

    def store_shot(self) -> None:
        """Store one more shot of 60 epochs, as the running session hands it over."""
        context = self.program.context
        with context.database.read() as session:
            job, occupation = job_of(session, self.job), needed_occupation(session, self.job)
            mark_id = session.query(Shot.mark_id).filter(Shot.job_id == self.job).limit(1).scalar() or occupation.mark_id
            mark, listening = mark_of(session, job, mark_id), listening_of(session, occupation.id)
            height = read_height(kit_of(session, self.job), job.length_unit, "2.000 m", "rod", "rover")
        kind = ShotKind(name="control", seconds=float(EPOCHS))
        plan = recording.ShotPlan(kind=kind, height=height, fixed_only=True, mark=mark, tolerance=TOLERANCES["control"], name=mark.name)
        begun = recording._Begun(id=new_id(), started_s=context.clock.now(), plan=plan, occupation=occupation, listening=listening)
        latitude, longitude = mark.latitude_deg or 0.0, mark.longitude_deg or 0.0
        texts = angle_text(latitude, "NS", 2), angle_text(longitude, "EW", 3)
        epochs = [
            ReceivedEpoch(
                epoch=Epoch(
                    time_of_day_s=3600.0 + n,
                    date=date(2026, 11, 25),
                    quality=4,
                    latitude_deg=latitude,
                    longitude_deg=longitude,
                    altitude_m=7.4,
                    separation_m=57.0,
                    satellites=21,
                    hdop=0.7,
                    age_s=1.0,
                    station_id=17,
                    sigma_east_m=0.006,
                    sigma_north_m=0.005,
                    sigma_up_m=0.011,
                    **dict(zip(("latitude_text", "longitude_text"), texts, strict=True)),
                ),
                host_s=context.clock.now(),
                reference_id=None,
            )
            for n in range(EPOCHS)
        ]
        recording._store(context, self.job, begun, shots._told, epochs)


def timed(work: Callable[[], object], before: Callable[[], object] = lambda: None, runs: int = 3) -> float:
    """Return the median time of some runs in seconds."""
    found = []
    for _ in range(runs):
        before()
        start = time.perf_counter()
        work()
        found.append(time.perf_counter() - start)
    return statistics.median(found)


def remembered_mb(season: Season) -> float:
    """Return what the memory of all shots takes, in MB."""
    points.REMEMBERED.clear()
    tracemalloc.start()
    season.read("points.csv")
    before = tracemalloc.get_traced_memory()[0]
    points.REMEMBERED.clear()
    after = tracemalloc.get_traced_memory()[0]
    tracemalloc.stop()
    return (before - after) / 1e6


def of_lists(season: Season, count: int) -> list[tuple[str, str, str, str]]:
    """Return each list of a season against reading its epochs plainly, and what is remembered."""
    plain = timed(season.plainly)
    found = []
    for path in LISTS:
        first = timed(partial(season.read, path), points.REMEMBERED.clear)
        again = timed(partial(season.read, path))
        ours = f"{first * 1000:.0f}, again {again * 1000:.0f}"
        found.append((f"{count:,} shots: {path}, ms", ours, f"{plain * 1000:.0f} (SQLite)", f"{first / plain:.2f}"))
    peak_mb = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000
    found.append((f"{count:,} shots: remembered, MB", f"{remembered_mb(season):.1f}", f"{peak_mb:.0f} (process, peak)", ""))
    return found


def of_chain(points_count: int = 5000, checks: int = 200, setups: int = 60) -> tuple[str, str, str, str]:
    """Return the chain, the budget and the findings of a job in one call, against reading its epochs plainly."""
    with tempfile.TemporaryDirectory() as folder:
        season = Season(Path(folder), checks, points_count, setups)
        season.read("steps")
        plain = timed(season.plainly)
        first = timed(partial(season.read, "chain"), points.REMEMBERED.clear)
        again = timed(partial(season.read, "chain"))
        season.program.close()
    what = f"Chain, budget, findings of {points_count:,} points, {checks} checks, {setups} set-ups, ms"
    ours = f"{first * 1000:.0f}, again {again * 1000:.0f}"
    return what, ours, f"{plain * 1000:.0f} (SQLite)", f"{first / plain:.2f}"


def of_book(lines: int = 50_000, count: int = 5000) -> list[tuple[str, str, str, str]]:
    """Return a Book searched against SQLite's own LIKE, and everything that is taken home of many points against reading their epochs."""
    with tempfile.TemporaryDirectory() as folder:
        season = Season(Path(folder), 0, count, 20)
        _write_lines(season, lines)
        database = sqlite3.connect(season.folder / "openstake.db")
        like = "SELECT id FROM book WHERE text LIKE '%fence at post 4711%'"
        rival = timed(lambda: database.execute(like).fetchall())
        database.close()
        found = timed(lambda: season.ask("book?text=fence+at+post+4711"))
        rows = [
            (f"Book of {lines:,} lines searched, ms", f"{found * 1000:.0f}", f"{rival * 1000:.0f} (SQLite LIKE)", f"{found / rival:.1f}")
        ]
        plain = timed(season.plainly)
        for path in (*(f"take-home/{form}" for form in FORMATS), "reports/job.pdf"):
            first = timed(partial(season.ask, path), points.REMEMBERED.clear, runs=1)
            again = timed(partial(season.ask, path), runs=1)
            ours = f"{first * 1000:.0f}, again {again * 1000:.0f}"
            rows.append((f"{count:,} points: {path}, ms", ours, f"{plain * 1000:.0f} (SQLite)", f"{first / plain:.2f}"))
        kept = timed(lambda: back_up(season.folder, Path(folder) / "kept", time.time()), runs=1)
        size_mb = (season.folder / "openstake.db").stat().st_size / 1e6
        plainly = timed(lambda: shutil.copy(season.folder / "openstake.db", Path(folder) / "copy"), runs=1)
        rows.append((f"Backup of {size_mb:.0f} MB, read back, s", f"{kept:.1f}", f"{plainly:.1f} (a plain copy)", f"{kept / plainly:.0f}"))
        rows += _of_package(season, Path(folder))
        season.program.close()
    return rows


def _of_package(season: Season, folder: Path) -> list[tuple[str, str, str, str]]:
    """Return what a job costs as a package against its database zipped, and unpacked against its rows inserted plainly."""
    out, context = folder / "job.zip", season.program.context
    packed = timed(lambda: write_package(context, season.job, out), runs=1)
    plain = folder / "plain.zip"

    def zipped() -> None:
        with zipfile.ZipFile(plain, "w", zipfile.ZIP_DEFLATED, compresslevel=6) as archive:
            archive.write(season.folder / "openstake.db")

    zipped_s = timed(zipped, runs=1)
    there = build(folder / "there", practice=False, demo=False, web_dir=None)
    waits: list[float] = []
    with _writing(there, waits):
        unpacked = timed(lambda: read_package(there.context, out), runs=1)
    again = timed(lambda: read_package(there.context, out), runs=1)
    there.close()
    plainly = timed(lambda: _inserted(out, folder / "there" / "openstake.db"), runs=1)
    size = out.stat().st_size / 1e6
    return [
        (f"Package of {size:.0f} MB, s", f"{packed:.1f}", f"{zipped_s:.1f} (database zipped)", f"{packed / zipped_s:.1f}"),
        (
            "The same unpacked, and once more, s",
            f"{unpacked:.1f}, {again:.1f}",
            f"{plainly:.1f} (rows inserted, no check)",
            f"{unpacked / plainly:.1f}",
        ),
        (
            "A line of the Book written beside it, s",
            f"{statistics.median(waits):.2f} median, {max(waits):.2f} the longest",
            f"{unpacked:.1f} (the whole of it)",
            f"{max(waits) / unpacked:.2f}",
        ),
    ]


@contextmanager
def _writing(program: Program, waits: list[float]) -> Iterator[None]:
    """Write a line of the Book five times a second, as a base that runs does, and keep how long each took."""
    over = threading.Event()

    def write() -> None:
        while not over.wait(0.2):
            began = time.monotonic()
            program.context.database.write(lambda session: write_entry(session, time.time(), "note", "Beside it.", None) and None)
            waits.append(time.monotonic() - began)

    thread = threading.Thread(target=write)
    thread.start()
    try:
        yield
    finally:
        over.set()
        thread.join()


def _inserted(package: Path, pattern: Path) -> None:
    """Insert a package's rows into the tables of a database, without a key, a check or a link between them."""
    database = sqlite3.connect(":memory:")
    source = sqlite3.connect(pattern)
    with zipfile.ZipFile(package) as archive, database:
        for name in archive.namelist():
            if not name.startswith("tables/"):
                continue
            rows = [json.loads(line) for line in archive.read(name).splitlines()]
            columns = [row[1] for row in source.execute(f"PRAGMA table_info({Path(name).stem})")]
            database.execute(f"CREATE TABLE {Path(name).stem} ({', '.join(map(repr, columns))})")
            marks = ", ".join("?" * len(columns))
            database.executemany(f"INSERT INTO {Path(name).stem} VALUES ({marks})", [[row[key] for key in columns] for row in rows])
    source.close()
    database.close()


def _write_lines(season: Season, count: int) -> None:
    """Write lines into the Book as it writes them, a thousand in a transaction."""

    def work(session: Session, start: int) -> None:
        for n in range(start, min(start + 1000, count)):
            write_entry(session, time.time(), "note", f"Fence at post {n} moved.", season.job)

    for start in range(0, count, 1000):
        season.program.context.database.write(partial(work, start=start))


def measured() -> list[tuple[str, str, str, str]]:
    """Return the rows of the lists, that of the chain, then those of one more shot that is stored."""
    lists, stored_ms = [], {}
    for count in (0, 500, 5000):
        with tempfile.TemporaryDirectory() as folder:
            season = Season(Path(folder), count)
            season.read("steps")  # imports and caches that are no shot's
            if count:
                lists += of_lists(season, count)
            points.REMEMBERED.clear()
            stored_ms[count] = 1000.0 * timed(season.store_shot, runs=9)
            season.program.close()
    none = stored_ms[0]
    stored = [
        (f"One shot stored, {count:,} before it, ms", f"{value:.0f}", f"{none:.0f} (none before it)", f"{value / none:.2f}")
        for count, value in stored_ms.items()
    ]
    return [*lists, of_chain(), *of_book(), *stored]


if __name__ == "__main__":
    for row in measured():
        print("| " + " | ".join(row) + " |")
