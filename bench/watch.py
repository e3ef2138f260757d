"""What Watch costs: a day of epochs opened, points listed and recomputed, twenty sessions at 5 Hz that lose nothing.

Rivals of the same run: SQLite read plainly into Python, the same bytes written by nobody.
"""

from __future__ import annotations

import sqlite3
import statistics
import sys
import tempfile
import threading
import time
import urllib.request
from functools import partial
from pathlib import Path

import numpy as np

ROOT = Path(__file__).parent.parent
sys.path[:0] = [str(ROOT), str(ROOT / "bench")]

from bulk import HERE, Season, timed  # noqa: E402 - the season's bench is found from here
from run import LISTEN, Receiver, Served, browser, start_session  # noqa: E402
from sqlalchemy import insert  # noqa: E402

from openstake.derive import points  # noqa: E402
from openstake.standin.receiver import burst  # noqa: E402
from openstake.standin.sky import visible  # noqa: E402
from openstake.store.models import EpochRow  # noqa: E402
from openstake.store.records.bases import listening_of, needed_occupation  # noqa: E402

HOURS, HZ = 12, 5
POINTS = 5000
SESSIONS, MINUTES = 20, 5.0
Row = tuple[str, str, str, str]


def fill_day(season: Season) -> int:
    """Put 12 hours at 5 Hz behind the base that runs; return how many epochs."""
    context = season.program.context
    with context.database.read() as session:
        listening_id = listening_of(session, needed_occupation(session, season.job).id).id
    count, now, random = HOURS * 3600 * HZ, context.clock.now(), np.random.default_rng(3)
    quality = np.repeat(random.choice([4, 4, 4, 4, 5, 1], count // (60 * HZ) + 1), 60 * HZ)
    for start in range(0, count, 20_000):
        rows = [
            {
                "listening_id": listening_id,
                "time_of_day_s": (n / HZ) % 86_400,
                "date": "2026-11-27",
                "host_s": now - (count - n) / HZ,
                "quality": int(quality[n]),
                "latitude_text": "5317.1234567,N",
                "longitude_text": "00612.1234567,W",
                "altitude_m": 7.4,
                "separation_m": 57.0,
                "satellites": 21,
                "pdop": 1.4,
                "age_s": 1.0,
                "station_id": 17,
                "sigma_east_m": 0.006,
                "sigma_north_m": 0.005,
                "sigma_up_m": 0.011,
            }
            for n in range(start, min(start + 20_000, count))
        ]
        context.database.write(lambda session, rows=rows: session.execute(insert(EpochRow), rows) and None)
    return count


def day_rows() -> list[Row]:
    """Return what it costs to open a day, in the server and in the browser."""
    with tempfile.TemporaryDirectory() as folder:
        season = Season(Path(folder), 0)
        count = fill_day(season)
        ours = timed(partial(season.read, "history?seconds=43200"))

        def plainly() -> None:
            database = sqlite3.connect(Path(folder) / "openstake.db")
            database.execute("SELECT * FROM epoch ORDER BY host_s").fetchall()
            database.close()

        plain = timed(plainly)
        job = season.job
        season.program.close()
        with Served(Path(folder)) as served:
            opened, zoomed, heap_mb = in_browser(served.url, job)
    return [
        (
            f"{HOURS} h at {HZ} Hz ({count:,} epochs): history, ms",
            f"{ours * 1000:.0f}",
            f"{plain * 1000:.0f} (SQLite)",
            f"{ours / plain:.2f}",
        ),
        (f"{HOURS} h at {HZ} Hz: page to picture, ms", f"{opened * 1000:.0f}, zoomed to a minute {zoomed * 1000:.0f}", "aim 1000", ""),
        (
            f"{HOURS} h at {HZ} Hz: browser heap, MB",
            f"{heap_mb[0]:.1f}, with 1 minute {heap_mb[1]:.1f}",
            "the same",
            f"{heap_mb[0] / heap_mb[1]:.2f}",
        ),
    ]


def in_browser(url: str, job: str) -> tuple[float, float, tuple[float, float]]:
    """Return how long the day takes from the choice to the picture, a zoom, and the heap with a day and with a minute."""
    driver = browser()
    driver.execute_cdp_cmd("Performance.enable", {})
    driver.get(f"{url}/job/{job}/watch")
    found = lambda: driver.find_elements("css selector", "[aria-label^='Fix history:'] canvas")  # noqa: E731
    end = time.monotonic() + 30
    while not found() and time.monotonic() < end:
        time.sleep(0.1)
    day = choose(driver, "12 hours", "43200")
    heap_day = heap(driver)
    minute = choose(driver, "1 minute", "60")
    heap_minute = heap(driver)
    driver.quit()
    return day, minute, (heap_day, heap_minute)


def choose(driver, words: str, seconds: str) -> float:
    """Choose a span and return how long its answer takes to be there."""
    box = driver.find_element("xpath", "//label[contains(., 'Span')]/..//button")
    driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", box)
    box.click()
    option = driver.find_element("xpath", f"//*[@role='option'][contains(., '{words}')]")
    start = time.perf_counter()
    option.click()
    wanted = f"seconds={seconds}&"
    while not driver.execute_script(
        "return performance.getEntriesByType('resource').some((item) => item.name.includes('/history?') && item.name.includes(arguments[0]) && item.responseEnd > 0)",
        wanted,
    ):
        time.sleep(0.01)
    driver.execute_script("return new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))")
    return time.perf_counter() - start


def heap(driver) -> float:
    driver.execute_cdp_cmd("HeapProfiler.collectGarbage", {})
    metrics = driver.execute_cdp_cmd("Performance.getMetrics", {})["metrics"]
    return next(item["value"] for item in metrics if item["name"] == "JSHeapUsedSize") / 1e6


def point_rows() -> list[Row]:
    """Return what 5 000 points cost: listed, filtered, and listed after a base height was corrected."""
    with tempfile.TemporaryDirectory() as folder:
        season = Season(Path(folder), 0, POINTS)
        plain = timed(season.plainly)
        found = []
        for words, path in (("listed", "points"), ("filtered by code", "points?text=EB"), ("first page", "points-first")):
            read = partial(season.read, path) if path != "points-first" else partial(first_page, season)
            first, again = timed(read, points.REMEMBERED.clear), timed(read)
            found.append((f"{POINTS:,} points: {words}, ms", first, again))
        correct_heights(season)
        read = partial(season.read, "points")
        found.append((f"{POINTS:,} points: recomputed after corrected heights, ms", timed(read, points.REMEMBERED.clear), timed(read)))
        season.program.close()
    return [
        (what, f"{first * 1000:.0f}, again {again * 1000:.0f}", f"{plain * 1000:.0f} (SQLite)", f"{first / plain:.2f}")
        for what, first, again in found
    ]


def first_page(season: Season) -> None:
    answer = season._client.get(f"/api/jobs/{season.job}/points", base_url=HERE)
    assert answer.status_code == 200


def correct_heights(season: Season) -> None:
    """Correct one height reading of every base that has ended."""
    bases = season._client.get(f"/api/jobs/{season.job}/base/earlier", base_url=HERE).get_json()["bases"]
    for base in bases:
        reading = base["heights"]["readings"][0]
        fix = {"replaces_id": reading["id"], "reading": "1.499 m", "feature": "bottom", "reason": "bench"}
        answer = season._client.post(f"/api/jobs/{season.job}/base/height", json=fix, base_url=HERE)
        assert answer.status_code == 200, answer.get_data(as_text=True)


class FastReceiver(Receiver):
    """A rover at 5 Hz to whoever listens; it counts what it has sent on every connection."""

    sent = 0

    def _send(self, client) -> None:  # type: ignore[override]
        xyz = np.array([3_800_000.0, -410_000.0, 5_090_000.0])
        sky = visible(1_795_500_000.0, xyz, 10.0)
        due = time.time()
        try:
            while not self.stopped.is_set():
                client.sendall(burst(round(due, 1), 4, xyz, 57.0, np.array([0.01, 0.01, 0.02]), sky, sky, 1.0, 17))
                with self.lock:
                    self.sent += 1
                due = round(due + 1.0 / HZ, 1)
                time.sleep(max(0.0, due - time.time()))
            time.sleep(5)
        except OSError:
            pass

    def __init__(self) -> None:
        self.stopped, self.lock = threading.Event(), threading.Lock()
        super().__init__()


def resident_mb(pid: int) -> float:
    status = Path(f"/proc/{pid}/status").read_text()
    return int(status.partition("VmRSS:")[2].split()[0]) / 1000


def session_rows() -> list[Row]:
    """Return what twenty sessions at 5 Hz for five minutes come to."""
    receiver = FastReceiver()
    with tempfile.TemporaryDirectory() as folder, Served(Path(folder)) as served:
        jobs = [start_session(served.url, f"Fast {number}", receiver.port) for number in range(SESSIONS)]
        pid = served._process.pid
        driver = browser()
        driver.get(served.url)
        driver.execute_script(LISTEN.replace("JOB", jobs[0]))
        time.sleep(20)
        start_mb = resident_mb(pid)
        time.sleep(60 * MINUTES)
        end_mb = resident_mb(pid)
        delays = driver.execute_script("return window.delays")[5:]
        driver.quit()
        receiver.stopped.set()
        time.sleep(3)
        database = sqlite3.connect(
            Path(folder) / "data" / "openstake.db" if (Path(folder) / "data").exists() else Path(folder) / "openstake.db"
        )
        stored = database.execute("SELECT count(*) FROM epoch").fetchone()[0]
        database.close()
        for job in jobs:
            urllib.request.urlopen(f"{served.url}/api/jobs/{job}/watch").read()
    lost = receiver.sent - stored
    return [
        (f"{SESSIONS} sessions at {HZ} Hz, {MINUTES:g} min: epochs stored", f"{stored:,}", f"{receiver.sent:,} sent", f"{lost} lost"),
        (
            f"{SESSIONS} sessions at {HZ} Hz: browser event, ms",
            f"{statistics.median(delays):.0f} median, {np.percentile(delays, 99):.0f} p99",
            "aim 100",
            "",
        ),
        (
            f"{SESSIONS} sessions at {HZ} Hz: memory, MB",
            f"{end_mb:.0f} at the end",
            f"{start_mb:.0f} at the start",
            f"{end_mb / start_mb:.2f}",
        ),
    ]


def main() -> None:
    for measured in (day_rows, point_rows, session_rows):
        for row in measured():
            print("| " + " | ".join(row) + " |", flush=True)


if __name__ == "__main__":
    main()
