"""`make bench`: decoders against pyrtcm and pynmeagps, local fits against scipy, socket to browser, start-up, size of the first load.

Each figure is of one run on one machine; what counts is the ratio to the rival of the same run.  With --write the table goes
to docs/benchmarks.md, with the date.
"""

from __future__ import annotations

import gzip
import io
import json
import re
import socket
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request
from base64 import b64encode
from datetime import UTC, datetime
from pathlib import Path

import georinex
import numpy as np
from pynmeagps import NMEAReader
from pyrtcm import RTCMReader
from selenium import webdriver
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.actions.wheel_input import ScrollOrigin
from selenium.webdriver.support.ui import WebDriverWait

from openstake.standin.base import Broadcast
from openstake.standin.observables import Observables
from openstake.standin.receiver import burst
from openstake.standin.sky import visible
from openstake.wire.nmea.epoch import EpochReader
from openstake.wire.rinex.observations import read_observations
from openstake.wire.rtcm3.frame import FrameReader
from openstake.wire.rtcm3.message import decode

ROOT = Path(__file__).parent.parent
START_S = 1_795_500_000.0


def field_data(seconds: int) -> tuple[bytes, bytes]:
    """Return what the stand-ins send in so many seconds: RTCM 3 and NMEA."""
    typed = Broadcast(
        host="", port=0, mount="", password="", latitude_deg=53.3, longitude_deg=-6.2, height_m=60.0, antenna_height_m=1.6, station_id=17
    )
    observables, rtcm, nmea = Observables(1), b"", b""
    for second in range(seconds):
        sky = visible(START_S + second, typed.arp_ecef_m, 5.0)
        rtcm += b"".join(observables.frames(START_S + second, 17, sky))
        if second % 10 == 0:
            rtcm += b"".join(typed.station_frames())
        sigma = np.array([0.01, 0.01, 0.02])
        nmea += burst(START_S + second, 4, typed.arp_ecef_m, 57.0, sigma, sky, sky, 1.0, 17)
    return rtcm, nmea


def timed(work) -> float:
    """Return the best of five runs in seconds."""
    best = float("inf")
    for _ in range(5):
        start = time.perf_counter()
        work()
        best = min(best, time.perf_counter() - start)
    return best


def ours_rtcm(data: bytes) -> None:
    for frame in FrameReader().feed(data):
        decode(frame)


def theirs_rtcm(data: bytes) -> None:
    for _ in RTCMReader(io.BytesIO(data), labelmsm=0):
        pass


def ours_nmea(data: bytes) -> None:
    for _ in EpochReader().feed(data):
        pass


def theirs_nmea(data: bytes) -> None:
    for _ in NMEAReader(io.BytesIO(data)):
        pass


def decoders() -> list[tuple[str, str, str, str]]:
    rtcm, nmea = field_data(120)
    sentences = nmea.count(b"$")
    ours, theirs = timed(lambda: ours_rtcm(rtcm)), timed(lambda: theirs_rtcm(rtcm))
    rows = [
        ("RTCM 3 decoded whole, MB/s", f"{len(rtcm) / ours / 1e6:.2f}", f"{len(rtcm) / theirs / 1e6:.2f} (pyrtcm)", f"{theirs / ours:.1f}")
    ]
    ours, theirs = timed(lambda: ours_nmea(nmea)), timed(lambda: theirs_nmea(nmea))
    rows.append(("NMEA, sentences/s", f"{sentences / ours:,.0f}", f"{sentences / theirs:,.0f} (pynmeagps)", f"{theirs / ours:.1f}"))
    return rows


