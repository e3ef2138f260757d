"""What no type says, held of the whole source: time has one source, one place writes, and constructors take names."""

import ast
import re
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
    assert refused("src/openstake/workflow/watch/listen_report.py", code)


def test_the_clocks_themselves_and_the_doors_may_ask_the_host():
    for path in ("live/clock.py", "live/network.py", "api/doors.py", "store/database.py", "workflow/backups.py"):
        assert not refused(f"src/openstake/{path}", "import time\ntime.time()")


SOURCES = ROOT / "src" / "openstake"
# Who writes but for a person's command: the one place of commands, a package (rows of many tables at once), what streams in by itself.
WRITERS = {"store/backup.py", "store/database.py", "workflow/command.py", "workflow/listening.py", "workflow/packages.py"}


def test_what_a_person_does_is_written_by_command_alone():
    writers = {path.relative_to(SOURCES).as_posix() for path in SOURCES.rglob("*.py") if ".write(work" in path.read_text()}
    writers |= {path.relative_to(SOURCES).as_posix() for path in SOURCES.rglob("*.py") if "database.write(" in path.read_text()}
    assert writers <= WRITERS


@pytest.mark.parametrize("layer", ["derive", "workflow", "api", "standin", "live"])
def test_queries_stand_in_the_store_alone(layer):
    """PROJ's own database of grids is no store of ours."""
    asks = re.compile(r"(?<!\.)\b(select|insert|heads)\(|\blines\.heads\(|\bsession\.(execute|scalars?|query)\(")
    found = {path.relative_to(SOURCES).as_posix() for path in (SOURCES / layer).rglob("*.py") if asks.search(path.read_text())}
    assert not found


def dataclasses_of_many_fields():
    """Return every dataclass of more than three fields, with what its constructor is told."""
    for path in SOURCES.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ClassDef):
                fields = [item for item in node.body if isinstance(item, ast.AnnAssign) and "ClassVar" not in ast.unparse(item.annotation)]
                for made in node.decorator_list:
                    if "dataclass" in ast.unparse(made).partition("(")[0] and len(fields) > 3:
                        yield f"{path.relative_to(SOURCES)} {node.name}", ast.unparse(made)


def test_dataclasses_of_more_than_three_fields_take_names_alone():
    """Two floats exchanged would be a wrong number that no tool sees."""
    found = dict(dataclasses_of_many_fields())
    assert len(found) > 300
    assert [name for name, made in found.items() if "kw_only=True" not in made] == []


def test_no_two_files_of_the_front_end_import_each_other():
    folder = ROOT / "web" / "src"
    imports: dict[Path, set[Path]] = {}
    for path in [*folder.rglob("*.ts"), *folder.rglob("*.tsx")]:
        named = (path.parent / name for name in re.findall(r'from "(\.[^"]+)"', path.read_text()))
        imports[path] = {
            file.resolve() for name in named for file in (name.with_name(name.name + end) for end in (".ts", ".tsx")) if file.exists()
        }
    assert len(imports) > 100
    left = dict(imports)
    while leaves := [path for path, needs in left.items() if not needs & left.keys()]:
        for path in leaves:
            del left[path]
    assert list(left) == []
