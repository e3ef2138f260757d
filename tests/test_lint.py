"""Time has one source: what asks the host for it elsewhere, or waits by it, is refused by the linter."""

import subprocess
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
RUFF = ROOT / ".venv" / "bin" / "ruff"
WAYS = (
    "import time\ntime.time()",
    "from time import monotonic",
    "from datetime import datetime\ndatetime.now()",
    "import datetime\ndatetime.date.today()",
    "import threading\nthreading.Event().wait(1.0)",
    "import threading\nthreading.Thread(target=print).start()",
    "from threading import Timer",
    "import queue",
    "import select",
    "import socket\nsocket.create_connection(('127.0.0.1', 1))",
    "from concurrent.futures import ThreadPoolExecutor",
    "import asyncio",
)


def refused(path, code):
    command = [RUFF, "check", "--select", "TID251", "--stdin-filename", path, "-"]
    return subprocess.run(command, input=code, capture_output=True, text=True, cwd=ROOT).returncode == 1


@pytest.mark.parametrize("code", WAYS)
def test_time_is_asked_of_the_clock_that_is_given(code):
    assert refused("src/openstake/live/feed.py", code)
    assert refused("src/openstake/workflow/watch/ear.py", code)


def test_the_clocks_themselves_and_the_doors_may_ask_the_host():
    for path in ("live/clock.py", "live/network.py", "api/doors.py", "store/database.py", "workflow/backups.py"):
        assert not refused(f"src/openstake/{path}", "import time\ntime.time()")
