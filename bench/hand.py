"""What a phone costs: requests over TLS against the loopback's plain ones, and twenty event streams at once."""

from __future__ import annotations

import http.client
import json
import statistics
import sys
import tempfile
import threading
import time
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))

from tests.cli.test_lan import PASSPHRASE, Served  # noqa: E402 - the tests' two doors are found from the root

REQUESTS, STREAMS, STREAMED_S = 300, 20, 20.0


def median_ms(ask, count: int = REQUESTS) -> float:
    """Return the median time of a request, in milliseconds."""
    times = []
    for _ in range(count):
        begun = time.perf_counter()
        ask()
        times.append(1000.0 * (time.perf_counter() - begun))
    return statistics.median(times)


def read(connection: http.client.HTTPConnection, headers: dict[str, str]) -> None:
    connection.request("GET", "/api/jobs", headers=headers)
    connection.getresponse().read()


def streams(served: Served, headers: dict[str, str], job: str) -> tuple[float, float]:
    """Return how late beats arrive over many streams: median and 99th percentile, in milliseconds."""
    late: list[float] = []
    end = time.monotonic() + STREAMED_S

    def follow() -> None:
        connection = served.connection()
        connection.request("GET", f"/api/jobs/{job}/events", headers=headers)
        stream = connection.getresponse()
        while time.monotonic() < end:
            line = stream.readline()
            if line.startswith(b'data: {"now_s"'):
                late.append(1000.0 * (time.time() - json.loads(line[6:])["now_s"]))
        connection.close()

    threads = [threading.Thread(target=follow) for _ in range(STREAMS)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return statistics.median(late), statistics.quantiles(late, n=100)[98]


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        served = Served(Path(folder) / "data", "--lan-address", "127.0.0.1")
        served.ask_here("POST", "/hand/passphrase", {"passphrase": PASSPHRASE, "again": PASSPHRASE})
        headers = served.sign_in()
        wish = {"name": "Bench", "system": {"kind": "code", "code": 2157}, "length_unit": "m"}
        job = served.ask_here("POST", "/jobs", wish)[1]["id"]
        over_tls, plain = served.connection(), http.client.HTTPConnection("127.0.0.1", served.here, timeout=20)
        kept, bare = median_ms(lambda: read(over_tls, headers)), median_ms(lambda: read(plain, {}))
        new, new_bare = (
            median_ms(lambda: served.ask("GET", "/jobs", **headers), 60),
            median_ms(lambda: served.ask_here("GET", "/jobs"), 60),
        )
        middle, worst = streams(served, headers, job)
        served.stop()
    print(f"| A phone's request over TLS, ms | {kept:.1f} | {bare:.1f} (plain, on the loopback) | {kept / bare:.2f} |")
    print(f"| The same on a new connection, ms | {new:.1f} | {new_bare:.1f} (plain, on the loopback) | {new / new_bare:.2f} |")
    print(f"| {STREAMS} event streams over TLS: a beat arrives, ms | {middle:.1f} median, {worst:.1f} p99 | aim 100 | |")


if __name__ == "__main__":
    main()
