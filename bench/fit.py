"""What a local fit costs: with its whole diagnosis against refits by scipy, and a mark toggled on the page."""

from __future__ import annotations

import statistics
import sys
import tempfile
import time
from base64 import b64encode
from collections.abc import Callable
from pathlib import Path

import numpy as np
from scipy.optimize import least_squares

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))

from openstake.app import build  # noqa: E402 - the tests' job is found from the root
from openstake.core.localfit.pair import Pair  # noqa: E402
from openstake.workflow.fit.read import fit_of  # noqa: E402
from tests.filled import fill  # noqa: E402

HERE = "http://127.0.0.1:8420"
REFITS = 40  # of a large set so many are timed, and told for all of them


def pairs_of(count: int) -> list[Pair]:
    rng = np.random.default_rng(5)
    gnss = rng.uniform(-800.0, 800.0, (count, 2))
    local = 1.00007 * gnss @ np.array([[0.9, -0.4358899], [0.4358899, 0.9]]).T + 5000.0 + rng.normal(0, 0.006, (count, 2))
    height = rng.uniform(50.0, 70.0, count)
    return [
        Pair(
            name=f"M{n}",
            local_h_m=float(height[n]) - 57.0,
            gnss_h_m=float(height[n]),
            use="hv",
            sigma_h_m=0.006,
            sigma_v_m=0.01,
            **dict(zip(("local_e_m", "local_n_m"), map(float, local[n]), strict=True)),
            **dict(zip(("gnss_e_m", "gnss_n_m"), map(float, gnss[n] + (703400.0, 629800.0)), strict=True)),
        )
        for n in range(count)
    ]


def refit_s(pairs: list[Pair], times: int) -> float:
    """Return how long a refit by scipy takes, with one mark after the other left out; the horizontal fit alone."""
    gnss = np.array([(pair.gnss_e_m, pair.gnss_n_m) for pair in pairs]) - (703_400.0, 629_800.0)
    local = np.array([(pair.local_e_m, pair.local_n_m) for pair in pairs]) - 5000.0
    start = time.perf_counter()
    for n in range(times):
        keep = np.arange(len(pairs)) != n
        here, there = gnss[keep], local[keep]

        def off(values: np.ndarray, here: np.ndarray = here, there: np.ndarray = there) -> np.ndarray:
            a, b, east, north = values
            return (here @ np.array([[a, -b], [b, a]]).T + (east, north) - there).ravel() / 0.006

        least_squares(off, [1.0, 0.0, 0.0, 0.0])
    return (time.perf_counter() - start) / times


def best_ms(work: Callable[[], object]) -> float:
    times = []
    for _ in range(5):
        start = time.perf_counter()
        work()
        times.append(1000.0 * (time.perf_counter() - start))
    return min(times)


def toggled_ms(folder: Path, marks: int) -> float:
    """Return how long the page's answer takes when a mark is toggled, each mark measured by a shot; the median of 20."""
    program = build(folder, practice=False, demo=False, web_dir=None)
    client = program.app.test_client()

    def post(path: str, body: object) -> dict:
        return client.post(f"/api/jobs{path}", json=body, base_url=HERE).get_json()

    job = post("", {"name": "Fit", "system": {"kind": "code", "code": 2157}, "length_unit": "m"})["id"]
    rng = np.random.default_rng(6)
    places = rng.uniform((703_000.0, 629_000.0, 60.0), (704_500.0, 630_500.0, 64.0), (marks, 3))
    control = "".join(f"F{n},{e:.3f},{m:.3f},{h:.3f}\n" for n, (e, m, h) in enumerate(places))
    local = "".join(f"F{n},{e - 698_000.0:.3f},{m - 624_000.0:.3f},{h - 52.0:.3f}\n" for n, (e, m, h) in enumerate(places))

    def sent(text: str) -> dict:
        return {"name": "list.csv", "content_base64": b64encode(text.encode()).decode()}

    post(f"/{job}/control/accept", sent(f"name,east,north,ellipsoidal height\n{control}"))
    program.context.database.write(lambda session: fill(session, job, marks, 1, 60))
    post(f"/{job}/fit/file", sent(f"name,east,north,height\n{local}") | {"keep": True})
    page = client.get(f"/api/jobs/{job}/fit", base_url=HERE).get_json()
    line, times = page["marks"][3]["line_id"], []
    for n in range(21):
        wish = {"replaces_id": page["chosen_id"], "uses": {line: "check" if n % 2 == 0 else "hv"}}
        start = time.perf_counter()
        page = post(f"/{job}/fit", wish)
        times.append(1000.0 * (time.perf_counter() - start))
    program.close()
    return statistics.median(times[1:])


def main() -> None:
    for count in (50, 5000):
        pairs = pairs_of(count)
        ours = best_ms(lambda pairs=pairs: fit_of(pairs, "similarity", 1.0, "plane"))
        theirs = 1000.0 * count * refit_s(pairs, min(count, REFITS))
        print(f"| Fit of {count:,} pairs with leave-one-out, ms | {ours:.0f} | {theirs:.0f} (scipy refits) | {theirs / ours:.0f} |")
    with tempfile.TemporaryDirectory() as folder:
        print(f"| A mark of 50 toggled on the page, ms | {toggled_ms(Path(folder) / 'data', 50):.0f} | aim 50 |  |")


if __name__ == "__main__":
    main()
