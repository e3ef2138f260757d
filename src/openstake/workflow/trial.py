"""Files and texts for native code: tried in a process of their own, with limits on time and memory, before they are taken."""

from __future__ import annotations

import os
import subprocess
import sys
from functools import lru_cache
from pathlib import Path

from openstake.core.errors import FileError, FrameError
from openstake.core.geodesy.systems import check_text
from openstake.trial import REFUSED
from openstake.wire.gridfiles import grid_by_header

_WAITS_S = 60.0


def prove_grid(path: Path) -> None:
    """Raise FileError where a geoid grid cannot be used: by its header, then by PROJ."""
    grid_by_header(path)
    _proved("grid", path)


def prove_datum_grid(path: Path) -> None:
    """Raise FileError where a file cannot be used as a grid of a datum operation."""
    _proved("datum-grid", path)


def _proved(kind: str, path: Path) -> None:
    sentence = _refused(kind, str(path))
    if sentence is not None:
        raise FileError(sentence or "The library that reads grids crashes on this file. It is damaged: get it again.")


@lru_cache(maxsize=64)
def prove_system(text: str) -> None:
    """Raise FrameError where a text of a coordinate system cannot be used."""
    check_text(text)
    sentence = _refused("system", text)
    if sentence is not None:
        raise FrameError(
            sentence or "The library of projections crashes on this text. Paste another, or give the projection by its parameters.",
            field="system",
        )


def _refused(kind: str, what: str) -> str | None:
    """Return why something cannot be used: a sentence, empty where the trial broke down; None where it can."""
    quiet = os.environ | {"OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"}
    try:
        trial = subprocess.run(
            [sys.executable, "-m", "openstake.trial", kind],
            input=what.encode("utf-8", "surrogatepass"),
            capture_output=True,
            timeout=_WAITS_S,
            env=quiet,
            check=False,
        )
    except subprocess.TimeoutExpired:
        return ""
    if trial.returncode == 0:
        return None
    return trial.stdout.decode("utf-8", "replace") if trial.returncode == REFUSED else ""