def raw_data() -> tuple[str, str, str, str]:
    """Read an hour of a real receiver (RINEX 3, every 30 s), every constellation and signal."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "hour.rnx"
        path.write_bytes(gzip.decompress((ROOT / "tests/data/rinex/one-hour-3.rnx.gz").read_bytes()))
        text = path.read_text()
        epochs = sum(1 for _ in read_observations(text.splitlines()).epochs)
        ours, theirs = (timed(lambda: list(read_observations(text.splitlines()).epochs)), timed(lambda: georinex.load(path)))
    return ("RINEX 3 read, epochs/s", f"{epochs / ours:,.0f}", f"{epochs / theirs:,.0f} (georinex)", f"{theirs / ours:.1f}")


class Receiver:
    """A rover for the latency: sends GGA once a second to whoever listens and notes when."""

    def __init__(self) -> None:
        self.listener = socket.create_server(("127.0.0.1", 0))
        self.port = self.listener.getsockname()[1]
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self) -> None:
        while True:
            client, _ = self.listener.accept()
            threading.Thread(target=self._send, args=(client,), daemon=True).start()

    @staticmethod
    def _send(client: socket.socket) -> None:
        xyz = np.array([3_800_000.0, -410_000.0, 5_090_000.0])
        sky = visible(START_S, xyz, 10.0)
        try:
            while True:
                now = time.time()
                client.sendall(burst(now, 4, xyz, 57.0, np.array([0.01, 0.01, 0.02]), sky, sky, 1.0, 17))
                time.sleep(1.0 - (time.time() - now))
        except OSError:
            pass


LISTEN = """
window.delays = [];
const source = new EventSource('/api/jobs/JOB/events');
source.addEventListener('live', (event) => {
  const live = JSON.parse(event.data)[0];
  // GGA carries the moment it was sent, to 10 ms, UTC.
  if (live.time_of_day_s !== null) window.delays.push(Date.now() % 86400000 - live.time_of_day_s * 1000);
});
"""


def browser() -> webdriver.Chrome:
    options = Options()
    options.binary_location = "/usr/bin/chromium"
    for flag in ("--headless=new", "--no-sandbox", "--disable-background-networking", "--window-size=1280,943"):
        options.add_argument(flag)
    return webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))


def latency(sessions: int, seconds: float) -> tuple[float, float]:
    """Return median and 99th percentile of socket to browser event in ms, with so many sessions running."""
    receiver = Receiver()
    with tempfile.TemporaryDirectory() as folder, Served(Path(folder)) as served:
        jobs = [start_session(served.url, f"Bench {number}", receiver.port) for number in range(sessions)]
        driver = browser()
        driver.get(served.url)
        driver.execute_script(LISTEN.replace("JOB", jobs[0]))
        time.sleep(seconds)
        delays = driver.execute_script("return window.delays")[2:]
        driver.quit()
    return statistics.median(delays), float(np.percentile(delays, 99))


class Served:
    """A demo in a process of its own; `ready_s` is how long it took to answer."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def __enter__(self) -> Served:
        start = time.perf_counter()
        self._process = subprocess.Popen(
            [sys.executable, "-m", "openstake", "demo", "--port", "0", "--data", self._folder], stdout=subprocess.PIPE, text=True
        )
        self.url = re.search(r"http://[\d.:]+", self._process.stdout.readline())[0]
        urllib.request.urlopen(f"{self.url}/api/health").read()
        self.ready_s = time.perf_counter() - start
        return self

    def __exit__(self, *_: object) -> None:
        self._process.terminate()
        self._process.wait(10)


def post(url: str, body: dict) -> dict:
    request = urllib.request.Request(url, json.dumps(body).encode(), {"Content-Type": "application/json"})
    return json.loads(urllib.request.urlopen(request).read())


def start_session(url: str, name: str, rover_port: int) -> str:
    job = post(f"{url}/api/jobs", {"name": name, "system": {"kind": "code", "code": 2157}, "length_unit": "m"})["id"]
    content = b64encode(b"name,east,north,ellipsoidal height\nM1,703412.361,629805.118,62.417\n").decode()
    post(f"{url}/api/jobs/{job}/control/accept", {"name": "c.csv", "content_base64": content})
    marks = json.loads(urllib.request.urlopen(f"{url}/api/jobs/{job}/marks").read())["marks"]
    wish = {"mark_id": marks[0]["id"], "reading": "1.5", "feature": "bottom", "source": "mark", "station_id": 17}
    post(f"{url}/api/jobs/{job}/base/start", wish | {"listen": {"rover_url": f"tcp://127.0.0.1:{rover_port}"}})
    return job


def first_load_kb() -> float:
    """Return the gzip size of what the first page loads: page, entry script, style, the Latin font."""
    web = ROOT / "src/openstake/web_dist"
    files = [web / "index.html", *web.glob("assets/index-*"), *web.glob("assets/Keys-*"), *web.glob("assets/overpass-latin-wght*")]
    return sum(len(gzip.compress(file.read_bytes())) for file in files) / 1000


def start_up_s() -> float:
    times = []
    for _ in range(3):
        with tempfile.TemporaryDirectory() as folder, Served(Path(folder)) as served:
            times.append(served.ready_s)
    return statistics.median(times)


# Counts frames while the mouse really drags and the wheel really turns.
FRAMES = """
window.frames_seen = []; let last = performance.now();
const step = (now) => { window.frames_seen.push(now - last); last = now; requestAnimationFrame(step); };
requestAnimationFrame(step);
"""


