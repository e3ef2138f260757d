"""Large files that are sent: written beside where they will lie, with a limit, and gone again unless they are kept."""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from openstake.core.errors import FileError
from openstake.workflow.context import Context

MOST_GRID_BYTES = 512 << 20
_DRAFT_S = 3600.0


@dataclass(frozen=True)
class Draft:
    """A file as it was sent; whoever keeps it moves it away."""

    path: Path
    sha256: str
    size: int


@contextmanager
def kept_draft(context: Context, folder: Path, start: bytes, stream: IO[bytes], ending: str) -> Iterator[Draft]:
    """Write what was sent, `start` and the rest, into a folder, and take it away again unless it was moved; FileError where it is too large."""
    folder.mkdir(parents=True, exist_ok=True)
    for left in folder.glob("part-*"):
        # A program that was killed while it read one leaves its draft behind.
        if left.stat().st_mtime < context.clock.now() - _DRAFT_S:
            left.unlink(missing_ok=True)
    digest, size, chunk = hashlib.sha256(), 0, start
    with tempfile.NamedTemporaryFile(dir=folder, prefix="part-", suffix=ending, delete=False) as draft:
        path = Path(draft.name)
        try:
            while chunk:
                size += len(chunk)
                if size > MOST_GRID_BYTES:
                    raise FileError(f"The file is larger than {MOST_GRID_BYTES >> 20} MB: cut the grid down to your region.")
                digest.update(chunk)
                draft.write(chunk)
                chunk = stream.read(1 << 20)
            draft.close()
            yield Draft(path, digest.hexdigest(), size)
        finally:
            path.unlink(missing_ok=True)
