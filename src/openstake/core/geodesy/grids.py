"""Grids of datum operations by their names: which of those that an operation names are here, and where.

A pipeline keeps the plain names of its grids, so that a job means the same on every machine; paths are put in when it is computed.
"""

from __future__ import annotations

import re
from collections.abc import Callable

GRID_NAME = re.compile(r"[A-Za-z0-9][\w.-]{2,80}")
_GRIDS = re.compile(r"(grids=)([^\s\"]+)")
_find: list[Callable[[str], str | None]] = []


def find_grids_by(find: Callable[[str], str | None]) -> None:
    """Let grids be found by a function of their names, which returns a path that PROJ reads as one, None for what is not here."""
    _find[:] = [find]


def grid_path(name: str) -> str | None:
    """Return where a grid that an operation names lies, None where it is not here."""
    return next((path for find in _find if (path := find(name)) is not None), None)


def lacking_grids(pipeline: str) -> tuple[str, ...]:
    """Return the grids that a pipeline names and that are not here; a path is none that was brought in."""
    names = [name for listed in _GRIDS.findall(pipeline) for name in listed[1].split(",")]
    return tuple(name for name in names if not GRID_NAME.fullmatch(name) or grid_path(name) is None)


def with_paths(pipeline: str) -> str:
    """Return a pipeline with the paths of its grids in place of their names; what is not here stays a name."""

    def path(name: str) -> str:
        return grid_path(name.removeprefix("@")) or name

    return _GRIDS.sub(lambda found: found[1] + ",".join(path(name) for name in found[2].split(",")), pipeline)