def plan_frames(marks: int) -> tuple[float, float]:
    """Return frames a second and the worst frame in ms while a plan of so many marks is dragged and zoomed."""
    rows = np.random.default_rng(7).uniform((700_000, 630_000, 60), (703_000, 632_000, 62), (marks, 3))
    text = "name,east,north,ellipsoidal height\n" + "".join(f"P{n},{e:.3f},{m:.3f},{h:.3f}\n" for n, (e, m, h) in enumerate(rows))
    with tempfile.TemporaryDirectory() as folder, Served(Path(folder)) as served:
        job = post(f"{served.url}/api/jobs", {"name": "Plan", "system": {"kind": "code", "code": 2157}, "length_unit": "m"})["id"]
        content = b64encode(text.encode()).decode()
        post(f"{served.url}/api/jobs/{job}/control/accept", {"name": "c.csv", "content_base64": content})
        driver = browser()
        driver.get(f"{served.url}/job/{job}/job?view=plan")
        found = WebDriverWait(driver, 60).until(lambda d: d.find_elements("css selector", "[data-testid=plan] canvas"))
        time.sleep(3)
        plan = found[0]
        driver.execute_script(FRAMES)
        drag = ActionChains(driver, duration=50).move_to_element(plan).click_and_hold()
        for turn in range(40):
            drag = drag.move_by_offset(9 if turn % 20 < 10 else -9, 6 if turn % 14 < 7 else -6)
        drag.release().perform()
        for turn in range(10):
            origin = ScrollOrigin.from_element(plan)
            ActionChains(driver).scroll_from_origin(origin, 0, -120 if turn < 5 else 120).perform()
        frames = driver.execute_script("return window.frames_seen")[2:]
        driver.quit()
    return 1000.0 * len(frames) / sum(frames), max(frames)


def rows_of(bench: str) -> list[tuple[str, str, str, str]]:
    """Return what another bench prints, run in a process of its own."""
    done = subprocess.run([sys.executable, ROOT / bench], check=True, capture_output=True, text=True)
    cells = (line.strip("| ").split(" | ") for line in done.stdout.splitlines() if line.startswith("| "))
    return [(what, ours, rival, ratio) for what, ours, rival, ratio in ((*row, "", "", "")[:4] for row in cells)]


def main() -> None:
    rows = [*decoders(), raw_data()]
    for sessions, seconds in ((1, 30.0), (20, 30.0)):
        median, worst = latency(sessions, seconds)
        rows.append((f"Socket to browser event, {sessions} sessions, ms", f"{median:.0f} median, {worst:.0f} p99", "aim 100", ""))
    (many, worst), (few, few_worst) = plan_frames(20_000), plan_frames(9)
    rows.append(
        (
            "Plan dragged and zoomed, 20 000 marks, frames/s",
            f"{many:.0f}, worst frame {worst:.0f} ms",
            f"{few:.0f}, {few_worst:.0f} ms (9 marks)",
            f"{many / few:.2f}",
        )
    )
    rows += (
        rows_of("bench/bulk.py") + rows_of("bench/watch.py") + rows_of("bench/fit.py") + rows_of("bench/hand.py") + rows_of("bench/sky.py")
    )
    rows.append(("Start-up of a new data folder, s", f"{start_up_s():.1f}", "", ""))
    rows.append(("First load, gzip, kB", f"{first_load_kb():.0f}", "aim 300", ""))
    lines = ["| what | ours | rival or aim | ratio |", "|---|---|---|---|", *("| " + " | ".join(row) + " |" for row in rows)]
    print("\n".join(lines))
    if "--write" in sys.argv:
        text = (
            "# Measurements\n\n`make bench` makes this table (`bench/run.py --write`). Absolute times drift from machine to machine; the ratio of one\n"
            "run is what counts. Timings are never asserted in tests.\n\n"
            "The decoders read what the stand-ins send: every field of MSM4, 1006, 1033 and 1230; of NMEA what makes an epoch (the\n"
            "content of GSV is passed over, which the rival reads). The latency is from the moment written into GGA (to 10 ms) to the\n"
            "event in headless Chromium, one page open, with so many sessions running.\n\n"
            "A season is 500 or 5 000 shots of 60 epochs from 40 base set-ups (`bench/bulk.py`): each list over the API, walked page\n"
            "by page to its end, with nothing remembered and again, against `SELECT` of the same epochs into Python in the same run\n"
            "(aim: 3 times it). Watch (`bench/watch.py`): a day of epochs behind one rover, 5 000 points of 60 epochs, twenty rovers at\n"
            "5 Hz for five minutes: memory is read 20 s after they begin and at the end, and three minutes of epochs are watched in it.\n\n"
            f"Run on {datetime.now(UTC):%Y-%m-%d}, 2 cores, Python {sys.version.split()[0]}.\n\n" + "\n".join(lines) + "\n"
        )
        kept = ROOT / "docs/benchmarks.md"
        # The figures of `make fuzz` stand behind.
        fuzzed = kept.read_text().partition("\n## Fuzzing")
        kept.write_text(text + fuzzed[1] + fuzzed[2])


if __name__ == "__main__":
    main()
