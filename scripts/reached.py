"""A plugin of pytest: notes which lines of the program each test reaches, for scripts/mutants.py.

Lines that a fixture of wider scope reaches count for the tests that use it: they are noted again by whatever they call.
"""

from __future__ import annotations

import json
import os
import sys
import threading
import time
from collections import defaultdict
from pathlib import Path
from types import FrameType
from typing import Any

import pytest

SOURCE = str(Path(__file__).resolve().parents[1] / "src" / "openstake") + "/"
_LINES: dict[str, set[int]] = defaultdict(set)


def _global(frame: FrameType, event: str, argument: Any) -> Any:
    name = frame.f_code.co_filename
    return _local if name.startswith(SOURCE) else None


def _local(frame: FrameType, event: str, argument: Any) -> Any:
    if event == "line":
        _LINES[frame.f_code.co_filename].add(frame.f_lineno)
    return _local


@pytest.hookimpl(wrapper=True)
def pytest_runtest_protocol(item: pytest.Item) -> Any:
    _LINES.clear()
    begun = time.process_time()
    threading.settrace(_global)
    sys.settrace(_global)
    try:
        return (yield)
    finally:
        sys.settrace(None)
        threading.settrace(None)  # type: ignore[arg-type]
        seconds = time.process_time() - begun
        lines = {name.removeprefix(SOURCE): sorted(numbers) for name, numbers in list(_LINES.items())}
        row = {"test": item.nodeid, "seconds": round(seconds, 3), "lines": lines}
        with (Path(os.environ["OPENSTAKE_REACHED"]) / f"{os.getpid()}.jsonl").open("a") as file:
            file.write(json.dumps(row) + "\n")
