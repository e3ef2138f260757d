"""`make fuzz`: every target of tests/fuzz with as many inputs as asked for, from a seed, and what came of them.

Each reader gets its share of a million inputs; the API some thousands of requests, as each of them is a transaction.  A
traceback or an answer of 500 is printed with the input that made it, and the exit is 1.
"""

from __future__ import annotations

import argparse
import random
import sys
import tempfile
import time
import traceback
from collections import Counter
from dataclasses import dataclass, field
from datetime import date
from multiprocessing import Pool
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from openstake.app import build
from tests.fuzz.doors import Dice, send
from tests.fuzz.targets import SLOW, TARGETS, any_bytes, mutated, run

BENCHMARKS = Path(__file__).parents[1] / "docs" / "benchmarks.md"
BEGIN, END = "<!-- fuzz -->", "<!-- end of fuzz -->"
URL = "http://127.0.0.1:8420"
WORKERS = 2


@dataclass(kw_only=True)
class Found:
    """What one target did with its inputs."""

    name: str
    inputs: int = 0
    seconds: float = 0.0
    slowest_s: float = 0.0
    broken: list[str] = field(default_factory=list)


def reader(asked: tuple[str, int, str]) -> Found:
    """Give one target its inputs."""
    name, count, seed = asked
    target, good = TARGETS[name]
    dice, found, begun = random.Random(f"{seed} {name}"), Found(name=name), time.perf_counter()
    for n in range(count):
        data = any_bytes(dice) if n % 4 == 0 else mutated(dice.choice(good), dice)
        at = time.perf_counter()
        try:
            run(target, data)
        except Exception:
            if len(found.broken) < 5:
                found.broken.append(f"{data!r}\n{traceback.format_exc()}")
        found.slowest_s = max(found.slowest_s, time.perf_counter() - at)
    found.inputs, found.seconds = count, time.perf_counter() - begun
    return found


def doors(count: int, seed: str) -> tuple[Found, Counter[int]]:
    """Send requests to every route of the API of a demo without stand-ins."""
    found, statuses, begun = Found(name="API, every route"), Counter[int](), time.perf_counter()
    with tempfile.TemporaryDirectory() as folder:
        program = build(Path(folder) / "data", practice=False, demo=True, web_dir=None)
        client = program.app.test_client()
        with program.app.app_context():
            document = program.app.extensions["spec"].spec
        job = client.get("/api/jobs", base_url=URL).get_json()["jobs"][0]["id"]
        mark = client.get(f"/api/jobs/{job}/marks", base_url=URL).get_json()["marks"][0]["id"]
        dice = Dice(document, seed, {"job_id": job, "mark_id": mark, "kind": "csv"})
        for _ in range(count):
            at = time.perf_counter()
            asked, status, said = send(client, document, dice)
            found.slowest_s = max(found.slowest_s, time.perf_counter() - at)
            statuses[status] += 1
            if status == 500 and len(found.broken) < 5:
                found.broken.append(f"{asked}\n{said}")
        program.close()
    found.inputs, found.seconds = count, time.perf_counter() - begun
    return found, statuses


def table(rows: list[Found], statuses: Counter[int], command: str) -> str:
    """Return the figures as docs/benchmarks.md has them."""
    total = sum(row.inputs for row in rows)
    lines = [
        f"`{command}`, {date.today().isoformat()}: {total} inputs, {sum(len(row.broken) for row in rows)} tracebacks or answers of 500.",
        "",
        "| target | inputs | a second | slowest input |",
        "|---|---:|---:|---:|",
    ]
    for row in rows:
        lines.append(f"| {row.name} | {row.inputs} | {row.inputs / row.seconds:.0f} | {row.slowest_s * 1000:.0f} ms |")
    answers = ", ".join(f"{status}: {count}" for status, count in sorted(statuses.items()) if status)
    return "\n".join([*lines, "", f"Answers of the API: {answers}."])


def main() -> int:
    """Run, print, and with `--write` keep the figures."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--inputs", type=int, default=1_000_000)
    parser.add_argument("--requests", type=int, default=20_000)
    parser.add_argument("--seed", default=date.today().isoformat())
    parser.add_argument("--write", action="store_true", help="keep the figures in docs/benchmarks.md")
    asked = parser.parse_args()
    each = -(-asked.inputs // (len(TARGETS) - len(SLOW)))
    with Pool(WORKERS) as pool:
        asked_of = [(name, each // SLOW.get(name, 1), asked.seed) for name in TARGETS]
        rows = pool.map(reader, asked_of, chunksize=1)
    requests, statuses = doors(asked.requests, asked.seed)
    rows.append(requests)
    command = f"make fuzz, --inputs {asked.inputs} --requests {asked.requests} --seed {asked.seed}"
    figures = table(rows, statuses, command)
    print(figures)
    for row in rows:
        for broken in row.broken:
            print(f"\n{row.name}: {broken}", file=sys.stderr)
    if asked.write:
        text = BENCHMARKS.read_text()
        BENCHMARKS.write_text(f"{text[: text.index(BEGIN)]}{BEGIN}\n{figures}\n{text[text.index(END) :]}")
    return 1 if any(row.broken for row in rows) else 0


if __name__ == "__main__":
    sys.exit(main())
