"""A file or text for native code, tried in a process of its own: what kills it there kills nothing else.

`python -m openstake.trial grid|datum-grid|system` reads what to try from its input; exit 0: it can be used, 3: a sentence why not.
"""

from __future__ import annotations

import resource
import sys
from collections.abc import Callable
from pathlib import Path

from openstake.core.errors import FrameError, OpenStakeError

MOST_MEMORY_BYTES = 3 << 30
MOST_CPU_S = 30
REFUSED = 3


def _grid(path: str) -> None:
    from openstake.wire.gridfiles import read_geoid_grid

    read_geoid_grid(Path(path))


def _datum_grid(path: str) -> None:
    from openstake.wire.gridfiles import check_datum_grid

    check_datum_grid(Path(path))


def _system(text: str) -> None:
    import numpy as np

    from openstake.core.geodesy.frames import job_frame

    frame = job_frame(text)
    # Everywhere on Earth, and back: whatever the projection does with it must be numbers.
    latitude, longitude = np.meshgrid(np.linspace(-90.0, 90.0, 37), np.linspace(-180.0, 180.0, 37))
    there = frame.grid_from_geodetic(latitude, longitude)
    if not np.isfinite(there).any():
        raise FrameError("The system gives no coordinates anywhere on Earth.", field="system")
    frame.geodetic_from_grid(there[..., 0], there[..., 1])
    frame.factors(10.0, 10.0)


_KINDS: dict[str, Callable[[str], None]] = {"grid": _grid, "datum-grid": _datum_grid, "system": _system}


def main() -> int:
    """Try what stands in the input; the sentence of a refusal goes to the output."""
    for what, most in ((resource.RLIMIT_AS, MOST_MEMORY_BYTES), (resource.RLIMIT_CPU, MOST_CPU_S), (resource.RLIMIT_CORE, 0)):
        resource.setrlimit(what, (most, most))
    try:
        _KINDS[sys.argv[1]](sys.stdin.buffer.read().decode())
    except OpenStakeError as error:
        sys.stdout.buffer.write(error.sentence.encode("utf-8", "replace"))
        return REFUSED
    return 0


if __name__ == "__main__":
    sys.exit(main())
